#' One row per customer and period
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Period; default the ledger's.
#' @param at_least `[numeric]` Thresholds by column: `c(sales = 100)` keeps the rows that reach all of them.
#' @return A `nubrek_periods`, one row per customer and period with an order, by id and time: `customer`; `period` `[Date]`; `purchases`, `orders` `[integer]`; `sales`, net; `partial`;
#'   beside them the totals that a row is part of (before thresholds): `sales_of_customer`, `sales_of_period`, and `share_of_period`. Invariant: without thresholds `sales` adds up to the ledger.
#' @examples
#' customer_periods(example_ledger(), "quarter", at_least = c(purchases = 2))
#' @export
customer_periods <- function(ledger, clock = NULL, at_least = NULL) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  frame <- period_frame(ledger, clock)
  cells <- cpp_customer_periods(ledger$orders, ledger$purchases, frame$row_of_day, frame$first_day)
  of_customer <- cpp_group_sums(cells$sales, cells$customer, 0L, n_customers(ledger))$sums
  of_period <- cpp_group_sums(cells$sales, cells$row, 0L, length(frame$number))$sums
  columns <- list(customer = ledger$ids[cells$customer], period = frame$start[cells$row], purchases = cells$purchases, orders = cells$orders, sales = major(ledger, cells$sales),
                  partial = frame$partial[cells$row], sales_of_customer = major(ledger, of_customer[cells$customer]), sales_of_period = major(ledger, of_period[cells$row]),
                  share_of_period = ifelse(of_period[cells$row] > 0, cells$sales / of_period[cells$row], NA_real_))
  columns <- reach(columns, at_least, c("purchases", "orders", "sales"))
  new_result(columns, "periods", ledger, rbind(carried(ledger), threshold_remark(at_least)), basis = list(clock = clock))
}

# The rows of a list of columns that reach all thresholds.
reach <- function(columns, at_least, allowed, call = rlang::caller_env()) {
  if (is.null(at_least)) return(columns)
  ok <- checkmate::test_numeric(at_least, any.missing = FALSE, min.len = 1L) && checkmate::test_names(names(at_least), subset.of = allowed)
  if (!ok) {
    odd <- setdiff(names(at_least), c(allowed, ""))
    abort_nubrek(c("{.arg at_least} must be numbers with names of columns.",
                   "x" = if (length(odd) > 0L) "{.field {odd[[1]]}} is not known here.",
                   if (length(odd) > 0L) nearest_hint(odd[[1L]], allowed),
                   "i" = "Columns are {.field {allowed}}, as in {.code c({allowed[[1]]} = 2)}."), "argument", call = call)
  }
  keep <- which(Reduce(`&`, lapply(names(at_least), \(name) !is.na(columns[[name]]) & columns[[name]] >= at_least[[name]])))
  lapply(columns, `[`, keep)
}

threshold_words <- function(at_least) {
  paste("at least", vapply(at_least, number_text, ""), gsub("_", " ", names(at_least)), collapse = " and ")
}

threshold_remark <- function(at_least, totals = TRUE) {
  if (is.null(at_least)) return(NULL)
  remark_table("threshold", sprintf("Only rows with %s%s.", threshold_words(at_least), if (totals) "; totals beside them are of all" else ""))
}
