# First and nth purchase day of the customers whose first purchase is known to lie in the data:
# `code`, `first`, `nth`; `known`, a flag per customer code who bought before. With a clock also
# `cohort`, the row of the period in `frame`, and `waited`, periods; missing for "not yet".
reduce_waits <- function(ledger, nth, clock = NULL) UseMethod("reduce_waits")

#' @export
reduce_waits.nubrek_ledger <- function(ledger, nth, clock = NULL) {
  days <- by_customer(ledger, \(part, codes) cpp_nth_days(part$days, nth, n_customers(part)))
  waits_from(ledger, days, clock)
}

# `days` are the `first` and the `nth` purchase day per customer code.
waits_from <- function(ledger, days, clock) {
  known <- !is.na(days$first) & !is.na(ledger$known_first) & ledger$known_first < days$first
  use <- which(!is.na(days$first) & !known)
  waits <- list(code = use, first = days$first[use], nth = days$nth[use], known = known)
  if (is.null(clock)) return(waits)
  waits$frame <- period_frame(ledger, clock)
  waits$cohort <- period_row(waits$frame, waits$first)
  waits$waited <- period_row(waits$frame, waits$nth) - waits$cohort
  waits
}
