# Tables that are ready made: columns of periods, counts and money, read with the row that is wrong
# in the message.

# The first day of each period: a day in it, or "2024-03", "2024 Q2", "2024-W05", "2024".
ready_periods <- function(text, name, clock, meaning, call = rlang::caller_env()) {
  text <- trim_text(text)
  short <- \(pattern, to) {
    hit <- grepl(pattern, text)
    text[hit] <<- to(text[hit])
  }
  short("^[12][0-9]{3}-(0[1-9]|1[0-2])$", \(x) paste0(x, "-01"))
  short(
    "^[12][0-9]{3}[ -]?Q[1-4]$",
    \(x) sprintf("%s-%02d-01", substr(x, 1L, 4L), 3L * as.integer(sub(".*Q", "", x)) - 2L)
  )
  short(
    "^[12][0-9]{3}-W(0[1-9]|[1-4][0-9]|5[0-3])$",
    \(x) format(monday_of_week(as.integer(substr(x, 1L, 4L)), as.integer(sub(".*W", "", x))))
  )
  short("^[12][0-9]{3}$", \(x) paste0(x, "-01-01"))
  day <- read_days(text, name, meaning, call = call)$day
  ready_fault(is.na(day), name, text, "a period, such as a day in it or 2024-03", call)
  period_start(period_number(day, clock), clock)
}

# ISO week 1 holds 4 January.
monday_of_week <- function(year, week) {
  fourth <- as.integer(as.Date(sprintf("%d-01-04", year)))
  as.Date(fourth - (fourth + 3L) %% 7L + 7L * (week - 1L), origin = "1970-01-01")
}

# Whole numbers; blank is missing, if it may be.
ready_counts <- function(text, name, call = rlang::caller_env(), blank = TRUE) {
  read <- parse_minor(text, 0L, ".")
  ready_fault(
    read$unreadable |
      (read$blank & !blank) |
      (!read$blank & (read$units != as.numeric(trim_text(text)) | read$units < 0)),
    name,
    text,
    "a whole number from 0 up",
    call
  )
  as.integer(ifelse(read$blank, NA, read$units))
}

# Minor units; blank is 0.
ready_money <- function(text, name, decimals, meaning, call = rlang::caller_env()) {
  mark <- detect_decimal_mark(list(factor(text)), meaning$decimal_mark, call)
  read <- parse_minor(text, decimals, mark)
  ready_fault(read$unreadable, name, text, "an amount", call)
  ifelse(read$blank, 0, read$units)
}

ready_fault <- function(bad, name, text, wanted, call) {
  if (!any(bad, na.rm = TRUE)) return(invisible())
  line <- which(bad)[[1L]]
  abort_nubrek(c(
    "{.field {name}} must be {wanted} in every row.",
    "x" = paste0(
      "It is {.val {text[[line]]}} in row {line}; {sum(bad, na.rm = TRUE)} row{?s} {?is/are} ",
      "wrong."
    )
  ), "table", rows = which(bad), call = call)
}
