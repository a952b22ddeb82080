# What a customer won today is worth by group, and through what.

# Draws of what the value is made of: base parameters, effects, orders.
group_draws <- function(rates, orders, n) {
  k <- length(rates$groups)
  known <- which(!is.na(diag(rates$vcov)))
  base <- matrix(log(rates$parameters), n, length(rates$parameters), byrow = TRUE)
  if (length(known) > 0L) {
    base[, known] <- base[, known] + normal_draws(n, rates$vcov[known, known, drop = FALSE])
  }
  about <- \(mean, error) matrix(stats::rnorm(n * k, rep(mean, each = n), rep(error, each = n)), n)
  list(
    base = exp(base),
    rate = about(rates$effect[, 1L], rates$error[, 1L]),
    leaving = about(rates$effect[, 2L], rates$error[, 2L]),
    first = about(orders$first$ratio, orders$first$error),
    later = about(orders$later$ratio, orders$later$error)
  )
}

group_worth <- function(rates, orders, drawn, years, within, delta, level) {
  year <- 365.25 / 7
  horizon <- years * year
  later <- \(who, horizon, delta) later_purchases(rates, rates$parameters, who, horizon, delta)
  total <- list(rate = 0, leaving = 0)
  group <- list(rate = rates$effect[, 1L], leaving = rates$effect[, 2L])
  everybody <- worth_of_orders(orders$all, later(total, horizon, delta))
  value <- group_value(rates, orders, horizon, delta)
  worth <- value(TRUE, TRUE, TRUE)
  ends <- group_intervals(rates, orders, drawn, horizon, delta, level)
  near <- 0.01
  # the share of the first rate that is left after a year, and that rate
  left <- \(who) (later(who, year + near, 0) - later(who, year, 0)) / later(who, near, 0)
  start <- \(who) later(who, near, 0) / near * year
  by_month <- within * year / 12
  parts <- shapley(value)
  list(
    table = data.frame(
      value = worth,
      value_lower = ends$value[1L, ],
      value_upper = ends$value[2L, ],
      difference = worth - everybody,
      from_staying = parts[[1L]],
      from_cadence = parts[[2L]],
      from_order = parts[[3L]],
      clear = ends$difference[1L, ] > 0 | ends$difference[2L, ] < 0,
      staying = left(group),
      cadence = start(group),
      mean_first = orders$first$ratio,
      mean_later = orders$later$ratio,
      highest_cost = worth_of_orders(orders_of_groups(orders), later(group, by_month, 0))
    ),
    everybody = data.frame(
      value = everybody,
      staying = left(total),
      cadence = start(total),
      mean_first = orders$all[["first"]],
      mean_later = orders$all[["later"]],
      highest_cost = worth_of_orders(orders$all, later(total, by_month, 0))
    )
  )
}

# Expected later purchases of customers won today, for shifts of both rates about the base.
later_purchases <- function(rates, base, shifts, horizon, delta) {
  sets <- cpp_shift_parameters(rates$model, base, rbind(
    rates$mean[[1L]] + shifts$rate, rates$mean[[2L]] + shifts$leaving
  ))
  newcomer_columns(rates$model, sets, horizon, delta)
}

# The margin of a first order and of so many later ones.
worth_of_orders <- function(orders, n) {
  orders[["margin"]] * (orders[["first"]] + n * orders[["later"]])
}

orders_of_groups <- function(orders) {
  list(margin = orders$margin, first = orders$first$ratio, later = orders$later$ratio)
}

# The value by which parts are the group's (TRUE) and which everybody's.
group_value <- function(rates, orders, horizon, delta) {
  none <- rep(0, length(rates$groups))
  function(staying, cadence, order) {
    n <- later_purchases(rates, rates$parameters, list(
      rate = if (cadence) rates$effect[, 1L] else none,
      leaving = if (staying) rates$effect[, 2L] else none
    ), horizon, delta)
    worth_of_orders(if (order) orders_of_groups(orders) else orders$all, n)
  }
}

# Intervals of the value and of its difference from everybody's, which is drawn beside it.
group_intervals <- function(rates, orders, drawn, horizon, delta, level) {
  values <- differences <- matrix(NA_real_, nrow(drawn$base), length(rates$groups))
  for (d in seq_len(nrow(drawn$base))) {
    n <- later_purchases(rates, drawn$base[d, ], list(
      rate = c(0, drawn$rate[d, ]), leaving = c(0, drawn$leaving[d, ])
    ), horizon, delta)
    values[d, ] <- worth_of_orders(
      list(margin = orders$margin, first = drawn$first[d, ], later = drawn$later[d, ]), n[-1L]
    )
    differences[d, ] <- values[d, ] - worth_of_orders(orders$all, n[[1L]])
  }
  list(value = draw_interval(values, level), difference = draw_interval(differences, level))
}

# Expected (discounted) later purchases of customers won today, one for each column of parameters.
newcomer_columns <- function(model, sets, horizon, delta) {
  k <- ncol(sets)
  cpp_purchase_expected(
    model, list(sets = sets, set = seq_len(k)), nothing_behind(k), horizon, delta, 1L
  )
}

# Shapley values of three parts of which each may be the group's or everybody's.
shapley <- function(value) {
  v <- \(who) value(1L %in% who, 2L %in% who, 3L %in% who)
  seen <- lapply(0:7, \(bits) v(which(bitwAnd(bits, c(1L, 2L, 4L)) > 0L)))
  place <- \(who) seen[[sum(c(1L, 2L, 4L)[who]) + 1L]]
  lapply(1:3, function(i) {
    others <- setdiff(1:3, i)
    (place(i) - place(integer())) / 3 +
      (place(c(i, others[[1L]])) - place(others[[1L]])) / 6 +
      (place(c(i, others[[2L]])) - place(others[[2L]])) / 6 +
      (place(1:3) - place(others)) / 3
  })
}
