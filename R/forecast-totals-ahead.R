# What cohort totals let expect, and whether they would have done so before.

#' @param model `[nubrek_totals_fit]` From [fit_totals()].
#' @param ahead `[integer(1)]` Periods. Default 4.
#' @param margin_rate `[double(1)]` Margin by sales, for the value. Default 1, sales themselves.
#' @param cost `[double(1)]` Cost of acquiring one customer. Default 0.
#' @param discount `[double(1)]` By period, for the value; it runs from the first period of each
#'   cohort. Default 0.
#' @param level `[double(1)]` Of the intervals. Default 0.95.
#' @param draws `[integer(1)]` Tables drawn from the model and fitted again. Default 200.
#' @param seed `[integer(1)]` Default 1.
#' @return `forecast_totals()`: a `nubrek_totals_forecast`, one row per period ahead, of those
#'   acquired so far: `ahead`; `active`, `lower`, `upper`; `sales`, `sales_lower`, `sales_upper`
#'   (missing without sales). [cohort_economics()] tells them by cohort.
#' @rdname cohort_totals
#' @export
forecast_totals <- function(
  model, ahead = 4L, margin_rate = 1, cost = 0, discount = 0, level = 0.95, draws = 200L, seed = 1L
) {
  check_totals_fit(model)
  check_whole(ahead, lower = 1L, upper = 1000L)
  check_number(margin_rate, lower = 0, upper = 1)
  check_number(cost, lower = 0)
  check_number(discount, lower = 0)
  check_share(level, lower = 0.5, upper = 0.999)
  check_whole(draws, lower = 20L)
  ends <- cohort_ends(basis_of(model, "totals"))
  parameters <- stats::setNames(model$value, model$parameter)
  leaving <- basis_of(model, "leaving")
  money <- basis_of(model, "money")
  mean_path <- expected_path(ends, parameters, ahead, leaving)
  cells <- as.list(totals_cells(basis_of(model, "totals"), leaving))
  drawn <- with_seed(seed, lapply(seq_len(draws), \(i) draw_totals(model, cells, ends, ahead)))
  active <- vapply(drawn, \(one) colSums(one$active), double(ahead)) |> matrix(ahead)
  sales <- vapply(drawn, \(one) colSums(one$sales), double(ahead)) |> matrix(ahead)
  bounds <- \(rows, which) row_quantiles(rows, tails_of(level)[[which]])
  weight <- margin_rate / (1 + discount)^outer(ends$age, seq_len(ahead), `+`)
  to_come <- vapply(drawn, \(one) rowSums(one$sales * weight), double(nrow(ends))) |>
    matrix(nrow(ends))
  past <- as.data.table(plain_table(basis_of(model, "totals")))
  past[, worth := sales * margin_rate / (1 + discount)^age]
  new_result(
    list(
      ahead = seq_len(ahead),
      active = colSums(mean_path),
      lower = bounds(active, 1L),
      upper = bounds(active, 2L),
      sales = colSums(mean_path) * (money$mean %||% NA_real_),
      sales_lower = bounds(sales, 1L),
      sales_upper = bounds(sales, 2L)
    ),
    "totals_forecast",
    basis = list(
      model = model, level = level, draws = draws,
      economics = economics_of(ends, past, mean_path * weight, money, to_come, cost, level),
      kinds = c(
        active = "count", lower = "count", upper = "count", sales = "decimal",
        sales_lower = "decimal", sales_upper = "decimal"
      )
    )
  )
}

# Of few draws the ends lie where the next one would fall beyond them with the chance named.
row_quantiles <- function(draws, at) {
  apply(draws, 1L, stats::quantile, at, names = FALSE, na.rm = TRUE, type = 6L)
}

check_totals_fit <- function(model, call = rlang::caller_env()) {
  throw_unless(checkmate::check_class(model, "nubrek_totals_fit"), "model", call)
}

# Each cohort where it stands: its size, the last age seen, who was active then, sales so far.
cohort_ends <- function(totals) {
  rows <- as.data.table(plain_table(totals))
  rows[, .(
    acquired = acquired[[1L]], age = age[[.N]], active = active[[.N]], so_far = sum(sales)
  ), by = cohort]
}

