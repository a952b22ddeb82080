#' Which models a forecast is made with
#'
#' @param purchases `[character(1)]` `"pareto-nbd"` (default), `"bg-nbd"`, `"mbg-nbd"`, or `"best"`:
#'   the one that [compare_models()] recommends (takes as long as that; not for backtests, which
#'   would see what they are to foresee).
#' @param spend `[character(1)]` `"gamma-gamma"` (default) or `"log-normal"`.
#' @param covariates,penalty Of the purchases, see [fit_purchases()].
#' @param season `[logical(1) | character(1) | nubrek_season]` Should the models know the season of
#'   the business ([season_index()])? `"auto"` (default): where the history is long enough to tell
#'   one. Or one made before.
#' @return A `nubrek_models` list, for the argument `models` of [forecast_value()], [backtest()] and
#'   [tier_outlook()].
#' @examples
#' forecast_models("mbg-nbd", covariates = ~ first_channel)
#' @export
forecast_models <- function(
  purchases = "pareto-nbd", spend = "gamma-gamma", covariates = NULL, penalty = 0, season = "auto"
) {
  check_choice(purchases, c(names(Filter(\(m) !m$discrete, purchase_models())), "best"))
  check_choice(spend, names(spend_models()))
  if (!identical(season, "auto") && !inherits(season, "nubrek_season")) {
    throw_unless(checkmate::check_flag(season), "season", rlang::current_env())
  }
  structure(list(
    purchases = purchases,
    spend = spend,
    covariates = covariate_formulas(covariates),
    penalty = penalty,
    season = season
  ), class = "nubrek_models")
}

# Fits made before; where the amounts could not be modelled, fitting again says why.
with_spend_fit <- function(fits, ledger, models, need_spend) {
  if (need_spend && is.null(fits$spend)) {
    learn <- learn_from(ledger, fits$history, ledger$as_of)
    fits$spend <- fit_spend(fits$history[learn$rows, ], models$spend)
  }
  fits
}

# The histories of all customers up to a day, with what the covariates need, and both models fitted
# to those whose first purchase is surely seen. Where amounts cannot be modelled, `spend` is missing
# if the caller can do without.
fit_models <- function(
  ledger, models, until = NULL, need_spend = TRUE, call = rlang::caller_env()
) {
  throw_unless(checkmate::check_class(models, "nubrek_models"), "models", call)
  # a study fits once for all its parts
  if (is.null(until) && !is.null(models$fits)) {
    return(with_spend_fit(models$fits, ledger, models, need_spend))
  }
  if (models$purchases == "best") {
    if (!is.null(until)) {
      abort_nubrek(c(
        "A backtest needs a model: {.val best} is chosen by looking at what came.",
        "i" = "See {.fn compare_models}."
      ), "argument", call = call)
    }
    compared <- compare_models(
      ledger, covariates = models$covariates, penalty = models$penalty, season = models$season
    )
    models$purchases <- compared$model[compared$recommended]
    chosen <- remark_table("model", paste0(say("Chosen: "), attr(compared, "reason")))
  } else {
    chosen <- NULL
  }
  signal_progress("fitting the purchase and spend models")
  told <- season_of(models$season, ledger, until)
  season <- told$season
  history <- with_attributes(
    purchase_history(ledger, until = until, season = season),
    ledger,
    formula_variables(models$covariates)
  )
  learn <- learn_from(ledger, history, until %||% ledger$as_of)
  known <- history[learn$rows, ]
  spend <- if (need_spend) {
    fit_spend(known, models$spend)
  } else {
    tryCatch(fit_spend(known, models$spend), nubrek_error_unidentified = \(e) NULL)
  }
  list(
    history = history,
    purchases = fit_purchases(known, models$purchases, models$covariates, models$penalty),
    spend = spend,
    season = season,
    remarks = rbind(
      chosen,
      learn$remarks,
      if (is.null(until) || is.null(season)) remark_table("season", told$words)
    )
  )
}

