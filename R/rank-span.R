# Who is ranked, by what: the customers with a purchase in a part of time, and their measures in it.

customer_measures <- list(
  sales = \(m, unit, until) m$sales / unit,
  purchases = \(m, unit, until) m$purchases,
  orders = \(m, unit, until) m$orders,
  mean_sales = \(m, unit, until) m$sales / unit / m$purchases,
  recency = \(m, unit, until) until - m$last
)

spanned <- function(ledger, during, all = TRUE, call = rlang::caller_env()) {
  check_purchases(ledger, call)
  span <- read_during(during, ledger, call = call)
  m <- reduce_span(ledger, span, all)
  codes <- which(m$purchases > 0L)
  if (length(codes) == 0L) {
    abort_nubrek("Nobody has made a purchase in {.arg during}.", "no_purchases", call = call)
  }
  if (length(codes) < nrow(m)) m <- m[codes]
  unit <- 10^ledger$decimals
  list(
    codes = codes,
    m = m,
    span = span,
    ids = ledger_ids(ledger, codes),
    measure = \(name) customer_measures[[name]](m, unit, as.integer(span$until)),
    units = m$sales
  )
}

during_remark <- function(span, during) {
  if (is.null(during)) return(NULL)
  remark_table("during", say(
    "Counted from %s to %s (%s)%s.",
    format_day(span$from),
    format_day(span$until),
    n_of(days_of(span), "day"),
    if (span$whole) "" else ", as far as the data go"
  ))
}

days_of <- function(span) as.integer(span$until - span$from) + 1L

span_basis <- function(span, during) {
  list(days = days_of(span), during = if (!is.null(during)) c(span$from, span$until))
}

# Limits or tiers of a time of another length: said, because more days hold more purchases.
length_told <- function(span, earlier, what) {
  days <- c(days_of(span), basis_of(earlier, "days"))
  if (abs(days[[1L]] - days[[2L]]) > 3L) {
    remark_table("compared", say(
      "%s of %s, now held against %s: of unequal length.",
      what,
      n_of(days[[2L]], "day"),
      n_of(days[[1L]], "day")
    ))
  }
}
