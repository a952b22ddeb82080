# Reductions: the only code that knows where the data live. Here, a pass in C++ over sorted runs in memory.

# Per customer code: purchases, orders, purchase_days, first, last (days), sales, sales_purchases, sales_first (minor units).
reduce_customers <- function(ledger) {
  as.data.table(cpp_customer_measures(ledger$orders, ledger$purchases, n_customers(ledger)))
}
