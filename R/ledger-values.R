# Text becomes days and minor units, or a stated fault.

# How the dates of a column are written. What only one reading explains decides; where nothing does, the user must.
detect_date_order <- function(text, column, wanted, call = rlang::caller_env()) {
  if (wanted != "detect") return(wanted)
  seen <- cpp_date_orders(text)
  if (seen$day_first == 0 && seen$month_first == 0) return("year-first")
  if (seen$only_day > 0 && seen$only_month == 0) return("day-first")
  if (seen$only_month > 0 && seen$only_day == 0) return("month-first")
  if (seen$only_day > 0) {
    abort_nubrek(c("The dates in {.field {column}} are written in two orders.",
                   "x" = "Row {seen$only_day} ({.val {text[[seen$only_day]]}}) has the day first, row {seen$only_month} ({.val {text[[seen$only_month]]}}) the month.",
                   "i" = "Say which one holds ({.code dates = \"day-first\"} or {.code \"month-first\"}); the others are set aside."), "dates", call = call)
  }
  if (seen$first_both == 0) return("day-first")        # only dates such as 03/03: both readings agree
  example <- text[[seen$first_both]]
  readings <- vapply(c("day-first", "month-first"), \(o) format(as.Date(cpp_read_days(example, o)$day, origin = "1970-01-01"), "%d %B %Y"), "")
  abort_nubrek(c("The dates in {.field {column}} can be read in two ways.",
                 "x" = "{.val {example}} is {readings[[1]]} (day first) or {readings[[2]]} (month first).",
                 "i" = "Say which: {.code dates = \"day-first\"} or {.code dates = \"month-first\"}."), "dates", call = call)
}

# The decimal mark of a column of amounts: decided by any amount that only one mark explains.
detect_decimal_mark <- function(columns, wanted, call = rlang::caller_env()) {
  if (wanted != "detect") return(wanted)
  text <- unlist(lapply(columns, unique), use.names = FALSE)
  text <- text[grepl("[.,]", text)]
  point <- !cpp_minor_units(text, text, "none", 6L, ".")$unreadable
  comma <- !cpp_minor_units(text, text, "none", 6L, ",")$unreadable
  if (!any(point != comma)) {
    if (length(text) == 0L) return(".")
    abort_nubrek(c("The amounts can be read in two ways.", "x" = "{.val {text[[1]]}} has a decimal {.val {'.'}} or {.val {','}}.",
                   "i" = "Say which: {.code decimal_mark = \".\"} or {.code \",\"}."), "amounts", call = call)
  }
  if (sum(point) >= sum(comma)) "." else ","
}

read_days <- function(text, column, meaning, call = rlang::caller_env()) {
  read <- cpp_read_days(text, detect_date_order(text, column, meaning$dates, call))
  if (any(!is.na(read$offset))) {
    row <- which(!is.na(read$offset))[[1L]]
    abort_nubrek(c("The stamps in {.field {column}} carry an offset from Greenwich, so the retailer's day is not known.",
                   "x" = "Row {row}: {.val {text[[row]]}}.", "i" = "Export local times without offset."), "dates", call = call)
  }
  list(day = read$day, seconds = read$seconds)
}
