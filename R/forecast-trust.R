# How far a forecast can be trusted: one place says so, every face that tells it reads it here.

# What notes on the models mean for what stands on them.
trust_notes <- list(
  convergence = list(
    trust = "none", reason = "the fit of the model is not certain"
  ),
  trend = list(
    trust = "weak", reason = "purchases move away over time from what the model expects"
  ),
  spend = list(
    trust = "weak",
    reason = "the size of a purchase goes with their number, which the models leave out"
  )
)

#' How far a forecast can be trusted
#'
#' Notes on the models decide: with none of them it is good. A forecast on which none is placed is
#' left out of the first screen of the report; a weak one is told with the reason.
#'
#' @param x `[nubrek_result]` A fit, or a forecast: from [forecast_value()], [forecast_sales()],
#'   [cohort_value()] and the like.
#' @return A `nubrek_trust`, one row per reason: `trust` (`"good"`, `"weak"` or `"none"`), `reason`
#'   (empty where it is good), the weightiest first.
#' @examples
#' forecast_trust(forecast_value(example_ledger()))
#' @export
forecast_trust <- function(x) {
  notes <- trust_notes[intersect(names(trust_notes), remarks(x)$about)]
  rows <- list(
    trust = vapply(notes, `[[`, "", "trust", USE.NAMES = FALSE),
    reason = vapply(notes, `[[`, "", "reason", USE.NAMES = FALSE)
  )
  if (length(notes) == 0L) rows <- list(trust = "good", reason = "")
  new_result(rows, "trust", remarks = remarks(x))
}

# Results that stand on fitted models.
forecasts <- paste0(
  "nubrek_", c("value", "value_by", "outcome", "worth", "outlook_grid", "outlook")
)

# The level of trust of a result; what is no forecast is good.
trust_level <- function(x) {
  if (inherits(x, forecasts)) forecast_trust(x)$trust[[1L]] else "good"
}

# What is told of a forecast, with what its trust adds to the finding.
with_trust <- function(x, told) {
  if (!is.null(told$finding)) told$finding <- paste(c(told$finding, trust_words(x)), collapse = " ")
  told
}

# What a sentence about a result adds where it is not good.
trust_words <- function(x) {
  level <- trust_level(x)
  if (level == "good") return(NULL)
  why <- paste(forecast_trust(x)$reason, collapse = "; ")
  if (level == "none") say("Not to be relied on: %s.", why) else say("Take it with care: %s.", why)
}
