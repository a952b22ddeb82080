# What R's users expect of a fitted model.

#' @export
coef.nubrek_purchase_model <- function(object, ...) c(object$parameters, object$effects)
#' @export
coef.nubrek_spend_model <- coef.nubrek_purchase_model

#' @export
vcov.nubrek_purchases <- function(object, ...) object$vcov
#' @export
vcov.nubrek_spend <- vcov.nubrek_purchases

#' @export
logLik.nubrek_purchases <- function(object, ...) structure(object$log_lik, df = object$free, nobs = object$nobs, class = "logLik")
#' @export
logLik.nubrek_spend <- logLik.nubrek_purchases

#' @export
nobs.nubrek_purchases <- function(object, ...) object$nobs
#' @export
nobs.nubrek_spend <- nobs.nubrek_purchases

#' Intervals of the parameters
#'
#' @param object `[nubrek_purchases | nubrek_spend]` From [fit_purchases()] or [fit_spend()].
#' @param parm `[character]` Names of parameters and effects; default all.
#' @param level `[double(1)]`
#' @param method `[character(1)]` `"normal"` (default): normal in the logs of the parameters, from the curvature of the likelihood; `"bootstrap"`: quantiles of [bootstrap_fit()].
#' @param draws,seed `[integer(1)]` Of the bootstrap.
#' @param ... Not used.
#' @return A matrix with a row per parameter and a column per bound; missing where the likelihood has no clear top.
#' @examples
#' fit <- fit_purchases(example_ledger(), "bg-nbd")
#' confint(fit)
#' @export
confint.nubrek_purchases <- function(object, parm = names(coef(object)), level = 0.95, method = "normal", draws = 200L, seed = 1L, ...) {
  rlang::check_dots_empty()
  check_share(level, lower = 0.5, upper = 0.9999)
  check_choice(method, c("normal", "bootstrap"))
  tails <- c((1 - level) / 2, (1 + level) / 2)
  if (method == "bootstrap") {
    drawn <- attr(bootstrap_fit(object, draws, level, seed), "draws")
    out <- t(apply(drawn, 2L, stats::quantile, tails, na.rm = TRUE, names = FALSE))
  } else {
    scale <- working_scale(object)
    error <- if (is.null(object$vcov)) rep(NA_real_, length(scale$at)) else sqrt(diag(object$vcov))
    out <- scale$at + error %o% stats::qnorm(tails)
    out[scale$logs, ] <- exp(out[scale$logs, ])
  }
  dimnames(out) <- list(names(coef(object)), paste0(format(100 * tails, trim = TRUE, digits = 4L), " %"))
  unknown <- setdiff(parm, rownames(out))
  if (length(unknown) > 0L) abort_nubrek(c("The fit has no parameter {.val {unknown[[1]]}}.", "i" = "It has {.val {rownames(out)}}."), "argument")
  out[parm, , drop = FALSE]
}
#' @rdname confint.nubrek_purchases
#' @export
confint.nubrek_spend <- confint.nubrek_purchases

