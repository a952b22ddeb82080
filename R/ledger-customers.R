#' One row per customer
#'
#' @param ledger `[nubrek_ledger]`
#' @param everybody `[logical(1)]` Also those who stand only in the customer table? Default `FALSE`:
#'   customers with an order, purchases or not, so that `sales` adds up to the ledger.
#' @param at_least `[numeric]` Thresholds by column: `c(purchases = 3, sales = 100)` keeps the
#'   customers that reach all of them.
#' @param within `[character]` Attributes that make groups: the totals of each customer's group
#'   stand beside the row (before thresholds), as `customers_of_group`, `sales_of_group` and
#'   `share_of_group`.
#' @return A `nubrek_customers`, one row per customer, sorted by id: `customer` `[character]`;
#'   `purchases`, `orders`, `purchase_days` `[integer]`; `first`, `last` `[Date]`, days of the first
#'   and last purchase, missing without one; `sales` `[double]`, net, in major units; `mean_sales`,
#'   net sales by purchases; `mean_purchase_sales`, mean of the purchases alone; `margin`, sales
#'   less cost, where cost is known; `open_gap` `[integer]`, days from the last purchase to the
#'   as-of day; then the customers' attributes and, as `first_...`, those of the largest line of the
#'   first purchase. Invariant: `sum(sales)` is the ledger's total.
#' @examples
#' head(customers(example_ledger()))
#' customers(example_ledger(), at_least = c(purchases = 3), within = "first_channel")
#' @export
customers <- function(ledger, everybody = FALSE, at_least = NULL, within = NULL) {
  check_ledger(ledger)
  throw_unless(checkmate::check_flag(everybody), "everybody", rlang::current_env())
  within <- meant_attributes(ledger, within)
  m <- reduce_customers(ledger)
  bought <- m$purchases > 0L
  rows <- list(
    customer = ledger$ids,
    purchases = m$purchases,
    orders = m$orders,
    purchase_days = m$purchase_days,
    first = as.Date(m$first, origin = "1970-01-01"),
    last = as.Date(m$last, origin = "1970-01-01"),
    sales = major(ledger, m$sales),
    mean_sales = ifelse(bought, major(ledger, m$sales) / m$purchases, NA_real_),
    mean_purchase_sales = ifelse(bought, major(ledger, m$sales_purchases) / m$purchases, NA_real_),
    margin = if (!is.null(m$cost)) major(ledger, m$sales - m$cost),
    open_gap = as.integer(ledger$as_of) - m$last
  )
  rows <- Filter(Negate(is.null), rows)
  extra <- known_attributes(ledger, shown_attributes(ledger))
  shown <- everybody | m$orders > 0L
  if (!is.null(within)) rows <- c(rows, group_totals(ledger, within, m$sales, bought))
  names(extra) <- group_names(names(extra), names(rows))
  rows <- c(rows, extra)
  none <- sum(!bought)
  if (!all(shown)) rows <- lapply(rows, `[`, which(shown))
  rows <- reach(rows, at_least, intersect(customer_columns, names(rows)))
  new_result(
    rows,
    "customers",
    ledger,
    rbind(
      if (none > 0L) {
        remark_table("no purchase", say(
          "%s without a purchase (only returns, or only in the customer table).",
          n_of(none, "customer")
        ))
      },
      threshold_remark(at_least, !is.null(within))
    )
  )
}

# Columns that thresholds can speak of.
customer_columns <- c(
  "purchases", "orders", "purchase_days", "sales", "mean_sales", "mean_purchase_sales", "margin",
  "open_gap"
)

# Customers with a purchase, and their sales, of the group that each customer belongs to.
group_totals <- function(ledger, within, units, bought) {
  throw_unless(
    checkmate::check_character(within, any.missing = FALSE, min.len = 1L),
    "within",
    rlang::caller_env()
  )
  group <- group_of(ledger, within)[, .GRP, by = within][group_of(ledger, within), on = within]$GRP
  sums <- cpp_group_sums(
    ifelse(bought, units, 0), ifelse(bought, group, NA_integer_), 0L, max(group)
  )
  list(
    customers_of_group = sums$rows[group],
    sales_of_group = major(ledger, sums$sums[group]),
    share_of_group = ifelse(sums$sums[group] > 0, units / sums$sums[group], NA_real_)
  )
}

# The rows of a list of columns that reach all thresholds.
reach <- function(columns, at_least, allowed, call = rlang::caller_env()) {
  if (is.null(at_least)) return(columns)
  ok <- checkmate::test_numeric(at_least, any.missing = FALSE, min.len = 1L) &&
    checkmate::test_names(names(at_least), subset.of = allowed)
  if (!ok) {
    odd <- setdiff(names(at_least), c(allowed, ""))
    abort_nubrek(c(
      "{.arg at_least} must be numbers with names of columns.",
      "x" = if (length(odd) > 0L) "{.field {odd[[1]]}} is not known here.",
      if (length(odd) > 0L) nearest_hint(odd[[1L]], allowed),
      "i" = "Columns are {.field {allowed}}, as in {.code c({allowed[[1]]} = 2)}."
    ), "argument", call = call)
  }
  keep <- which(Reduce(
    `&`,
    lapply(names(at_least), \(name) !is.na(columns[[name]]) & columns[[name]] >= at_least[[name]])
  ))
  lapply(columns, `[`, keep)
}

threshold_remark <- function(at_least, totals = TRUE) {
  if (is.null(at_least)) return(NULL)
  remark_table("threshold", say(
    "Only rows with %s%s.",
    threshold_words(at_least),
    if (totals) "; totals beside them are of all" else ""
  ))
}

threshold_words <- function(at_least) {
  paste(
    "at least",
    vapply(at_least, number_text, ""),
    gsub("_", " ", names(at_least)),
    collapse = " and "
  )
}
