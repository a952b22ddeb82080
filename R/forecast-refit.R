# A fit made again with other words, compared with another, and told in short.

#' Fit again with something changed
#'
#' @param object `[nubrek_purchases]` From [fit_purchases()].
#' @param x `[nubrek_ledger | data.frame]` New histories; default those of the fit, where no
#'   covariate is new.
#' @param model,covariates,penalty What to change, see [fit_purchases()].
#' @param ... Not used.
#' @return A `nubrek_purchases`.
#' @examples
#' update(fit_purchases(example_ledger(), "bg-nbd"), model = "mbg-nbd")
#' @export
update.nubrek_purchases <- function(
  object, x = NULL, model = object$name, covariates = object$covariates, penalty = object$penalty,
  ...
) {
  rlang::check_dots_empty()
  if (!identical(penalty, "cross-validated")) check_number(penalty, lower = 0)
  if (!is.null(x)) {
    season <- if (inherits(x, "nubrek_ledger")) object$season
    return(fit_purchases(x, model, covariates, penalty, object$unit, season = season))
  }
  if (!identical(covariates, object$covariates) && !is.null(covariate_formulas(covariates))) {
    abort_nubrek(c(
      "The fit does not keep attributes that it did not use.",
      "i" = "Give the histories with them as {.arg x}."
    ), "argument")
  }
  check_choice(model, names(purchase_models()))
  refit(object, model, penalty, keep_covariates = !is.null(covariates))
}

# The same histories again, with another model or penalty, with the covariates or without.
refit <- function(fit, model, penalty, keep_covariates, seed = 1L, call = rlang::caller_env()) {
  facts <- unclass(fit)[purchase_facts]
  if (!is.null(facts$covariates) && !keep_covariates) {
    facts["covariates"] <- list(NULL)
    facts$packed <- pack_histories(unpack_histories(facts$packed), NULL, call)
  }
  if (is_discrete(model) != is_discrete(fit$name)) {
    check_fittable(unpack_histories(facts$packed), model, call)
  }
  fitted_purchases(model, penalty, seed, unit_only(remarks(fit)), facts)
}

# One row for each that was packed.
unpack_histories <- function(packed) {
  history <- as.data.frame(packed[c("repeats", "last", "span")])[packed$row, ]
  if (!is.null(packed$each)) history$count <- packed$each
  structure(history, row.names = .set_row_names(nrow(history)))
}

unit_only <- function(said) said[said$about != "convergence", , drop = FALSE]

#' Likelihood-ratio comparison of nested fits
#'
#' Fits of one model to the same customers, without a penalty, each with the covariates of the one
#' before and more.
#'
#' @param object,... `[nubrek_purchases]` Two or more fits.
#' @return A `nubrek_anova`, one row per fit, the smallest first: `fit`, its covariates;
#'   `parameters`; `log_lik`; `more`, parameters more than the row above; `chi_squared`, twice the
#'   gain in log-likelihood; `p`, the probability of a gain like that if the additions did nothing.
#' @section Errors: `nubrek_error_argument` for fits that are not nested; models of different kinds
#'   are compared by `AIC()` and `BIC()`.
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
  wrong <- if (length(fits) < 2L) {
    "It takes two fits or more."
  } else if (!all(vapply(fits, inherits, NA, "nubrek_purchases"))) {
    "All must be fits of purchases."
  } else if (length(unique(vapply(fits, `[[`, "", "name"))) > 1L) {
    "They are of different models: compare them by AIC() or BIC()."
  } else if (
    !all(vapply(fits, \(f) isTRUE(all.equal(same_customers(f), same_customers(fits[[1L]]))), NA))
  ) {
    "They were made of different customers."
  } else if (any(vapply(fits, `[[`, 0, "penalty") > 0)) {
    "A fit with a penalty has no likelihood ratio."
  } else if (
    !all(mapply(\(a, b) all(names(coef(a)) %in% names(coef(b))), fits[-length(fits)], fits[-1L]))
  ) {
    "They are not nested: each must have the covariates of the smaller one."
  }
  if (!is.null(wrong)) {
    abort_nubrek(
      c("These fits cannot be compared by a likelihood ratio.", "x" = "{wrong}"), "argument"
    )
  }
  k <- vapply(fits, \(f) length(coef(f)), 0L)
  log_lik <- vapply(fits, `[[`, 0, "log_lik")
  more <- c(NA, diff(k))
  chi_squared <- c(NA, 2 * diff(log_lik))
  new_result(
    list(
      fit = vapply(fits, \(f) covariate_words(f), ""),
      parameters = k,
      log_lik = log_lik,
      more = as.integer(more),
      chi_squared = chi_squared,
      p = stats::pchisq(chi_squared, more, lower.tail = FALSE)
    ),
    "anova",
    remarks = do.call(rbind, lapply(fits, remarks)) |> unique(),
    basis = list(
      model = object$name, kinds = c(log_lik = "decimal", chi_squared = "decimal", p = "p")
    )
  )
}

