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
  k <- length(rates$groups)
  year <- 365.25 / 7
  # expected later purchases of a customer won today, for shifts of both rates about the base
  later <- function(base, rate, leaving, horizon, delta) {
    sets <- cpp_shift_parameters(
      rates$model, base, rbind(rates$mean[[1L]] + rate, rates$mean[[2L]] + leaving)
    )
    newcomer_columns(rates$model, sets, horizon, delta)
  }
  zero <- rep(0, k)
  rate <- rates$effect[, 1L]
  leaving <- rates$effect[, 2L]
  base <- rates$parameters
  # the value by which parts are the group's (TRUE) and which everybody's
  value <- function(staying, cadence, order) {
    n <- later(
      base, if (cadence) rate else zero, if (staying) leaving else zero, years * year, delta
    )
    if (order) {
      orders$margin * (orders$first$ratio + n * orders$later$ratio)
    } else {
      orders$all[["margin"]] * (orders$all[["first"]] + n * orders$all[["later"]])
    }
  }
  parts <- shapley(value)
  of_all <- later(base, 0, 0, years * year, delta)
  everybody <- orders$all[["margin"]] * (orders$all[["first"]] + of_all * orders$all[["later"]])
  worth <- value(TRUE, TRUE, TRUE)
  draws <- nrow(drawn$base)
  values <- matrix(NA_real_, draws, k)
  differences <- values
  for (d in seq_len(draws)) {
    n <- later(
      drawn$base[d, ], c(0, drawn$rate[d, ]), c(0, drawn$leaving[d, ]), years * year, delta
    )
    values[d, ] <- orders$margin * (drawn$first[d, ] + n[-1L] * drawn$later[d, ])
    differences[d, ] <- values[d, ] -
      orders$all[["margin"]] * (orders$all[["first"]] + n[[1L]] * orders$all[["later"]])
  }
  ends <- draw_interval(values, level)
  off <- draw_interval(differences, level)
  left <- \(rate, leaving) {
    near <- 0.01
    at <- \(t) later(base, rate, leaving, t, 0)
    (at(year + near) - at(year)) / at(near)
  }
  start <- \(rate, leaving) {
    near <- 0.01
    later(base, rate, leaving, near, 0) / near * year
  }
  months <- within * year / 12
  list(
    table = data.frame(
      value = worth,
      value_lower = ends[1L, ],
      value_upper = ends[2L, ],
      difference = worth - everybody,
      from_staying = parts[[1L]],
      from_cadence = parts[[2L]],
      from_order = parts[[3L]],
      clear = off[1L, ] > 0 | off[2L, ] < 0,
      staying = left(rate, leaving),
      cadence = start(rate, leaving),
      mean_first = orders$first$ratio,
      mean_later = orders$later$ratio,
      highest_cost = orders$margin *
        (orders$first$ratio + later(base, rate, leaving, months, 0) * orders$later$ratio)
    ),
    everybody = data.frame(
      value = everybody,
      staying = left(0, 0),
      cadence = start(0, 0),
      mean_first = orders$all[["first"]],
      mean_later = orders$all[["later"]],
      highest_cost = orders$all[["margin"]] *
        (orders$all[["first"]] + later(base, 0, 0, months, 0) * orders$all[["later"]])
    )
  )
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
  at <- \(who) seen[[sum(c(1L, 2L, 4L)[who]) + 1L]]
  lapply(1:3, function(i) {
    others <- setdiff(1:3, i)
    (at(i) - at(integer())) / 3 +
      (at(c(i, others[[1L]])) - at(others[[1L]])) / 6 +
      (at(c(i, others[[2L]])) - at(others[[2L]])) / 6 +
      (at(1:3) - at(others)) / 3
  })
}
