# What moves by hand in a page without a server: small tables of counts and money, exact at the
# places that the knobs stop at, and the call that gives the same.

# The place of a control; the script finds it by its kind and reads the numbers beside it.
html_control <- function(kind, numbers) {
  if (is.null(numbers)) return(NULL)
  text <- jsonlite::toJSON(numbers, auto_unbox = TRUE, digits = NA, null = "null", na = "null")
  # nothing in it can end the element it stands in
  text <- gsub("<", "\\u003c", text, fixed = TRUE)
  htmltools::tags$div(
    class = "move",
    `data-kind` = kind,
    htmltools::tags$script(type = "application/json", htmltools::HTML(text))
  )
}

control_basis <- function(x) {
  list(
    currency = basis_of(x, "currency"),
    decimals = basis_of(x, "decimals"),
    minor = 10^basis_of(x, "decimals")
  )
}

# How a part of time stands in a call.
call_during <- function(x) {
  during <- basis_of(x, "during", NULL)
  if (is.null(during)) return("")
  said <- paste0("\"", format(during), "\"", collapse = ", ")
  say(", during = %s", if (length(during) > 1L) sprintf("c(%s)", said) else said)
}

# The order map by its cut-offs: customers and money by purchases (each number up to 24, the rest
# together) and by mean order sales between round numbers.
map_control <- function(map) {
  rows <- plain_table(map)
  if (nrow(rows) == 0L || basis_of(map, "decimals") > 6L) return(NULL)
  limits <- basis_of(map, "cut")
  positive <- rows$mean_sales[rows$mean_sales > 0]
  if (length(positive) == 0L) return(NULL)
  most <- min(25L, max(rows$purchases))
  steps <- sort(unique(c(
    round_steps(stats::quantile(positive, c(0.005, 0.995), names = FALSE)), limits[["mean_sales"]]
  )))
  place <- data.table(
    x = pmin(rows$purchases, most),
    y = findInterval(rows$mean_sales, steps),
    money = round(rows$sales * 10^basis_of(map, "decimals"))
  )[, .(n = .N, money = sum(money)), by = .(x, y)]
  at <- cbind(place$x, place$y + 1L)
  grid <- matrix(0, most, length(steps) + 1L)
  customers <- replace(grid, at, place$n)
  money <- replace(grid, at, place$money)
  html_control("map", c(control_basis(map), list(
    most = most,
    steps = steps,
    cut = c(min(most, max(1, ceiling(limits[["purchases"]]))),
      match(limits[["mean_sales"]], steps)),
    customers = customers,
    money = money,
    during = call_during(map)
  )))
}

# Round numbers from one to another, about fifty.
round_steps <- function(ends) {
  ends <- pmax(ends, 1e-9)
  if (ends[[2L]] / ends[[1L]] < 1.0001) return(signif(ends[[1L]], 3L))
  unique(signif(exp(seq(log(ends[[1L]]), log(ends[[2L]]), length.out = 60L)), 2L))
}

# Tiers by shares: the customers and the money of the best 1 to 99 percent, those tied at the edge
# with them, and the measure of the last of them.
tier_control <- function(tiers) {
  rule <- basis_of(tiers, "how")
  whole <- all(abs(rule$shares - round(rule$shares)) < 1e-9)
  if (rule$kind != "share" || !whole || length(rule$shares) < 2L || "kept" %in% names(tiers)) {
    return(NULL)
  }
  rows <- plain_table(tiers)
  n <- nrow(rows)
  last <- ceiling(seq_len(99L) * n / 100)
  count <- findInterval(last, rows$rank)
  money <- cumsum(round(rows$sales * 10^basis_of(tiers, "decimals")))
  html_control("tiers", c(control_basis(tiers), list(
    names = names(rule$shares),
    shares = as.integer(round(rule$shares)),
    customers = n,
    sales = money[[n]],
    upto = c(0L, count, n),
    money = c(0, money[count], money[[n]]),
    edge = rows[[rule$measures[[1L]]]][count],
    measure = rule$measures[[1L]],
    during = call_during(tiers)
  )))
}

# Payback of all cohorts together: cumulative sales and customers at each age.
payback_control <- function(grid, payback) {
  if (basis_of(payback, "money") != "margin") return(NULL)
  cells <- payback_cells(grid, "sales")
  cells <- add_groups(cells)[order(cohort, age)]
  cells[, `:=`(.so_far = cumsum(units), seen = cumsum(!complete) == 0L), by = cohort]
  pool <- cells[(seen) & !older, .(money = sum(.so_far), size = sum(size)), keyby = age]
  if (nrow(pool) < 2L) return(NULL)
  known <- plain_table(payback)
  known <- known[!known$older & !is.na(known$cost), ]
  cost <- if (nrow(known) > 0L) sum(known$cost * known$size) / sum(known$size) else 1
  rate <- sum(known$margin, na.rm = TRUE) /
    max(1e-9, sum(plain_table(grid)$sales[grid$cohort %in% known$cohort]))
  clock <- basis_of(payback, "clock")
  html_control("payback", c(control_basis(payback), list(
    age = pool$age,
    money = pool$money,
    size = pool$size,
    clock = clock,
    cost = round(cost),
    most = max(10, ceiling(3 * cost / 10) * 10),
    rate = min(100, max(1, round(100 * rate)))
  )))
}

# New and returning by the look-back: returning and reactivated customers of the last whole periods.
new_control <- function(new, ledger) {
  if (!is.null(basis_of(new, "by")) || length(basis_of(new, "lines")) > 0L) return(NULL)
  periods <- basis_of(new, "unit") == "periods"
  clock <- basis_of(new, "clock")
  steps <- if (periods) 1:24 else c(30L, 60L, 90L, 120L, 180L, 270L, 365L, 540L, 730L)
  if (periods && !inherits(ledger, "nubrek_memory")) steps <- c(1L, 2L, 3L, 6L, 12L, 24L)
  now <- basis_of(new, "lookback")
  steps <- sort(unique(c(steps[steps < nrow(new) | !periods], now)))
  unit <- if (periods) paste0(clock, "s") else "days"
  each <- lapply(steps, \(back) new_returning(
    ledger, clock, lookback = back, unit = if (periods) "periods" else "days"
  ))
  shown <- utils::tail(which(!new$partial), 24L)
  if (length(shown) == 0L || length(steps) == 0L) return(NULL)
  html_control("new", list(
    steps = c(steps, NA),
    now = if (is.null(now)) length(steps) else match(now, steps) - 1L,
    unit = unit,
    clock = clock,
    days = !periods,
    period = period_label(new$period[shown], clock),
    fresh = new$new[shown],
    active = new$active[shown],
    returning = rbind(
      do.call(rbind, lapply(each, \(one) one$returning[shown])), new$active[shown] - new$new[shown]
    )
  ))
}
