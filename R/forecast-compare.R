#' Which purchase model for these customers?
#'
#' Fits each model to all that is known, and to the past up to a day to hold it against what
#' followed. The recommendation goes by the log score of what followed; where the models cannot be
#' told apart by it (a difference of less than two standard errors, customer by customer), by AIC
#' among those.
#'
#' @param ledger `[nubrek_ledger]`
#' @param models `[character]` Of [forecast_models()].
#' @param cut `[Date(1)]` See [backtest()].
#' @param covariates,penalty,season See [forecast_models()].
#' @return A `nubrek_comparison`, one row per model: `model`; `log_lik`, `aic`, `bic` of the fit to
#'   all; `converged`; of the backtest `expected`, `actual`, `error`, `log_score`, `captured`;
#'   `behind`, by how much its log score is below the best one, with `behind_error`, the standard
#'   error of that; `recommended`. The attribute `reason` is a sentence.
#' @examples
#' compare_models(example_ledger())
#' @export
compare_models <- function(
  ledger, models = c("pareto-nbd", "bg-nbd", "mbg-nbd"), cut = NULL, covariates = NULL, penalty = 0,
  season = "auto"
) {
  check_ledger(ledger)
  throw_unless(
    checkmate::check_character(models, any.missing = FALSE, min.len = 1L, unique = TRUE),
    "models",
    rlang::current_env()
  )
  cut <- backtest_cut(ledger, cut)
  asked <- \(season) lapply(
    models,
    \(name) forecast_models(name, covariates = covariates, penalty = penalty, season = season)
  )
  fits <- lapply(
    asked(season_of(season, ledger)$season %||% FALSE),
    \(m) fit_models(ledger, m, need_spend = FALSE)$purchases
  )
  tests <- lapply(
    asked(season_of(season, ledger, cut)$season %||% FALSE), \(m) one_backtest(ledger, cut, m)
  )
  scores <- compare_scores(tests)
  aic <- vapply(fits, stats::AIC, 0)
  usable <- vapply(fits, `[[`, NA, "converged")
  near <- which(scores$near)
  if (any(usable[near])) near <- near[usable[near]]
  pick <- near[which.min(aic[near])]
  first <- \(column) vapply(tests, \(t) t[[column]][[1L]], 0)
  new_result(
    list(
      model = models,
      log_lik = vapply(fits, `[[`, 0, "log_lik"),
      aic = aic,
      bic = vapply(fits, stats::BIC, 0),
      converged = usable,
      expected = first("expected"),
      actual = first("actual"),
      error = first("error"),
      log_score = scores$score,
      captured = first("captured"),
      behind = scores$behind,
      behind_error = scores$error,
      recommended = seq_along(models) == pick
    ),
    "comparison",
    ledger,
    unique(do.call(rbind, lapply(fits, remarks))),
    basis = list(
      cut = basis_of(tests[[1L]], "cut"),
      weeks = basis_of(tests[[1L]], "weeks"),
      kinds = c(log_score = "number", behind = "number", behind_error = "number")
    ),
    reason = comparison_reason(models, pick, scores$best, near, usable)
  )
}

# Mean log scores of all customers, how far each lies behind the best with the error of that, and
# which are as good as the best: within two errors.
compare_scores <- function(tests) {
  n <- length(tests)
  each <- vapply(
    tests, \(t) attr(t, "customers")$log_score, attr(tests[[1L]], "customers")$log_score
  )
  score <- colMeans(matrix(each, ncol = n))
  best <- which.max(score)
  less <- matrix(each[, best] - each, ncol = n)
  behind <- colMeans(less)
  error <- apply(less, 2L, stats::sd) / sqrt(nrow(less))
  list(
    score = score,
    best = best,
    behind = behind,
    error = error,
    near = behind < 2 * error | seq_len(n) == best
  )
}

comparison_reason <- function(models, pick, best, near, usable) {
  if (length(models) == 1L) return(sprintf("%s is the only one asked for.", models))
  others <- models[setdiff(near, pick)]
  if (!usable[[pick]]) {
    return(sprintf("%s: it foretold best, though its parameters are not certain.", models[[pick]]))
  }
  if (length(others) == 0L) {
    return(sprintf(
      "%s: it foretold the following purchases best, by more than chance.", models[[pick]]
    ))
  }
  sprintf(paste0(
    "%s: it explains the data best (AIC) of those that the following purchases cannot tell ",
    "apart (%s)."
  ), models[[pick]], toString(models[near]))
}
