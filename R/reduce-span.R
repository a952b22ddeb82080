# Per customer code over a part of time: purchases, sales (minor units), with `all` also orders,
# first and last purchase day.
reduce_span <- function(ledger, span, all = TRUE) UseMethod("reduce_span")

#' @export
reduce_span.nubrek_ledger <- function(ledger, span, all = TRUE) {
  by_customer(ledger, \(part, codes) {
    data.table::setDT(cpp_span_measures(
      part$orders,
      part$purchases,
      c(as.integer(span$from), as.integer(span$until)),
      n_customers(part),
      all,
      reading_threads()
    ))
  })
}