#' Parametric bootstrap of a fit
#'
#' Draws whole worlds of the same customers from the fitted model and fits each anew: an answer to "how far off may the estimates be?" that does not lean on the curvature of the likelihood.
#'
#' @param fit `[nubrek_purchases | nubrek_spend]`
#' @param draws `[integer(1)]` Worlds.
#' @param level `[double(1)]` Of the intervals.
#' @param seed `[integer(1)]`
#' @return A `nubrek_bootstrap`, one row per parameter: `parameter`, `estimate`; `bias`, mean of the draws less the estimate; `error`, their standard deviation; `lower`, `upper`, their quantiles.
#'   The attribute `draws` is the matrix of them.
#' @examples
#' \donttest{
#' histories <- simulate(purchase_model("bg-nbd", c(r = 1, alpha = 8, a = 1, b = 3)), seed = 1, history = data.frame(span = rep(52, 300)))
#' bootstrap_fit(fit_purchases(histories, "bg-nbd"), draws = 20)
#' }
#' @export
bootstrap_fit <- function(fit, draws = 200L, level = 0.95, seed = 1L) {
  throw_unless(checkmate::check_multi_class(fit, c("nubrek_purchases", "nubrek_spend")), "fit", rlang::current_env())
  check_whole(draws, lower = 2L)
  check_share(level, lower = 0.5, upper = 0.9999)
  check_whole(seed, lower = 0L)
  worlds <- t(vapply(seq_len(draws), function(k) {
    signal_progress("drawing worlds", (k - 1) / draws)
    tryCatch(redraw(fit, seed * 1000 + k), nubrek_error_unidentified = \(e) NA_real_ * coef(fit))
  }, coef(fit)))
  lost <- sum(is.na(worlds[, 1L]))
  tails <- apply(worlds, 2L, stats::quantile, c((1 - level) / 2, (1 + level) / 2), na.rm = TRUE, names = FALSE)
  new_result(list(parameter = names(coef(fit)), estimate = unname(coef(fit)), bias = unname(colMeans(worlds, na.rm = TRUE) - coef(fit)), error = unname(apply(worlds, 2L, stats::sd, na.rm = TRUE)),
                  lower = unname(tails[1L, ]), upper = unname(tails[2L, ])),
             "bootstrap", remarks = rbind(remarks(fit), if (lost > 0L) remark_table("draws", sprintf("%d of %d worlds could not be fitted and are left out.", lost, draws))),
             basis = list(model = fit$name, draws = draws, level = level, kinds = number_kinds), draws = worlds)
}

number_kinds <- c(estimate = "number", bias = "number", error = "number", lower = "number", upper = "number")

# The estimates of one world drawn from the fit.
redraw <- function(fit, seed) {
  p <- fit$packed
  if (inherits(fit, "nubrek_spend")) {
    n <- rep(p$repeats, p$count)
    return(coef(fit_spend(data.frame(repeats = n, cpp_simulate_spend(fit$name, fit$parameters, n, seed)), fit$name)))
  }
  row <- rep(seq_along(p$count), p$count)
  own <- packed_sets(fit)
  drawn <- cpp_simulate_purchases(fit$name, own$sets, sets_at(own, row), p$span[row], FALSE, seed, reading_threads())
  rows <- data.table(set = p$set[row] %||% rep(1L, length(row)), repeats = drawn$repeats, last = drawn$last, span = p$span[row])[, .(count = as.double(.N)), keyby = .(set, repeats, last, span)]
  if (sum(rows$repeats) == 0) return(NA_real_ * coef(fit))
  world <- utils::modifyList(p, list(repeats = rows$repeats, last = rows$last, span = rows$span, count = rows$count, set = if (!is.null(p$set)) rows$set))
  again <- climb_purchases(fit$name, world, fit$penalty, from = list(c(log(fit$parameters), fit$effects * p$design$spread)))
  c(again$parameters, again$effects)
}

# Parameter sets of the packed histories.
packed_sets <- function(fit) {
  if (is.null(fit$design)) return(list(sets = matrix(fit$parameters, 4L, 1L), set = integer()))
  list(sets = shifted_sets(fit, fit$packed$columns, fit$parameters, fit$effects), set = fit$packed$set)
}

# Without covariates there is one set for all and no numbers.
sets_at <- function(own, rows) if (length(own$set) > 0L) own$set[rows] else integer()

