#' One row per customer
#'
#' @param ledger `[nubrek_ledger]`
#' @param everybody `[logical(1)]` Also those who stand only in the customer table? Default `FALSE`: customers with an order,
#'   purchases or not, so that `sales` adds up to the ledger.
#' @return A `nubrek_customers`, one row per customer, sorted by id: `customer` `[character]`; `purchases`, `orders`,
#'   `purchase_days` `[integer]`; `first`, `last` `[Date]`, days of the first and last purchase, missing without one; `sales`
#'   `[double]`, net, in major units; `mean_sales`, net sales by purchases; `mean_purchase_sales`, mean of the purchases
#'   alone; `open_gap` `[integer]`, days from the last purchase to the as-of day; then the customers' attributes and, as
#'   `first_...`, those of the largest line of the first purchase.
#'   Invariant: `sum(sales)` is the ledger's total.
#' @examples
#' head(customers(example_ledger()))
#' @export
customers <- function(ledger, everybody = FALSE) {
  check_ledger(ledger)
  throw_unless(checkmate::check_flag(everybody), "everybody", rlang::current_env())
  m <- reduce_customers(ledger)
  bought <- m$purchases > 0L
  table <- list(customer = ledger$ids, purchases = m$purchases, orders = m$orders, purchase_days = m$purchase_days,
                first = as.Date(m$first, origin = "1970-01-01"), last = as.Date(m$last, origin = "1970-01-01"), sales = major(ledger, m$sales),
                mean_sales = ifelse(bought, major(ledger, m$sales) / m$purchases, NA_real_),
                mean_purchase_sales = ifelse(bought, major(ledger, m$sales_purchases) / m$purchases, NA_real_),
                open_gap = as.integer(ledger$as_of) - m$last)
  extra <- as.list(known_attributes(ledger))
  table <- c(table, extra[setdiff(names(extra), names(table))])
  shown <- everybody | m$orders > 0L
  none <- sum(!bought)
  new_result(lapply(table, `[`, shown), "customers", ledger, if (none > 0L) remark_table("no purchase", sprintf(
    "%s without a purchase (only returns, or only in the customer table).", n_of(none, "customer"))))
}

# Attributes by customer code: from the customer table, and `first_...` from the largest line of the first purchase.
known_attributes <- function(ledger) {
  lines <- ledger$lines
  names_of <- setdiff(names(lines), c("number", "sales", "return_of"))
  out <- as.list(ledger$attributes)
  if (length(names_of) > 0L) {
    place <- first_purchase_line(ledger)
    for (name in names_of) {
      value <- lines[[name]][place]
      value[!is.na(value) & value == ""] <- NA_character_
      out[[paste0("first_", name)]] <- value
    }
  }
  out
}

# For each customer the row in `lines` of the largest line of the first purchase (earliest of equals), or NA.
first_purchase_line <- function(ledger) {
  bought <- which(ledger$orders$sales > 0)
  first_order <- bought[!duplicated(ledger$orders$customer[bought])]
  lines <- ledger$lines
  mine <- which(lines$number %in% first_order)
  ranked <- mine[order(lines$number[mine], -lines$sales[mine], mine)]
  best <- ranked[!duplicated(lines$number[ranked])]
  place <- rep(NA_integer_, n_customers(ledger))
  place[ledger$orders$customer[lines$number[best]]] <- best
  place
}

# The groups of a breakdown, "(missing)" being one of its own.
group_of <- function(ledger, by, call = rlang::caller_env()) {
  known <- known_attributes(ledger)
  lacking <- setdiff(by, names(known))
  if (length(lacking) > 0L) {
    abort_nubrek(c("There is no customer attribute {.field {lacking[[1]]}}.", "x" = "There are {.field {names(known)}}.", nearest_hint(lacking[[1L]], names(known))),
                 "attribute", call = call)
  }
  groups <- lapply(known[by], \(x) ifelse(is.na(x), "(missing)", x))
  as.data.table(groups)
}
