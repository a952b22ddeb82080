#' Hold a forecast against the period that followed
#'
#' Cuts the history at a day, fits on what was known then, and compares the expected purchases of
#' each customer with those that came, beside naive rules: everybody's own rate carried on, the same
#' as in the equally long time before, and nobody returns. [rolling_backtest()] does it at several
#' days.
#'
#' @param ledger `[nubrek_ledger]`
#' @param cut `[Date(1)]` Last day that the fit may see. Default: a year before the as-of day, or
#'   two thirds into a shorter history.
#' @param models `[nubrek_models]` From [forecast_models()].
#' @param weeks `[numeric(1)]` How long to compare; default up to the as-of day.
#' @return A `nubrek_backtest`, one row per method, the model first: `method`; `expected` and
#'   `actual`, purchases of all customers known at the cut; `error`, root mean square error per
#'   customer; `log_score`, mean log of the probability that the method gave to the number of
#'   purchases that came (higher is better; for the naive rules that of a Poisson customer whose
#'   rate is known from as much time, with a Jeffreys prior; nobody returns has none); `captured`,
#'   share of the following sales brought by the tenth of customers that the method puts first (tied
#'   customers count in part). `basis` has `inside_80` and `inside_95`, the shares of customers
#'   within the model's intervals of their own purchases. Attributes: `fit`, the one made on the
#'   past; `customers` (per customer: expected, actual, sales, log score, `uniform`, the randomised
#'   place of what came in the predicted distribution), `worth` (expected sales by method), `weeks`
#'   (cumulative, actual and expected), `finding`, the sentence.
#' @examples
#' backtest(example_ledger())
#' @export
backtest <- function(ledger, cut = NULL, models = forecast_models(), weeks = NULL) {
  check_ledger(ledger)
  check_number(weeks, lower = 1, null = TRUE)
  one_backtest(ledger, backtest_cut(ledger, cut), models, weeks, by_week = TRUE)
}

# `by_week`: also follow it week by week, for the figure.
one_backtest <- function(ledger, cut, models, weeks = NULL, by_week = FALSE) {
  until <- if (is.null(weeks)) ledger$as_of else min(ledger$as_of, cut + floor(7 * weeks))
  fitted <- fit_models(ledger, models, cut, need_spend = FALSE)
  history <- fitted$history
  fit <- fitted$purchases
  came <- came_between(ledger, history$customer, cut, until)
  before <- came_between(ledger, history$customer, cut - (until - cut), cut)
  first <- reduce_first(ledger)[ledger_codes(ledger, history$customer)]
  time <- list(
    horizon = as.numeric(until - cut) / 7,
    ahead = business_weeks(fit, cut, until),
    span = as.numeric(cut - as.Date(first, origin = "1970-01-01")) / 7
  )
  expected <- expected_by_method(fit, history, before, time)
  worth <- worth_by_method(expected, fitted, history)
  place <- predicted_place(fit, history, time$ahead, came$purchases)
  rows <- list(
    method = names(expected),
    expected = unname(vapply(expected, sum, 0)),
    actual = rep(as.double(sum(came$purchases)), length(expected)),
    error = unname(vapply(expected, \(e) sqrt(mean((e - came$purchases)^2)), 0)),
    log_score = scores_by_method(place, history, before, came, time),
    captured = unname(vapply(worth, \(w) captured_by_top(w, came$sales), 0))
  )
  inside <- \(level) mean(
    place$below + place$at >= (1 - level) / 2 & place$below <= (1 + level) / 2
  )
  new_result(
    rows,
    "backtest",
    ledger,
    rbind(
      carried(ledger),
      fitted$remarks,
      remarks(fit),
      if (is.null(fitted$season)) season_remark(time$horizon)
    ),
    basis = list(
      cut = cut,
      weeks = time$horizon,
      customers = nrow(history),
      inside_80 = inside(0.8),
      inside_95 = inside(0.95),
      kinds = c(log_score = "number")
    ),
    customers = data.frame(
      customer = history$customer,
      expected = expected[[1L]],
      actual = came$purchases,
      sales = came$sales,
      log_score = log(place$at),
      uniform = place$below + with_seed(1L, stats::runif(nrow(history))) * place$at
    ),
    worth = worth,
    weeks = if (by_week) track_weeks(ledger, history, fit, cut, time$horizon),
    finding = backtest_finding(rows),
    fit = fit
  )
}

# Purchases and sales of these customers after one day and until another.
came_between <- function(ledger, customers, after, until) {
  found <- reduce_between(ledger, after, until)[ledger_codes(ledger, customers)]
  list(purchases = found$purchases, sales = major(ledger, found$sales))
}

