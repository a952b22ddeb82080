# Calendar periods: a clock turns days into whole period numbers and back into the first day of the period.

# months of a month-based clock; NA for day and week
clocks <- c(day = NA, week = NA, month = 1L, quarter = 3L, year = 12L)

per_year <- function(clock) switch(clock, day = 365.25, week = 365.25 / 7, month = 12, quarter = 4, year = 1)

# Whole number of the period that holds each day; consecutive periods have consecutive numbers.
period_number <- function(day, clock) {
  day <- as.integer(day)
  if (clock == "day") return(day)
  if (clock == "week") return((day + 3L) %/% 7L)            # 1970-01-01 was a Thursday; ISO weeks start on Monday
  parts <- as.POSIXlt(as.Date(day, origin = "1970-01-01"))
  ((parts$year + 1900L) * 12L + parts$mon) %/% clocks[[clock]]
}

period_start <- function(number, clock) {
  if (clock == "day") return(as.Date(number, origin = "1970-01-01"))
  if (clock == "week") return(as.Date(number * 7L - 3L, origin = "1970-01-01"))
  month <- number * clocks[[clock]]
  as.Date(ISOdate(month %/% 12L, month %% 12L + 1L, 1L, tz = "UTC"))
}

period_end <- function(number, clock) period_start(number + 1L, clock) - 1L

# The periods from the history's start to the as-of day, with a table that turns any of its days into a row.
period_frame <- function(ledger, clock) {
  from <- period_number(ledger$history_start, clock)
  to <- period_number(ledger$as_of, clock)
  number <- seq.int(from, to)
  days <- seq.int(as.integer(ledger$history_start), as.integer(ledger$as_of))
  start <- period_start(number, clock)
  list(clock = clock, number = number, start = start, first_day = days[[1L]], row_of_day = period_number(days, clock) - from + 1L,
       partial = start < ledger$history_start | period_end(number, clock) > ledger$as_of)
}

period_row <- function(frame, day) frame$row_of_day[as.integer(day) - frame$first_day + 1L]

# How people write a period.
period_label <- function(start, clock) {
  switch(clock, day = format(start), week = format(start, "%G-W%V"), month = format(start, "%Y-%m"),
         quarter = paste0(format(start, "%Y"), " Q", (as.POSIXlt(start)$mon %/% 3L) + 1L), year = format(start, "%Y"))
}