#' Draw purchase histories
#'
#' @param object `[nubrek_purchase_model]` Also a fit.
#' @param nsim `[integer(1)]` Worlds.
#' @param seed `[integer(1)]` Default: from R's random numbers.
#' @param history `[data.frame]` Customers: `span`, how long each is seen from the first purchase, and the attributes of a fit with covariates. Default: those that the fit was made of.
#' @param times `[logical(1)]` Give every purchase instead of the histories?
#' @param ... Not used.
#' @return A data frame with `draw` and `customer` (the row of `history`), and `repeats`, `last`, `span`; with `times = TRUE` one row per repeat purchase and its `time` since the first one.
#' @examples
#' model <- purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.61, beta = 11.7))
#' simulate(model, seed = 1, history = data.frame(span = c(26, 52)))
#' simulate(model, seed = 1, history = data.frame(span = c(26, 52)), times = TRUE)
#' @importFrom stats simulate
#' @export
simulate.nubrek_purchase_model <- function(object, nsim = 1, seed = NULL, history = NULL, times = FALSE, ...) {
  rlang::check_dots_empty()
  check_whole(nsim)
  check_whole(seed, lower = 0L, null = TRUE)
  throw_unless(checkmate::check_flag(times), "times", rlang::current_env())
  if (is.null(history)) {
    if (is.null(object$packed)) abort_nubrek(c("A model with given parameters has no customers.", "i" = "Say in {.arg history} how long each is seen: {.code data.frame(span = )}."), "argument")
    own <- packed_sets(object)
    own$set <- sets_at(own, object$packed$row)
    span <- object$packed$span[object$packed$row]
  } else {
    check_columns_exist("span", names(history), "the history")
    span <- as.double(history$span)
    throw_unless(checkmate::check_numeric(span, lower = 0, finite = TRUE, any.missing = FALSE), "history", rlang::current_env(), "history")
    own <- parameter_sets(object, history)
  }
  n <- length(span)
  set <- if (length(own$set) > 0L) rep(own$set, nsim) else integer()
  drawn <- cpp_simulate_purchases(object$name, own$sets, set, rep(span, nsim), times, as.double(seed %||% sample.int(1e9L, 1L)), reading_threads())
  place <- \(row) list(draw = (row - 1L) %/% n + 1L, customer = (row - 1L) %% n + 1L)
  if (times) return(data.frame(place(drawn$row), time = drawn$time))
  data.frame(place(seq_len(n * nsim)), repeats = drawn$repeats, last = drawn$last, span = rep(span, nsim))
}

#' @rdname simulate.nubrek_purchase_model
#' @param repeats `[numeric]` Purchases of each customer after the first, whose amounts are drawn. Default: those that the fit was made of.
#' @export
simulate.nubrek_spend_model <- function(object, nsim = 1, seed = NULL, repeats = NULL, ...) {
  rlang::check_dots_empty()
  check_whole(nsim)
  check_whole(seed, lower = 0L, null = TRUE)
  repeats <- repeats %||% rep(object$packed$repeats, object$packed$count) %||% abort_nubrek("Say in {.arg repeats} how many purchases each customer makes.", "argument")
  throw_unless(checkmate::check_integerish(repeats, lower = 0, any.missing = FALSE), "repeats", rlang::current_env())
  drawn <- cpp_simulate_spend(object$name, object$parameters, rep(as.double(repeats), nsim), as.double(seed %||% sample.int(1e9L, 1L)))
  data.frame(draw = rep(seq_len(nsim), each = length(repeats)), customer = rep(seq_along(repeats), nsim), repeats = rep(repeats, nsim), drawn)
}

