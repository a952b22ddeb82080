# Labels of the periods of cohort totals: in time, with places for periods that no row names.

# Forms of labels that are periods of one width: the `pattern`, the `number` of a period from the
# pieces that it catches, and the label from the number, written `as` the first of the labels.
totals_forms <- list(
  month = list(
    pattern = "^([0-9]{4})([-/. ]?)(0[1-9]|1[0-2])$",
    number = \(year, mark, month) 12L * as.integer(year) + as.integer(month) - 1L,
    label = \(n, mark) sprintf("%04d%s%02d", n %/% 12L, mark, n %% 12L + 1L)
  ),
  quarter = list(
    pattern = "^([0-9]{4})([-/. ]?[Qq])([1-4])$",
    number = \(year, mark, quarter) 4L * as.integer(year) + as.integer(quarter) - 1L,
    label = \(n, mark) sprintf("%04d%s%d", n %/% 4L, mark, n %% 4L + 1L)
  ),
  week = list(
    pattern = "^([0-9]{4})(-?[Ww])(0[1-9]|[1-4][0-9]|5[0-3])$",
    number = \(year, mark, week) iso_week_number(as.integer(year), as.integer(week)),
    label = \(n, mark) format(as.Date(7 * n - 3, origin = "1970-01-01"), paste0("%G", mark, "%V"))
  )
)

# Weeks since that of 1 January 1970: 4 January lies in the first week of a year.
iso_week_number <- function(year, week) {
  fourth <- as.integer(as.Date(sprintf("%04d-01-04", year)))
  (fourth + 3L) %/% 7L + week - 1L
}

# The numbers of the periods that labels name, and the label of each number; NULL where they name
# none that can be counted.
totals_numbers <- function(labels) {
  text <- as.character(labels)
  if (inherits(labels, "Date") || all(grepl("^[0-9]{4}-[0-9]{2}-[0-9]{2}$", text))) {
    return(totals_days(tryCatch(as.Date(text), error = \(e) NULL)))
  }
  for (form in totals_forms) {
    pieces <- regmatches(text, regexec(form$pattern, text))
    if (!all(lengths(pieces) == 4L)) next
    piece <- \(i) vapply(pieces, `[[`, "", i)
    mark <- piece(3L)[[1L]]
    return(list(
      number = form$number(piece(2L), mark, piece(4L)), label = \(n) form$label(n, mark)
    ))
  }
  if (is.numeric(labels) && all(labels == round(labels)) && all(abs(labels) < 1e9)) {
    list(number = as.integer(labels), label = as.character)
  }
}

# Days are months where all have one place in the month; else weeks or days.
totals_days <- function(days) {
  if (is.null(days) || anyNA(days)) return(NULL)
  at <- as.POSIXlt(days)
  month <- 12L * (at$year + 1900L) + at$mon
  first <- \(n) as.Date(sprintf("%04d-%02d-01", n %/% 12L, n %% 12L + 1L))
  last_day <- all(as.POSIXlt(days + 1L)$mday == 1L)
  if (length(unique(at$mday)) == 1L || last_day) {
    label <- \(n) format(if (last_day) first(n + 1L) - 1L else first(n) + at$mday[[1L]] - 1L)
    return(list(number = month, label = label))
  }
  list(number = as.integer(days), label = \(n) format(as.Date(n, origin = "1970-01-01")))
}

# All periods from the first label to the last, those without a row too: their labels, sorted, the
# place of each of `labels` among them, and which are in no row. Where labels cannot be counted,
# they are the periods in their order.
totals_places <- function(labels) {
  known <- sort(unique(labels), method = "radix")
  told <- totals_numbers(known)
  if (is.null(told) || length(known) < 2L) {
    return(list(periods = as.character(known), place = match(labels, known), lacking = character()))
  }
  number <- told$number
  step <- Reduce(common_divisor, diff(sort(number)))
  every <- seq(min(number), max(number), by = step)
  periods <- told$label(every)
  periods[match(number, every)] <- as.character(known)
  list(
    periods = periods,
    place = match(number, every)[match(labels, known)],
    lacking = periods[!every %in% number]
  )
}

common_divisor <- function(a, b) if (b == 0L) a else common_divisor(b, a %% b)
