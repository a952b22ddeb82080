# Per customer code over a part of time: purchases, sales (minor units), with `all` also orders,
# first and last purchase day.
reduce_span <- function(ledger, span, all = TRUE) UseMethod("reduce_span")

#' @export
reduce_span.nubrek_memory <- function(ledger, span, all = TRUE) {
  data.table::setDT(cpp_span_measures(
    ledger$orders,
    ledger$purchases,
    c(as.integer(span$from), as.integer(span$until)),
    n_customers(ledger),
    all,
    reading_threads()
  ))
}