# How many of each cohort are there now, on average: who was active, and of the silent ones those
# who only made a pause.
there_now <- function(ends, p, leaving) {
  if (leaving == "final") return(list(active = ends$active, silent = 0, chance = 0))
  there <- staying(ends$age, p[["alpha"]], p[["beta"]])
  pause <- there * (1 - p[["active"]])
  # everybody was there in the period that won him
  chance <- ifelse(ends$age == 0L, 1, pause / (1 - there + pause))
  list(active = ends$active, silent = ends$acquired - ends$active, chance = chance)
}

expected_path <- function(ends, p, ahead, leaving) {
  now <- there_now(ends, p, leaving)
  there <- now$active + now$silent * now$chance
  vapply(seq_len(ahead), \(k) {
    there * staying(ends$age + k, p[["alpha"]], p[["beta"]]) /
      staying(ends$age, p[["alpha"]], p[["beta"]]) * chance_active(p)
  }, double(nrow(ends))) |> matrix(nrow(ends))
}

chance_active <- function(p) if ("active" %in% names(p)) p[["active"]] else 1

# One table as the model might have made it, fitted again, and one course of what follows from where
# the cohorts stand.
draw_totals <- function(model, cells, ends, ahead) {
  leaving <- basis_of(model, "leaving")
  wide <- sqrt(basis_of(model, "spread"))
  fitted <- basis_of(model, "fit")$expected
  parameters <- stats::setNames(model$value, model$parameter)
  came <- draw_cells(cells, fitted, parameters, leaving)
  cells$x <- pmin(cells$n, pmax(0, fitted + (came - fitted) * wide))
  start <- c(log(model$value[1:2]), stats::qlogis(model$value[-(1:2)]))
  p <- totals_parameters(climb_totals(cells, leaving, list(start)), leaving)
  now <- there_now(ends, p, leaving)
  silent <- as.integer(round(now$silent))
  there <- as.integer(round(now$active)) + stats::rbinom(nrow(ends), silent, now$chance)
  mean_path <- expected_path(ends, p, ahead, leaving)
  active <- matrix(0, nrow(ends), ahead)
  for (k in seq_len(ahead)) {
    keep <- staying(ends$age + k, p[["alpha"]], p[["beta"]]) /
      staying(ends$age + k - 1L, p[["alpha"]], p[["beta"]])
    there <- stats::rbinom(nrow(ends), there, keep)
    came <- stats::rbinom(nrow(ends), there, chance_active(p))
    active[, k] <- pmax(0, mean_path[, k] + (came - mean_path[, k]) * wide)
  }
  list(active = active, sales = draw_totals_sales(active, basis_of(model, "money")))
}

# The counts of a drawn table. Where leaving is silent the same customers go through all cells of
# their cohort, so that its cells move together.
draw_cells <- function(cells, fitted, p, leaving) {
  n <- as.integer(round(cells$n))
  if (leaving == "final") return(stats::rbinom(length(n), n, pmin(1, fitted / cells$n)))
  cohort <- match(cells$cohort, unique(cells$cohort))
  there <- n[!duplicated(cohort)]
  still <- matrix(0L, length(there), max(cells$age))
  for (age in seq_len(ncol(still))) {
    keep <- staying(age, p[["alpha"]], p[["beta"]]) / staying(age - 1L, p[["alpha"]], p[["beta"]])
    still[, age] <- there <- stats::rbinom(length(there), there, keep)
  }
  stats::rbinom(length(n), still[cbind(cohort, cells$age)], p[["active"]])
}

draw_totals_sales <- function(active, money) {
  if (is.null(money)) return(active * NA_real_)
  mean <- stats::rnorm(1L, money$mean, sqrt(money$scatter / money$active))
  active * mean + stats::rnorm(length(active)) * sqrt(money$scatter * active)
}

