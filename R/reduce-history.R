# Purchase histories until a day, for the models.

# Per customer with a purchase by then: `code`, `repeats`, `last` and `span` in units of `scale`
# days of business time (`index`, see `business_days()`), `later` (sales after the first purchase),
# and `log_spend`, `log_spread` of the later amounts. With `occasions` time is whole, and purchases
# in one unit are one. NULL where nobody had bought.
reduce_history <- function(ledger, until, scale, index = NULL, occasions = FALSE) {
  UseMethod("reduce_history")
}

#' @export
reduce_history.nubrek_ledger <- function(ledger, until, scale, index = NULL, occasions = FALSE) {
  by_row(ledger, \(part, codes) histories_of(part, until, scale, index, occasions))
}

histories_of <- function(ledger, until, scale, index, occasions) {
  everybody <- n_customers(ledger)
  days <- lapply(ledger$days, `[`, ledger$days$day <= as.integer(until))
  if (length(days$day) == 0L) return(NULL)
  first <- days$day[!duplicated(days$customer)][match(seq_len(everybody), unique(days$customer))]
  codes <- which(!is.na(first))
  start <- business_days(index, first)
  span <- (business_days(index, as.integer(until)) - start) / scale
  when <- (business_days(index, days$day) - start[days$customer]) / scale
  if (occasions) {
    span <- floor(span)
    when <- ceiling(when)
    days <- merge_occasions(days, when, when <= span[days$customer])
    when <- days$when
  }
  m <- cpp_customer_measures(
    list(customer = days$customer, sales = days$sales),
    list(customer = days$customer, sales = days$sales, day = seq_along(days$customer)),
    everybody
  )
  logs <- cpp_log_amounts(days$customer, days$sales, 10^ledger$decimals, everybody)
  list(
    code = codes,
    repeats = m$purchases[codes] - 1L,
    last = when[m$last[codes]],
    span = span[codes],
    later = m$sales_purchases[codes] - m$sales_first[codes],
    log_spend = logs$log_spend[codes],
    log_spread = logs$log_spread[codes]
  )
}

# Per customer code: purchase days after one day and until another, and their sales in minor units.
reduce_between <- function(ledger, after, until) UseMethod("reduce_between")

#' @export
reduce_between.nubrek_ledger <- function(ledger, after, until) {
  by_customer(ledger, \(part, codes) {
    days <- part$days
    inside <- which(days$day > as.integer(after) & days$day <= as.integer(until))
    found <- cpp_group_sums(
      as.double(days$sales[inside]), days$customer[inside], 0L, n_customers(part)
    )
    data.table(purchases = found$rows, sales = found$sums)
  })
}

# How many of the customers of some codes bought again on each day of the history, until a day.
reduce_repeat_days <- function(ledger, until, codes) UseMethod("reduce_repeat_days")

#' @export
reduce_repeat_days.nubrek_ledger <- function(ledger, until, codes) {
  start <- as.integer(ledger$history_start)
  span <- max(0L, as.integer(until) - start + 1L)
  chosen <- replace(logical(n_customers(ledger)), codes, TRUE)
  n <- added_up(ledger, \(part, mine) {
    here <- of_part(chosen, mine)
    first <- reduce_first(part)
    who <- part$days$customer
    day <- part$days$day
    tabulate(day[here[who] & day > first[who] & day <= as.integer(until)] - start + 1L, span)
  })
  list(day = start + seq_len(span) - 1L, n = n)
}

# How many of counted days are not after others.
counted_until <- function(counted, ends) {
  c(0L, cumsum(counted$n))[findInterval(ends, counted$day) + 1L]
}

# The days on which the occasions with a repeat purchase of customers (`code`) end, each `scale`
# days long from their first purchase on.
reduce_occasion_ends <- function(ledger, scale) UseMethod("reduce_occasion_ends")

#' @export
reduce_occasion_ends.nubrek_ledger <- function(ledger, scale) {
  by_row(ledger, \(part, codes) {
    first <- reduce_first(part)
    days <- merge_occasions(
      part$days,
      ceiling((part$days$day - first[part$days$customer]) / scale),
      seq_along(part$days$customer)
    )
    again <- which(days$when > 0)
    code <- days$customer[again]
    list(code = code, day = first[code] + days$when[again] * scale)
  })
}

# Purchases of one customer in one unit of time are one occasion, at its number; the first purchase
# stands alone at 0.
merge_occasions <- function(days, when, inside) {
  customer <- days$customer[inside]
  when <- when[inside]
  starts <- c(TRUE, diff(customer) != 0L | diff(when) != 0)
  list(customer = customer[starts], when = when[starts], sales = as.double(rowsum(
    days$sales[inside], cumsum(starts), reorder = FALSE
  )))
}

# Business time at the end of each day, counted from 1970: every day as long as its month's index.
# Without a season days are days.
business_days <- function(index, day) {
  if (is.null(index)) return(day)
  day <- as.integer(day)
  from <- min(0L, day, na.rm = TRUE)
  run <- cumsum(index[months_of_days(from, max(0L, day, na.rm = TRUE))])
  if (from < 0L) run <- run - run[[-from]]
  run[day - from + 1L]
}

months_of_days <- local({
  months_between <- \(from, to) as.POSIXlt(as.Date(from:to, origin = "1970-01-01"))$mon + 1L
  kept <- NULL
  function(from, to) {
    if (from < 0L || to > 30000L) return(months_between(from, to))
    kept <<- kept %||% months_between(0L, 30000L)
    kept[(from:to) + 1L]
  }
})
