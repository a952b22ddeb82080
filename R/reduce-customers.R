# Reductions: the only code that knows where the rows of a ledger live. Each is a generic on the
# ledger's store; here the store is memory, and a reduction is a pass in C++ over sorted runs. What
# comes out is small and the same for every store. Codes number the customers from 1, in the order
# of their ids; money is in whole minor units, days are counted from 1970.

# Per customer code: purchases, orders, purchase_days, first, last (days), sales, sales_purchases,
# sales_first and, where it is known, cost.
reduce_customers <- function(ledger) UseMethod("reduce_customers")

#' @export
reduce_customers.nubrek_memory <- function(ledger) {
  n <- n_customers(ledger)
  m <- data.table::setDT(cpp_customer_measures(ledger$orders, ledger$purchases, n))
  if (is.null(ledger$orders$cost)) return(m)
  m[, cost := cpp_group_sums(ledger$orders$cost, ledger$orders$customer, 0L, n)$sums][]
}

# The first purchase day in the data per customer code; missing for who made none.
reduce_first <- function(ledger) UseMethod("reduce_first")

#' @export
reduce_first.nubrek_memory <- function(ledger) cpp_first_days(ledger$purchases, n_customers(ledger))

# Purchases per customer code, all or from a day on.
reduce_counts <- function(ledger, from = NULL) UseMethod("reduce_counts")

#' @export
reduce_counts.nubrek_memory <- function(ledger, from = NULL) {
  customer <- ledger$purchases$customer
  if (!is.null(from)) customer <- customer[ledger$purchases$day >= as.integer(from)]
  tabulate(customer, n_customers(ledger))
}

# Per customer code: `net`, all sales; `gross`, those of days with a purchase; `margin` by a rate
# (see `order_margin()`), with `digits` further decimals, and `words`; NULL where none is known.
reduce_money <- function(ledger, margin = NULL, call = rlang::caller_env()) {
  UseMethod("reduce_money")
}

#' @export
reduce_money.nubrek_memory <- function(ledger, margin = NULL, call = rlang::caller_env()) {
  sum_by <- \(x, customer) cpp_group_sums(as.double(x), customer, 0L, n_customers(ledger))$sums
  known <- order_margin(ledger, margin, call)
  list(
    net = sum_by(ledger$orders$sales, ledger$orders$customer),
    gross = sum_by(ledger$days$sales, ledger$days$customer),
    margin = if (!is.null(known)) sum_by(known$units, ledger$orders$customer),
    digits = known$digits,
    words = known$words
  )
}

# How many orders and purchases there are, without looking at any.
reduce_size <- function(ledger) UseMethod("reduce_size")

#' @export
reduce_size.nubrek_memory <- function(ledger) {
  list(orders = length(ledger$orders$sales), purchases = length(ledger$purchases$sales))
}

# Of the whole ledger: number of orders and purchases, net sales, and sales of purchase days.
reduce_totals <- function(ledger) UseMethod("reduce_totals")

#' @export
reduce_totals.nubrek_memory <- function(ledger) {
  c(reduce_size(ledger), list(
    sales = sum(ledger$orders$sales), sales_gross = sum(ledger$days$sales)
  ))
}

# Net sales between days, for each pair of a first and a last one.
reduce_sales_between <- function(ledger, from, to) UseMethod("reduce_sales_between")

#' @export
reduce_sales_between.nubrek_memory <- function(ledger, from, to) {
  sorting <- order(ledger$orders$day)
  running <- c(0, cumsum(as.double(ledger$orders$sales[sorting])))
  sorted <- ledger$orders$day[sorting]
  running[findInterval(as.integer(to), sorted) + 1L] -
    running[findInterval(as.integer(from) - 1L, sorted) + 1L]
}

# Share of the sales of purchases that is left after returns.
kept_share <- function(ledger) {
  total <- reduce_totals(ledger)
  total$sales / total$sales_gross
}

# Measures of purchases need somebody who made one.
check_purchases <- function(ledger, call = rlang::caller_env()) {
  total <- reduce_size(ledger)
  if (total$purchases == 0L) {
    abort_nubrek(c(
      "Nobody in this ledger has made a purchase.",
      "x" = "{total$orders} order{?s} {?has/have} no net sales above 0.",
      "i" = "{.fn audit} tells what was read."
    ), "no_purchases", call = call)
  }
}
