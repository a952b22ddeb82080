# The orders behind ranks within a place.

# Within an attribute of the lines, the orders with a line of that place; else all of the customers.
#' @export
rows_behind.nubrek_ranks <- function(result, ledger, ...) {
  check_ledger(ledger)
  places <- basis_of(result, "places")
  if (is.null(places)) return(NextMethod())
  picked <- pick_rows(result, ...)
  groups <- reduce_group_orders(ledger, places)
  orders <- ledger_rows(ledger, "orders", c("customer", "day"))
  at <- match(groups$order, orders$row)
  labels <- row_keys(groups$labels)
  wanted <- paste(
    ledger_codes(ledger, picked$customer), row_keys(as.list(picked)[basis_of(result, "within")])
  )
  hit <- paste(orders$customer[at], labels[groups$code]) %in% wanted
  span <- basis_of(result, "during")
  if (!is.null(span)) hit <- hit & orders$day[at] >= span[[1L]] & orders$day[at] <= span[[2L]]
  order_rows(ledger, sort(unique(groups$order[hit])))
}