# The season that models are to follow, or none, and the one sentence that says which and why.
season_of <- function(asked, ledger, until = NULL) {
  none <- \(why) list(season = NULL, words = paste0("The models know no season: ", why, "."))
  day <- format_day(until %||% ledger$as_of)
  if (isFALSE(asked)) return(none("it is left out as asked"))
  season <- if (inherits(asked, "nubrek_season")) {
    asked
  } else if (isTRUE(asked)) {
    season_index(ledger, until)
  } else {
    tryCatch(season_index(ledger, until), nubrek_error_unidentified = \(e) NULL)
  }
  if (is.null(season)) {
    return(none(sprintf("up to %s not every month of the year has been seen twice", day)))
  }
  if (!isTRUE(asked) && !basis_of(season, "known")) {
    return(none(sprintf(
      "up to %s the months differ by no more than chance (p = %.2f)", day, basis_of(season, "p")
    )))
  }
  high <- which.max(season$index)
  low <- which.min(season$index)
  list(season = season, words = sprintf(
    paste0(
      "The models know the season (seen up to %s): from %.2f times an average month (%s) to %.2f ",
      "times (%s)."
    ),
    format_day(basis_of(season, "until")),
    season$index[[low]],
    season$month[[low]],
    season$index[[high]],
    season$month[[high]]
  ))
}

# Weeks of business time from one day to another.
business_weeks <- function(fit, from, to) {
  (business_days(fit$season, as.integer(to)) - business_days(fit$season, as.integer(from))) / 7
}

#' What each customer will still bring
#'
#' Expected purchases and amounts from the models, returns taken off at their observed share of
#' sales; margin as [economics()] says; discounted continuously from today. Where the season is
#' known, all in business time. The interval holds parameter uncertainty and the chance of each
#' customer's own course together, by simulation.
#'
#' @param ledger `[nubrek_ledger]`
#' @param years `[double(1)]` How far to look ahead, default 1.
#' @param money `[nubrek_economics]` From [economics()].
#' @param level `[double(1)]` Of the intervals.
#' @param draws `[integer(2)]` Parameter draws, and draws per customer for each of them; `NULL` for
#'   no intervals (missing), which takes a moment only.
#' @param seed `[integer(1)]` The same seed gives the same intervals, for any number of threads.
#' @param models `[nubrek_models]` From [forecast_models()].
#' @param cost `[numeric(1) | nubrek_cost]` What winning a customer cost: a number,
#'   [acquisition_cost()] or [acquisition_spend()]. Default not known.
#' @return A `nubrek_value`, one row per customer with a purchase, sorted by id: `active`, the
#'   probability of still being a customer; `purchases`, expected; `sales`, `margin`, expected and
#'   undiscounted; `value`, discounted margin, with `value_lower`, `value_upper`; `value_to_date`,
#'   margin so far; `lifetime_value`, the sum of both; with `cost` also `cost`, of the customer, and
#'   `value_after_cost`, the lifetime value less it. Money in major units. The attribute `total` has
#'   the sum of `value` with its interval; [value_shares()] tells who holds how much.
#' @details The discount of a moment t years ahead is \eqn{(1 + D)^{-t}}, integrated in closed form.
#'   A sum by periods (as in [cohort_value()]) discounts all of a period alike, by the age of the
#'   cohort; both agree as the periods become short.
#' @examples
#' forecast_value(example_ledger(), money = economics(margin_rate = 0.45))
#' @export
forecast_value <- function(
  ledger, years = 1, money = economics(), level = 0.95, draws = c(50L, 10L), seed = 1L,
  models = forecast_models(), cost = NULL
) {
  check_ledger(ledger)
  check_number(years, lower = 1 / 52, upper = 50)
  check_drawing(level, draws %||% c(1L, 1L), seed)
  fitted <- fit_models(ledger, models)
  history <- fitted$history
  fit <- fitted$purchases
  rate <- continuous_rate(money$yearly_discount, "week")
  end <- ledger$as_of + round(365.25 * years)
  horizon <- business_weeks(fit, ledger$as_of, end)
  shares <- money_shares(ledger, history$customer, money)
  ahead <- purchases_ahead(fit, history, c(horizon, horizon), c(0, rate))
  each <- predict(fitted$spend, history) * shares$kept
  # the draws are of amounts before returns and margin: customers with the same share of both are a
  # group
  unit <- shares$kept * shares$margin
  group <- match(unit, unique(unit))
  drawn <- if (!is.null(draws)) {
    worlds <- drawn_worlds(history, fit, fitted$spend, draws[[1L]], seed)
    drawn <- draw_values(
      worlds, horizon, rate, tails_of(level), draws[[2L]], seed, group, max(group)
    )
    factors <- season_factors(ledger, fitted, end, draws[[1L]], seed)
    drawn$totals <- drawn$totals * rep(factors[, 1L], each = draws[[2L]])
    drawn
  }
  between <- total_interval(drawn$totals, unique(unit), level, !is.null(shares$words))
  value <- ahead$expected[, 2L] * each * shares$margin
  lifetime <- shares$to_date + value
  new_result(
    c(
      list(
        customer = history$customer,
        active = ahead$active,
        purchases = ahead$expected[, 1L],
        sales = ahead$expected[, 1L] * each,
        margin = ahead$expected[, 1L] * each * shares$margin,
        value = value,
        value_lower = (drawn$quantiles[, 1L] %||% NA_real_) * unit,
        value_upper = (drawn$quantiles[, 2L] %||% NA_real_) * unit,
        value_to_date = shares$to_date,
        lifetime_value = lifetime
      ),
      if (!is.null(cost)) after_cost(lifetime, customer_costs(ledger, history$customer, cost))
    ),
    "value",
    ledger,
    rbind(carried(ledger), fitted$remarks, value_remarks(fitted, money, ledger, shares)),
    basis = list(
      years = years,
      level = level,
      margin = shares$words,
      yearly_discount = money$yearly_discount,
      return_share = shares$return_share
    ),
    total = data.frame(value = sum(value), lower = between[[1L]], upper = between[[2L]]),
    purchase_fit = fit,
    spend_fit = fitted$spend
  )
}

