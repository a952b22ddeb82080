#' Fit a purchase model, fit a spend model
#'
#' Maximum likelihood on the log-parameters with analytic gradients, from several starts; equal histories are weighed once.
#'
#' @param x `[nubrek_ledger | data.frame]` A ledger, or histories as [purchase_history()] gives them.
#' @param model `[character(1)]` `"pareto-nbd"` (default), `"bg-nbd"` or `"mbg-nbd"`; `"gamma-gamma"`. See [purchase_model()].
#' @param unit `[character(1)]` Unit of time when `x` is a ledger.
#' @return A `nubrek_purchases` or `nubrek_spend`: a model (see [purchase_model()]) that also answers `coef()`, `vcov()` (of the
#'   log-parameters), `logLik()`, `nobs()`, `AIC()`, `BIC()`. `converged` tells whether the gradient vanished and the
#'   information is positive definite.
#' @section Errors: `nubrek_error_unidentified` when nobody repeats or there are too few customers; it says what can still be said.
#' @examples
#' fit <- fit_purchases(example_ledger())
#' coef(fit)
#' fit_spend(example_ledger())
#' @export
fit_purchases <- function(x, model = "pareto-nbd", unit = "week") {
  check_choice(model, names(purchase_models))
  history <- if (inherits(x, "nubrek_ledger")) purchase_history(x, unit) else x
  check_history(history)
  if (sum(history$repeats) == 0) {
    abort_nubrek(c("A purchase model cannot be fitted: nobody has bought on a second day.",
                   "i" = "{nrow(history)} customer{?s} bought once. Counts, cohorts and tiers can still be shown; a forecast cannot."), "unidentified")
  }
  if (nrow(history) < 3L || all(history$span == 0)) {
    abort_nubrek(c("A purchase model cannot be fitted to {nrow(history)} customer{?s}.",
                   "i" = "How often they bought can still be shown; a forecast needs several customers seen for some time."), "unidentified")
  }
  engine <- purchase_models[[model]]
  packed <- as.data.table(plain_table(history)[c("repeats", "last", "span")])[, .(count = as.double(.N)), by = .(repeats, last, span)]
  total <- \(p) engine$total(p, packed, packed$count)
  rate <- sum(history$repeats) / max(sum(history$last), 1e-9)
  typical <- mean(history$span)
  fit <- climb(total, engine$starts(rate, typical))
  new_fit(fit, model, nrow(history), c("nubrek_purchases", "nubrek_purchase_model"), unit = basis_of(history, "unit") %||% unit)
}

#' @rdname fit_purchases
#' @export
fit_spend <- function(x, model = "gamma-gamma") {
  check_choice(model, "gamma-gamma")
  history <- if (inherits(x, "nubrek_ledger")) purchase_history(x) else x
  check_columns_exist(c("repeats", "spend"), names(history), "the history")
  used <- plain_table(history)[history$repeats > 0, , drop = FALSE]
  if (nrow(used) < 3L || length(unique(used$spend)) < 2L) {
    abort_nubrek(c("A spend model cannot be fitted to {nrow(used)} customer{?s} with a repeat purchase, or to equal amounts.",
                   "i" = "The mean amount can still be shown."), "unidentified")
  }
  check_history(used, c("repeats", "spend"))
  total <- \(p) cpp_gamma_gamma_sum(p, as.double(used$repeats), used$spend, rep(1, nrow(used)))
  starts <- list(c(p = 4, q = 4, gamma = 3 / 4 * mean(used$spend)), c(p = 1, q = 2, gamma = mean(used$spend)))
  new_fit(climb(total, starts), model, nrow(used), c("nubrek_spend", "nubrek_spend_model"))
}

# Climbs the likelihood in the log-parameters; further starts are tried only where the climb did not arrive.
climb <- function(total, starts) {
  value <- \(u) { t <- total(exp(u)); if (is.finite(t$log_lik)) -t$log_lik else 1e300 }
  slope <- \(u) -total(exp(u))$gradient * exp(u)
  best <- list(objective = Inf)
  for (start in starts) {
    run <- stats::nlminb(log(start), value, slope, lower = log(1e-5), upper = log(1e7), control = list(iter.max = 500L, eval.max = 1000L, rel.tol = 1e-12))
    if (run$objective < best$objective) best <- run
    inside <- all(best$par > log(1e-5) + 0.1 & best$par < log(1e7) - 0.1)
    if (inside && max(abs(slope(best$par))) < 1e-6 * abs(best$objective)) break
  }
  at <- best$par
  information <- central_jacobian(slope, at)
  root <- tryCatch(chol(information), error = \(e) NULL)
  edge <- names(at)[at < log(1e-5) + 0.1 | at > log(1e7) - 0.1]
  list(parameters = exp(at), log_lik = -best$objective, vcov = if (is.null(root)) NULL else structure(chol2inv(root), dimnames = list(names(at), names(at))),
       gradient = max(abs(slope(at))), edge = edge)
}

# The Jacobian of the gradient by central differences, made symmetric.
central_jacobian <- function(slope, at, step = 1e-4) {
  columns <- vapply(seq_along(at), \(i) { d <- replace(at * 0, i, step); (slope(at + d) - slope(at - d)) / (2 * step) }, at)
  (columns + t(columns)) / 2
}

new_fit <- function(fit, model, nobs, class, ...) {
  converged <- fit$gradient < 1e-3 * max(1, nobs)^0.5 && !is.null(fit$vcov) && length(fit$edge) == 0L
  said <- rbind(remark_table(), if (!converged) remark_table("convergence", paste0("The fit of ", model, " is not certain: ",
    if (length(fit$edge) > 0L) paste0(paste(fit$edge, collapse = ", "), " ran to the edge; the data hardly tell it.") else
      if (is.null(fit$vcov)) "the likelihood is flat in some direction." else "the gradient did not vanish.")))
  structure(list(name = model, parameters = fit$parameters, log_lik = fit$log_lik, vcov = fit$vcov, gradient = fit$gradient, nobs = nobs,
                 converged = converged, ...), remarks = said, class = class)
}

#' @export
coef.nubrek_purchase_model <- function(object, ...) object$parameters
#' @export
coef.nubrek_spend_model <- coef.nubrek_purchase_model

#' @export
vcov.nubrek_purchases <- function(object, ...) object$vcov
#' @export
vcov.nubrek_spend <- vcov.nubrek_purchases

#' @export
logLik.nubrek_purchases <- function(object, ...) structure(object$log_lik, df = length(object$parameters), nobs = object$nobs, class = "logLik")
#' @export
logLik.nubrek_spend <- logLik.nubrek_purchases

#' @export
nobs.nubrek_purchases <- function(object, ...) object$nobs
#' @export
nobs.nubrek_spend <- nobs.nubrek_purchases
