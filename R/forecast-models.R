#' Models with given parameters
#'
#' A model of purchases or of spend whose parameters are known: last quarter's, those of a paper, a
#' guess to be looked at. The stories, assumptions and formulas of all models are on the page
#' [purchase models][nubrek-models].
#'
#' @param name `[character(1)]` For purchases `"pareto-nbd"`, `"bg-nbd"`, `"mbg-nbd"` or `"bg-bb"`;
#'   for spend `"gamma-gamma"` or `"log-normal"`.
#' @param parameters `[numeric]` Named and positive (`mu` may be negative): `r`, `alpha`, `s`,
#'   `beta` (`"pareto-nbd"`); `r`, `alpha`, `a`, `b` (`"bg-nbd"`, `"mbg-nbd"`); `alpha`, `beta`,
#'   `gamma`, `delta` (`"bg-bb"`); `p`, `q`, `gamma`; `mu`, `sigma`, `tau`. `alpha` and `beta` of
#'   the models in continuous time are in the unit of time of the histories, `gamma` of spend in
#'   major units of money.
#' @return A `nubrek_purchase_model` or `nubrek_spend_model`, for
#'   [predict()][predict.nubrek_purchase_model], [simulate()][simulate.nubrek_purchase_model] and
#'   [log_density()].
#' @section Errors: `nubrek_error_argument` for unknown names and impossible parameters.
#' @examples
#' model <- purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.61, beta = 11.7))
#' predict(model, data.frame(repeats = 2, last = 30.4, span = 38.9), horizon = 39)
#' predict(spend_model(
#'   "gamma-gamma", c(p = 6.25, q = 3.74, gamma = 15.44)
#' ), data.frame(repeats = 2, spend = 22.35))
#' @export
purchase_model <- function(name, parameters) {
  check_choice(name, names(purchase_models()))
  wanted <- purchase_models()[[name]]$parameters
  check_parameters(parameters, wanted)
  structure(list(
    name = name, parameters = as_parameters(parameters, wanted)
  ), class = "nubrek_purchase_model")
}

#' @rdname purchase_model
#' @export
spend_model <- function(name, parameters) {
  check_choice(name, names(spend_models()))
  record <- spend_models()[[name]]
  check_parameters(parameters, record$parameters, record$positive)
  structure(list(
    name = name, parameters = as_parameters(parameters, record$parameters)
  ), class = "nubrek_spend_model")
}

as_parameters <- function(parameters, wanted) stats::setNames(as.double(parameters[wanted]), wanted)

check_parameters <- function(
  parameters, wanted, positive = rep(TRUE, length(wanted)), call = rlang::caller_env()
) {
  if (
    !is.numeric(parameters) ||
      !setequal(names(parameters), wanted) ||
      length(parameters) != length(wanted) ||
      any(!is.finite(parameters)) ||
      any(parameters[wanted[positive]] <= 0)
  ) {
    abort_nubrek(c(
      "{.arg parameters} must be positive numbers named {.val {wanted}}.",
      "x" = "They are {.val {paste0(names(parameters), ' = ', parameters)}}."
    ), "argument", call = call)
  }
}

# Parameters of each row's customer: the distinct sets as columns, and which one each row has (none:
# all the first).
parameter_sets <- function(model, history, parameters = model$parameters, effects = model$effects) {
  if (is.null(model$design)) return(list(sets = as.matrix(unname(parameters)), set = integer()))
  design <- apply_design(model$design, history)
  list(sets = shifted_sets(model, design$columns, parameters, effects), set = design$set)
}

# Parameters of each column of a design.
shifted_sets <- function(model, columns, parameters, effects) {
  rate <- seq_along(effects) <= model$design$buying
  shift <- \(own) drop(effects[own] %*% columns[own, , drop = FALSE])
  cpp_shift_parameters(model$name, parameters, rbind(shift(rate), shift(!rate)))
}

#' Log-likelihood of each history
#'
#' For purchases the density of the exact purchase times (no combinatorial factor), for `"bg-bb"`
#' the probability of the exact string of occasions; for `"gamma-gamma"` the density of the mean
#' amount, for `"log-normal"` that of all amounts, so that the likelihoods of these two cannot be
#' compared.
#'
#' @param model `[nubrek_purchase_model | nubrek_spend_model]`
#' @param history `[data.frame]` With `repeats`, `last`, `span`; for spend `repeats` and `spend`
#'   (`"log-normal"`: `log_spend`, `log_spread`), of customers with repeats.
#' @return `[double(n)]` One natural log per row.
#' @section Errors: `nubrek_error_history` names the first impossible row.
#' @examples
#' log_density(purchase_model(
#'   "pareto-nbd", c(r = 1, alpha = 5, s = 1, beta = 10)
#' ), purchase_history(example_ledger()))
#' @export
log_density <- function(model, history) UseMethod("log_density")

