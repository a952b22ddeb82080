# For the proof of totals, counted again from the rows by another way than the cells.

# Customers with a purchase, those of them known from before, the customers active in each period of
# a frame, and the money of orders in periods in which their customer bought (`active`) or did not.
reduce_active <- function(ledger, frame) UseMethod("reduce_active")

#' @export
reduce_active.nubrek_ledger <- function(ledger, frame) {
  added_up(ledger, \(part, codes) {
    orders <- part$orders
    purchases <- part$purchases
    period <- c(period_row(frame, purchases$day), period_row(frame, orders$day))
    pairs <- cpp_number_pairs(c(purchases$customer, orders$customer), period, 0L)
    bought <- seq_along(period) <= length(purchases$day)
    busy <- logical(pairs$n)
    busy[pairs$unit[bought]] <- TRUE
    here <- busy[pairs$unit[!bought]]
    list(
      customers = uniqueN(purchases$customer),
      known_before = length(intersect(known_before(part), purchases$customer)),
      per_period = tabulate(
        period[bought][!duplicated(pairs$unit[bought])], length(frame$number)
      ),
      active = sum(orders$sales[here]),
      idle = sum(orders$sales[!here])
    )
  })
}
