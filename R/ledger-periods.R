# Calendar periods: a clock turns days into whole period numbers and back into the first day of the
# period. A clock is its name, with the week's first day (0 = Monday) and the fiscal year's first
# month in its attributes.

# months of a month-based clock; NA for day and week
clocks <- c(day = NA, week = NA, month = 1L, quarter = 3L, year = 12L)

ledger_clock <- function(ledger, clock = NULL, call = rlang::caller_env()) {
  clock <- clock %||% ledger$meaning$clock
  check_choice(clock, names(clocks), call = call)
  structure(
    clock,
    week_start = match(ledger$meaning$week_start, meaning_choices$week_start) - 1L,
    fiscal_start = as.integer(ledger$meaning$fiscal_start)
  )
}

# Whole number of the period that holds each day; consecutive periods have consecutive numbers.
period_number <- function(day, clock) {
  day <- as.integer(day)
  if (length(day) > 100000L && !all(is.na(day))) { # many days are few different ones
    ends <- range(day, na.rm = TRUE)
    if (diff(ends) + 1 < length(day)) {
      return(period_number(seq.int(ends[[1L]], ends[[2L]]), clock)[day - ends[[1L]] + 1L])
    }
  }
  if (clock == "day") return(day)
  # 1970-01-01 was a Thursday
  if (clock == "week") return((day + 3L - (attr(clock, "week_start") %||% 0L)) %/% 7L)
  parts <- as.POSIXlt(as.Date(day, origin = "1970-01-01"))
  ((parts$year + 1900L) * 12L + parts$mon - fiscal_shift(clock)) %/% clocks[[clock]]
}

fiscal_shift <- function(clock) {
  if (clock == "month") {
    0L
  } else {
    (attr(clock, "fiscal_start") %||% 1L) - 1L
  }
}

period_start <- function(number, clock) {
  if (clock == "day") return(as.Date(number, origin = "1970-01-01"))
  if (clock == "week") {
    return(as.Date(number * 7L - 3L + (attr(clock, "week_start") %||% 0L), origin = "1970-01-01"))
  }
  first_of_month(number * clocks[[clock]] + fiscal_shift(clock))
}

# The first days of months counted from January of the year 0: years begin in March, so that the odd
# day of a leap year is their last; 400 years have 146,097 days.
first_of_month <- function(month) {
  from_march <- month - 2L
  year <- from_march %/% 12L
  day_of_year <- (153L * (from_march %% 12L) + 2L) %/% 5L
  in_400 <- year %% 400L
  days <- 365L * in_400 + in_400 %/% 4L - in_400 %/% 100L + day_of_year
  # 1 March of the year 0 is 719,468 days before 1970
  structure(as.double(146097L * (year %/% 400L) + days - 719468L), class = "Date")
}

period_end <- function(number, clock) period_start(number + 1L, clock) - 1L

# The periods from the history's start to the as-of day, with a table that turns any of its days
# into a row.
period_frame <- function(ledger, clock) {
  from <- period_number(ledger$history_start, clock)
  to <- period_number(ledger$as_of, clock)
  number <- seq.int(from, to)
  days <- seq.int(as.integer(ledger$history_start), as.integer(ledger$as_of))
  start <- period_start(number, clock)
  list(
    clock = clock,
    number = number,
    start = start,
    first_day = days[[1L]],
    row_of_day = period_number(days, clock) - from + 1L,
    partial = start < ledger$history_start | period_end(number, clock) > ledger$as_of
  )
}

period_row <- function(frame, day) frame$row_of_day[as.integer(day) - frame$first_day + 1L]

# The label of the period that holds each day, missing where the day is.
label_of_day <- function(day, clock) {
  number <- period_number(day, clock)
  total <- sort(unique(number))
  if (length(total) == 0L) return(rep(NA_character_, length(day)))
  period_label(period_start(total, clock), clock)[match(number, total)]
}

# How people write a period. A fiscal year is named after the year it ends in.
period_label <- function(start, clock) {
  end <- as.POSIXlt(start)
  fiscal <- fiscal_shift(clock) > 0L && clock %in% c("quarter", "year")
  year <- end$year + 1900L + (fiscal & end$mon >= fiscal_shift(clock))
  quarter <- ((end$mon - fiscal_shift(clock)) %% 12L) %/% 3L + 1L
  mark <- if (fiscal) "FY " else ""
  switch(clock,
    day = format(start),
    week = if (identical(attr(clock, "week_start") %||% 0L, 0L)) {
      format(start, "%G-W%V")
    } else {
      paste("week of", format(start))
    },
    month = format(start, "%Y-%m"),
    quarter = paste0(mark, year, " Q", quarter),
    year = paste0(mark, year)
  )
}

# Periods of each clock in a year.
periods_a_year <- c(day = 365.25, week = 365.25 / 7, month = 12, quarter = 4, year = 1)