#' Residuals of a fit
#'
#' @param object `[nubrek_purchases]`
#' @param type `[character(1)]` `"repeats"` (default): repeats less those that the model expects of a new customer in the same time; `"quantile"`: randomised quantile residuals of the repeats,
#'   standard normal if the model holds (Dunn & Smyth 1996).
#' @param seed `[integer(1)]` Of the randomisation.
#' @param ... Not used.
#' @return `[double(n)]` One number per row that was fitted.
#' @examples
#' residuals(fit_purchases(example_ledger(), "bg-nbd"))
#' @export
residuals.nubrek_purchases <- function(object, type = "repeats", seed = 1L, ...) {
  rlang::check_dots_empty()
  check_choice(type, c("repeats", "quantile"))
  p <- object$packed
  own <- packed_sets(object)
  if (type == "repeats") return((p$repeats - newcomers_expected(object, own, p$span))[p$row])
  check_whole(seed, lower = 0L)
  below <- at <- numeric(length(p$repeats))
  for (rows in split(seq_along(p$repeats), ceiling(log2(p$repeats + 1)))) {
    each <- newcomers_distribution(object, list(sets = own$sets, set = sets_at(own, rows)), p$span[rows], max(p$repeats[rows]) + 1)
    up_to <- col(each) <= p$repeats[rows]
    below[rows] <- rowSums(each * up_to)
    at[rows] <- each[cbind(seq_along(rows), p$repeats[rows] + 1)]
  }
  u <- with_seed(seed, stats::runif(length(p$row)))
  stats::qnorm(pmin(pmax(below[p$row] + u * at[p$row], 1e-300), 1 - 1e-16))
}

# Of customers from their first purchase on: expected repeats by a time of their own, and the probabilities of 0, 1, ..., n - 1 of them.
newcomers_expected <- function(fit, own, horizon) cpp_purchase_expected(fit$name, own$sets, own$set, nothing_behind(length(horizon)), as.double(horizon), 0, reading_threads())
newcomers_distribution <- function(fit, own, horizon, n) cpp_purchase_distribution(fit$name, own$sets, own$set, nothing_behind(length(horizon)), as.double(horizon), as.integer(n), reading_threads())
nothing_behind <- function(n) list(repeats = numeric(n), last = numeric(n), span = numeric(n))

#' Fit again with something changed
#'
#' @param object `[nubrek_purchases]` From [fit_purchases()].
#' @param x `[nubrek_ledger | data.frame]` New histories; default those of the fit, where no covariate is new.
#' @param model,covariates,penalty What to change, see [fit_purchases()].
#' @param ... Not used.
#' @return A `nubrek_purchases`.
#' @examples
#' update(fit_purchases(example_ledger(), "bg-nbd"), model = "mbg-nbd")
#' @export
update.nubrek_purchases <- function(object, x = NULL, model = object$name, covariates = object$covariates, penalty = object$penalty, ...) {
  rlang::check_dots_empty()
  if (!identical(penalty, "cross-validated")) check_number(penalty, lower = 0)
  if (!is.null(x)) {
    season <- if (inherits(x, "nubrek_ledger")) object$season
    return(fit_purchases(x, model, covariates, penalty, object$unit, season = season))
  }
  if (!identical(covariates, object$covariates) && !is.null(covariate_formulas(covariates))) {
    abort_nubrek(c("The fit does not keep attributes that it did not use.", "i" = "Give the histories with them as {.arg x}."), "argument")
  }
  p <- object$packed
  same_time <- is_discrete(model) == is_discrete(object$name)
  if (!is.null(object$covariates) && !is.null(covariates) && same_time) {
    check_choice(model, names(purchase_models()))
    fit <- climb_or_validate(model, p, penalty, 1L)
    return(new_fit(fit, model, object$nobs, class(object), unit_only(remarks(object)), unit = object$unit, packed = p, customers = object$customers,
                   until = object$until, season = object$season, covariates = object$covariates))
  }
  x <- data.frame(repeats = p$repeats, last = p$last, span = p$span)[p$row, ]
  if (!is.null(p$each)) x$count <- p$each
  fit <- fit_purchases(structure(x, row.names = .set_row_names(length(p$row))), model, NULL, penalty, object$unit)
  fit[c("customers", "until", "season")] <- object[c("customers", "until", "season")]
  structure(fit, remarks = unique(rbind(unit_only(remarks(object)), remarks(fit))))
}

unit_only <- function(said) said[said$about != "convergence", , drop = FALSE]

