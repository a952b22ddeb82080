# The stores on the clock: what each sold when, which opened and which closed.

#' Stores by period, openings and closings
#'
#' A store counts as opened in the data where its first sale lies more than four weeks behind their
#' start, and as closed where it has sold nothing for more than a week; both only where that is more
#' than twice the longest pause that it ever made.
#'
#' @param ledger `[nubrek_ledger]`
#' @param store `[character(1)]` A column of the lines that says where they were sold.
#' @param clock `[character(1)]` Period; default the ledger's.
#' @return A `nubrek_store_clock`, one row per store and period from its first sale to its last, the
#'   stores in the order of their sales: `store`; `period` `[Date]`; `customers`, `purchases` (with
#'   lines of the store), `sales`, net; `share` of all sales of the period. In its basis `stores`,
#'   a row per store with its `first` and `last` day of sales, `opened` and `closed`. Invariant:
#'   sales add up to those of the ledger.
#' @examples
#' store_clock(example_ledger(), clock = "quarter")
#' @export
store_clock <- function(ledger, store = "channel", clock = NULL) {
  check_ledger(ledger)
  check_purchases(ledger)
  clock <- ledger_clock(ledger, clock)
  frame <- period_frame(ledger, clock)
  lines <- store_lines(ledger, store)
  visits <- store_visits(ledger, store)
  sums <- lines[, .(units = sum(units)), keyby = .(place, row = period_row(frame, day))]
  bought <- visits[, .(
    customers = data.table::uniqueN(customer), purchases = data.table::uniqueN(order)
  ), keyby = .(place, row = period_row(frame, day))]
  stores <- store_spans(lines, ledger)
  cells <- stores[, .(row = seq.int(period_row(frame, first), period_row(frame, last))),
    keyby = place
  ]
  cells <- bought[sums[cells, on = c("place", "row")], on = c("place", "row")]
  for (name in c("units", "customers", "purchases")) {
    data.table::set(cells, which(is.na(cells[[name]])), name, 0L)
  }
  cells <- cells[order(match(place, stores$place), row)]
  all <- cells[, .(all = sum(units)), keyby = row]
  all <- all$all[match(cells$row, all$row)]
  new_result(
    list(
      store = cells$place,
      period = frame$start[cells$row],
      customers = as.integer(cells$customers),
      purchases = as.integer(cells$purchases),
      sales = major(ledger, cells$units),
      share = ifelse(all > 0, cells$units / all, NA_real_)
    ),
    "store_clock",
    ledger,
    carried(ledger),
    basis = list(store = store, clock = clock, stores = data.frame(
      store = stores$place, first = date_of_number(stores$first),
      last = date_of_number(stores$last), opened = stores$opened, closed = stores$closed
    ))
  )
}

# Minor units of each store and day.
store_lines <- function(ledger, store, call = rlang::caller_env()) {
  check_line_column(store, ledger, call)
  lines_by(ledger, store, call)[, .(units = sum(units), sold = any(units > 0)),
    keyby = .(place, day)
  ]
}

# The days of the first and last sale (or return, where there is no sale), the largest stores first.
store_spans <- function(lines, ledger) {
  spans <- lines[, {
    sold_on <- if (any(sold)) day[sold] else day
    .(
      first = min(day), last = max(day), last_sale = max(sold_on), begun = min(sold_on),
      pause = if (length(sold_on) > 1L) max(diff(sold_on)) else 0L, units = sum(units)
    )
  }, keyby = place]
  silent <- as.integer(ledger$as_of) - spans$last_sale
  before <- spans$begun - as.integer(ledger$history_start)
  spans[, opened := before > 28L & before > 2L * pause]
  spans[, closed := silent > 7L & silent > 2L * pause]
  spans[order(-units, place)]
}