# What the model expects, and what three naive rules do.
expected_by_method <- function(fit, history, before, time) {
  own_rate <- ifelse(time$span > 0, history$repeats / time$span, 0)
  stats::setNames(
    list(
      predict(fit, history, horizon = time$ahead),
      own_rate * time$horizon,
      before$purchases,
      numeric(nrow(history))
    ),
    c(fit$name, "own rate carried on", "same as the time before", "nobody returns")
  )
}

# The naive rules value a purchase by the customer's mean so far.
worth_by_method <- function(expected, fitted, history) {
  money <- if (is.null(fitted$spend)) rep(1, nrow(history)) else predict(fitted$spend, history)
  so_far <- ifelse(history$repeats > 0, history$spend, mean(history$spend, na.rm = TRUE))
  Map(\(e, m) e * m, expected, list(money, so_far, so_far, so_far))
}

# Log scores: of the model, of rates carried on with the doubt a rate has; "nobody returns" gives no
# probabilities.
scores_by_method <- function(place, history, before, came, time) {
  carried_on <- \(n, over) mean(stats::dnbinom(
    came$purchases, n + 0.5, over / (over + time$horizon), log = TRUE
  ))
  c(
    mean(log(place$at)),
    carried_on(history$repeats, pmax(time$span, 1 / 7)),
    carried_on(before$purchases, pmax(pmin(time$span, time$horizon), 1 / 7)),
    NA
  )
}

# Where a number of purchases lies in the predicted distribution of each customer: the probability
# of fewer, and of just so many.
predicted_place <- function(fit, history, horizon, came) {
  below <- exact <- numeric(length(came))
  for (rows in split(seq_along(came), ceiling(log2(came + 1)))) {
    most <- max(came[rows])
    p <- predict(fit, history[rows, ], "distribution", horizon, up_to = most)
    below[rows] <- rowSums(p * (col(p) <= came[rows]))
    exact[rows] <- p[cbind(seq_along(rows), came[rows] + 1L)]
  }
  list(below = below, at = pmax(exact, 1e-300))
}

#' Are the predicted numbers right, group by group?
#'
#' @param test `[nubrek_backtest]` From [backtest()].
#' @param groups `[integer(1)]` So many groups of equal size by what was expected of the customers,
#'   the highest first; customers of equal expectation are dealt by their order in the ledger.
#' @return A `nubrek_calibration`, one row per group: `group`, `customers`, `expected`, `actual`
#'   purchases, `difference`, actual less expected; `sales` that followed. Sums are those of the
#'   backtest.
#' @examples
#' calibration(backtest(example_ledger()), groups = 2)
#' @export
calibration <- function(test, groups = 10L) {
  throw_unless(checkmate::check_class(test, "nubrek_backtest"), "test", rlang::current_env())
  check_whole(groups, lower = 2L)
  each <- attr(test, "customers")
  group <- ceiling(data.table::frank(-each$expected, ties.method = "first") / nrow(each) * groups)
  sums <- data.table(group, each)[,
    .(customers = .N, expected = sum(expected), actual = sum(actual), sales = sum(sales)),
    keyby = group
  ]
  new_result(
    list(
      group = as.integer(sums$group),
      customers = sums$customers,
      expected = sums$expected,
      actual = sums$actual,
      difference = sums$actual - sums$expected,
      sales = sums$sales
    ),
    "calibration",
    remarks = remarks(test),
    basis = c(
      attr(test, "basis")[c("cut", "weeks", "decimals", "inside_80", "inside_95")],
      list(model = test$method[[1L]], kinds = c(expected = "decimal", difference = "decimal"))
    ),
    members = members_of(as.integer(group), each$customer)
  )
}

#' How much of the following sales did the customers bring that a method put first?
#'
#' @param test `[nubrek_backtest]` From [backtest()].
#' @param shares `[numeric]` Shares of customers, in (0, 1].
#' @return A `nubrek_captured`, one row per share of customers: `share_of_customers`; one column per
#'   method with the share of the following sales; `best`, what a clairvoyant would have found. Tied
#'   customers count in part.
#' @examples
#' captured_sales(backtest(example_ledger()), c(0.25, 0.5, 1))
#' @export
captured_sales <- function(test, shares = c(0.01, 0.02, seq(0.05, 1, 0.05))) {
  throw_unless(checkmate::check_class(test, "nubrek_backtest"), "test", rlang::current_env())
  throw_unless(
    checkmate::check_numeric(shares, lower = 1e-6, upper = 1, any.missing = FALSE, min.len = 1L),
    "shares",
    rlang::current_env()
  )
  came <- attr(test, "customers")$sales
  columns <- lapply(
    c(attr(test, "worth"), list(best = came)),
    \(score) vapply(shares, \(s) captured_by_top(score, came, s), 0)
  )
  new_result(
    c(list(share_of_customers = shares), columns),
    "captured",
    remarks = remarks(test),
    basis = c(attr(test, "basis")[c("cut", "weeks")], list(
      model = test$method[[1L]],
      kinds = stats::setNames(
        rep("share", length(columns) + 1L), c("share_of_customers", names(columns))
      )
    ))
  )
}

