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
  write_campaign(attr(campaign, "basis"), drawn_rows(campaign, pseudonyms, key), pseudonyms, path)
  invisible(path)
}

write_campaign <- function(basis, drawn, pseudonyms, path) {
  said <- basis[intersect(campaign_fields, names(basis))]
  said$day <- format(said$day)
  said$as_of <- format(said$as_of)
  write_sealed(
    c(list(format = campaign_format), said, list(pseudonyms = pseudonyms, drawn = drawn)), path,
    own = user_secret()
  )
}

# Sorted by pseudonym: the order of ids would tell of them.
drawn_rows <- function(campaign, pseudonyms, key) {
  rows <- list(customer = campaign$customer, arm = campaign$arm)
  if (!pseudonyms) return(rows)
  rows$customer <- pseudonyms(rows$customer, key)
  lapply(rows, `[`, order(rows$customer))
}

campaign_format <- "nubrek campaign 2"
campaign_fields <- c(
  "name", "rule", "day", "days", "control_share", "seed", "offers", "strata", "contact_by",
  "cost_per_contact", "offer_cost", "margin_rate", "sales", "customers", "as_of", "currency",
  "erased"
)

#' @rdname save_campaign
#' @export
open_campaign <- function(path) {
  check_text(path)
  said <- if (file.exists(path) && !dir.exists(path)) {
    tryCatch(opened_seal(path, public_key, TRUE, user_secret()), error = \(e) NULL)
  }
  if (!isTRUE(tryCatch(is_campaign_file(said), error = \(e) FALSE))) {
    abort_nubrek(c(
      "The file {.file {path}} cannot be opened as a campaign.", "x" = campaign_trouble(path, said)
    ), "file", path = path)
  }
  drawn <- lapply(said$drawn[c("customer", "arm")], as.character)
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
  remarks <- if (!attr(said, "sealed_by_us")) {
    remark_table("seal", say(paste0(
      "The file of this campaign was not written by this user on this machine: damage to it ",
      "would be seen, a change on purpose would not."
    )))
  }
  if (isTRUE(fields$erased > 0)) {
    remarks <- rbind(remarks, remark_table("erased", say(
      "%s erased after the draw and in neither arm.", n_of(fields$erased, "customer")
    )))
  }
  new_result(drawn, "campaign", remarks = remarks, basis = fields)
}

# What a file must hold to be a campaign: the kinds of its fields, and as many arms as customers.
is_campaign_file <- function(said) {
  drawn <- said$drawn
  day <- \(x) checkmate::test_string(x) && !is.na(as.Date(x, "%Y-%m-%d"))
  number <- \(x, ...) checkmate::test_number(x, finite = TRUE, ...)
  money <- \(x) is.null(x) || checkmate::test_numeric(x, finite = TRUE, any.missing = FALSE)
  identical(said$format, campaign_format) &&
    checkmate::test_string(said$name) && checkmate::test_string(said$currency) &&
    checkmate::test_character(said$rule, any.missing = FALSE, null.ok = TRUE) &&
    day(said$day) && day(said$as_of) && number(said$days, lower = 1) && number(said$seed) &&
    number(said$control_share, lower = 0, upper = 1) && number(said$customers, lower = 0) &&
    all(vapply(said[c("cost_per_contact", "offer_cost", "margin_rate", "sales")], money, NA)) &&
    checkmate::test_flag(said$pseudonyms) && is.list(drawn) &&
    length(drawn$customer) == length(drawn$arm) && !anyDuplicated(unlist(drawn$customer)) &&
    all(nzchar(unlist(drawn$arm)))
}

campaign_trouble <- function(path, said) {
  if (!file.exists(path)) return("It does not exist.")
  if (!is.null(said)) return("It is no file of {.fn save_campaign}, or one of another version.")
  text <- tryCatch(readLines(path, n = 1L, warn = FALSE), error = \(e) "")
  if (!any(grepl("nubrek campaign", text, fixed = TRUE, useBytes = TRUE))) {
    return("It is no file of {.fn save_campaign}.")
  }
  "It is not as it was written."
}
