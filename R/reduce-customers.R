# Reductions: the only code that knows where the rows of a ledger live. Each is a generic on the
# ledger's store; what stands for every store is a pass in C++ over the sorted rows of each part.
# What comes out is small and the same for every store. Codes number the customers from 1, in the
# order of their ids; money is in whole minor units, days are counted from 1970.

# Per customer code: purchases, orders, purchase_days, first, last (days), sales, sales_purchases,
# sales_first and, where it is known, cost.
reduce_customers <- function(ledger) UseMethod("reduce_customers")

#' @export
reduce_customers.nubrek_ledger <- function(ledger) {
  by_customer(ledger, \(part, codes) {
    n <- n_customers(part)
    m <- data.table::setDT(cpp_customer_measures(part$orders, part$purchases, n))
    if (is.null(part$orders$cost)) return(m)
    m[, cost := cpp_group_sums(part$orders$cost, part$orders$customer, 0L, n)$sums][]
  })
}

# The first purchase day in the data per customer code; missing for who made none.
reduce_first <- function(ledger) UseMethod("reduce_first")

#' @export
reduce_first.nubrek_ledger <- function(ledger) {
  by_customer(ledger, \(part, codes) cpp_first_days(part$purchases, n_customers(part)))
}

# Purchases per customer code, all or from a day on.
reduce_counts <- function(ledger, from = NULL) UseMethod("reduce_counts")

#' @export
reduce_counts.nubrek_ledger <- function(ledger, from = NULL) {
  by_customer(ledger, \(part, codes) {
    customer <- part$purchases$customer
    if (!is.null(from)) customer <- customer[part$purchases$day >= as.integer(from)]
    tabulate(customer, n_customers(part))
  })
}

# How many customers have made 1, 2, 3 ... purchases.
reduce_count_sizes <- function(ledger) UseMethod("reduce_count_sizes")

#' @export
reduce_count_sizes.nubrek_ledger <- function(ledger) tabulate(reduce_counts(ledger))

# Per customer code: `net`, all sales; `gross`, those of days with a purchase; `margin` by a rate
# (see `order_margin()`), with `digits` further decimals, and `words`; NULL where none is known.
reduce_money <- function(ledger, margin = NULL, call = rlang::caller_env()) {
  UseMethod("reduce_money")
}

#' @export
reduce_money.nubrek_ledger <- function(ledger, margin = NULL, call = rlang::caller_env()) {
  by_customer(ledger, \(part, codes) {
    sum_by <- \(x, customer) cpp_group_sums(as.double(x), customer, 0L, n_customers(part))$sums
    known <- order_margin(part, margin, call)
    list(
      net = sum_by(part$orders$sales, part$orders$customer),
      gross = sum_by(part$days$sales, part$days$customer),
      margin = if (!is.null(known)) sum_by(known$units, part$orders$customer),
      digits = known$digits,
      words = known$words
    )
  }, once = c("digits", "words"))
}

# How many orders and purchases there are, without looking at any.
reduce_size <- function(ledger) UseMethod("reduce_size")

#' @export
reduce_size.nubrek_ledger <- function(ledger) {
  added_up(ledger, \(part, codes) {
    list(orders = length(part$orders$sales), purchases = length(part$purchases$sales))
  })
}

# Of the whole ledger: number of orders and purchases, net sales, and sales of purchase days.
reduce_totals <- function(ledger) UseMethod("reduce_totals")

#' @export
reduce_totals.nubrek_ledger <- function(ledger) {
  added_up(ledger, \(part, codes) {
    list(
      orders = length(part$orders$sales),
      purchases = length(part$purchases$sales),
      sales = sum(part$orders$sales),
      sales_gross = sum(part$days$sales)
    )
  })
}

# Sales and lines of a part of the ledger: orders, those before its start, lines.
reduce_sums <- function(ledger, what) UseMethod("reduce_sums")

#' @export
reduce_sums.nubrek_ledger <- function(ledger, what) {
  added_up(ledger, \(part, codes) {
    rows <- part[[what]]
    list(sales = sum(rows$sales), n_lines = sum(as.double(rows$n_lines)))
  })
}

# Net sales between days, for each pair of a first and a last one.
reduce_sales_between <- function(ledger, from, to) UseMethod("reduce_sales_between")

#' @export
reduce_sales_between.nubrek_ledger <- function(ledger, from, to) {
  added_up(ledger, \(part, codes) {
    sorting <- order(part$orders$day)
    running <- c(0, cumsum(as.double(part$orders$sales[sorting])))
    sorted <- part$orders$day[sorting]
    running[findInterval(as.integer(to), sorted) + 1L] -
      running[findInterval(as.integer(from) - 1L, sorted) + 1L]
  })
}

# Share of the sales of purchases that is left after returns.
kept_share <- function(ledger) {
  total <- reduce_totals(ledger)
  total$sales / total$sales_gross
}

# Measures of purchases need somebody who made one.
check_purchases <- function(ledger, call = rlang::caller_env()) {
  total <- reduce_size(ledger)
  if (total$purchases == 0L) {
    abort_nubrek(c(
      "Nobody in this ledger has made a purchase.",
      "x" = "{total$orders} order{?s} {?has/have} no net sales above 0.",
      "i" = "{.fn audit} tells what was read."
    ), "no_purchases", call = call)
  }
}

# Customers with orders and no purchase, and the day of the first.
reduce_never_paid <- function(ledger) UseMethod("reduce_never_paid")

#' @export
reduce_never_paid.nubrek_ledger <- function(ledger) {
  found <- each_part(ledger, \(part, codes) {
    orders <- part$orders
    never <- rep(TRUE, n_customers(part))
    never[orders$customer[is_purchase(part, orders)]] <- FALSE
    mine <- which(never[orders$customer])
    first <- mine[!duplicated(orders$customer[mine])] # orders stand by customer and time
    customer <- orders$customer[first]
    data.table(
      customer = if (is.null(codes)) customer else codes[customer], day = orders$day[first]
    )
  })
  rbindlist(found)[order(customer)]
}
