# Text becomes days and minor units, or a stated fault.

# Amounts as they stand: nothing multiplied, nothing taken off.
plain_amounts <- function(text) {
  list(first = text, arithmetic = "none", off = list(), rate = character())
}

parse_minor <- function(text, decimals, mark) {
  read <- cpp_minor_units(plain_amounts(text), decimals, mark)
  flag <- \(rows) {
    result <- logical(length(text))
    result[rows] <- TRUE
    result
  }
  list(units = read$units, blank = flag(read$blank), unreadable = flag(read$unreadable))
}

# How the dates of a column are written. What only one reading explains decides; where nothing does,
# the user must. `row_of` tells where in the file a text stands.
detect_date_order <- function(text, column, wanted, row_of = identity, call = rlang::caller_env()) {
  if (wanted != "detect") return(wanted)
  seen <- cpp_date_orders(text)
  if (seen$day_first == 0 && seen$month_first == 0) {
    return(if (seen$year_first == 0 && looks_serial(text)) "serial" else "year-first")
  }
  if (seen$only_day > 0 && seen$only_month == 0) return("day-first")
  if (seen$only_month > 0 && seen$only_day == 0) return("month-first")
  if (seen$only_day > 0) {
    abort_nubrek(c(
      "The dates in {.field {column}} are written in two orders.",
      "x" = paste0(
        "Row {row_of(seen$only_day)} ({.val {text[[seen$only_day]]}}) has the day first, row ",
        "{row_of(seen$only_month)} ({.val {text[[seen$only_month]]}}) the month."
      ),
      "i" = paste0(
        "Say which one holds ({.code dates = \"day-first\"} or {.code \"month-first\"}); the ",
        "others are set aside."
      )
    ), "dates", call = call)
  }
  if (seen$first_both == 0) return("day-first") # only dates such as 03/03: both readings agree
  example <- text[[seen$first_both]]
  readings <- vapply(
    c("day-first", "month-first"),
    \(o) format_day(as.Date(cpp_read_days(example, o)$day, origin = "1970-01-01")),
    ""
  )
  abort_nubrek(c(
    "The dates in {.field {column}} can be read in two ways.",
    "x" = "{.val {example}} is {readings[[1]]} (day first) or {readings[[2]]} (month first).",
    "i" = "Say which: {.code dates = \"day-first\"} or {.code dates = \"month-first\"}.",
    "i" = "In a study: {.code dates: day-first} in the section {.field meanings}."
  ), "dates", call = call)
}

# Dates as people write them: 5 Mar 2024.
format_day <- function(day) {
  form <- getOption("nubrek.day")
  if (!is.null(form)) return(format(day, form))
  parts <- as.POSIXlt(day)
  paste(parts$mday, month.abb[parts$mon + 1L], parts$year + 1900L)
}

# A spreadsheet's day numbers: five digits from 1927 to 2119, with the time of day behind the point.
serial_pattern <- "^[1-7][0-9]{4}([.][0-9]+)?$"
looks_serial <- function(text) {
  filled <- trim_text(text[!is_blank(text)])
  length(filled) > 0L && mean(grepl(serial_pattern, filled)) > 0.9
}

read_serial <- function(text) {
  text <- trim_text(text)
  number <- rep(NA_real_, length(text))
  fits <- !is.na(text) & grepl(serial_pattern, text)
  number[fits] <- as.numeric(text[fits])
  list(
    day = as.integer(floor(number)) - 25569L,
    seconds = ifelse(is.na(number), 0, round((number %% 1) * 86400)),
    offset = rep(NA_real_, length(text))
  )
}

# Days and seconds of the day, local to the retailer.
read_days <- function(text, column, meaning, row_of = identity, call = rlang::caller_env()) {
  sorting <- detect_date_order(text, column, meaning$dates, row_of, call)
  read <- if (sorting == "serial") read_serial(text) else cpp_read_days(text, sorting)
  shifted <- which(!is.na(read$offset) & !is.na(read$day))
  if (length(shifted) > 0L) {
    if (is.null(meaning$time_zone)) {
      abort_nubrek(c(
        paste0(
          "The stamps in {.field {column}} carry an offset from Greenwich, so the retailer's day ",
          "is not known."
        ),
        "x" = "Row {row_of(shifted[[1]])}: {.val {text[[shifted[[1]]]]}}.",
        "i" = "Say the retailer's zone, such as {.code time_zone = \"Europe/Vienna\"}."
      ), "dates", call = call)
    }
    moment <- as.POSIXct(
      read$day[shifted] * 86400 + read$seconds[shifted] - read$offset[shifted],
      origin = "1970-01-01",
      tz = "UTC"
    )
    moment_here <- as.POSIXlt(moment, tz = meaning$time_zone)
    read$day[shifted] <- as.integer(as.Date(moment_here))
    read$seconds[shifted] <- moment_here$hour * 3600 + moment_here$min * 60 + moment_here$sec
  }
  list(day = read$day, seconds = read$seconds, order = sorting)
}