after_cost <- function(lifetime, spent) list(cost = spent, value_after_cost = lifetime - spent)

# The interval of the whole value: nothing where no margin is known, or nothing was drawn.
total_interval <- function(totals, scale, level, known) {
  if (!known || is.null(totals)) return(c(NA_real_, NA_real_))
  drop(draw_interval(totals %*% scale, level))
}

check_drawing <- function(level, draws, seed, call = rlang::caller_env()) {
  check_share(level, lower = 0.5, upper = 0.999, call = call)
  throw_unless(
    checkmate::check_integerish(draws, lower = 1L, len = 2L, any.missing = FALSE), "draws", call
  )
  check_whole(seed, lower = 0L, call = call)
}

# Still a customer, and what is expected by each horizon at its rate, in one pass.
purchases_ahead <- function(fit, history, horizons, rates = rep(0, length(horizons))) {
  if (!is.null(fit$design)) warn_unseen(fit$design, history)
  mine <- parameter_sets(fit, history)
  cpp_purchase_ahead(
    fit$name, mine, history_columns(history), horizons, rates, reading_threads()
  )
}

#' Who holds how much of the value
#'
#' @param value `[nubrek_value]` From [forecast_value()].
#' @param groups `[integer(1)]` So many groups of equal size, those of the highest lifetime value
#'   first (of the highest expected sales where no margin is known).
#' @return A `nubrek_shares`, one row per group: `group`, `customers`; `value_to_date`, `value`,
#'   `lifetime_value`, sums; `share` of the lifetime value of all, `running_share`. Without margin
#'   `sales` in their place. Sums are those of the forecast.
#' @examples
#' value_shares(forecast_value(example_ledger(), money = economics(margin_rate = 0.45)), groups = 2)
#' @export
value_shares <- function(value, groups = 10L) {
  throw_unless(checkmate::check_class(value, "nubrek_value"), "value", rlang::current_env())
  check_whole(groups, lower = 2L)
  known <- !anyNA(value$lifetime_value)
  columns <- if (known) c("value_to_date", "value", "lifetime_value") else "sales"
  worth <- value[[utils::tail(columns, 1L)]]
  group <- ceiling(data.table::frank(-worth, ties.method = "first") / nrow(value) * groups)
  sums <- data.table(group = as.integer(group), plain_table(value)[columns])[,
    c(list(customers = .N), lapply(.SD, sum)), keyby = group
  ]
  total <- sums[[utils::tail(columns, 1L)]]
  new_result(
    c(as.list(sums), list(share = total / sum(total), running_share = cumsum(total) / sum(total))),
    "shares",
    remarks = remarks(value),
    basis = c(attr(value, "basis"), list(measure = utils::tail(columns, 1L))),
    members = members_of(as.integer(group), value$customer)
  )
}
