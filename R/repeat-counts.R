#' How many customers have 1, 2, 3 ... purchases
#'
#' @param ledger `[nubrek_ledger]`
#' @param fold_from `[integer(1)]` Put all customers with this many purchases or more into one last
#'   row; default none, the full distribution.
#' @param during `[character]` A part of time, as in [repeat_rate()].
#' @return A `nubrek_counts`, one row per number of purchases that occurs, ascending: `purchases`,
#'   `customers`, `share` of all customers with a purchase, `cumulative_share`. A folded last row
#'   has the attribute `folded`. Invariant: `sum(customers)` is the number of customers with a
#'   purchase.
#' @examples
#' order_counts(example_ledger())
#' @export
order_counts <- function(ledger, fold_from = NULL, during = NULL) {
  ledger <- ledger_during(ledger, during)
  check_whole(fold_from, lower = 2L, null = TRUE)
  number <- reduce_count_sizes(ledger)
  if (sum(number) == 0L) check_purchases(ledger)
  k <- which(number > 0L)
  n <- number[k]
  if (!is.null(fold_from) && any(k >= fold_from)) {
    tail <- k >= fold_from
    n <- c(n[!tail], sum(n[tail]))
    k <- c(k[!tail], as.integer(fold_from))
  } else {
    fold_from <- NULL
  }
  new_result(list(
    purchases = k, customers = n, share = n / sum(n), cumulative_share = cumsum(n) / sum(n)
  ), "counts", ledger, carried(ledger), list(folded = fold_from), folded = fold_from)
}
