#' Periods, as every argument `during`, `against`, `before`, `now` and `periods` reads them
#'
#' The same words stand in study files, on the command line and in rules. What a period came to is
#' printed with the result.
#'
#' @details
#'   * `2024`, `2024 Q2`, `2024 H1`, `2024-05`: a year, quarter, half or month of the calendar;
#'   * `2024-W05`: an ISO 8601 week, Monday to Sunday;
#'   * `FY 2024`, `FY 2024 Q1`, `FY 2024 H1`: of the fiscal year, which begins with the meaning
#'     `fiscal_start` and is named after the year it ends in;
#'   * `last 30 days`: so many days up to the as-of day;
#'   * `last 12 months`, `last quarter`, `last 4 weeks`, `last 2 years`: so many whole ones up to
#'     the last that is over;
#'   * `year to date`, `fiscal year to date`: from its first day to the as-of day;
#'   * `same period last year`, only as `against`: the same days a year earlier; 29 February is the
#'     28th;
#'   * two days, both included: `c("2024-01-15", "2024-03-31")`, in a study
#'     `[2024-01-15, 2024-03-31]`.
#'
#' @return Nothing: this page says how periods are written. A result has the days in its basis.
#' @section Errors: `nubrek_error_argument` for a period that is none, or outside of the data.
#' @name periods
#' @examples
#' repeat_rate(example_ledger(), during = "2024 H1")
#' sales_by(example_ledger(), "channel", during = "last 3 months")
NULL

# `during` as people say it (definition 66). NULL is all of the history.
read_during <- function(during, ledger, arg = "during", call = rlang::caller_env()) {
  from <- ledger$history_start
  until <- ledger$as_of
  if (is.null(during)) {
    return(list(from = from, until = until, whole = TRUE, asked = c(from, until)))
  }
  if (inherits(during, "Date") && length(during) == 2L) during <- format(during)
  text <- trim_text(if (is.numeric(during)) format(during) else as.character(during))
  found <- if (length(text) == 2L) {
    as.Date(text, format = "%Y-%m-%d", optional = TRUE)
  } else if (length(text) == 1L && !is.na(text)) {
    days_of_period(text, ledger)
  }
  if (is.null(found)) found <- as.Date(c(NA, NA))
  if (anyNA(found) || found[[1L]] > found[[2L]]) {
    abort_nubrek(c(
      "{.arg {arg}} must be a part of time.",
      "x" = "It is {.val {format(during)}}.",
      nearest_hint(tolower(text[[1L]]), rolling_words),
      "i" = paste0(
        'Such as "2024", "2024 Q2", "2024 H1", "2024-05", "2024-W05", "FY 2024", "FY 2024 Q1", ',
        '"last 12 months", "year to date" or c("2024-01-15", "2024-03-31").'
      )
    ), "argument", call = call)
  }
  if (found[[1L]] > until || found[[2L]] < from) {
    abort_nubrek(c(
      "{.arg {arg}} lies outside the data.",
      "x" = "The data go from {format(from)} to {format(until)}."
    ), "argument", call = call)
  }
  inside <- c(max(found[[1L]], from), min(found[[2L]], until))
  list(
    from = inside[[1L]],
    until = inside[[2L]],
    whole = inside[[1L]] == found[[1L]] && inside[[2L]] == found[[2L]],
    asked = found
  )
}

rolling_words <- c("year to date", "fiscal year to date", "last month", "last quarter", "last year")

# The first and the last day of a period of the calendar, of the fiscal year, or one that moves on;
# nothing for what is none.
days_of_period <- function(text, ledger) {
  word <- tolower(gsub(" +", " ", text))
  fiscal <- grepl("^fy ", word)
  clock_of <- function(name) {
    if (fiscal) ledger_clock(ledger, name) else structure(name, week_start = 0L)
  }
  periods <- \(number, name) {
    clock <- clock_of(name)
    c(period_start(number[[1L]], clock), period_end(number[[length(number)]], clock))
  }
  if (word %in% c("year to date", "fiscal year to date")) {
    fiscal <- startsWith(word, "fiscal")
    clock <- clock_of("year")
    return(c(period_start(period_number(ledger$as_of, clock), clock), ledger$as_of))
  }
  if (startsWith(word, "last ")) return(last_periods(sub("^last ", "", word), ledger))
  name <- sub("^fy ", "", word)
  year <- suppressWarnings(as.integer(substr(name, 1L, 4L)))
  if (is.na(year) || !grepl("^[12][0-9]{3}", name)) return(NULL)
  # a fiscal year is named after the year it ends in
  if (fiscal && fiscal_shift(clock_of("year")) > 0L) year <- year - 1L
  part <- sub("^....", "", name)
  n <- suppressWarnings(as.integer(gsub("[^0-9]", "", part)))
  if (part == "") return(periods(year, "year"))
  if (grepl("^[ -]?q[1-4]$", part)) return(periods(year * 4L + n - 1L, "quarter"))
  if (grepl("^[ -]?h[12]$", part)) {
    return(periods(year * 4L + 2L * (n - 1L) + 0:1, "quarter"))
  }
  if (!fiscal && grepl("^-(0[1-9]|1[0-2])$", part)) return(periods(year * 12L + n - 1L, "month"))
  if (!fiscal && grepl("^-w(0[1-9]|[1-4][0-9]|5[0-3])$", part)) {
    # the week of 4 January is the first (ISO 8601)
    week <- period_number(as.Date(sprintf("%d-01-04", year)), clock_of("week")) + n - 1L
    day <- periods(week, "week")
    return(if (format(day[[1L]], "%G-w%V") == name) day)
  }
  NULL
}

# "12 months", "quarter": so many whole units. Days end at the as-of day, others at the last unit
# that is over.
last_periods <- function(word, ledger) {
  if (!grepl("^([1-9][0-9]{0,3} )?(day|week|month|quarter|year)s?$", word)) return(NULL)
  n <- if (grepl("^[0-9]", word)) as.integer(sub(" .*", "", word)) else 1L
  unit <- sub("s$", "", sub(".* ", "", word))
  if (unit == "day") return(c(ledger$as_of - n + 1L, ledger$as_of))
  clock <- structure(unit, week_start = attr(ledger_clock(ledger, "week"), "week_start"))
  over <- period_number(ledger$as_of + 1L, clock) - 1L
  c(period_start(over - n + 1L, clock), period_end(over, clock))
}

# The ledger of a part of time: purchases before it still decide who is not new.
ledger_during <- function(ledger, during, call = rlang::caller_env()) {
  check_ledger(ledger, call = call)
  if (is.null(during)) return(ledger)
  span <- read_during(during, ledger, call = call)
  ledger_slice(ledger, from = span$from, until = span$until, first = "any")
}
