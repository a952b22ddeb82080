# For the proof of totals, counted again from the rows by another way than the cells.

# Customers with a purchase, those of them known from before, the customers active in each period of
# a frame, and the money of orders in periods in which their customer bought (`active`) or did not.
reduce_active <- function(ledger, frame) UseMethod("reduce_active")

#' @export
reduce_active.nubrek_ledger <- function(ledger, frame) {
  added_up(ledger, \(part, codes) {
    wide <- length(frame$number) + 1
    # rows are sorted, so equal pairs of customer and period stand together
    pairs_of <- function(rows) {
      period <- period_row(frame, rows$day)
      pair <- rows$customer * wide + period
      starts <- begins(pair)
      list(first = pair[starts], period = period[starts], starts = starts)
    }
    bought <- pairs_of(part$purchases)
    ordered <- pairs_of(part$orders)
    place <- findInterval(ordered$first, bought$first)
    busy <- place > 0L
    busy[busy] <- bought$first[place] == ordered$first[busy]
    here <- busy[cumsum(ordered$starts)]
    list(
      customers = sum(begins(part$purchases$customer)),
      known_before = length(intersect(known_before(part), part$purchases$customer)),
      per_period = tabulate(bought$period, length(frame$number)),
      active = sum(part$orders$sales[here]),
      idle = sum(part$orders$sales[!here])
    )
  })
}

# Where in sorted values another one begins.
begins <- function(x) if (length(x) == 0L) logical() else c(TRUE, x[-1L] != x[-length(x)])
