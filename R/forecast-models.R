# Models with given parameters, and the two things all of them answer: density and prediction. A further model is one C++ file and one entry here: its parameters,
# the density and gradient of histories, what is expected of them and of a customer of today, and where a fit starts (`rate` repeats by time, `typical` span).

# BG/NBD, and the variant in which a customer may leave right after the first purchase: given a history p has a Beta(a, b + x) or Beta(a, b + x + 1).
bg_model <- function(after_first) list(
  parameters = c("r", "alpha", "a", "b"),
  density = \(p, h) cpp_bg_density(p, after_first, h$repeats, h$last, h$span)$log_lik,
  active = \(p, h) cpp_bg_density(p, after_first, h$repeats, h$last, h$span)$active,
  total = \(p, h, count) cpp_bg_sum(p, after_first, h$repeats, h$last, h$span, count),
  purchases = \(p, h, horizon, rate) {
    cpp_bg_density(p, after_first, h$repeats, h$last, h$span)$active * cpp_bg_purchases(p[["r"]] + h$repeats, p[["alpha"]] + h$span, p[["a"]], p[["b"]] + h$repeats + after_first, horizon, rate)
  },
  stays = \(p) if (after_first) p[["b"]] / (p[["a"]] + p[["b"]]) else 1,
  new = \(p, horizon, rate) (if (after_first) p[["b"]] / (p[["a"]] + p[["b"]]) else 1) * cpp_bg_purchases(p[["r"]], p[["alpha"]], p[["a"]], p[["b"]] + after_first, horizon, rate),
  starts = \(rate, typical) list(c(r = 1, alpha = 1 / rate, a = 0.5, b = 2), c(r = 0.3, alpha = 0.3 / rate, a = 1, b = 5)))

purchase_models <- list(
  "pareto-nbd" = list(
    parameters = c("r", "alpha", "s", "beta"),
    density = \(p, h) cpp_pareto_density(p, h$repeats, h$last, h$span)$log_lik,
    active = \(p, h) cpp_pareto_density(p, h$repeats, h$last, h$span)$active,
    total = \(p, h, count) cpp_pareto_sum(p, h$repeats, h$last, h$span, count),
    # p_active * (r + x) / (alpha + T) * integral of (1 + u / (beta + T))^-s e^(-rate u)
    purchases = \(p, h, horizon, rate) {
      cpp_pareto_density(p, h$repeats, h$last, h$span)$active * (p[["r"]] + h$repeats) / (p[["alpha"]] + h$span) *
        cpp_survival_integral(p[["s"]], p[["beta"]] + h$span, horizon, rate)
    },
    stays = \(p) 1,
    new = \(p, horizon, rate) p[["r"]] / p[["alpha"]] * cpp_survival_integral(p[["s"]], p[["beta"]], horizon, rate),
    starts = \(rate, typical) list(c(r = 1, alpha = 1 / rate, s = 0.5, beta = typical / 2), c(r = 0.3, alpha = 0.3 / rate, s = 1, beta = typical))),
  "bg-nbd" = bg_model(FALSE), "mbg-nbd" = bg_model(TRUE))

#' Models with given parameters
#'
#' `"pareto-nbd"`: purchases are Poisson with rate lambda until an exponential lifetime with rate mu ends; lambda ~ Gamma(r,
#' rate alpha), mu ~ Gamma(s, rate beta), independent. `"bg-nbd"`: purchases are Poisson with rate lambda; after every repeat purchase the customer leaves for good with probability p;
#' lambda ~ Gamma(r, rate alpha), p ~ Beta(a, b), so that who never came back is surely still there. `"mbg-nbd"`: the same, but the customer may leave right after the first purchase too.
#'   `"gamma-gamma"`: a customer's amounts are Gamma(p, rate nu), nu ~
#' Gamma(q, rate gamma).
#'
#' @param name `[character(1)]` `"pareto-nbd"`, `"bg-nbd"` or `"mbg-nbd"` for purchases, `"gamma-gamma"` for spend.
#' @param parameters `[numeric]` Named and positive: `r`, `alpha`, `s`, `beta`; `r`, `alpha`, `a`, `b`; or `p`, `q`, `gamma`. `alpha` and `beta` are in the unit of
#'   time of the histories, `gamma` in major units of money.
#' @return A `nubrek_purchase_model` or `nubrek_spend_model`, for [predict()][predict.nubrek_purchase_model] and [log_density()].
#' @references Schmittlein, Morrison & Colombo (1987), Management Science 33. Fader & Hardie (2005), A note on deriving the
#'   Pareto/NBD model. Fader, Hardie & Lee (2005), "Counting your customers" the easy way, Marketing Science 24. Batislam, Denizel & Filiztekin (2007), International Journal of Research in
#'   Marketing 24. Colombo & Jiang (1999), Journal of Interactive Marketing 13. Fader, Hardie & Lee (2005), Journal of
#'   Marketing Research 42.
#' @examples
#' model <- purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.61, beta = 11.7))
#' predict(model, data.frame(repeats = 2, last = 30.4, span = 38.9), horizon = 39)
#' @export
purchase_model <- function(name, parameters) {
  check_choice(name, names(purchase_models))
  check_parameters(parameters, purchase_models[[name]]$parameters)
  structure(list(name = name, parameters = as_parameters(parameters, purchase_models[[name]]$parameters)), class = "nubrek_purchase_model")
}

