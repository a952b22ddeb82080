# Where customers belong, and where they went (definition 59).

#' The home store of each customer
#'
#' @param ledger `[nubrek_ledger]`
#' @param store `[character(1)]` A column of the lines that says where they were sold.
#' @param last `[integer(1)]` Only the purchases of the last so many days, such as 365. Default all.
#' @return A `nubrek_home`, one row per customer with a purchase (in that time), sorted by id:
#'   `customer`; `store`, where most purchases were made (of equally many that of the newest
#'   purchase); `purchases_there`, `purchases`, of all stores, `share_there`; `last_purchase`, the
#'   day of the newest one there. A purchase with lines of several stores counts in each.
#' @section Errors: `nubrek_error_attribute`: there is no such column.
#' @examples
#' home_store(example_ledger())
#' @export
home_store <- function(ledger, store = "channel", last = NULL) {
  check_ledger(ledger)
  check_whole(last, lower = 1L, null = TRUE)
  from <- if (is.null(last)) -Inf else as.integer(ledger$as_of) - last + 1
  visits <- store_visits(ledger, store)[day >= from]
  each <- visits[, .(purchases_there = .N, newest = max(day), late = max(order)),
    keyby = .(customer, place)
  ]
  all <- unique(visits[, .(customer, order)])[, .(purchases = .N), keyby = customer]
  data.table::setorderv(
    each, c("customer", "purchases_there", "newest", "late"), c(1L, -1L, -1L, -1L)
  )
  home <- each[!duplicated(customer)]
  home$purchases <- all$purchases[match(home$customer, all$customer)]
  new_result(
    list(
      customer = ledger_ids(ledger, home$customer),
      store = home$place,
      purchases_there = home$purchases_there,
      purchases = home$purchases,
      share_there = home$purchases_there / home$purchases,
      last_purchase = as.Date(home$newest, origin = "1970-01-01")
    ),
    "home",
    ledger,
    carried(ledger),
    basis = list(
      store = store, last = last, kinds = c(share_there = "share", last_purchase = "date")
    )
  )
}

# Each purchase in each store that it has lines of: `customer`, `day`, `place`, and `order`, one
# number for each purchase, later ones higher.
store_visits <- function(ledger, store, call = rlang::caller_env()) {
  check_line_column(store, ledger, call)
  visits <- lines_by(ledger, store, call)[!is.na(customer)]
  visits <- unique(visits[, setdiff(names(visits), "units"), with = FALSE])
  if (ledger$meaning$purchase_unit != "day") return(visits[is_purchase(ledger, visits)])
  # a purchase is a day whose orders together are one
  orders <- unique(visits[, setdiff(names(visits), "place"), with = FALSE])
  days <- orders_together(orders, c("customer", "day"))
  days <- days[is_purchase(ledger, days)]
  last <- orders[, .(order = max(order)), keyby = .(customer, day)]
  days <- last[days, on = c("customer", "day")]
  unique(visits[, .(customer, day, place)][days, on = c("customer", "day"), nomatch = NULL])
}

# Every line with the label of a column under which it stands (`place`), its own money (`units`),
# and its order: `order`, `customer`, `day`, `sales` (and `free`).
lines_by <- function(ledger, column, call = rlang::caller_env()) {
  groups <- reduce_group_orders(ledger, column, call)
  orders <- as.data.table(
    ledger_rows(ledger, "orders", c("customer", "day", bought_columns(ledger)))
  )[match(groups$order, row)]
  data.table(
    place = groups$labels[[1L]][groups$code],
    units = groups$units,
    order = groups$order,
    orders[, setdiff(names(orders), "row"), with = FALSE]
  )
}

check_line_column <- function(name, ledger, call = rlang::caller_env()) {
  check_text(name, call = call)
  known <- line_columns(ledger)
  if (name %in% known) return(invisible(name))
  abort_nubrek(c(
    "There is no column {.field {name}} of the lines.",
    "x" = if (length(known) > 0L) "There are {.field {known}}." else "The ledger keeps none.",
    nearest_hint(name, known)
  ), "attribute", call = call)
}

#' Where the customers of a store have gone
#'
#' @param ledger `[nubrek_ledger]`
#' @param before,now `[character]` Two parts of time, such as `"2024"` and `"2025"`. The earlier one
#'   ends on the same day of its year where the later one is not over.
#' @param store `[character(1)]` A column of the lines that says where they were sold.
#' @return A `nubrek_stores`, one row per store, the largest loss first: `store`; `active_before`,
#'   `active_now`, customers with a purchase there; `stayed`, in both times; of those lost
#'   `elsewhere`, who bought in another store now, and `gone`, who bought nowhere; of those new to
#'   the store `from_elsewhere`, who bought in another store before, and `new`, who did not;
#'   `kept`, the share that stayed, with `lower` and `upper` (95 %, Wilson); `to`, the store most of
#'   those elsewhere went to. `active_before = stayed + elsewhere + gone`, `active_now = stayed +
#'   from_elsewhere + new`. [rows_behind()] has the orders of a store's customers.
#' @examples
#' store_losses(
#'   example_ledger(), c("2024-01-01", "2024-06-30"), c("2024-07-01", "2024-12-31")
#' )
#' @export
store_losses <- function(ledger, before, now, store = "channel") {
  check_ledger(ledger)
  later <- read_during(now, ledger, "now")
  then <- earlier_span(before, later, ledger)
  visits <- store_visits(ledger, store)
  inside <- \(span) {
    here <- visits[day >= as.integer(span$from) & day <= as.integer(span$until)]
    unique(here[, .(customer, place)])[order(customer, place)]
  }
  a <- inside(then)
  b <- inside(later)
  stores <- sort(unique(c(a$place, b$place)), method = "radix")
  rows <- lapply(stores, \(one) {
    was <- a$customer[a$place == one]
    is <- b$customer[b$place == one]
    lost <- setdiff(was, is)
    moved <- intersect(lost, b$customer)
    won <- setdiff(is, was)
    known <- intersect(won, a$customer)
    to <- b[customer %in% moved, .N, keyby = place]
    list(
      store = one, active_before = length(was), active_now = length(is),
      stayed = length(intersect(was, is)), elsewhere = length(moved),
      gone = length(lost) - length(moved), from_elsewhere = length(known),
      new = length(won) - length(known),
      to = if (nrow(to) > 0L) to$place[[which.max(to$N)]] else NA_character_
    )
  })
  rows <- rbindlist(rows)
  if (nrow(rows) == 0L) abort_nubrek("Nobody bought in either time.", "no_purchases")
  data.table::setorderv(rows, c("gone", "store"), c(-1L, 1L))
  kept <- share_interval(rows$stayed, rows$active_before)
  new_result(
    c(
      as.list(rows)[setdiff(names(rows), "to")],
      list(kept = kept$rate, lower = kept$lower, upper = kept$upper, to = rows$to)
    ),
    "stores",
    ledger,
    carried(ledger),
    basis = list(
      store = store, before = c(then$from, then$until), now = c(later$from, later$until),
      kinds = c(kept = "share", new = "count", active_before = "count")
    ),
    who = list(before = a, now = b)
  )
}
