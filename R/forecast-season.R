#' The season of the business
#'
#' By how much more or less customers buy in each month of the year, all else equal: repeat
#' purchases by what the model expects of the same customers in a world without season, with a
#' smooth trend taken off, drawn towards 1 where the months are uncertain; a clear season is left as
#' it is. The purchase models then run in business time: a day of a month with index 1.2 counts as
#' 1.2 days.
#'
#' @param ledger `[nubrek_ledger]`
#' @param until `[Date(1)]` Last day seen; default the ledger's as-of day.
#' @return A `nubrek_season`, one row per month of the year: `month` `[character]`; `index`, with
#'   the interval `lower`, `upper` (95 %); `seen`, in how many years. Over the days of a year the
#'   index is 1 on average.
#' @details A quasi-Poisson regression of the purchases in each month on month of the year and a
#'   cubic trend, with the log of the expected ones as offset, is repeated in the business time that
#'   it gives until nothing changes; the month effects are shrunk by the square of the share of
#'   their variance that is error (that share itself would be empirical Bayes, Morris 1983, which
#'   tells strong seasons too weak).
#' @section Errors: `nubrek_error_unidentified` unless every month of the year is seen, for a third
#'   of it or more, in two years.
#' @references Morris (1983), Parametric empirical Bayes inference, Journal of the American
#'   Statistical Association 78.
#' @examples
#' \donttest{
#' ledger <- open_ledger(
#'   system.file("pellmere", "order-lines.csv.gz", package = "nubrek"),
#'   column_map(
#'     "customer_no", "sold_at", order = "receipt", sales = "net_amount", currency = "currency"
#'   ),
#'   meanings(currency = "EUR", history_start = "2023-01-01")
#' )
#' season_index(ledger)
#' }
#' @export
season_index <- function(ledger, until = NULL) {
  check_ledger(ledger)
  until <- check_day(until) %||% ledger$as_of
  by_month <- season_months(ledger$history_start, until)
  seen <- tabulate(by_month$month, 12L)
  if (any(seen < 2L)) {
    abort_nubrek(c(
      "A season needs every month of the year in two years.",
      "x" = "Up to {format(until)} {sum(seen < 2L)} month{?s} {?is/are} seen less than twice.",
      "i" = "Forecasts can be made without: {.code forecast_models(season = FALSE)}."
    ), "unidentified")
  }
  index <- rep(1, 12L)
  for (step in 1:6) {
    found <- month_effects(ledger, until, by_month, index)
    if (step == 1L) p <- found$p # do the months differ at all?
    new <- index * exp(found$effect)
    moved <- max(abs(log(new / index)))
    index <- new
    if (moved < 0.005) break
  }
  shrunk <- shrunk_months(log(index) - mean(log(index)), found$error)
  new_result(
    list(
      month = month_words,
      index = exp(shrunk$effect),
      lower = exp(shrunk$effect - 1.96 * shrunk$error),
      upper = exp(shrunk$effect + 1.96 * shrunk$error),
      seen = seen
    ),
    "season",
    ledger,
    basis = list(
      until = until,
      p = p,
      known = p < 0.05,
      covariance = found$covariance * sqrt(outer(shrunk$kept, shrunk$kept)),
      kinds = c(index = "decimal", lower = "decimal", upper = "decimal")
    )
  )
}

# Month effects drawn towards none by the square of the share that error has in them, with mean 1
# over the days of a year. By the share itself a clear season would be told a tenth too weak, and
# forecasts from the end of a high season too high.
shrunk_months <- function(effect, error) {
  between <- max(0, stats::var(effect) - mean(error^2))
  kept <- 1 - (error^2 / (between + error^2))^2
  shrunk <- kept * effect
  list(
    effect = shrunk - log(sum(exp(shrunk) * month_days) / sum(month_days)),
    error = sqrt(kept) * error,
    kept = kept
  )
}

month_days <- c(31, 28.2425, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)
month_words <- c(
  "January", "February", "March", "April", "May", "June", "July", "August", "September", "October",
  "November", "December"
)

