# All campaigns together, with what came of them.

#' All campaigns with their results
#'
#' @param ledger `[nubrek_ledger]` The ledger of today.
#' @param campaigns `[character]` Files of [save_campaign()], or a folder that holds them.
#' @param outcome `[character(1)]` As in [measure_campaign()]. Default `"sales"`.
#' @param level `[double(1)]` Of the intervals.
#' @param key `[character(1)]` The key's file where campaigns are kept in [pseudonyms()].
#' @return A `nubrek_campaigns`, one row per campaign (and offer), the latest first: `campaign`,
#'   `day`, `days` measured; `contacted`, `held_back`; `effect` per contacted customer with `lower`,
#'   `upper`; `together`, the effects drawn towards the common one (of one campaign the best looks
#'   better than it is); `net` gain and `chance_paid` where a margin is known; `state`:
#'   `"measured"`, `"running"` (part of the window is over), or why it cannot be measured.
#' @section Errors: `nubrek_error_file` where a file is no campaign or there is none.
#' @examples
#' ledger <- example_ledger()
#' folder <- tempfile()
#' dir.create(folder)
#' all <- audience(ledger, purchases >= 1, as_of = "2024-06-30", name = "summer")
#' drawn <- draw_control(all, ledger, share = 0.5, day = "2024-07-01", days = 120)
#' save_campaign(drawn, file.path(folder, "summer.json"))
#' campaign_history(ledger, folder)
#' @export
campaign_history <- function(ledger, campaigns, outcome = "sales", level = 0.95, key = NULL) {
  check_ledger(ledger)
  throw_unless(
    checkmate::check_character(campaigns, any.missing = FALSE, min.len = 1L),
    "campaigns",
    rlang::current_env()
  )
  each <- lapply(campaign_files(campaigns), open_campaign)
  names(each) <- vapply(each, \(one) basis_of(one, "name"), "")
  found <- lapply(each, \(one) {
    tryCatch(
      measure_campaign(
        ledger, one, outcomes = outcomes_with(one, outcome), level = level, key = key
      ),
      nubrek_error = identity
    )
  })
  history_of(ledger, each, found, outcome, level)
}

# Files of a folder that are campaigns; a file that is named must be one.
campaign_files <- function(paths, call = rlang::caller_env()) {
  if (length(paths) > 1L || !dir.exists(paths)) return(paths)
  files <- sort(list.files(paths, "[.]json$", full.names = TRUE), method = "radix")
  ours <- vapply(files, \(file) {
    any(grepl("nubrek campaign", readLines(file, 1L, warn = FALSE), fixed = TRUE))
  }, NA)
  if (!any(ours)) {
    abort_nubrek("There is no campaign in {.file {paths}}.", "file", path = paths, call = call)
  }
  files[ours]
}

# Campaigns with what was `found` of each: its effects, or the error that says why not.
history_of <- function(ledger, campaigns, found, outcome, level) {
  rows <- do.call(rbind, Map(history_row, campaigns, found, outcome))
  rows$together <- with_common(rows, level)
  rows <- rows[order(-as.integer(rows$day), rows$campaign), ]
  new_result(
    as.list(rows),
    "campaigns",
    ledger,
    carried(ledger),
    basis = list(outcome = outcome, level = level, kinds = effect_kinds)
  )
}

# The outcome that is asked for, and margin for what is left of it.
outcomes_with <- function(campaign, outcome) {
  unique(c(outcome, if (!is.null(basis_of(campaign, "margin_rate"))) "margin"))
}

history_row <- function(campaign, found, outcome) {
  known <- !inherits(found, "error")
  row <- data.frame(
    campaign = basis_of(campaign, "name"),
    offer = "",
    day = basis_of(campaign, "day"),
    days = NA_integer_,
    contacted = sum(campaign$arm != "held back"),
    held_back = sum(campaign$arm == "held back"),
    effect = NA_real_,
    lower = NA_real_,
    upper = NA_real_,
    net = NA_real_,
    chance_paid = NA_real_,
    state = if (known) "measured" else gsub("\\s+", " ", cli::ansi_strip(conditionMessage(found)))
  )
  if (!known) return(row)
  seen <- plain_table(found)
  here <- seen[seen$outcome == outcome, ]
  row <- row[rep(1L, nrow(here)), ]
  row$days <- basis_of(found, "days")
  if (row$days[[1L]] < basis_of(campaign, "days")) row$state <- "running"
  same <- intersect(c("offer", "contacted", "held_back", "effect", "lower", "upper"), names(here))
  row[same] <- here[same]
  gain <- seen[seen$outcome == "margin", ]
  if (nrow(gain) > 0L) row[c("net", "chance_paid")] <- gain[c("net", "chance_paid")]
  row
}

# Effects drawn towards their common one, of those that are known.
with_common <- function(rows, level) {
  known <- !is.na(rows$effect) & rows$state == "measured"
  error <- (rows$upper - rows$lower) / (2 * stats::qnorm((1 + level) / 2))
  replace(rep(NA_real_, nrow(rows)), known, drawn_together(rows$effect[known], error[known]))
}