#' @export
log_density.nubrek_purchase_model <- function(model, history) {
  check_history(history, discrete = is_discrete(model$name))
  mine <- parameter_sets(model, history)
  cpp_purchase_density(model$name, mine, history_columns(history), reading_threads())$log_lik
}

#' @export
log_density.nubrek_spend_model <- function(model, history) {
  cpp_spend_density(model$name, model$parameters, spend_columns(history, model$name))
}

history_columns <- function(history) {
  list(repeats = history$repeats, last = history$last, span = history$span)
}

# What the compiled spend models read. Customers without a repeat purchase are allowed only where
# `anybody`.
spend_columns <- function(history, name, anybody = FALSE, call = rlang::caller_env()) {
  by_logs <- spend_models()[[name]]$by_logs
  needed <- if (by_logs) c("log_spend", "log_spread") else "spend"
  if (by_logs && is.data.frame(history) && !all(needed %in% names(history))) {
    abort_nubrek(c(
      "The {name} model needs the columns {.field log_spend} and {.field log_spread}.",
      "i" = paste0(
        "Mean and sum of squared deviations of the logs of each customer's amounts; ",
        "{.fn purchase_history} has them."
      )
    ), "history", call = call)
  }
  check_columns_exist(c("repeats", needed), names(history), "the history", call)
  n <- history$repeats
  if (!is.numeric(n) || any(!is.finite(n)) || any(n < 0) || any(n != round(n))) {
    abort_nubrek("{.field repeats} must hold whole numbers from 0 up.", "history", call = call)
  }
  none <- n == 0
  if (any(none) && !anybody) {
    abort_nubrek(c(
      "Spend is known only of customers with a repeat purchase.",
      "x" = "Row {which(none)[[1]]} has none."
    ), "history", call = call)
  }
  for (column in needed) {
    v <- history[[column]]
    lowest <- c(spend = 0, log_spend = -Inf, log_spread = 0)[[column]]
    nothing <- column == "spend" && !anybody
    bad <- which(
      !none & (!is.numeric(v) | !is.finite(v) | v < lowest | (nothing & v == 0))
    )
    if (length(bad) > 0L) {
      abort_nubrek(c(
        if (column == "spend") {
          "{.field spend} must be above 0."
        } else {
          "{.field {column}} must hold finite numbers{if (lowest == 0) ' from 0 up' else ''}."
        },
        "x" = "Row {bad[[1]]} does not fit, {length(bad)} in all."
      ), "history", call = call)
    }
  }
  known <- \(column) {
    if (column %in% names(history) && is.numeric(history[[column]])) {
      ifelse(none | is.na(history[[column]]), 0, history[[column]])
    } else {
      numeric(length(n))
    }
  }
  list(
    repeats = as.double(n),
    spend = known("spend"),
    log_spend = known("log_spend"),
    log_spread = known("log_spread")
  )
}

#' Predict purchases and spend
#'
#' @param object `[nubrek_purchase_model | nubrek_spend_model]` Also a fit.
#' @param history `[data.frame]` With `repeats`, `last`, `span` (spend: `repeats`, `spend`, which
#'   may be missing without repeats), and the attributes of a fit with covariates. Without it, a
#'   customer acquired today; so are the rows of a data frame of attributes alone.
#' @param what `[character(1)]` `"active"`, the probability of still being a customer (`"bg-bb"`: at
#'   the next occasion); `"purchases"`, expected in the horizon; `"discounted"`, the same
#'   discounted; `"distribution"`, the probabilities of 0, 1, 2, ... purchases in it. Of spend
#'   models `"spend"`, the expected amount of a purchase.
#' @param horizon `[double]` Length of the future in the unit of time of the histories, one for all
#'   or one for each row; `Inf` with a positive `rate`.
#' @param rate `[double(1)]` Continuous discount rate per unit of time, see [continuous_rate()].
#' @param up_to `[integer(1)]` Of the distribution: the highest number of purchases.
#' @param ... Not used.
#' @return `[double(n)]` One number per row of `history`; of the distribution a matrix with a row
#'   each and the columns `"0"` to `up_to`.
#' @section Errors: `nubrek_error_history`, `nubrek_error_argument`. A warning
#'   `nubrek_warning_level` where a covariate has a level that the fit has not seen.
#' @examples
#' model <- purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.61, beta = 11.7))
#' history <- purchase_history(example_ledger())
#' predict(model, history, "active")
#' predict(model, history, "discounted", horizon = Inf, rate = continuous_rate(0.1, "week"))
#' predict(model, what = "distribution", horizon = 52, up_to = 3)
#' @export
predict.nubrek_purchase_model <- function(
  object, history = NULL, what = "purchases", horizon = NULL, rate = 0, up_to = 10L, ...
) {
  rlang::check_dots_empty()
  check_choice(what, c("active", "purchases", "discounted", "distribution"))
  check_number(rate, lower = 0)
  discrete <- is_discrete(object$name)
  history <- new_customers(history, object)
  check_history(history, discrete = discrete)
  if (!is.null(object$design)) {
    check_columns_exist(object$design$variables, names(history), "the history")
    warn_unseen(object$design, history)
  }
  mine <- parameter_sets(object, history)
  columns <- history_columns(history)
  threads <- reading_threads()
  if (what == "active") {
    return(cpp_purchase_density(object$name, mine, columns, threads)$active)
  }
  check_horizon(horizon, nrow(history), discrete)
  if (what == "distribution") {
    check_whole(up_to, lower = 0L)
    if (any(is.infinite(horizon))) {
      abort_nubrek("A distribution needs a finite {.arg horizon}.", "argument")
    }
    p <- cpp_purchase_distribution(
      object$name, mine, columns, horizon, as.integer(up_to) + 1L, threads
    )
    return(structure(p, dimnames = list(NULL, 0:up_to)))
  }
  if (what == "purchases") rate <- 0
  if (any(is.infinite(horizon)) && rate == 0) check_converges(object, mine)
  cpp_purchase_expected(object$name, mine, columns, horizon, rate, threads)
}

