# Cohort x period sums. Cohorts are numbered from the earliest first purchase known, periods from the history's start.

# First purchase day of every customer with a purchase in the history; an earlier one that is known comes first.
first_purchase_day <- function(ledger, measures = reduce_customers(ledger)) {
  if (all(is.na(ledger$known_first))) return(measures$first)
  ifelse(is.na(measures$first), NA_integer_, pmin(measures$first, ledger$known_first, na.rm = TRUE))
}

reduce_cells <- function(ledger, clock) {
  frame <- period_frame(ledger, clock)
  measures <- reduce_customers(ledger)
  number <- period_number(first_purchase_day(ledger, measures), clock)
  cohorts <- seq.int(min(number, frame$number[[1L]], na.rm = TRUE), frame$number[[length(frame$number)]])
  cohort <- number - cohorts[[1L]] + 1L
  cells <- cpp_cohort_cells(ledger$orders, ledger$purchases, cohort, measures$first, frame$row_of_day, frame$first_day, length(cohorts), length(frame$number))
  c(cells, list(frame = frame, cohorts = cohorts, size = tabulate(cohort, length(cohorts)), cohort = cohort))
}