# The same for cells: each distinct text is read once. No seconds where every row is at midnight.
read_day_cells <- function(
  cells, column, meaning, call, row_of = \(place) match(place, as.integer(cells))
) {
  text <- levels(cells)
  read <- read_days(text, column, meaning, row_of, call)
  empty <- is_blank(text)
  list(
    day = spread(read$day, cells),
    seconds = if (any(read$seconds != 0)) spread(read$seconds, cells) else numeric(),
    order = read$order,
    blank = rows_where(cells, empty, missing = TRUE),
    unreadable = rows_where(cells, is.na(read$day) & !empty)
  )
}

# The decimal mark of the columns of amounts: decided by any amount that only one mark explains.
detect_decimal_mark <- function(columns, wanted, call = rlang::caller_env()) {
  if (wanted != "detect") return(wanted)
  seen <- lapply(columns, \(cells) cpp_decimal_marks(levels(cells)))
  total <- \(what) sum(vapply(seen, `[[`, 0, what))
  if (total("differ") == 0) {
    if (total("seen") == 0 || total("point") == 0) return(".")
    place <- which(vapply(seen, \(s) s$example > 0L, NA))[[1L]]
    example <- levels(columns[[place]])[[seen[[place]]$example]]
    abort_nubrek(c(
      "The amounts can be read in two ways.",
      "x" = "{.val {example}} has a decimal {.val {'.'}} or {.val {','}}.",
      "i" = "Say which: {.code decimal_mark = \".\"} or {.code \",\"}.",
      "i" = "In a study: {.code decimal_mark: \",\"} in the section {.field meanings}."
    ), "amounts", call = call)
  }
  if (total("point") >= total("comma")) "." else ","
}

# Net sales of each row in minor units of the home currency; the rows where something was wrong, and
# what rounding took off.
read_amounts <- function(cells, n, map, meaning, day, rates, call) {
  columns <- unname(cells[sales_columns(map)])
  off <- lapply(intersect(c("tax", "shipping"), names(map)), \(role) role_cells(cells, map, role))
  mark <- detect_decimal_mark(c(columns, off), meaning$decimal_mark, call)
  currency <- if (has_role(map, "currency")) {
    unread <- role_cells(cells, map, "currency")
    recode(unread, toupper(trim_text(levels(unread))))
  }
  home <- home_currency(setdiff(levels(currency), ""), map, meaning, call)
  foreign <- if (is.null(currency)) {
    integer()
  } else {
    rows_where(currency, !levels(currency) %in% c("", home))
  }
  rate <- if (is.null(rates)) factor() else rate_cells(rates, currency, foreign, day, n)
  converted <- if (length(rate) > 0L) foreign[!is.na(rate[foreign])] else integer()
  if (length(rate) > 0L) rate[setdiff(seq_len(n), converted)] <- "1"
  minor <- if (attr(map, "arithmetic") == "none" && length(off) == 0L && length(rate) == 0L) {
    spread_amounts(columns[[1L]], cpp_minor_units(
      plain_amounts(levels(columns[[1L]])), currency_decimals(home), mark
    ))
  } else {
    cpp_minor_units(
      list(
        first = columns[[1L]],
        second = columns[[length(columns)]],
        arithmetic = attr(map, "arithmetic"),
        off = off,
        rate = rate
      ),
      currency_decimals(home),
      mark
    )
  }
  c(minor, list(
    foreign = setdiff(foreign, converted),
    converted = converted,
    currency = home,
    decimals = currency_decimals(home),
    mark = mark,
    row_currency = currency
  ))
}

home_currency <- function(found, map, meaning, call) {
  found <- sort(found)
  if (!is.null(meaning$currency)) return(meaning$currency)
  if (length(found) > 1L) {
    abort_nubrek(c(
      "The home currency must be named.",
      "x" = "{.field {map[['currency']]}} holds {.val {found}}.",
      "i" = paste0(
        "For example {.code meanings(currency = \"{found[[1]]}\")}; rows in others are set ",
        "aside."
      )
    ), "currency", call = call)
  }
  if (length(found) == 1L) found else ""
}

# What was read of each distinct amount, for the rows.
spread_amounts <- function(cells, read) {
  flag <- \(places) {
    result <- logical(length(read$units))
    result[places] <- TRUE
    result
  }
  rounded <- rows_where(cells, flag(read$rounded))
  list(
    units = spread(read$units, cells),
    blank = rows_where(cells, flag(read$blank), missing = TRUE),
    unreadable = rows_where(cells, flag(read$unreadable)),
    rounded = rounded,
    rest = read$rest[match(as.integer(cells)[rounded], read$rounded)]
  )
}

# The rate of each foreign row as cells, which take "1" too.
rate_cells <- function(rates, currency, foreign, day, n) {
  text <- rep(NA_character_, n)
  text[foreign] <- rate_of(rates, as.character(currency[foreign]), day[foreign])
  factor(text, unique(c("1", text[foreign])), exclude = NA)
}
