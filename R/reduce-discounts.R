# What customers bought on discount.

# Per customer code, of orders that are purchases: `bought`, `off` (on a discount of at least
# `least`), the share off the first one, `later` ones, `later_off`, and sales in the currency's
# smallest unit of the first, of later ones, and of everything.
reduce_discounts <- function(ledger, least) UseMethod("reduce_discounts")

#' @export
reduce_discounts.nubrek_ledger <- function(ledger, least) {
  as.data.table(by_customer(ledger, \(part, codes) {
    n <- n_customers(part)
    off <- cpp_group_sums(
      as.double(part$lines$.discount), part$lines$number, 0L, length(part$orders$sales)
    )$sums
    orders <- data.table(
      customer = part$orders$customer, sales = as.double(part$orders$sales),
      share = off / (part$orders$sales + off), bought = is_purchase(part, part$orders)
    )[!is.na(customer)]
    net <- cpp_group_sums(orders$sales, orders$customer, 0L, n)$sums
    bought <- orders[bought == TRUE]
    bought[, first := !duplicated(customer)]
    on <- !is.na(bought$share) & bought$share >= least
    count <- \(keep) tabulate(bought$customer[keep], n)
    money <- \(keep) cpp_group_sums(bought$sales[keep], bought$customer[keep], 0L, n)$sums
    first_share <- rep(NA_real_, n)
    first_share[bought$customer[bought$first]] <- bought$share[bought$first]
    list(
      first_share = first_share, bought = count(TRUE), off = count(on),
      later = count(!bought$first), later_off = count(!bought$first & on),
      first_sales = money(bought$first), later_sales = money(!bought$first), net = net
    )
  }))
}
