# Reductions: the only code that knows where the data live. Here, a pass in C++ over sorted runs in memory.

# Per customer code: purchases, orders, purchase_days, first, last (days), sales, sales_purchases, sales_first and, where it is
# known, cost (minor units).
reduce_customers <- function(ledger) {
  m <- as.data.table(cpp_customer_measures(ledger$orders, ledger$purchases, n_customers(ledger)))
  if (is.null(ledger$orders$cost)) return(m)
  m[, cost := 0][ledger$orders$customer[!duplicated(ledger$orders$customer)], cost := rowsum(ledger$orders$cost, ledger$orders$customer)[, 1L]][]
}
