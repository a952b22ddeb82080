#' Hold a forecast against the period that followed
#'
#' Cuts the history at a day, fits on what was known then, and compares the expected purchases of each customer with those
#' that came, beside naive rules: everybody's own rate carried on, the same as in the equally long time before, and nobody
#' returns.
#'
#' @param ledger `[nubrek_ledger]`
#' @param cut `[Date(1)]` Last day that the fit may see. Default: a year before the as-of day, or two thirds into a shorter history.
#' @param models `[nubrek_models]` From [forecast_models()].
#' @return A `nubrek_backtest`, one row per method, the model first: `method`; `expected` and `actual`, purchases of all customers known
#'   at the cut; `error`, root mean square error per customer; `captured`, share of the following sales brought by the tenth
#'   of customers that the method puts first (tied customers count in part).
#'   Attributes: `fit`, the one made on the past; `customers` (per customer: expected, actual, sales), `weeks` (cumulative, actual and expected), `finding`, the
#'   sentence.
#' @examples
#' backtest(example_ledger())
#' @export
backtest <- function(ledger, cut = NULL, models = forecast_models()) {
  check_ledger(ledger)
  cut <- backtest_cut(ledger, cut)
  fitted <- fit_models(ledger, models, cut, need_spend = FALSE)
  history <- fitted$history
  fit <- fitted$purchases
  horizon <- as.numeric(ledger$as_of - cut) / 7
  came <- purchases_between(ledger, history$customer, cut, ledger$as_of)
  before <- purchases_between(ledger, history$customer, cut - (ledger$as_of - cut), cut)
  money <- if (is.null(fitted$spend)) rep(1, nrow(history)) else predict(fitted$spend, history)
  mean_so_far <- ifelse(history$repeats > 0, history$spend, mean(history$spend, na.rm = TRUE))
  expected <- list(predict(fit, history, horizon = horizon), "own rate carried on" = ifelse(history$span > 0, history$repeats / history$span, 0) * horizon,
                   "same as the time before" = before$purchases, "nobody returns" = numeric(nrow(history)))
  names(expected)[[1L]] <- fit$name
  worth <- Map(\(e, m) e * m, expected, list(money, mean_so_far, mean_so_far, mean_so_far))
  table <- list(method = names(expected), expected = unname(vapply(expected, sum, 0)), actual = rep(as.double(sum(came$purchases)), length(expected)),
                error = unname(vapply(expected, \(e) sqrt(mean((e - came$purchases)^2)), 0)),
                captured = unname(vapply(worth, \(w) captured_by_top(w, came$sales), 0)))
  new_result(table, "backtest", ledger, rbind(carried(ledger), fitted$remarks, remarks(fit), season_remark(horizon)), basis = list(cut = cut, weeks = horizon, customers = nrow(history)),
             customers = data.frame(customer = history$customer, expected = expected[[1L]], actual = came$purchases, sales = came$sales),
             weeks = track_weeks(ledger, history, fit, cut, horizon), finding = backtest_finding(table), fit = fit)
}

# The last day that a backtest's fit sees.
backtest_cut <- function(ledger, cut, call = rlang::caller_env()) {
  length_days <- as.integer(ledger$as_of - ledger$history_start)
  cut <- check_day(cut) %||% (ledger$as_of - if (length_days >= 730L) 364L else length_days %/% 3L)
  if (cut <= ledger$history_start || cut >= ledger$as_of) {
    abort_nubrek(c("{.arg cut} must lie within the history.", "x" = "{format(cut)} is not between {format(ledger$history_start)} and {format(ledger$as_of)}."), "argument", call = call)
  }
  cut
}

purchases_between <- function(ledger, ids, after, until) {
  inside <- ledger$days$day > as.integer(after) & ledger$days$day <= as.integer(until)
  code <- factor(ledger$days$customer[inside], match(ids, ledger$ids))
  list(purchases = as.integer(table(code)), sales = as.vector(ifelse(is.na(s <- tapply(major(ledger, ledger$days$sales[inside]), code, sum)), 0, s)))
}

# Share of `sales` held by the tenth with the highest `score`; customers tied at the edge count in part.
captured_by_top <- function(score, sales, share = 0.1) {
  if (sum(sales) == 0) return(NA_real_)
  places <- share * length(score)
  groups <- data.table(score, sales)[, .(n = .N, sales = sum(sales)), by = score][order(-score)]
  room <- pmin(groups$n, pmax(0, places - (cumsum(groups$n) - groups$n)))
  sum(groups$sales * room / groups$n) / sum(sales)
}

track_weeks <- function(ledger, history, fit, cut, horizon) {
  ends <- unique(c(seq_len(floor(horizon)), horizon))
  codes <- match(history$customer, ledger$ids)
  late <- ledger$days$customer %in% codes & ledger$days$day > as.integer(cut)
  week <- (ledger$days$day[late] - as.integer(cut)) / 7
  data.frame(week = ends, actual = vapply(ends, \(t) sum(week <= t), 0L),
             expected = vapply(ends, \(t) sum(predict(fit, history, horizon = t)), 0))
}

backtest_finding <- function(table) {
  naive <- which.min(table$error[-1L]) + 1L
  gain <- 1 - table$error[[1L]] / table$error[[naive]]
  bias <- table$expected[[1L]] / table$actual[[1L]] - 1
  paste0(if (gain > 0) sprintf("The model beats the best naive rule (%s) by %.0f %% in error per customer", table$method[[naive]], 100 * gain)
         else sprintf("A naive rule (%s) does better than the model, by %.0f %% in error per customer", table$method[[naive]], -100 * gain),
         if (is.finite(bias) && abs(bias) >= 0.02) sprintf("; in total it expected %.0f %% %s purchases than came", 100 * abs(bias), if (bias > 0) "more" else "fewer"), ".")
}

season_remark <- function(horizon) {
  if (horizon < 51) remark_table("season", sprintf("The %.0f weeks compared are not a whole year; the model knows no season.", horizon))
}
