# Reductions: the only code that knows where the data live. Here, a pass in C++ over sorted runs in memory.

# Per customer code: purchases, orders, purchase_days, first, last (days), sales, sales_purchases, sales_first and, where it is
# known, cost (minor units).
reduce_customers <- function(ledger) {
  m <- data.table::setDT(cpp_customer_measures(ledger$orders, ledger$purchases, n_customers(ledger)))
  if (is.null(ledger$orders$cost)) return(m)
  m[, cost := cpp_group_sums(ledger$orders$cost, ledger$orders$customer, 0L, n_customers(ledger))$sums][]
}

# The first purchase day in the data per customer code, alone.
reduce_first <- function(ledger) cpp_first_days(ledger$purchases, n_customers(ledger))

# Purchases per customer code, alone.
reduce_counts <- function(ledger) tabulate(ledger$purchases$customer, n_customers(ledger))
