#' What audiences did over time, beside everybody
#'
#' @param ... `[nubrek_audience]` One or more.
#' @param ledger `[nubrek_ledger]` The whole ledger: also what came after the day they were chosen.
#' @param clock `[character(1)]` Period; default the ledger's.
#' @return A `nubrek_audience_periods`, one row per audience and period, and the same of everybody
#'   else (of one audience) or of all customers (of several): `who`; `period` `[Date]`; `customers`
#'   who bought in it, `purchases`, `sales`; `known`, those who had bought before it began; `back`,
#'   those of them who bought in it; `active_share`, back by known; `sales_per_customer`, sales to
#'   the known by known; `partial`. Invariant: one audience and everybody else add up to the ledger.
#' @examples
#' ledger <- example_ledger()
#' audience_periods(audience(ledger, purchases >= 2, name = "back"), ledger = ledger)
#' @export
audience_periods <- function(..., ledger, clock = NULL) {
  audiences <- list(...)
  check_ledger(ledger)
  all_ours <- length(audiences) > 0L && all(vapply(audiences, inherits, NA, "nubrek_audience"))
  if (!all_ours) abort_nubrek("Give one audience or more.", "argument")
  clock <- ledger_clock(ledger, clock)
  frame <- period_frame(ledger, clock)
  cells <- reduce_periods(ledger, clock)
  ids <- ledger_ids(ledger)
  inside <- lapply(audiences, \(one) ids %in% one$customer)
  called <- audience_names(audiences)
  if (length(inside) == 1L) {
    sets <- c(inside, list(!inside[[1L]]))
    called <- c(called, "everybody else")
  } else {
    sets <- c(inside, list(rep(TRUE, length(ids))))
    called <- c(called, "all customers")
  }
  # who bought before the history begins is known from the start
  first <- pmax(1L, findInterval(first_purchase_day(ledger), as.integer(frame$start)))
  rows <- Map(\(set, who) periods_of(ledger, cells, frame, first, set, who), sets, called)
  new_result(
    as.list(do.call(rbind, rows)),
    "audience_periods",
    ledger,
    carried(ledger),
    basis = list(clock = clock, names = called)
  )
}

# The periods of the customers of a set; `first` is the period of the first purchase.
periods_of <- function(ledger, cells, frame, first, set, who) {
  n <- length(frame$number)
  mine <- set[cells$code]
  again <- mine & cells$row > first[cells$code] & !is.na(first[cells$code])
  sum_of <- \(x, here) cpp_group_sums(as.double(x[here]), cells$row[here], 0L, n)$sums
  buyers <- \(here) tabulate(cells$row[here & cells$purchases > 0L], n)
  known <- c(0L, cumsum(tabulate(first[set], n))[-n])
  per <- \(x) ifelse(known > 0L, x / known, NA_real_)
  data.frame(
    who = who,
    period = frame$start,
    customers = buyers(mine),
    purchases = as.integer(sum_of(cells$purchases, mine)),
    sales = major(ledger, sum_of(cells$sales, mine)),
    known = known,
    back = buyers(again),
    active_share = per(buyers(again)),
    sales_per_customer = per(major(ledger, sum_of(cells$sales, again))),
    partial = frame$partial
  )
}
