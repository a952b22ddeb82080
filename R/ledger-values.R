# Text becomes days and minor units, or a stated fault.

parse_minor <- function(text, decimals, mark) cpp_minor_units(text, text, "none", list(), character(), decimals, mark)

# How the dates of a column are written. What only one reading explains decides; where nothing does, the user must.
detect_date_order <- function(text, column, wanted, call = rlang::caller_env()) {
  if (wanted != "detect") return(wanted)
  seen <- cpp_date_orders(text)
  if (seen$day_first == 0 && seen$month_first == 0) return(if (seen$year_first == 0 && looks_serial(text)) "serial" else "year-first")
  if (seen$only_day > 0 && seen$only_month == 0) return("day-first")
  if (seen$only_month > 0 && seen$only_day == 0) return("month-first")
  if (seen$only_day > 0) {
    abort_nubrek(c("The dates in {.field {column}} are written in two orders.",
                   "x" = "Row {seen$only_day} ({.val {text[[seen$only_day]]}}) has the day first, row {seen$only_month} ({.val {text[[seen$only_month]]}}) the month.",
                   "i" = "Say which one holds ({.code dates = \"day-first\"} or {.code \"month-first\"}); the others are set aside."), "dates", call = call)
  }
  if (seen$first_both == 0) return("day-first")        # only dates such as 03/03: both readings agree
  example <- text[[seen$first_both]]
  readings <- vapply(c("day-first", "month-first"), \(o) format_day(as.Date(cpp_read_days(example, o)$day, origin = "1970-01-01")), "")
  abort_nubrek(c("The dates in {.field {column}} can be read in two ways.",
                 "x" = "{.val {example}} is {readings[[1]]} (day first) or {readings[[2]]} (month first).",
                 "i" = "Say which: {.code dates = \"day-first\"} or {.code dates = \"month-first\"}."), "dates", call = call)
}

# Dates as people write them: 5 Mar 2024.
format_day <- function(day) {
  parts <- as.POSIXlt(day)
  paste(parts$mday, month.abb[parts$mon + 1L], parts$year + 1900L)
}

# A spreadsheet's day numbers: five digits from 1927 to 2119, with the time of day behind the point.
serial_pattern <- "^[1-7][0-9]{4}([.][0-9]+)?$"
looks_serial <- function(text) {
  said <- trim_text(text[!is_blank(text)])
  length(said) > 0L && mean(grepl(serial_pattern, said)) > 0.9
}

read_serial <- function(text) {
  text <- trim_text(text)
  number <- rep(NA_real_, length(text))
  fits <- !is.na(text) & grepl(serial_pattern, text)
  number[fits] <- as.numeric(text[fits])
  list(day = as.integer(floor(number)) - 25569L, seconds = ifelse(is.na(number), 0, round((number %% 1) * 86400)), offset = rep(NA_real_, length(text)))
}

# Days and seconds of the day, local to the retailer.
read_days <- function(text, column, meaning, call = rlang::caller_env()) {
  order <- detect_date_order(text, column, meaning$dates, call)
  read <- if (order == "serial") read_serial(text) else cpp_read_days(text, order)
  shifted <- which(!is.na(read$offset) & !is.na(read$day))
  if (length(shifted) > 0L) {
    if (is.null(meaning$time_zone)) {
      abort_nubrek(c("The stamps in {.field {column}} carry an offset from Greenwich, so the retailer's day is not known.",
                     "x" = "Row {shifted[[1]]}: {.val {text[[shifted[[1]]]]}}.", "i" = "Say the retailer's zone, such as {.code time_zone = \"Europe/Vienna\"}."), "dates", call = call)
    }
    moment <- as.POSIXct(read$day[shifted] * 86400 + read$seconds[shifted] - read$offset[shifted], origin = "1970-01-01", tz = "UTC")
    local <- as.POSIXlt(moment, tz = meaning$time_zone)
    read$day[shifted] <- as.integer(as.Date(local))
    read$seconds[shifted] <- local$hour * 3600 + local$min * 60 + local$sec
  }
  list(day = read$day, seconds = read$seconds, order = order)
}

# The decimal mark of the columns of amounts: decided by any amount that only one mark explains.
detect_decimal_mark <- function(columns, wanted, call = rlang::caller_env()) {
  if (wanted != "detect") return(wanted)
  text <- unlist(lapply(columns, unique), use.names = FALSE)
  text <- text[grepl("[.,]", text)]
  point <- !parse_minor(text, 6L, ".")$unreadable
  comma <- !parse_minor(text, 6L, ",")$unreadable
  if (!any(point != comma)) {
    if (length(text) == 0L || !any(point)) return(".")
    abort_nubrek(c("The amounts can be read in two ways.", "x" = "{.val {text[point][[1L]]}} has a decimal {.val {'.'}} or {.val {','}}.",
                   "i" = "Say which: {.code decimal_mark = \".\"} or {.code \",\"}."), "amounts", call = call)
  }
  if (sum(point) >= sum(comma)) "." else ","
}

# Net sales of each row in minor units of the home currency, with what was wrong and what rounding took off.
read_amounts <- function(text, map, meaning, day, rates, call) {
  columns <- sales_columns(map)
  off <- lapply(intersect(c("tax", "shipping"), names(map)), \(role) role_text(text, map, role))
  mark <- detect_decimal_mark(c(lapply(columns, \(name) text[[name]]), off), meaning$decimal_mark, call)
  home <- meaning$currency
  currency <- if (has_role(map, "currency")) toupper(trim_text(role_text(text, map, "currency"))) else rep("", nrow(text))
  currency[is.na(currency)] <- ""
  found <- sort(setdiff(unique(currency), ""))
  if (is.null(home)) {
    if (length(found) > 1L) {
      abort_nubrek(c("The home currency must be named.", "x" = "{.field {map[['currency']]}} holds {.val {found}}.",
                     "i" = "For example {.code meanings(currency = \"{found[[1]]}\")}; rows in others are set aside."), "currency", call = call)
    }
    home <- if (length(found) == 1L) found else ""
  }
  foreign <- currency != "" & currency != home
  rate <- if (is.null(rates)) character() else rate_of(rates, ifelse(foreign, currency, ""), day)
  converted <- foreign & length(rate) > 0L & !is.na(rate[seq_along(foreign)])
  if (length(rate) > 0L) rate[!converted] <- "1"
  minor <- cpp_minor_units(text[[columns[[1L]]]], text[[columns[[length(columns)]]]], attr(map, "arithmetic"), off, rate, currency_decimals(home), mark)
  c(minor, list(foreign = foreign & !converted, converted = converted, currency = home, decimals = currency_decimals(home), mark = mark,
                row_currency = ifelse(foreign & !converted, currency, home)))
}
