# Per customer code over a part of time: purchases, orders, first and last purchase day, sales (minor units).
reduce_span <- function(ledger, span) {
  data.table::setDT(cpp_span_measures(ledger$orders, ledger$purchases, as.integer(span$from), as.integer(span$until), n_customers(ledger)))
}
