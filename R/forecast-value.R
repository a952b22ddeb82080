#' Margin and discounting
#'
#' @param margin_rate `[double(1)]` Margin by net sales, in (0, 1]. Without it, sales are forecast and called sales; value stays
#'   missing.
#' @param yearly_discount `[double(1)]` Yearly rate; money of today is not discounted. Default 10 %.
#' @return A `nubrek_economics` list.
#' @examples
#' economics(margin_rate = 0.45)
#' @export
economics <- function(margin_rate = NULL, yearly_discount = 0.1) {
  check_number(margin_rate, lower = 0, upper = 1, null = TRUE)
  check_number(yearly_discount, lower = 0, upper = 10)
  structure(list(margin_rate = margin_rate, yearly_discount = yearly_discount), class = "nubrek_economics")
}

#' Which models a forecast is made with
#'
#' @param purchases `[character(1)]` `"pareto-nbd"` (default), `"bg-nbd"` or `"mbg-nbd"`.
#' @param spend `[character(1)]` `"gamma-gamma"` (default) or `"log-normal"`.
#' @param covariates,penalty Of the purchases, see [fit_purchases()].
#' @param season `[logical(1) | character(1) | nubrek_season]` Should the models know the season of the business ([season_index()])? `"auto"` (default): where the history is long enough to tell one.
#'   Or one made before.
#' @return A `nubrek_models` list, for the argument `models` of [forecast_value()], [backtest()] and [tier_outlook()].
#' @examples
#' forecast_models("mbg-nbd", covariates = ~ first_channel)
#' @export
forecast_models <- function(purchases = "pareto-nbd", spend = "gamma-gamma", covariates = NULL, penalty = 0, season = "auto") {
  check_choice(purchases, names(Filter(\(m) !m$discrete, purchase_models())))
  check_choice(spend, names(spend_models()))
  if (!identical(season, "auto") && !inherits(season, "nubrek_season")) throw_unless(checkmate::check_flag(season), "season", rlang::current_env())
  structure(list(purchases = purchases, spend = spend, covariates = covariate_formulas(covariates), penalty = penalty, season = season), class = "nubrek_models")
}

# The histories of all customers up to a day, with what the covariates need, and both models fitted to those whose first purchase is surely seen. Where amounts cannot be
# modelled, `spend` is missing if the caller can do without.
fit_models <- function(ledger, models, until = NULL, need_spend = TRUE, call = rlang::caller_env()) {
  throw_unless(checkmate::check_class(models, "nubrek_models"), "models", call)
  signal_progress("fitting the purchase and spend models")
  season <- season_of(models$season, ledger, until)
  history <- with_attributes(purchase_history(ledger, until = until, season = season), ledger, formula_variables(models$covariates))
  learn <- learn_from(ledger, history, until %||% ledger$as_of)
  known <- history[learn$rows, ]
  spend <- if (need_spend) fit_spend(known, models$spend) else tryCatch(fit_spend(known, models$spend), nubrek_error_unidentified = \(e) NULL)
  list(history = history, purchases = fit_purchases(known, models$purchases, models$covariates, models$penalty), spend = spend, season = season, remarks = rbind(learn$remarks,
      if (!is.null(season)) used_season_remark(season)))
}

used_season_remark <- function(season) {
  high <- which.max(season$index)
  low <- which.min(season$index)
  remark_table("season", sprintf("The models know the season: from %.2f times an average month (%s) to %.2f times (%s).", season$index[[low]], season$month[[low]], season$index[[high]],
      season$month[[high]]))
}

season_of <- function(asked, ledger, until = NULL) {
  if (inherits(asked, "nubrek_season")) return(asked)
  if (identical(asked, "auto")) tryCatch(season_index(ledger, until), nubrek_error_unidentified = \(e) NULL) else if (asked) season_index(ledger, until)
}

# Weeks of business time from one day to another.
business_weeks <- function(fit, from, to) (business_days(fit$season, as.integer(to)) - business_days(fit$season, as.integer(from))) / 7

