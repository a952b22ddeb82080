# First and nth purchase day of the customers whose first purchase is known to lie in the data; with a frame also the cohort's row
# and the periods waited, missing for "not yet".
reduce_waits <- function(ledger, nth, frame = NULL) {
  days <- cpp_nth_days(ledger$days, nth, n_customers(ledger))
  known <- !is.na(days$first) & !is.na(ledger$known_first) & ledger$known_first < days$first
  use <- which(!is.na(days$first) & !known)
  out <- list(code = use, first = days$first[use], nth = days$nth[use], known = known)
  if (is.null(frame)) return(out)
  out$cohort <- period_row(frame, out$first)
  out$waited <- period_row(frame, out$nth) - out$cohort
  out
}
