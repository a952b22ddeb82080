# The record of intake: what became of every row and every cent.

summarise_intake <- function(intake, reason) {
  read <- intake$read
  units <- intake$rows$sales
  aside <- which(!is.na(reason))
  labels <- factor(ifelse(is.na(reason), "kept", reason), c("kept", set_aside_reasons))
  counts <- data.table(file = read$file, reason = labels, currency = intake$row_currency, units = units)[
    , .(rows = .N, units = sum(units, na.rm = TRUE), unknown = sum(is.na(units))), keyby = .(file, reason, currency)]
  counts[, file := read$files[file]]
  at <- as.data.frame(intake$text[aside])
  hits <- vapply(set_aside_reasons, \(name) intake$faults[[name]][aside], logical(length(aside)))
  dim(hits) <- c(length(aside), length(set_aside_reasons))
  faults <- apply(hits, 1L, \(hit) paste(set_aside_reasons[hit], collapse = "; "))
  rows <- cbind(at, data.frame(file = read$files[read$file[aside]], row = read$row[aside], reason = reason[aside],
                               faults = as.character(faults), stringsAsFactors = FALSE))
  list(counts = counts, aside = rows, rows = length(reason))
}

#' What became of every input row
#'
#' @param ledger `[nubrek_ledger]`
#' @return A `nubrek_audit`, one row per file, reason and currency: `file`; `reason` (`"kept"` first, then the reasons in order
#'   of precedence: duplicate, no customer, no date, unreadable date, unreadable amount, blank amount, test order, cancelled
#'   order, after as of, foreign currency, excluded id); `rows`; `money` in major units of `currency`; `unknown`, the rows
#'   whose amount could not be read. Invariant: `rows` adds up to the rows of the files.
#' @examples
#' audit(example_ledger())
#' @export
audit <- function(ledger) {
  check_ledger(ledger)
  counts <- ledger$intake$counts
  new_result(list(file = counts$file, reason = as.character(counts$reason), rows = counts$rows, money = major(ledger, counts$units),
                  currency = counts$currency, unknown = counts$unknown), "audit", ledger, remarks(ledger))
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
