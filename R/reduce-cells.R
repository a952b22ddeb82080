# Cohort x period sums. Cohorts are numbered from the earliest first purchase known, periods from the history's start.

# First purchase day of every customer, also one from before the history; NA without a purchase in the history.
first_purchase_day <- function(ledger, measures = reduce_customers(ledger)) {
  first <- measures$first
  early <- ledger$before$sales > 0
  if (any(early)) {
    seen <- data.table(code = ledger$before$customer[early], day = ledger$before$day[early])[, .(day = min(day)), by = code]
    known <- seen$day[match(seq_along(first), seen$code)]
    first <- ifelse(is.na(first), NA_integer_, pmin(first, known, na.rm = TRUE))
  }
  first
}

reduce_cells <- function(ledger, clock) {
  frame <- period_frame(ledger, clock)
  measures <- reduce_customers(ledger)
  number <- period_number(first_purchase_day(ledger, measures), clock)
  cohorts <- seq.int(min(number, frame$number[[1L]], na.rm = TRUE), frame$number[[length(frame$number)]])
  cohort <- match(number, cohorts)
  orders <- list(customer = ledger$orders$customer, day = ledger$orders$day, period = period_row(frame, ledger$orders$day), sales = ledger$orders$sales)
  purchases <- list(customer = ledger$purchases$customer, period = period_row(frame, ledger$purchases$day))
  first_day <- ifelse(is.na(cohort), NA_integer_, measures$first)
  cells <- cpp_cohort_cells(orders, purchases, cohort, first_day, length(cohorts), length(frame$number))
  c(cells, list(frame = frame, cohorts = cohorts, size = tabulate(cohort, length(cohorts)), cohort = cohort))
}