#' What each customer will still bring
#'
#' Expected purchases and amounts from the models, returns taken off at their observed share of sales;
#' margin at the given rate; discounted continuously from today. Where the season is known, all in business time. The interval holds parameter uncertainty and the chance of
#' each customer's own course together, by simulation from the posterior.
#'
#' @param ledger `[nubrek_ledger]`
#' @param years `[double(1)]` How far to look ahead, default 1.
#' @param money `[nubrek_economics]` From [economics()].
#' @param level `[double(1)]` Of the intervals.
#' @param draws `[integer(2)]` Parameter draws, and draws per customer for each of them.
#' @param seed `[integer(1)]` The same seed gives the same intervals.
#' @param models `[nubrek_models]` From [forecast_models()].
#' @return A `nubrek_value`, one row per customer with a purchase, sorted by id: `active`, the probability of still being a
#'   customer; `purchases`, expected; `sales`, `margin`, expected and undiscounted; `value`, discounted margin, with `value_lower`,
#'   `value_upper`; `value_to_date`, margin so far; `lifetime_value`, the sum of both. Money in major units. The attribute `total` has
#'   the sum of `value` with its interval.
#' @examples
#' forecast_value(example_ledger(), money = economics(margin_rate = 0.45))
#' @export
forecast_value <- function(ledger, years = 1, money = economics(), level = 0.95, draws = c(20L, 25L), seed = 1L, models = forecast_models()) {
  check_ledger(ledger)
  check_number(years, lower = 1 / 52, upper = 50)
  throw_unless(checkmate::check_class(money, "nubrek_economics"), "money", rlang::current_env())
  check_number(level, lower = 0.5, upper = 0.999)
  throw_unless(checkmate::check_integerish(draws, lower = 1L, len = 2L, any.missing = FALSE), "draws", rlang::current_env())
  check_whole(seed, lower = 0L)
  fitted <- fit_models(ledger, models)
  history <- fitted$history
  fit <- fitted$purchases
  spend <- fitted$spend
  horizon <- business_weeks(fit, ledger$as_of, ledger$as_of + round(365.25 * years))
  rate <- continuous_rate(money$yearly_discount, "week")
  kept <- 1 - return_share(ledger)
  each <- predict(spend, history) * kept
  purchases <- predict(fit, history, horizon = horizon)
  signal_progress("drawing intervals")
  m <- reduce_customers(ledger)
  to_date <- major(ledger, m$sales[match(history$customer, ledger$ids)])
  margin_rate <- money$margin_rate %||% NA_real_
  value <- predict(fit, history, "discounted", horizon, rate) * each * margin_rate
  drawn <- draw_values(history, fit, spend, horizon, rate, level, draws, seed)
  scale <- kept * margin_rate
  total <- data.frame(value = sum(value), lower = NA_real_, upper = NA_real_)
  total[c("lower", "upper")] <- stats::quantile(drawn$totals, c((1 - level) / 2, (1 + level) / 2), names = FALSE) * scale
  new_result(list(customer = history$customer, active = predict(fit, history, "active"), purchases = purchases, sales = purchases * each,
                  margin = purchases * each * margin_rate, value = value, value_lower = drawn$lower * scale, value_upper = drawn$upper * scale,
                  value_to_date = to_date * margin_rate, lifetime_value = to_date * margin_rate + value),
             "value", ledger, rbind(carried(ledger), fitted$remarks, value_remarks(fit, spend, money, history)),
             basis = list(years = years, level = level, margin_rate = money$margin_rate, yearly_discount = money$yearly_discount, return_share = 1 - kept),
             total = total, purchase_fit = fit, spend_fit = spend)
}

# Returns by sales of purchase days: what forecasts of net sales must take off.
return_share <- function(ledger) 1 - sum(ledger$orders$sales) / sum(ledger$days$sales)

draw_values <- function(history, fit, spend, horizon, rate, level, draws, seed) {
  w <- drawn_worlds(history, fit, spend, draws[[1L]], seed)
  cpp_simulate_value(w$models, w$histories, w$set, w$purchase, w$spend, as.integer(draws[[2L]]), horizon, rate, (1 - level) / 2, (1 + level) / 2, as.double(seed), reading_threads())
}

# What the simulations need: histories with amounts, and draws of the parameters of both models side by side.
drawn_worlds <- function(history, fit, spend, n, seed) {
  purchase <- draw_parameters(fit, n, seed)
  own <- lapply(seq_len(n), \(i) parameter_sets(fit, history, purchase[i, 1:4], purchase[i, -(1:4)]))
  list(models = list(purchases = fit$name, spend = spend$name), histories = c(history_columns(history), spend_columns(history, spend$name, anybody = TRUE)[-1L]), set = own[[1L]]$set,
       purchase = lapply(own, `[[`, "sets"), spend = draw_parameters(spend, n, seed + 1L))
}

# Draws of the parameters, normal on the scale they were fitted on; the estimate itself where no covariance is known. Leaves the caller's
# random numbers alone.
draw_parameters <- function(fit, n, seed) {
  scale <- working_scale(fit)
  drawn <- matrix(scale$at, n, length(scale$at), byrow = TRUE)
  known <- if (!is.null(fit$vcov)) which(!is.na(diag(fit$vcov)))                # not those on the edge
  z <- matrix(with_seed(seed, stats::rnorm(length(drawn))), n)
  if (length(known) > 0L) drawn[, known] <- drawn[, known] + z[, known, drop = FALSE] %*% chol(fit$vcov[known, known, drop = FALSE])
  drawn[, scale$logs] <- exp(drawn[, scale$logs])
  drawn
}

with_seed <- function(seed, code) {
  old <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(if (is.null(old)) rm(".Random.seed", envir = globalenv()) else assign(".Random.seed", old, globalenv()))
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}

value_remarks <- function(fit, spend, money, history) {
  x <- history$repeats > 0
  tie <- spend_tie(history$repeats[x], history$spend[x])
  rbind(remarks(fit), remarks(spend),
    if (is.null(money$margin_rate)) remark_table("margin", "No margin rate is known, so sales are forecast and value is left out."),
    if (tie$tied) remark_table("spend", sprintf("Amounts go with frequency (rank correlation %.2f); the spend model assumes they do not.", tie$correlation)))
}