# What each cohort has brought (`past`, worth by age) and will bring (`path`, weighted, by periods
# ahead). Cohorts stand beside each other at the same age, the last that the forecast reaches for
# all of them: what is seen up to there, and what is expected where less is seen (definition 67).
economics_of <- function(ends, past, path, money, to_come, cost, level) {
  mean <- money$mean %||% NA_real_
  horizon <- min(ends$age) + ncol(path)
  until <- \(ages) past[age <= ages, .(worth = sum(worth)), by = cohort][
    match(ends$cohort, cohort), worth
  ]
  missing <- outer(ends$age, seq_len(ncol(path)), `+`) <= horizon
  per_acquired <- (until(horizon) + rowSums(path * missing) * mean) / ends$acquired
  bound <- \(which) row_quantiles(to_come, tails_of(level)[[which]])
  data.frame(
    cohort = ends$cohort, acquired = ends$acquired, age = ends$age, active = ends$active,
    so_far = until(Inf), to_come = rowSums(path) * mean, lower = bound(1L), upper = bound(2L),
    horizon = horizon, per_acquired = per_acquired, after_cost = per_acquired - cost
  )
}

#' @param forecast `[nubrek_totals_forecast]` From [forecast_totals()].
#' @return `cohort_economics()`: a `nubrek_economics`, one row per cohort: `acquired`, `age` and
#'   `active` where it stands; margin (or sales) `so_far`, and `to_come` in the periods ahead with
#'   `lower`, `upper`, discounted from the cohort's first period; side by side at the same age, the
#'   `horizon` that the forecast reaches for all: by acquired customer, `per_acquired`, seen and
#'   where less is seen expected, and `after_cost` of acquiring.
#' @rdname cohort_totals
#' @export
cohort_economics <- function(forecast) {
  throw_unless(
    checkmate::check_class(forecast, "nubrek_totals_forecast"), "forecast", rlang::current_env()
  )
  new_result(
    as.list(basis_of(forecast, "economics")),
    "economics",
    basis = list(ahead = nrow(forecast), level = basis_of(forecast, "level"), kinds = c(
      acquired = "count", active = "count", so_far = "decimal", to_come = "decimal",
      lower = "decimal", upper = "decimal", per_acquired = "decimal", after_cost = "decimal"
    ))
  )
}

#' @param hold `[integer(1)]` The last periods, held back from the fit. Default 2.
#' @return `backtest_totals()`: a `nubrek_totals_backtest`, one row per period held back, of the
#'   cohorts known before: `ahead`; `came`, active; `expected`, `lower`, `upper`; `naive`, as many
#'   of each cohort as in the last period before; the same of sales, `sales_came`, `sales_expected`,
#'   `sales_lower`, `sales_upper`, `sales_naive`.
#' @rdname cohort_totals
#' @export
backtest_totals <- function(totals, hold = 2L, leaving = "silent", level = 0.95, draws = 200L) {
  throw_unless(checkmate::check_class(totals, "nubrek_totals"), "totals", rlang::current_env())
  check_whole(hold, lower = 1L)
  rows <- as.data.table(plain_table(totals))
  rows[, place := basis_of(totals, "place")]
  rows[, at := place + age]
  cut <- max(rows$at) - hold
  before <- rows[at <= cut]
  first <- totals_result(before, basis_of(totals, "periods"))
  model <- fit_totals(first, leaving)
  forecast <- forecast_totals(model, hold, level = level, draws = draws)
  later <- rows[at > cut & cohort %in% before$cohort]
  ends <- cohort_ends(first)
  came <- later[, .(active = sum(active), sales = sum(sales)), keyby = .(ahead = at - cut)]
  last <- before[, .(sales = sales[[.N]]), by = cohort]
  new_result(
    list(
      ahead = came$ahead, came = came$active, expected = forecast$active[came$ahead],
      lower = forecast$lower[came$ahead], upper = forecast$upper[came$ahead],
      naive = rep(sum(ends$active), nrow(came)), sales_came = came$sales,
      sales_expected = forecast$sales[came$ahead], sales_lower = forecast$sales_lower[came$ahead],
      sales_upper = forecast$sales_upper[came$ahead],
      sales_naive = rep(sum(last$sales), nrow(came))
    ),
    "totals_backtest",
    basis = list(hold = hold, level = level, kinds = c(
      came = "count", expected = "count", lower = "count", upper = "count", naive = "count",
      sales_came = "decimal", sales_expected = "decimal", sales_lower = "decimal",
      sales_upper = "decimal", sales_naive = "decimal"
    ))
  )
}
