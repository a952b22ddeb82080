# The record of intake: what became of every row and every cent.

summarise_intake <- function(intake, reason) {
  read <- intake$read
  units <- intake$rows$sales
  aside <- which(!is.na(reason))
  labels <- factor(ifelse(is.na(reason), "kept", reason), c("kept", set_aside_reasons))
  counts <- data.table(file = read$file, reason = labels, currency = intake$row_currency, units = units, row = read$row)[
    , .(rows = .N, units = sum(units, na.rm = TRUE), unknown = sum(is.na(units)), example = row[[1L]]), keyby = .(file, reason, currency)]
  counts[, file := read$files[file]]
  at <- as.data.frame(intake$text[aside])
  hits <- vapply(set_aside_reasons, \(name) intake$faults[[name]][aside], logical(length(aside)))
  dim(hits) <- c(length(aside), length(set_aside_reasons))
  faults <- apply(hits, 1L, \(hit) paste(set_aside_reasons[hit], collapse = "; "))
  rows <- cbind(at, data.frame(file = read$files[read$file[aside]], row = read$row[aside], reason = reason[aside],
                               faults = as.character(faults), stringsAsFactors = FALSE))
  if (any(intake$replaced)) rows$faults[intake$replaced[aside]] <- sub("^duplicate", "duplicate (of an order in another state)", rows$faults[intake$replaced[aside]])
  anonymous <- reason %in% "no customer" & faults_of(intake) == 1L
  money <- data.table(day = intake$rows$day, units = units, known = is.na(reason))[is.na(reason) | anonymous, .(identified = sum(units[known]), all = sum(units)), keyby = day]
  list(counts = counts, aside = rows, rows = length(reason), identified = money)
}

faults_of <- function(intake) Reduce(`+`, intake$faults)

#' What became of every input row
#'
#' @param ledger `[nubrek_ledger]`
#' @return A `nubrek_audit`, one row per file, reason and currency: `file`; `reason` (`"kept"` first, then the reasons in order
#'   of precedence: duplicate, no customer, no date, unreadable date, unreadable amount, blank amount, test order, cancelled
#'   order, after as of, foreign currency, excluded id, ignored return); `rows`; `money` in major units of `currency`; `unknown`, the rows
#'   whose amount could not be read; `example`, the first such row of the file. Invariant: `rows` adds up to the rows of the files.
#' @examples
#' audit(example_ledger())
#' @export
audit <- function(ledger) {
  check_ledger(ledger)
  counts <- ledger$intake$counts
  new_result(list(file = counts$file, reason = as.character(counts$reason), rows = counts$rows, money = major(ledger, counts$units),
                  currency = counts$currency, unknown = counts$unknown, example = counts$example), "audit", ledger, remarks(ledger))
}

#' The rows that were set aside, as they were read
#'
#' @param ledger `[nubrek_ledger]`
#' @param reason `[character]` Only rows under these reasons; default all.
#' @return A `nubrek_aside`: the columns as read, and `file`, `row` (data rows, 1 is the first after the header), `reason`
#'   (the first that holds) and `faults` (all of them).
#' @examples
#' set_aside(example_ledger(), "cancelled order")
#' @export
set_aside <- function(ledger, reason = set_aside_reasons) {
  check_ledger(ledger)
  for (one in reason) check_choice(one, set_aside_reasons, arg = "reason")
  rows <- ledger$intake$aside
  rows <- rows[rows$reason %in% reason, , drop = FALSE]
  rownames(rows) <- NULL
  new_result(rows, "aside", ledger)
}

#' The share of sales with a customer id, by period
#'
#' Rows kept against rows kept or set aside only for lack of a customer. A growing share looks like growing loyalty.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Period; default the ledger's.
#' @return A `nubrek_identified`: `period` `[Date]`, `sales` identified and `sales_all` in major units, `share`.
#' @examples
#' identified_share(example_ledger(), "quarter")
#' @export
identified_share <- function(ledger, clock = NULL) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  money <- data.table::copy(ledger$intake$identified)[, period := period_number(day, clock)][, .(identified = sum(identified), all = sum(all)), keyby = period]
  new_result(list(period = period_start(money$period, clock), sales = major(ledger, money$identified), sales_all = major(ledger, money$all),
                  share = ifelse(money$all > 0, money$identified / money$all, NA_real_)), "identified", ledger, carried(ledger, "identified share"))
}
