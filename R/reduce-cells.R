# Cohort x place sums; a place is a calendar period or an age in the customer's own elapsed time.
# Cohorts are numbered from the earliest first purchase known, periods from the history's start,
# ages from the first purchase.

# First purchase day of every customer with a purchase in the history; an earlier one that is known
# comes first.
first_purchase_day <- function(ledger, first = reduce_first(ledger)) {
  if (all(is.na(ledger$known_first))) return(first)
  ifelse(is.na(first), NA_integer_, pmin(first, ledger$known_first, na.rm = TRUE))
}

# Matrices of cohorts (rows, within the groups of the attributes `by`) by places: customers,
# purchases, last (of each customer's last active place), sales and margin (sums, squares and more;
# `margin` is a rate for `order_margin()`); `labels` of the groups, `size`, `oldest` and `youngest`
# first day of each row, the row of each customer code.
reduce_cells <- function(
  ledger, clock, elapsed = FALSE, by = NULL, margin = NULL, call = rlang::caller_env()
) {
  UseMethod("reduce_cells")
}

#' @export
reduce_cells.nubrek_ledger <- function(
  ledger, clock, elapsed = FALSE, by = NULL, margin = NULL, call = rlang::caller_env()
) {
  groups <- if (!is.null(by)) side_by_side(ledger, by, call = call)
  group <- groups$code
  frame <- period_frame(ledger, clock)
  first <- reduce_first(ledger)
  start <- first_purchase_day(ledger, first)
  number <- period_number(start, clock)
  cohorts <- seq.int(
    min(number, frame$number[[1L]], na.rm = TRUE), frame$number[[length(frame$number)]]
  )
  n <- length(cohorts) * max(1L, length(levels(group)))
  line <- number - cohorts[[1L]] + 1L
  if (!is.null(group)) line <- line + (as.integer(group) - 1L) * length(cohorts)
  starts <- cpp_cohort_starts(start, line, n)
  place <- if (elapsed) {
    elapsed_place(
      clock,
      min(starts$oldest, as.integer(ledger$history_start), na.rm = TRUE),
      as.integer(ledger$as_of)
    )
  } else {
    list(kind = "calendar", row = frame$row_of_day, origin = frame$first_day)
  }
  places <- if (elapsed) {
    elapsed_age(min(starts$oldest, na.rm = TRUE), as.integer(ledger$as_of), clock) + 1L
  } else {
    length(frame$number)
  }
  sums <- sum_cells(ledger, list(
    start = start, first = first, cohort = line, place = place, n = n, places = places
  ), margin, call)
  list(
    customers = sums$customers,
    purchases = sums$purchases,
    last = sums$last,
    sales = sums$sales,
    margin = sums$margin,
    margin_digits = sums$digits,
    margin_words = sums$words,
    labels = groups$labels,
    size = tabulate(line, n),
    oldest = starts$oldest,
    youngest = starts$youngest,
    row = line,
    cohorts = cohorts,
    frame = frame
  )
}

# Sums over the cells of a `plan`: the start, the first purchase and the cohort of each customer,
# how the `place` of a day is told, how many cohorts (`n`) and `places` there are.
sum_cells <- function(ledger, plan, margin, call) UseMethod("sum_cells")

#' @export
sum_cells.nubrek_ledger <- function(ledger, plan, margin, call) {
  added_up(ledger, \(part, codes) {
    own <- lapply(plan[c("start", "first", "cohort")], of_part, codes)
    known <- order_margin(part, margin, call)
    active <- cpp_active_cells(
      part$purchases, plan$place, own$start, own$cohort, plan$n, plan$places
    )
    money <- \(units) cpp_money_cells(part$orders, units, plan$place, own, plan$n, plan$places)
    list(
      customers = active$customers,
      purchases = active$purchases,
      last = active$last,
      sales = money(part$orders$sales),
      margin = if (!is.null(known)) money(known$units),
      digits = known$digits,
      words = known$words
    )
  }, once = c("digits", "words"))
}

# What the passes need to know about elapsed ages, for the days from `origin` on.
elapsed_place <- function(clock, origin, until) {
  if (is.na(clocks[[clock]])) return(list(kind = "days", step = if (clock == "week") 7L else 1L))
  parts <- as.POSIXlt(as.Date(seq.int(origin, until), origin = "1970-01-01"))
  month <- parts$year * 12L + parts$mon
  list(
    kind = "months",
    month = month,
    day = parts$mday,
    last = month_length(month),
    origin = origin,
    step = clocks[[clock]]
  )
}

# Days of months counted from January 1900.
month_length <- function(month) {
  year <- month %/% 12L + 1900L
  leap <- year %% 4L == 0L & (year %% 100L != 0L | year %% 400L == 0L)
  c(31L, 28L, 31L, 30L, 31L, 30L, 31L, 31L, 30L, 31L, 30L, 31L)[month %% 12L + 1L] +
    (month %% 12L == 1L & leap)
}

# Whole periods between two days: months by anniversary (31 January + 1 month is the last of
# February), weeks of 7 days.
elapsed_age <- function(start, day, clock) {
  if (is.na(clocks[[clock]])) {
    return((as.integer(day) - as.integer(start)) %/% (if (clock == "week") 7L else 1L))
  }
  from <- as.POSIXlt(as.Date(start, origin = "1970-01-01"))
  to <- as.POSIXlt(as.Date(day, origin = "1970-01-01"))
  month <- to$year * 12L + to$mon
  (month - from$year * 12L - from$mon - (to$mday < pmin(from$mday, month_length(month)))) %/%
    clocks[[clock]]
}
