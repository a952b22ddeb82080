# A ledger whose rows stand in parts: what is known of the customers is at hand, the rows are opened
# part by part, so that no more of them are in memory than one part has.

# `ledger` has all but the rows; `parts` are lists of `open()`, which gives the rows of a ledger in
# memory (orders, before, lines), and `codes`, its customers in the whole.
new_parts <- function(ledger, parts, lines, class = character()) {
  ledger <- unclass(ledger)
  ledger[c("orders", "before", "lines", "days", "purchases")] <- NULL
  ledger$parts <- parts
  ledger$steps <- list()
  ledger$line_names <- lines
  structure(ledger, class = c(class, "nubrek_parts", "nubrek_ledger"))
}

# One part, closed: what the whole knows of its customers, how its rows are opened, and what was
# done to the whole since it was.
closed_part <- function(ledger, k) {
  codes <- ledger$parts[[k]]$codes
  part <- unclass(ledger)
  part[c(
    "parts", "steps", "line_names", "outside", "part_of", "folder", "contacts", "daemons", "db",
    "source"
  )] <- NULL
  part$ids <- ledger$ids[codes]
  part$known_first <- ledger$known_first[codes]
  part$attributes <- ledger$attributes[if (nrow(ledger$attributes) > 0L) codes]
  list(part = part, codes = codes, open = ledger$parts[[k]]$open, steps = ledger$steps)
}

# The same as a ledger in memory.
open_part <- function(closed) {
  part <- closed$part
  rows <- closed$open()
  part[names(rows)] <- rows
  class(part) <- c("nubrek_memory", "nubrek_ledger")
  part <- fill_purchases(part)
  for (step in closed$steps) {
    part <- step(part, closed$codes)
  }
  part
}

#' @export
each_part.nubrek_parts <- function(ledger, pass, take = \(found, codes) found) {
  n <- length(ledger$parts)
  if (!is.null(ledger$daemons)) return(pass_by_daemons(ledger, pass, take))
  lapply(seq_len(n), \(k) {
    signal_progress("going through the parts", (k - 1) / n)
    closed <- closed_part(ledger, k)
    take(pass(open_part(closed), closed$codes), closed$codes)
  })
}

#' @export
change_parts.nubrek_parts <- function(ledger, change) {
  ledger$steps <- c(ledger$steps, change)
  ledger$outside <- added_up(ledger, \(part, codes) part$outside)
  ledger
}

#' @export
line_names.nubrek_parts <- function(ledger) ledger$line_names
