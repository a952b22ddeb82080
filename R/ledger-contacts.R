# The history of contacts: who was written to, when, for which campaign, and whether they responded.

#' Add the history of contacts to a ledger
#'
#' Then rules know `contacted()`, `contacts()`, `responded()` and `days_since_contact()`, a draw
#' keeps to how often people may be written to, and a campaign is measured beside who was in fact
#' contacted.
#'
#' @param ledger `[nubrek_ledger]`
#' @param contacts `[data.frame | character]` One row per contact, or files with such rows.
#' @param columns `[character]` Which column is the `customer`, the `day`, and where there are such
#'   the `campaign`, the `offer`, and whether the customer `responded` (yes or no). Default: the
#'   columns of these names.
#' @param dates `[character(1)]` How days are written, as in [meanings()]. Default: as those of the
#'   ledger.
#' @param format `[nubrek_format]` How files are written, from [file_format()].
#' @return The ledger with the contacts. Ids are followed through its aliases; rows of ids that it
#'   does not know are kept, and counted in the remarks.
#' @section Errors: `nubrek_error_dates`, `nubrek_error_value` where a day or an answer cannot be
#'   read, with the row.
#' @examples
#' ledger <- example_ledger()
#' written <- data.frame(customer = c("P01", "P02"), day = "2024-11-04", campaign = "letter")
#' ledger <- add_contacts(ledger, written)
#' contact_history(ledger)
#' audience(ledger, purchases >= 1, unless(contacted(last = 365)))
#' @export
add_contacts <- function(
  ledger, contacts, columns = NULL, dates = NULL, format = file_format()
) {
  check_ledger(ledger)
  if (!is.null(dates)) check_choice(dates, meaning_choices$dates)
  call <- rlang::current_env()
  throw_unless(
    checkmate::check_character(columns, names = "unique", any.missing = FALSE, null.ok = TRUE),
    "columns",
    call
  )
  check_values(names(columns), contact_roles, "columns")
  table <- read_source(contacts, format, call)$table
  columns <- columns %||% stats::setNames(nm = intersect(contact_roles, names(table)))
  check_columns_exist(columns, names(table), "the contacts", call)
  lacking <- setdiff(c("customer", "day"), names(columns))
  if (length(lacking) > 0L) {
    abort_nubrek("Contacts need a column for {.field {lacking}}.", "columns")
  }
  cells <- lapply(columns, \(name) trim_text(as.character(table[[name]])))
  rows <- contact_rows(cells, columns, ledger, dates, call)
  ledger$contacts <- rows
  told <- contact_remarks(rows, nrow(table), ledger)
  attr(ledger, "remarks") <- rbind(attr(ledger, "remarks"), told)
  ledger
}

contact_roles <- c("customer", "day", "campaign", "offer", "responded")

# Texts as ids of the ledger, days and answers; rows without a customer left out.
contact_rows <- function(cells, columns, ledger, dates, call) {
  meaning <- ledger$meaning
  meaning$dates <- dates %||% meaning$dates
  named <- !is_blank(cells$customer)
  cells <- lapply(cells, `[`, named)
  day <- read_days(cells$day, columns[["day"]], meaning, \(i) which(named)[i], call)$day
  if (anyNA(day)) {
    bad <- which(is.na(day))[[1L]]
    abort_nubrek(c(
      "{.field {columns[['day']]}} must hold days.",
      "x" = "Row {which(named)[[bad]]} of the contacts says {.val {cells$day[[bad]]}}."
    ), "dates", call = call)
  }
  rows <- list(customer = resolve_aliases(cells$customer, ledger$aliases), day = day)
  for (name in intersect(c("campaign", "offer"), names(cells))) {
    rows[[name]] <- ifelse(is_blank(cells[[name]]), NA_character_, cells[[name]])
  }
  if (!is.null(cells$responded)) {
    rows$responded <- read_answers(cells$responded, columns[["responded"]], which(named), call)
  }
  rows
}

# Yes and no in the words people use; what is blank is no answer, and no response.
read_answers <- function(text, column, row, call) {
  read <- answers_of(text)
  if (length(read$odd) > 0L) {
    bad <- read$odd[[1L]]
    abort_nubrek(c(
      "{.field {column}} must say yes or no.",
      "x" = "Row {row[[bad]]} of the contacts says {.val {text[[bad]]}}."
    ), "value", call = call)
  }
  read$yes %in% TRUE
}

contact_remarks <- function(rows, n, ledger) {
  counts <- c(
    n - length(rows$customer),
    sum(is.na(ledger_codes(ledger, rows$customer))),
    sum(rows$day > as.integer(ledger$as_of))
  )
  words <- c(
    "without a customer, left out", "of an id that the ledger does not know",
    "after the ledger's last day, which rules do not see yet"
  )
  told <- sprintf("%s %s.", vapply(counts, n_of, "", "contact"), words)[counts > 0L]
  if (length(told) > 0L) remark_table(rep("contacts", length(told)), told)
}

#' Who was contacted, campaign by campaign
#'
#' @param ledger `[nubrek_ledger]` With contacts, from [add_contacts()].
#' @return A `nubrek_contacts`, one row per campaign (`"(missing)"` where none is said), the latest
#'   first: `campaign`, `from`, `until`, days of contact; `contacts`; `customers`; `responded`,
#'   contacts with a response, and `response_rate`, both missing where responses are not known;
#'   `not_known`, contacts of ids that the ledger does not know.
#' @examples
#' written <- data.frame(customer = c("P01", "P02"), day = "2024-11-04", campaign = "letter")
#' contact_history(add_contacts(example_ledger(), written))
#' @export
contact_history <- function(ledger) {
  check_ledger(ledger)
  rows <- known_contacts(ledger)
  campaign <- with_missing(rows$campaign %||% rep(NA_character_, length(rows$day)))
  table <- data.table(
    campaign,
    customer = rows$customer,
    day = rows$day,
    strange = is.na(ledger_codes(ledger, rows$customer)),
    responded = if (is.null(rows$responded)) NA else rows$responded
  )
  told <- table[, .(
    from = as.Date(min(day), origin = "1970-01-01"),
    until = as.Date(max(day), origin = "1970-01-01"),
    contacts = .N,
    customers = uniqueN(customer),
    responded = sum(responded),
    response_rate = mean(responded),
    not_known = sum(strange)
  ), by = campaign]
  new_result(
    as.list(told[order(-as.integer(until), campaign)]),
    "contacts",
    ledger,
    carried(ledger, c("as of", "contacts")),
    basis = list(kinds = c(response_rate = "share"))
  )
}

known_contacts <- function(ledger, call = rlang::caller_env()) {
  if (is.null(ledger$contacts)) {
    abort_nubrek(c(
      "The ledger has no history of contacts.",
      "i" = "Add it: {.fn add_contacts}, or {.field data: contacts} of a study."
    ), "argument", call = call)
  }
  ledger$contacts
}

# Contacts of each of these customers in so many days before a day.
contacts_before <- function(ledger, ids, day, days) {
  rows <- known_contacts(ledger)
  inside <- rows$day >= as.integer(day) - days & rows$day < as.integer(day)
  place <- match(rows$customer[inside], ids)
  tabulate(place[!is.na(place)], length(ids))
}