same_customers <- function(fit) {
  c(
    fit$nobs,
    sum(fit$packed$repeats * fit$packed$count),
    sum(fit$packed$last * fit$packed$count),
    sum(fit$packed$span * fit$packed$count)
  )
}

covariate_words <- function(fit) {
  if (is.null(fit$covariates)) return("no covariates")
  paste(
    vapply(
      names(fit$covariates),
      \(part) paste0(part, " ", paste(deparse(fit$covariates[[part]]), collapse = " ")),
      ""
    ),
    collapse = ", "
  )
}

# The group that the parameters belong to.
base_words <- function(fit) {
  known <- Filter(\(v) !is.null(v$levels), fit$design$known)
  paste(vapply(names(known), \(name) paste(name, known[[name]]$levels[[1L]]), ""), collapse = ", ")
}

#' @exportS3Method generics::tidy
tidy.nubrek_purchases <- function(x, conf.int = FALSE, conf.level = 0.95, ...) {
  unit <- working_scale(x)
  error <- if (is.null(x$vcov)) rep(NA_real_, length(unit$at)) else sqrt(diag(x$vcov))
  # the error of a parameter is that of its log times the parameter
  result <- data.frame(term = names(coef(x)), estimate = unname(coef(x)), std.error = unname(
    error * ifelse(unit$logs, coef(x), 1)
  ))
  if (conf.int) {
    result[c("conf.low", "conf.high")] <- as.data.frame(unname(confint(x, level = conf.level)))
  }
  result
}

#' @exportS3Method generics::tidy
tidy.nubrek_spend <- tidy.nubrek_purchases

#' @exportS3Method generics::glance
glance.nubrek_purchases <- function(x, ...) {
  data.frame(
    model = x$name,
    logLik = x$log_lik,
    AIC = stats::AIC(x),
    BIC = stats::BIC(x),
    df = x$free,
    nobs = x$nobs,
    converged = x$converged
  )
}

#' @exportS3Method generics::glance
glance.nubrek_spend <- glance.nubrek_purchases

#' Summaries of a fit
#'
#' @param object `[nubrek_purchases | nubrek_spend]`
#' @param level `[double(1)]` Of the intervals.
#' @param ... Not used.
#' @return A `nubrek_fit`, one row per parameter and effect: `parameter`, `estimate`, `lower`,
#'   `upper` (normal in the logs of the parameters); for covariates `factor`, by what the rate is
#'   multiplied; `meaning`.
#' @examples
#' summary(fit_purchases(example_ledger(), "bg-nbd"))
#' @export
summary.nubrek_purchases <- function(object, level = 0.95, ...) {
  rlang::check_dots_empty()
  bounds <- confint(object, level = level)
  meaning <- c(purchase_models(), spend_models())[[object$name]]$meanings[names(coef(object))]
  effect <- !names(coef(object)) %in% names(object$parameters)
  meaning[effect] <- "log of the factor"
  new_result(
    Filter(Negate(is.null), list(
      parameter = names(coef(object)),
      estimate = unname(coef(object)),
      lower = unname(bounds[, 1L]),
      upper = unname(bounds[, 2L]),
      factor = if (any(effect)) ifelse(effect, exp(unname(coef(object))), NA_real_),
      meaning = unname(meaning)
    )),
    "fit",
    remarks = remarks(object),
    basis = list(
      model = object$name,
      level = level,
      nobs = object$nobs,
      log_lik = object$log_lik,
      aic = stats::AIC(object),
      bic = stats::BIC(object),
      converged = object$converged,
      unit = object$unit,
      penalty = object$penalty,
      covariates = covariate_words(object),
      group = base_words(object),
      spend = if (inherits(object, "nubrek_spend_model")) predict(object),
      kinds = c(estimate = "number", lower = "number", upper = "number", factor = "number")
    )
  )
}

#' @rdname summary.nubrek_purchases
#' @export
summary.nubrek_spend <- summary.nubrek_purchases
