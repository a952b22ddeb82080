# Gaps between consecutive purchases of a customer, in days.

# Per customer code: gaps, sum, squares, log_sum, log_squares (of gap + 1), median, longest.
reduce_gaps <- function(ledger) UseMethod("reduce_gaps")

#' @export
reduce_gaps.nubrek_ledger <- function(ledger) {
  by_customer(ledger, \(part, codes) cpp_gap_measures(part$purchases, n_customers(part)))
}

# How many gaps are 0, 1, 2 ... days long, or periods of a clock, of those that ended by a day.
reduce_gap_counts <- function(ledger, clock = NULL, until = ledger$as_of) {
  UseMethod("reduce_gap_counts")
}

#' @export
reduce_gap_counts.nubrek_ledger <- function(ledger, clock = NULL, until = ledger$as_of) {
  frame <- if (!is.null(clock)) period_frame(ledger, clock)
  days <- seq.int(as.integer(ledger$history_start), as.integer(ledger$as_of))
  added_up(ledger, \(part, codes) {
    cpp_gap_counts(
      part$purchases, frame$row_of_day %||% seq_along(days), days[[1L]], as.integer(until)
    )
  })
}

# Every gap, by customer and time: code, the number of the visit that ends it, from, to (days).
reduce_gap_list <- function(ledger) UseMethod("reduce_gap_list")

#' @export
reduce_gap_list.nubrek_ledger <- function(ledger) {
  by_row(ledger, \(part, codes) {
    customer <- part$purchases$customer
    day <- part$purchases$day
    ends <- which(c(FALSE, diff(customer) == 0L)[seq_along(customer)])
    first <- match(customer[ends], customer)
    list(code = customer[ends], visit = ends - first + 1L, from = day[ends - 1L], to = day[ends])
  })
}
