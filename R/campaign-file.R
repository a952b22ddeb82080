# The file of a campaign: all that is needed months later.

#' Keep a campaign until it is measured
#'
#' One small JSON file: who was drawn where, the rule, seed, day, window and costs, and what the
#' data were on that day.
#'
#' @param campaign `[nubrek_campaign]` From [draw_control()].
#' @param path `[character(1)]` Ending in `.json`.
#' @param pseudonyms `[logical(1)]` Are customers kept as [pseudonyms()]? Then [measure_campaign()]
#'   needs the same key.
#' @param key `[character(1)]` The key's file, see [pseudonyms()].
#' @return `save_campaign()` the path, invisibly: the file is there whole, or not at all.
#'   `open_campaign()` the campaign.
#' @section Errors: `nubrek_error_file` where a file is no campaign, or not as it was written.
#' @examples
#' ledger <- example_ledger()
#' drawn <- draw_control(audience(ledger, purchases >= 1, name = "all"), ledger, share = 0.4)
#' path <- tempfile(fileext = ".json")
#' save_campaign(drawn, path)
#' open_campaign(path)
#' @export
save_campaign <- function(campaign, path, pseudonyms = FALSE, key = NULL) {
  check_campaign(campaign)
  check_text(path)
  throw_unless(checkmate::check_flag(pseudonyms), "pseudonyms", rlang::current_env())
  throw_unless(
    checkmate::check_true(endsWith(tolower(path), ".json")), "path", rlang::current_env()
  )
  basis <- attr(campaign, "basis")
  said <- basis[intersect(campaign_fields, names(basis))]
  said$day <- format(said$day)
  said$as_of <- format(said$as_of)
  said <- c(
    list(format = "nubrek campaign 1"),
    said,
    list(pseudonyms = pseudonyms, drawn = drawn_rows(campaign, pseudonyms, key))
  )
  said$check <- rlang::hash(said$drawn)
  write_text(
    jsonlite::toJSON(said, auto_unbox = TRUE, digits = NA, null = "null", pretty = FALSE), path
  )
  invisible(path)
}

# Sorted by pseudonym: the order of ids would tell of them.
drawn_rows <- function(campaign, pseudonyms, key) {
  rows <- list(customer = campaign$customer, arm = campaign$arm)
  if (!pseudonyms) return(rows)
  rows$customer <- pseudonyms(rows$customer, key)
  lapply(rows, `[`, order(rows$customer))
}

campaign_fields <- c(
  "name", "rule", "day", "days", "control_share", "seed", "offers", "strata", "contact_by",
  "cost_per_contact", "offer_cost", "margin_rate", "sales", "customers", "as_of", "currency"
)

#' @rdname save_campaign
#' @export
open_campaign <- function(path) {
  check_text(path)
  said <- tryCatch(jsonlite::fromJSON(path, simplifyVector = TRUE), error = \(e) NULL)
  drawn <- said$drawn
  known <- is.list(said) &&
    identical(said$format, "nubrek campaign 1") &&
    is.list(drawn) &&
    length(unique(lengths(drawn[c("customer", "arm")]))) == 1L
  if (known) {
    drawn <- list(customer = as.character(drawn$customer), arm = as.character(drawn$arm))
  }
  if (!known || !identical(rlang::hash(drawn), said$check)) {
    abort_nubrek(c(
      "The file {.file {path}} cannot be opened as a campaign.",
      "x" = if (!file.exists(path)) {
        "It does not exist."
      } else if (known) {
        "Its customers are not as they were written."
      } else {
        "It is no file of {.fn save_campaign}."
      }
    ), "file", path = path)
  }
  said$day <- as.Date(said$day)
  said$as_of <- as.Date(said$as_of)
  for (field in c("cost_per_contact", "offer_cost", "margin_rate", "sales")) {
    if (!is.null(said[[field]])) said[[field]] <- as.double(said[[field]])
  }
  fields <- stats::setNames(lapply(campaign_fields, \(field) said[[field]]), campaign_fields)
  fields$pseudonyms <- isTRUE(said$pseudonyms)
  drawn$draw <- if (fields$pseudonyms) {
    rep(NA_real_, length(drawn$customer))
  } else {
    keyed_draws(drawn$customer, said$seed)
  }
  new_result(drawn, "campaign", basis = fields)
}
