# Days of one unit of time.
unit_days <- c(day = 1, week = 7, month = 365.25 / 12, year = 365.25)

#' What a purchase model needs to know of each customer
#'
#' Purchase days only: all positive orders of a day are one purchase.
#'
#' @param ledger `[nubrek_ledger]`
#' @param unit `[character(1)]` Unit of time: `"week"` (default), `"day"`, `"month"` or `"year"`. A scale, not a grouping.
#' @param until `[Date(1)]` Last day seen; default the ledger's as-of day.
#' @return A `nubrek_history`, one row per customer with a purchase until then, sorted by id: `customer`; `repeats`, purchase
#'   days after the first; `last`, time from the first to the last purchase (0 without repeats); `span`, time from the first
#'   purchase to `until`; `spend`, mean sales of a repeat purchase day in major units, missing without one.
#' @examples
#' purchase_history(example_ledger())
#' @export
purchase_history <- function(ledger, unit = "week", until = NULL) {
  check_ledger(ledger)
  check_choice(unit, names(unit_days))
  until <- check_day(until) %||% ledger$as_of
  seen <- ledger$days$day <= as.integer(until)
  days <- lapply(ledger$days, `[`, seen)
  if (length(days$day) == 0L) abort_nubrek("Nobody had bought by {format(until)}.", "unidentified")
  m <- cpp_customer_measures(list(customer = days$customer, sales = days$sales), days, n_customers(ledger))
  codes <- which(m$purchases > 0L)
  repeats <- m$purchases[codes] - 1L
  scale <- unit_days[[unit]]
  later <- m$sales_purchases[codes] - m$sales_first[codes]
  new_result(list(customer = ledger$ids[codes], repeats = repeats, last = (m$last[codes] - m$first[codes]) / scale,
                  span = (as.integer(until) - m$first[codes]) / scale, spend = ifelse(repeats > 0L, major(ledger, later) / repeats, NA_real_)),
             "history", ledger, basis = list(unit = unit, until = until))
}

# A history from a user's data frame: the columns that are there must make sense.
check_history <- function(x, columns = c("repeats", "last", "span"), call = rlang::caller_env()) {
  if (!is.data.frame(x)) abort_nubrek(c("Histories are a data frame.", "i" = "See {.fn purchase_history}."), "history", call = call)
  check_columns_exist(columns, names(x), "the history", call)
  for (name in columns) {
    v <- x[[name]]
    if (!is.numeric(v) || any(!is.finite(v)) || any(v < 0)) {
      abort_nubrek(c("{.field {name}} must hold finite numbers from 0 up.", "x" = "Row {which(!is.numeric(v) | !is.finite(v) | v < 0)[[1]]} does not."), "history", call = call)
    }
  }
  if (!"last" %in% columns) return(invisible(x))
  wrong <- list("{.field repeats} must be whole." = x$repeats != round(x$repeats), "{.field last} must not be after {.field span}." = x$last > x$span,
                "{.field last} must be 0 where there are no repeats." = x$repeats == 0 & x$last > 0)
  for (rule in names(wrong)) {
    bad <- which(wrong[[rule]])
    if (length(bad) > 0L) abort_nubrek(c(rule, "x" = "Row {bad[[1]]} breaks this, {length(bad)} in all."), "history", call = call)
  }
  invisible(x)
}

# The customers a model may learn from: those whose first purchase in the data is surely their first. Early ones may be
# older customers, whose history before the data is not seen; they are forecast, but not learned from.
learn_from <- function(ledger, history, until = ledger$as_of) {
  within <- usual_gap(ledger, "month", until = until)
  edge <- period_start(period_number(ledger$history_start, "month") + within, "month")
  first <- as.integer(until) - history$span * unit_days[[basis_of(history, "unit")]]
  young <- first >= as.integer(edge)
  enough <- sum(young) >= 100L && sum(history$repeats[young]) >= 100L
  list(rows = if (enough) young else rep(TRUE, length(young)),
       remarks = if (enough && !all(young)) remark_table("older customers", sprintf(
         "The models learn from the %s that came after the first %s; earlier ones may be older customers.",
         n_of(sum(young), "customer"), n_of(within, "month"))))
}
