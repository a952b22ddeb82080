# Customer x period: `code`, `row` of the period, purchases, orders, sales; only cells with an
# order, by customer and time; the sums of each customer and of each period.
reduce_periods <- function(ledger, clock) UseMethod("reduce_periods")

#' @export
reduce_periods.nubrek_ledger <- function(ledger, clock) {
  frame <- period_frame(ledger, clock)
  cells <- by_row(ledger, \(part, codes) {
    cells <- cpp_customer_periods(part$orders, part$purchases, frame$row_of_day, frame$first_day)
    names(cells)[names(cells) == "customer"] <- "code"
    cells
  })
  cells$of_customer <- cpp_group_sums(cells$sales, cells$code, 0L, n_customers(ledger))$sums
  cells$of_period <- cpp_group_sums(cells$sales, cells$row, 0L, length(frame$number))$sums
  cells
}
