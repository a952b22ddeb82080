# Parts of time: a year, a quarter, a month, or two dates.

# `during` as people say it: "2024", "2024 Q2", "2024-05", or two days. NULL is all of the history.
read_during <- function(during, ledger, arg = "during", call = rlang::caller_env()) {
  from <- ledger$history_start
  until <- ledger$as_of
  if (is.null(during)) {
    return(list(from = from, until = until, whole = TRUE, asked = c(from, until)))
  }
  if (inherits(during, "Date") && length(during) == 2L) during <- format(during)
  text <- if (is.numeric(during)) format(during) else during
  day <- \(x) as.Date(x, format = "%Y-%m-%d", optional = TRUE)
  found <- if (length(text) == 2L && is.character(text)) {
    day(text)
  } else if (length(text) == 1L && grepl("^[12][0-9]{3}$", text)) {
    day(paste0(text, c("-01-01", "-12-31")))
  } else if (length(text) == 1L && grepl("^[12][0-9]{3}[ -]?Q[1-4]$", text)) {
    n <- as.integer(substr(text, 1L, 4L)) * 4L + as.integer(sub(".*Q", "", text)) - 1L
    c(period_start(n, "quarter"), period_end(n, "quarter"))
  } else if (length(text) == 1L && grepl("^[12][0-9]{3}-(0[1-9]|1[0-2])$", text)) {
    n <- as.integer(substr(text, 1L, 4L)) * 12L + as.integer(substr(text, 6L, 7L)) - 1L
    c(period_start(n, "month"), period_end(n, "month"))
  } else {
    c(NA, NA)
  }
  if (anyNA(found) || found[[1L]] > found[[2L]]) {
    abort_nubrek(c(
      "{.arg {arg}} must be a part of time.",
      "x" = "It is {.val {format(during)}}.",
      "i" = 'Such as "2024", "2024 Q2", "2024-05" or c("2024-01-15", "2024-03-31").'
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

# The ledger of a part of time: purchases before it still decide who is not new.
ledger_during <- function(ledger, during, call = rlang::caller_env()) {
  check_ledger(ledger, call = call)
  if (is.null(during)) return(ledger)
  span <- read_during(during, ledger, call = call)
  ledger_slice(ledger, from = span$from, until = span$until, first = "any")
}
