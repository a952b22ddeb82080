#' One row per customer and period
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Period; default the ledger's.
#' @param at_least `[numeric]` Thresholds by column: `c(sales = 100)` keeps the rows that reach all
#'   of them.
#' @return A `nubrek_periods`, one row per customer and period with an order, by id and time:
#'   `customer`; `period` `[Date]`; `purchases`, `orders` `[integer]`; `sales`, net; `partial`;
#'   beside them the totals that a row is part of (before thresholds): `sales_of_customer`,
#'   `sales_of_period`, and `share_of_period`. Invariant: without thresholds `sales` adds up to the
#'   ledger.
#' @examples
#' customer_periods(example_ledger(), "quarter", at_least = c(purchases = 2))
#' @export
customer_periods <- function(ledger, clock = NULL, at_least = NULL) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  frame <- period_frame(ledger, clock)
  cells <- reduce_periods(ledger, clock)
  of_period <- cells$of_period
  columns <- list(
    customer = ledger_ids(ledger, cells$code),
    period = frame$start[cells$row],
    purchases = cells$purchases,
    orders = cells$orders,
    sales = major(ledger, cells$sales),
    partial = frame$partial[cells$row],
    sales_of_customer = major(ledger, cells$of_customer[cells$code]),
    sales_of_period = major(ledger, of_period[cells$row]),
    share_of_period = ifelse(of_period[cells$row] > 0, cells$sales / of_period[cells$row], NA_real_)
  )
  columns <- reach(columns, at_least, c("purchases", "orders", "sales"))
  new_result(
    columns,
    "periods",
    ledger,
    rbind(carried(ledger), threshold_remark(at_least)),
    basis = list(clock = clock)
  )
}