# The last day that a backtest's fit sees.
backtest_cut <- function(ledger, cut, call = rlang::caller_env()) {
  length_days <- as.integer(ledger$as_of - ledger$history_start)
  cut <- check_day(cut) %||% (ledger$as_of - if (length_days >= 730L) 364L else length_days %/% 3L)
  if (cut <= ledger$history_start || cut >= ledger$as_of) {
    abort_nubrek(c("{.arg cut} must lie within the history.", "x" = paste0(
      "{format(cut)} is not between {format(ledger$history_start)} and ", "{format(ledger$as_of)}."
    )), "argument", call = call)
  }
  cut
}

# Share of `sales` held by the tenth with the highest `score`; customers tied at the edge count in
# part.
captured_by_top <- function(score, sales, share = 0.1) {
  if (sum(sales) == 0) return(NA_real_)
  places <- share * length(score)
  groups <- data.table(score, sales)[, .(n = .N, sales = sum(sales)), by = score][order(-score)]
  room <- pmin(groups$n, pmax(0, places - (cumsum(groups$n) - groups$n)))
  sum(groups$sales * room / groups$n) / sum(sales)
}

track_weeks <- function(ledger, history, fit, cut, horizon) {
  ends <- unique(c(seq_len(floor(horizon)), horizon))
  ahead <- business_weeks(fit, cut, cut + round(7 * ends))
  codes <- ledger_codes(ledger, history$customer)
  week <- (ledger_rows(ledger, "days", "day", codes, from = cut + 1L)$day - as.integer(cut)) / 7
  data.frame(
    week = ends,
    actual = vapply(ends, \(t) sum(week <= t), 0L),
    expected = vapply(ahead, \(t) sum(predict(fit, history, horizon = t)), 0)
  )
}

# The best naive rule in each of the three: error per customer (lower is better), log score and
# sales captured (higher is).
backtest_finding <- function(table) {
  best <- \(x) which.max(ifelse(is.na(x), -Inf, x)[-1L]) + 1L
  best_rule <- c(
    error = best(-table$error),
    `log score` = best(table$log_score),
    `sales captured` = best(table$captured)
  )
  won <- c(
    table$error[[1L]] < table$error[[best_rule[[1L]]]],
    table$log_score[[1L]] > table$log_score[[best_rule[[2L]]]],
    table$captured[[1L]] > table$captured[[best_rule[[3L]]]]
  )
  won[is.na(won)] <- TRUE # nothing was sold to be captured
  gain <- 1 - table$error[[1L]] / table$error[[best_rule[[1L]]]]
  lost <- names(best_rule)[!won]
  bias <- table$expected[[1L]] / table$actual[[1L]] - 1
  first <- if (won[[1L]]) {
    sprintf(
      "The model beats the best naive rule (%s) by %.0f %% in error per customer",
      table$method[[best_rule[[1L]]]],
      100 * gain
    )
  } else {
    sprintf(
      "A naive rule (%s) does better than the model, by %.0f %% in error per customer",
      table$method[[best_rule[[1L]]]],
      -100 * gain
    )
  }
  others <- setdiff(lost, "error")
  also <- if (length(others) > 0L) {
    sprintf(
      "; in %s a naive rule %s (%s)",
      paste(others, collapse = " and "),
      if (won[[1L]]) "does better" else "is ahead too",
      paste(unique(table$method[best_rule[others]]), collapse = ", ")
    )
  }
  total <- if (is.finite(bias) && abs(bias) >= 0.02) {
    sprintf(
      "; in total it expected %.0f %% %s purchases than came",
      100 * abs(bias),
      if (bias > 0) "more" else "fewer"
    )
  }
  paste0(first, also, total, ".")
}

season_remark <- function(horizon) {
  if (horizon < 51) {
    remark_table("weeks", say("The %.0f weeks compared are not a whole year.", horizon))
  }
}
