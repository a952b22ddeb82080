# The backtest at several days.

#' Backtests at several days
#'
#' One good year proves little: the same comparison at several cuts, each with a fit on what was
#' known then.
#'
#' @param ledger `[nubrek_ledger]`
#' @param cuts `[Date]` Last days that the fits may see. Default: up to four, half a year apart,
#'   each with half a year after it and at least a year before it.
#' @param weeks `[numeric(1)]` How long to compare after each.
#' @param models `[nubrek_models]` From [forecast_models()].
#' @return A `nubrek_rolling`, one row per cut: `cut` `[Date]`, `customers` known then; `expected`,
#'   `actual` purchases; `error` and `log_score` of the model as in [backtest()]; `naive`, the naive
#'   rule with the least error, its `naive_error` and the best `naive_log_score`; `gain`, by how
#'   much of the naive error the model's is less; `captured` and `naive_captured`, share of the
#'   following sales by the first tenth.
#' @examples
#' rolling_backtest(example_ledger(), cuts = c("2024-07-01", "2024-10-01"), weeks = 13)
#' @export
rolling_backtest <- function(ledger, cuts = NULL, weeks = 26, models = forecast_models()) {
  check_ledger(ledger)
  check_number(weeks, lower = 1)
  cuts <- if (is.null(cuts)) {
    default_cuts(ledger, weeks)
  } else {
    do.call(c, lapply(cuts, check_day, arg = "cuts"))
  }
  tests <- lapply(seq_along(cuts), \(i) {
    signal_progress("backtesting", (i - 1) / length(cuts))
    one_backtest(ledger, backtest_cut(ledger, cuts[[i]]), models, weeks)
  })
  pick <- \(get) vapply(tests, get, 0)
  naive <- vapply(tests, \(t) which.min(t$error[-1L]) + 1L, 0L)
  error <- pick(\(t) t$error[[1L]])
  naive_error <- mapply(\(t, k) t$error[[k]], tests, naive)
  new_result(
    list(
      cut = cuts,
      customers = vapply(tests, \(t) basis_of(t, "customers"), 0L),
      expected = pick(\(t) t$expected[[1L]]),
      actual = pick(\(t) t$actual[[1L]]),
      error = error,
      naive = mapply(\(t, k) t$method[[k]], tests, naive),
      naive_error = naive_error,
      gain = 1 - error / naive_error,
      log_score = pick(\(t) t$log_score[[1L]]),
      naive_log_score = pick(\(t) max(t$log_score[-1L], na.rm = TRUE)),
      captured = pick(\(t) t$captured[[1L]]),
      naive_captured = pick(\(t) max(t$captured[-1L], na.rm = TRUE))
    ),
    "rolling",
    ledger,
    rolling_remarks(tests),
    basis = list(model = tests[[1L]]$method[[1L]], weeks = weeks, kinds = c(
      gain = "share", naive_captured = "share", log_score = "number", naive_log_score = "number"
    ))
  )
}

# What is said at every cut once; of the customers learned from only that there are older ones.
rolling_remarks <- function(tests) {
  notes <- unique(do.call(rbind, lapply(tests, remarks)))
  older <- notes$about == "older customers"
  if (sum(older) > 1L) {
    notes <- rbind(notes[!older, ], remark_table("older customers", say(paste0(
      "At every cut the models learn from customers that surely were new then; earlier ones may ",
      "be older customers."
    ))))
  }
  notes
}

default_cuts <- function(ledger, weeks, call = rlang::caller_env()) {
  cuts <- ledger$as_of - floor(7 * weeks) - 182L * (3:0)
  cuts <- cuts[cuts >= ledger$history_start + 365L]
  if (length(cuts) == 0L) {
    abort_nubrek(c(
      "The history is too short for a backtest of {weeks} week{?s} after a year.",
      "i" = "Give {.arg cuts}, or fewer {.arg weeks}."
    ), "unidentified", call = call)
  }
  cuts
}
