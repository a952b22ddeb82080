# New, returning and reactivated customers (definitions 11 and 12).

# Per period of a clock: new, returning, reactivated (customers), and sales_new, sales_returning,
# sales_reactivated, sales_not_active. `lookback` in periods or days, endless if NULL; `lines`
# filters by line columns; with `any`, history means purchases of anything.
reduce_arrivals <- function(ledger, clock, lookback, unit, lines, any) UseMethod("reduce_arrivals")

#' @export
reduce_arrivals.nubrek_ledger <- function(ledger, clock, lookback, unit, lines, any) {
  frame <- period_frame(ledger, clock)
  back <- as.integer(lookback %||% -1L)
  added_up(ledger, \(part, codes) {
    inside <- if (length(lines) > 0L) slice_or_none(part, lines) else part
    # who is known from before the history is not new; the rest is not observed, so the first day
    # stands for it
    known <- rep(NA_integer_, n_customers(part))
    if (any || length(lines) == 0L) known[known_before(part)] <- as.integer(part$history_start)
    active <- inside$purchases[c("customer", "day")]
    cpp_arrivals(
      list(
        active = active,
        history = if (any) part$purchases[c("customer", "day")] else active,
        money = inside$orders
      ),
      known,
      list(row = frame$row_of_day, first = frame$first_day, number = length(frame$number)),
      if (unit == "days") c(-1L, back) else c(back, -1L)
    )
  })
}

# The same by look-up, for the orders behind a number: a row per customer code and period with a
# purchase (customer, row, day of the first purchase there, kind).
reduce_arrival_kinds <- function(ledger, clock, lookback, unit, lines, any) {
  UseMethod("reduce_arrival_kinds")
}

#' @export
reduce_arrival_kinds.nubrek_ledger <- function(ledger, clock, lookback, unit, lines, any) {
  frame <- period_frame(ledger, clock)
  by_row(
    ledger,
    \(part, codes) kinds_of_arrival(part, frame, lookback, unit, lines, any),
    code = "customer"
  )
}

kinds_of_arrival <- function(ledger, frame, lookback, unit, lines, any) {
  inside <- if (length(lines) > 0L) slice_or_none(ledger, lines) else ledger
  day <- inside$purchases$day
  active <- unique(data.table(
    customer = inside$purchases$customer, row = period_row(frame, day), day
  ), by = c("customer", "row"))
  history <- if (any) ledger$purchases else inside$purchases
  place <- findInterval(
    active$customer * 1e6 + as.integer(frame$start[active$row]) - 0.5,
    history$customer * 1e6 + history$day
  )
  last <- ifelse(
    place > 0L & history$customer[pmax(place, 1L)] == active$customer,
    history$day[pmax(place, 1L)],
    NA_integer_
  )
  if (any) {
    last[is.na(last) & active$customer %in% known_before(ledger)] <- as.integer(
      ledger$history_start
    )
  }
  near <- if (is.null(lookback)) {
    TRUE
  } else if (unit == "days") {
    active$day - last <= lookback
  } else {
    active$row - period_row(frame, last) <= lookback
  }
  active[, kind := ifelse(is.na(last), "new", ifelse(near, "returning", "reactivated"))][]
}

known_before <- function(ledger) which(ledger$known_first < as.integer(ledger$history_start))

# A slice by lines in the numbers of the whole ledger; empty where nothing is left.
slice_or_none <- function(ledger, lines) {
  check_columns_exist(names(lines), line_columns(ledger), "the lines")
  cut_ledger(ledger, lines, NULL, ledger$history_start, ledger$as_of)
}