# Without end and discount the expected purchases are finite only where customers surely leave in
# time: where the shape of leaving is above 1.
check_converges <- function(model, own, call = rlang::caller_env()) {
  place <- leaving_places(model$name)[[1L]]
  shape <- own$sets[place, ]
  if (all(shape > 1)) return(invisible())
  name <- names(model$parameters)[[place]]
  abort_nubrek(c(
    "Over an endless horizon without discount these purchases have no finite expectation.",
    "x" = "{.field {name}} is {format(min(shape), digits = 4L)}; it must be above 1.",
    "i" = paste0(
      "Give {.code what = \"discounted\"} and a positive {.arg rate}, or a finite ",
      "{.arg horizon}."
    )
  ), "argument", call = call)
}

check_horizon <- function(horizon, n, discrete, call = rlang::caller_env()) {
  throw_unless(
    checkmate::check_numeric(horizon, lower = 0, any.missing = FALSE, min.len = 1L), "horizon", call
  )
  if (!length(horizon) %in% c(1L, n)) {
    abort_nubrek(
      "{.arg horizon} must be one number, or one for each of the {n} row{?s}.",
      "argument",
      call = call
    )
  }
  if (discrete && any(is.finite(horizon) & horizon != round(horizon))) {
    abort_nubrek(
      "Time is counted in occasions here: {.arg horizon} must be whole.", "argument", call = call
    )
  }
}

# Customers of today have nothing behind them.
new_customers <- function(history, model, call = rlang::caller_env()) {
  known <- c("repeats", "last", "span")
  if (is.null(history)) {
    if (!is.null(model$design)) {
      abort_nubrek(c(
        "What a new customer brings depends on the covariates.",
        "i" = "Give a data frame of {.field {model$design$variables}} as {.arg history}."
      ), "argument", call = call)
    }
    history <- data.frame(repeats = 0)
  }
  if (
    is.data.frame(history) && (ncol(history) == 0L || !any(c("last", "span") %in% names(history)))
  ) {
    for (column in known) {
      history[[column]] <- numeric(nrow(history))
    }
  }
  history
}

#' @rdname predict.nubrek_purchase_model
#' @export
predict.nubrek_spend_model <- function(object, history = NULL, what = "spend", ...) {
  rlang::check_dots_empty()
  check_choice(what, "spend")
  history <- history %||%
    data.frame(repeats = 0, spend = NA_real_, log_spend = NA_real_, log_spread = NA_real_)
  cpp_spend_expected(
    object$name, object$parameters, spend_columns(history, object$name, anybody = TRUE)
  )
}

#' A yearly discount rate as a continuous rate per unit of time
#'
#' @param yearly `[double(1)]` Such as 0.1 for ten percent a year.
#' @param unit `[character(1)]` `"day"`, `"week"`, `"month"` or `"year"`; a year has 365.25 days.
#' @return `[double(1)]` log(1 + yearly) times the unit's share of a year.
#' @examples
#' continuous_rate(0.1, "week")
#' @export
continuous_rate <- function(yearly, unit = "week") {
  check_number(yearly, lower = 0)
  check_choice(unit, names(unit_days))
  log1p(yearly) * unit_days[[unit]] / 365.25
}