#' Likelihood-ratio comparison of nested fits
#'
#' Fits of one model to the same customers, without a penalty, each with the covariates of the one before and more.
#'
#' @param object,... `[nubrek_purchases]` Two or more fits.
#' @return A `nubrek_anova`, one row per fit, the smallest first: `fit`, its covariates; `parameters`; `log_lik`; `more`, parameters more than the row above; `chi_squared`, twice the gain in
#'   log-likelihood; `p`, the probability of a gain like that if the additions did nothing.
#' @section Errors: `nubrek_error_argument` for fits that are not nested; models of different kinds are compared by `AIC()` and `BIC()`.
#' @examples
#' model <- purchase_model("bg-nbd", c(r = 1, alpha = 8, a = 1, b = 3))
#' histories <- simulate(model, seed = 1, history = data.frame(span = rep(52, 400)))
#' histories$channel <- rep(c("shop", "web"), 200)
#' anova(fit_purchases(histories, "bg-nbd"), fit_purchases(histories, "bg-nbd", ~ channel))
#' @importFrom stats anova
#' @export
anova.nubrek_purchases <- function(object, ...) {
  fits <- list(object, ...)
  fits <- fits[order(vapply(fits, \(f) length(coef(f)), 0L))]
  wrong <- if (length(fits) < 2L) "It takes two fits or more."
    else if (!all(vapply(fits, inherits, NA, "nubrek_purchases"))) "All must be fits of purchases."
    else if (length(unique(vapply(fits, `[[`, "", "name"))) > 1L) "They are of different models: compare them by AIC() or BIC()."
    else if (!all(vapply(fits, \(f) isTRUE(all.equal(same_customers(f), same_customers(fits[[1L]]))), NA))) "They were made of different customers."
    else if (any(vapply(fits, `[[`, 0, "penalty") > 0)) "A fit with a penalty has no likelihood ratio."
    else if (!all(mapply(\(a, b) all(names(coef(a)) %in% names(coef(b))), fits[-length(fits)], fits[-1L]))) "They are not nested: each must have the covariates of the smaller one."
  if (!is.null(wrong)) abort_nubrek(c("These fits cannot be compared by a likelihood ratio.", "x" = "{wrong}"), "argument")
  k <- vapply(fits, \(f) length(coef(f)), 0L)
  log_lik <- vapply(fits, `[[`, 0, "log_lik")
  more <- c(NA, diff(k))
  chi_squared <- c(NA, 2 * diff(log_lik))
  new_result(list(fit = vapply(fits, \(f) covariate_words(f), ""), parameters = k, log_lik = log_lik, more = as.integer(more), chi_squared = chi_squared,
                  p = stats::pchisq(chi_squared, more, lower.tail = FALSE)),
             "anova", remarks = do.call(rbind, lapply(fits, remarks)) |> unique(), basis = list(model = object$name, kinds = c(log_lik = "decimal", chi_squared = "decimal", p = "p")))
}

same_customers <- function(fit) c(fit$nobs, sum(fit$packed$repeats * fit$packed$count), sum(fit$packed$last * fit$packed$count), sum(fit$packed$span * fit$packed$count))

covariate_words <- function(fit) {
  if (is.null(fit$covariates)) return("no covariates")
  paste(vapply(names(fit$covariates), \(part) paste0(part, " ", paste(deparse(fit$covariates[[part]]), collapse = " ")), ""), collapse = ", ")
}

# The group that the parameters belong to.
base_words <- function(fit) {
  known <- Filter(\(v) !is.null(v$levels), fit$design$known)
  paste(vapply(names(known), \(name) paste(name, known[[name]]$levels[[1L]]), ""), collapse = ", ")
}

#' @exportS3Method generics::tidy
tidy.nubrek_purchases <- function(x, conf.int = FALSE, conf.level = 0.95, ...) {
  scale <- working_scale(x)
  error <- if (is.null(x$vcov)) rep(NA_real_, length(scale$at)) else sqrt(diag(x$vcov))
  # the error of a parameter is that of its log times the parameter
  out <- data.frame(term = names(coef(x)), estimate = unname(coef(x)), std.error = unname(error * ifelse(scale$logs, coef(x), 1)))
  if (conf.int) out[c("conf.low", "conf.high")] <- as.data.frame(unname(confint(x, level = conf.level)))
  out
}
#' @exportS3Method generics::tidy
tidy.nubrek_spend <- tidy.nubrek_purchases