# The calendar months of a history, as far as a third of them or more lies in it.
season_months <- function(start, until) {
  numbers <- seq(period_number(start, "month"), period_number(until, "month"))
  from <- pmax(as.integer(period_start(numbers, "month")), as.integer(start))
  to <- pmin(as.integer(period_start(numbers + 1L, "month")) - 1L, as.integer(until))
  whole <- as.integer(period_start(numbers + 1L, "month")) -
    as.integer(period_start(numbers, "month"))
  keep <- 3 * (to - from + 1L) >= whole
  calendar <- as.POSIXlt(period_start(numbers, "month"))
  data.frame(month = calendar$mon + 1L, from = from, to = to)[keep, ]
}

# Month effects left over in a given business time, with their standard errors. A part of the
# customers is enough.
month_effects <- function(ledger, until, months, index) {
  history <- purchase_history(ledger, until = until, season = index)
  if (nrow(history) > 50000L) {
    history <- history[round(seq(1, nrow(history), length.out = 50000L)), ]
  }
  fit <- fit_purchases(history, "mbg-nbd")
  data <- months_against_model(fit, ledger, until, months, index)
  data$month <- factor(data$month, 1:12)
  data$trend <- as.double(scale(data$from + data$to))
  seasonal_effects(data[data$expected > 0, ])
}

# Effects of the months of the year on `actual` against `expected`, beside a smooth trend:
# quasi-Poisson, summing to 0 in logs.
seasonal_effects <- function(data) {
  stats::contrasts(data$month) <- stats::contr.sum(12L)
  regression <- suppressWarnings(stats::glm(
    actual ~ trend + I(trend^2) + I(trend^3) + month,
    stats::quasipoisson(),
    data,
    offset = log(expected)
  ))
  if (!regression$converged || anyNA(stats::coef(regression))) {
    abort_nubrek("The months of the year cannot be told apart.", "unidentified", call = NULL)
  }
  mine <- grep("^month", names(stats::coef(regression)))
  to_all <- rbind(diag(11L), -1)
  each <- stats::coef(regression)[mine]
  wald <- drop(crossprod(each, solve(stats::vcov(regression)[mine, mine], each))) / length(mine)
  covariance <- to_all %*% stats::vcov(regression)[mine, mine] %*% t(to_all)
  list(
    effect = drop(to_all %*% each),
    p = stats::pf(wald, length(mine), regression$df.residual, lower.tail = FALSE),
    error = sqrt(diag(covariance)),
    covariance = covariance,
    dispersion = summary(regression)$dispersion
  )
}

# Later purchases in each month of the customers that a model was fitted to, beside what it expects
# of them.
months_against_model <- function(fit, ledger, until, months, index) {
  codes <- ledger_codes(ledger, fit$customers)
  first <- reduce_first(ledger)
  later <- reduce_repeat_days(ledger, until, codes)
  line <- fit$packed$row
  groups <- data.table(
    first = first[codes], set = fit$packed$set[line] %||% rep(1L, length(codes))
  )[, .(n = as.double(.N)), keyby = .(set, first)]
  came_by <- business_days(index, groups$first)
  ends <- business_days(index, c(months$from[[1L]] - 1L, months$to))
  longest <- (ends[[length(ends)]] - min(came_by)) / 7
  # the expectation is smooth: a spline through it is enough here
  grid <- longest * seq(0, 1, length.out = 120L)^2
  mine <- packed_sets(fit)
  so_far <- 0
  for (one in unique(groups$set)) {
    curve <- stats::splinefun(
      grid,
      newcomers_expected(fit, list(sets = mine$sets[, one, drop = FALSE], set = integer()), grid),
      "monoH.FC"
    )
    g <- groups$set == one
    so_far <- so_far +
      vapply(ends, \(end) sum(groups$n[g] * curve(pmax(0, end - came_by[g]) / 7)), 0)
  }
  data.frame(
    actual = counted_until(later, months$to) - counted_until(later, months$from - 1L),
    expected = diff(so_far),
    months
  )
}

# Month of the year of every day between two; those of the last and the coming decades are kept.
