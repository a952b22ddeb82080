# The orders behind steps, companions, first goods, events, returns, discounts, and the
# list of those due.

# The first two purchases of those who went from the one to the other.
#' @export
rows_behind.nubrek_steps <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  found <- first_and_second(ledger, basis_of(result, "by"), basis_of(result, "basket"))
  pairs <- step_pairs(found)
  keep <- row_keys(list(found$labels[pairs$a], found$labels[pairs$b])) %in%
    row_keys(picked[c("first", "second")])
  orders_of_purchases(ledger, found$purchases[customer %in% pairs$customer[keep]])
}

# The purchases that hold both.
#' @export
rows_behind.nubrek_companions <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  found <- labels_held(ledger, basis_of(result, "by"), FALSE)
  pairs <- companion_pairs(found)
  keep <- row_keys(list(found$labels[pairs$a], found$labels[pairs$b])) %in%
    row_keys(picked[c("item", "with")])
  orders_of_purchases(ledger, found$purchases[purchase %in% pairs$purchase[keep]])
}

# All orders of those who began with it.
#' @export
rows_behind.nubrek_first_products <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  found <- first_and_second(ledger, basis_of(result, "by"), basis_of(result, "basket"))
  first <- labels_of_purchase(found, 1L)
  orders_of(ledger, unique(first$customer[found$labels[first$label] %in% picked$first]))
}

# The orders of those on the list.
#' @export
rows_behind.nubrek_due <- function(result, ledger, ...) {
  check_ledger(ledger)
  orders_of(ledger, ledger_codes(ledger, pick_rows(result, ...)$customer))
}

# A purchase that is a day may hold several orders.
orders_of_purchases <- function(ledger, purchases) {
  rows <- as.data.table(ledger_rows(
    ledger, "orders", c("customer", "day"), unique(purchases$customer)
  ))
  if (ledger$meaning$purchase_unit == "day") {
    keep <- row_keys(rows[, .(customer, day)]) %in% row_keys(purchases[, .(customer, day)])
    return(order_rows(ledger, rows$row[keep]))
  }
  order_rows(ledger, sort(purchases$purchase))
}

# The orders of the days of each event.
#' @export
rows_behind.nubrek_event_sales <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  rows <- lapply(seq_len(nrow(picked)), \(i) {
    ledger_rows(ledger, "orders", "day", from = picked$from[[i]], until = picked$until[[i]])$row
  })
  order_rows(ledger, sort(unique(unlist(rows))))
}

# All orders of those who were won there.
#' @export
rows_behind.nubrek_event_cohorts <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  w <- reduce_waits(ledger, 2L)
  events <- known_events(ledger)
  who <- lapply(seq_len(nrow(picked)), \(i) {
    group <- won_where(events, picked$event[[i]], w$first)
    w$code[which(group == match(
      picked$won[[i]], won_words(events, picked$event[[i]])
    ))]
  })
  orders_of(ledger, sort(unique(unlist(who))))
}

#' @export
rows_behind.nubrek_returns <- rows_behind.nubrek_due

# The orders of the groups.
#' @export
rows_behind.nubrek_returns_by <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  groups <- reduce_group_orders(ledger, basis_of(result, "attribute"))
  wanted <- groups$labels[[1L]] %in% picked[[basis_of(result, "by")]]
  order_rows(ledger, sort(unique(groups$order[wanted[groups$code]])))
}

# All orders of those who began at such a discount.
#' @export
rows_behind.nubrek_discounts <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  breaks <- basis_of(result, "breaks")
  w <- reduce_waits(ledger, 2L)
  group <- findInterval(reduce_discounts(ledger, breaks[[1L]])$first_share[w$code], breaks) + 1L
  orders_of(ledger, w$code[which(discount_words(breaks)[group] %in% picked$first_discount)])
}

# The orders with lines of the store in the periods.
#' @export
rows_behind.nubrek_store_clock <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  groups <- reduce_group_orders(ledger, basis_of(result, "store"))
  orders <- ledger_rows(ledger, "orders", "day")
  frame <- period_frame(ledger, basis_of(result, "clock"))
  start <- frame$start[period_row(frame, orders$day[match(groups$order, orders$row)])]
  here <- row_keys(list(groups$labels[[1L]][groups$code], start)) %in%
    row_keys(picked[c("store", "period")])
  order_rows(ledger, sort(unique(groups$order[here])))
}