#' @rdname purchase_model
#' @export
spend_model <- function(name, parameters) {
  check_choice(name, "gamma-gamma")
  check_parameters(parameters, c("p", "q", "gamma"))
  structure(list(name = name, parameters = as_parameters(parameters, c("p", "q", "gamma"))), class = "nubrek_spend_model")
}

as_parameters <- function(parameters, wanted) stats::setNames(as.double(parameters[wanted]), wanted)

check_parameters <- function(parameters, wanted, call = rlang::caller_env()) {
  if (!is.numeric(parameters) || !setequal(names(parameters), wanted) || any(!is.finite(parameters)) || any(parameters <= 0)) {
    abort_nubrek(c("{.arg parameters} must be positive numbers named {.val {wanted}}.", "x" = "They are {.val {paste0(names(parameters), ' = ', parameters)}}."),
                 "argument", call = call)
  }
}

#' Log-likelihood of each history
#'
#' For purchases the density of the exact purchase times (no combinatorial factor); for spend the density of the mean amount.
#'
#' @param model `[nubrek_purchase_model | nubrek_spend_model]`
#' @param history `[data.frame]` With `repeats`, `last`, `span`; for spend `repeats` and `spend`, both positive.
#' @return `[double(n)]` One natural log per row.
#' @examples
#' log_density(purchase_model("pareto-nbd", c(r = 1, alpha = 5, s = 1, beta = 10)), purchase_history(example_ledger()))
#' @export
log_density <- function(model, history) UseMethod("log_density")

#' @export
log_density.nubrek_purchase_model <- function(model, history) {
  check_history(history)
  purchase_models[[model$name]]$density(model$parameters, history)
}

#' @export
log_density.nubrek_spend_model <- function(model, history) {
  check_history(history, c("repeats", "spend"))
  cpp_gamma_gamma_density(model$parameters, as.double(history$repeats), history$spend)
}

#' Predict purchases and spend
#'
#' @param object `[nubrek_purchase_model | nubrek_spend_model]` Also a fit.
#' @param history `[data.frame]` With `repeats`, `last`, `span` (spend: `repeats`, `spend`, which may be missing without
#'   repeats). Without it, a customer acquired today.
#' @param what `[character(1)]` `"active"`, the probability of still being a customer; `"purchases"`, expected in the horizon;
#'   `"discounted"`, the same discounted.
#' @param horizon `[double(1)]` Length of the future in the unit of time of the histories; `Inf` with a positive `rate`.
#' @param rate `[double(1)]` Continuous discount rate per unit of time, see [continuous_rate()].
#' @param ... Not used.
#' @return `[double(n)]` One number per row of `history`.
#' @examples
#' model <- purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.61, beta = 11.7))
#' history <- purchase_history(example_ledger())
#' predict(model, history, "active")
#' predict(model, history, "discounted", horizon = Inf, rate = continuous_rate(0.1, "week"))
#' @export
predict.nubrek_purchase_model <- function(object, history = NULL, what = "purchases", horizon = NULL, rate = 0, ...) {
  rlang::check_dots_empty()
  check_choice(what, c("active", "purchases", "discounted"))
  if (!is.null(history)) check_history(history)
  check_number(rate, lower = 0)
  engine <- purchase_models[[object$name]]
  if (what == "active") return(if (is.null(history)) engine$stays(object$parameters) else engine$active(object$parameters, history))
  throw_unless(checkmate::check_number(horizon, lower = 0), "horizon", rlang::current_env())
  if (what == "purchases") rate <- 0
  if (is.infinite(horizon) && rate == 0) abort_nubrek("An endless horizon needs {.code what = \"discounted\"} and a positive {.arg rate}.", "argument")
  if (is.null(history)) engine$new(object$parameters, horizon, rate) else engine$purchases(object$parameters, history, horizon, rate)
}

#' @rdname predict.nubrek_purchase_model
#' @export
predict.nubrek_spend_model <- function(object, history = NULL, ...) {
  rlang::check_dots_empty()
  p <- as.list(object$parameters)
  x <- if (is.null(history)) 0 else as.double(history$repeats)
  total <- if (is.null(history)) 0 else ifelse(x == 0, 0, x * history$spend)
  ifelse(p$p * x + p$q > 1, p$p * (p$gamma + total) / (p$p * x + p$q - 1), NA_real_)
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