#' @exportS3Method generics::glance
glance.nubrek_purchases <- function(x, ...) {
  data.frame(model = x$name, logLik = x$log_lik, AIC = stats::AIC(x), BIC = stats::BIC(x), df = x$free, nobs = x$nobs, converged = x$converged)
}
#' @exportS3Method generics::glance
glance.nubrek_spend <- glance.nubrek_purchases

#' Summaries of a fit
#'
#' @param object `[nubrek_purchases | nubrek_spend]`
#' @param level `[double(1)]` Of the intervals.
#' @param ... Not used.
#' @return A `nubrek_fit`, one row per parameter and effect: `parameter`, `estimate`, `lower`, `upper` (normal in the logs of the parameters); for covariates `factor`, by what the rate is
#'   multiplied; `meaning`.
#' @examples
#' summary(fit_purchases(example_ledger(), "bg-nbd"))
#' @export
summary.nubrek_purchases <- function(object, level = 0.95, ...) {
  rlang::check_dots_empty()
  bounds <- confint(object, level = level)
  meaning <- parameter_meanings[[object$name]][names(coef(object))]
  effect <- !names(coef(object)) %in% names(object$parameters)
  meaning[effect] <- "log of the factor"
  new_result(Filter(Negate(is.null), list(parameter = names(coef(object)), estimate = unname(coef(object)), lower = unname(bounds[, 1L]), upper = unname(bounds[, 2L]),
                                          factor = if (any(effect)) ifelse(effect, exp(unname(coef(object))), NA_real_), meaning = unname(meaning))),
             "fit", remarks = remarks(object), basis = list(model = object$name, level = level, nobs = object$nobs, log_lik = object$log_lik, aic = stats::AIC(object), bic = stats::BIC(object),
                                                            converged = object$converged, unit = object$unit, penalty = object$penalty, covariates = covariate_words(object),
                                                                group = base_words(object),
                                                            spend = if (inherits(object, "nubrek_spend_model")) predict(object),
                                                            kinds = c(estimate = "number", lower = "number", upper = "number", factor = "number")))
}
#' @rdname summary.nubrek_purchases
#' @export
summary.nubrek_spend <- summary.nubrek_purchases

parameter_meanings <- list(
  "pareto-nbd" = c(r = "shape of the purchase rates: small, customers differ much", alpha = "their scale: the mean rate is r / alpha", s = "shape of the rates of leaving",
                   beta = "their scale: the mean rate is s / beta"),
  "bg-nbd" = c(r = "shape of the purchase rates: small, customers differ much", alpha = "their scale: the mean rate is r / alpha", a = "leaving: the mean chance after a repeat is a / (a + b)",
               b = "small a + b: customers differ much in leaving"),
  "mbg-nbd" = c(r = "shape of the purchase rates: small, customers differ much", alpha = "their scale: the mean rate is r / alpha",
                a = "leaving: the mean chance after a purchase is a / (a + b)", b = "small a + b: customers differ much in leaving"),
  "bg-bb" = c(alpha = "buying: the mean chance at an occasion is alpha / (alpha + beta)", beta = "small alpha + beta: customers differ much in buying",
              gamma = "leaving: the mean chance before an occasion is gamma / (gamma + delta)", delta = "small gamma + delta: customers differ much in leaving"),
  "gamma-gamma" = c(p = "shape of one customer's amounts: small, they vary much", q = "shape of the customers' levels", gamma = "scale: the mean amount is p gamma / (q - 1)"),
  "log-normal" = c(mu = "mean log of the customers' levels", sigma = "spread of one customer's amounts, in logs", tau = "spread of the customers' levels, in logs"))
