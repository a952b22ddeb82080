#' One row per customer
#'
#' @param ledger `[nubrek_ledger]`
#' @param everybody `[logical(1)]` Also those who stand only in the customer table? Default `FALSE`: customers with an order,
#'   purchases or not, so that `sales` adds up to the ledger.
#' @return A `nubrek_customers`, one row per customer, sorted by id: `customer` `[character]`; `purchases`, `orders`,
#'   `purchase_days` `[integer]`; `first`, `last` `[Date]`, days of the first and last purchase, missing without one; `sales`
#'   `[double]`, net, in major units; `mean_sales`, net sales by purchases; `mean_purchase_sales`, mean of the purchases
#'   alone; `margin`, sales less cost, where cost is known; `open_gap` `[integer]`, days from the last purchase to the as-of day; then the customers' attributes and, as
#'   `first_...`, those of the largest line of the first purchase.
#'   Invariant: `sum(sales)` is the ledger's total.
#' @examples
#' head(customers(example_ledger()))
#' @export
customers <- function(ledger, everybody = FALSE) {
  check_ledger(ledger)
  throw_unless(checkmate::check_flag(everybody), "everybody", rlang::current_env())
  m <- reduce_customers(ledger)
  bought <- m$purchases > 0L
  table <- list(customer = ledger$ids, purchases = m$purchases, orders = m$orders, purchase_days = m$purchase_days,
                first = as.Date(m$first, origin = "1970-01-01"), last = as.Date(m$last, origin = "1970-01-01"), sales = major(ledger, m$sales),
                mean_sales = ifelse(bought, major(ledger, m$sales) / m$purchases, NA_real_),
                mean_purchase_sales = ifelse(bought, major(ledger, m$sales_purchases) / m$purchases, NA_real_),
                margin = if (!is.null(m$cost)) major(ledger, m$sales - m$cost),
                open_gap = as.integer(ledger$as_of) - m$last)
  table <- Filter(Negate(is.null), table)
  extra <- known_attributes(ledger)
  table <- c(table, extra[setdiff(names(extra), names(table))])
  shown <- everybody | m$orders > 0L
  none <- sum(!bought)
  if (!all(shown)) table <- lapply(table, `[`, which(shown))
  new_result(table, "customers", ledger, if (none > 0L) remark_table("no purchase", sprintf(
    "%s without a purchase (only returns, or only in the customer table).", n_of(none, "customer"))))
}
