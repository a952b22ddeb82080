# Every input row ends in the ledger or in the set-aside table, with a reason.

# In order of precedence: a row is set aside once, under the first.
set_aside_reasons <- c("duplicate", "no customer", "no date", "unreadable date", "unreadable amount", "blank amount", "test order",
                       "cancelled order", "after as of", "foreign currency", "excluded id")

# Reads the order rows: `rows` (customer, day, seconds, sales ... one per input row), their faults, and what to say.
take_in_orders <- function(source, map, meaning, alias_of, call = rlang::caller_env()) {
  read <- read_source(source, call)
  text <- read$table
  rules <- Filter(Negate(is.null), list(test = meaning$test, cancelled = meaning$cancelled))
  check_columns_exist(c(unname(unclass(map)), vapply(rules, `[[`, "", "column")), names(text), read$files[[1L]], call)
  signal_progress("reading amounts and dates")
  amount <- read_amounts(text, map, meaning, call)
  dates <- read_days(text[[map[["date"]]]], map[["date"]], meaning, call)
  written <- trim_text(text[[map[["customer"]]]])
  customer <- resolve_aliases(written, alias_of)
  order <- if ("order" %in% names(map)) trim_text(text[[map[["order"]]]]) else rep("", nrow(text))
  order[is.na(order)] <- ""
  faults <- list(
    "no customer" = is_blank(customer),
    "no date" = is_blank(text[[map[["date"]]]]),
    "unreadable date" = is.na(dates$day) & !is_blank(text[[map[["date"]]]]),
    "unreadable amount" = amount$unreadable,
    "blank amount" = amount$blank,
    "test order" = rule_hits(meaning$test, text),
    "cancelled order" = rule_hits(meaning$cancelled, text),
    "after as of" = if (is.null(meaning$as_of)) logical(nrow(text)) else !is.na(dates$day) & dates$day > as.integer(meaning$as_of),
    "foreign currency" = amount$foreign,
    "excluded id" = written %in% meaning$excluded_ids | customer %in% meaning$excluded_ids)
  repeated <- find_duplicates(text, order, customer, dates$day, "line" %in% names(map))
  faults <- c(list(duplicate = repeated$duplicate), faults)
  stopifnot(identical(names(faults), set_aside_reasons))
  rows <- data.table(customer = customer, order = order, day = dates$day, seconds = dates$seconds, sales = amount$units)
  list(text = text, rows = rows, faults = faults, read = read, currency = amount$currency, row_currency = amount$row_currency,
       decimals = amount$decimals, fractions = amount$fraction, suspects = repeated$suspect)
}

rule_hits <- function(rule, text) {
  if (is.null(rule)) return(logical(nrow(text)))
  trim_text(text[[rule$column]]) %in% rule$values
}

# Net sales in minor units of the home currency, and which rows are in another.
read_amounts <- function(text, map, meaning, call) {
  columns <- sales_columns(map)
  mark <- detect_decimal_mark(lapply(columns, \(name) text[[name]]), meaning$decimal_mark, call)
  home <- meaning$currency
  currency <- if ("currency" %in% names(map)) toupper(trim_text(text[[map[["currency"]]]])) else rep(home %||% "", nrow(text))
  currency[is.na(currency)] <- ""
  found <- sort(setdiff(unique(currency), ""))
  if (is.null(home)) {
    if (length(found) > 1L) {
      abort_nubrek(c("The home currency must be named.", "x" = "{.field {map[['currency']]}} holds {.val {found}}.",
                     "i" = "For example {.code meanings(currency = \"{found[[1]]}\")}; rows in others are set aside."), "currency", call = call)
    }
    home <- if (length(found) == 1L) found else "EUR"
  }
  decimals <- currency_decimals(home)
  minor <- cpp_minor_units(text[[columns[[1L]]]], text[[columns[[length(columns)]]]], attr(map, "arithmetic"), decimals, mark)
  c(minor, list(foreign = currency != "" & currency != home, currency = home, decimals = decimals,
                row_currency = ifelse(currency == "", home, currency)))
}

# Rows equal over all columns as read. A copy is a duplicate where lines have ids, where the file holds one row per order,
# or where a whole order stands again; other equal lines are suspects (two equal items at a till are two items).
find_duplicates <- function(text, order, customer, day, has_line_id) {
  none <- logical(nrow(text))
  again <- duplicated(text)
  if (!any(again)) return(list(duplicate = none, suspect = none))
  if (has_line_id) return(list(duplicate = again, suspect = none))
  key <- ifelse(order == "", paste0("\r", day), order)
  unit <- data.table(customer, key)[, unit := .GRP, by = .(customer, key)]$unit
  if (all(order != "") && !anyDuplicated(unit[!again])) return(list(duplicate = again, suspect = none))
  touched <- which(unit %in% unique(unit[again]))
  part <- text[touched][, `:=`(.unit = unit[touched], .place = touched)]
  content <- setdiff(names(part), ".place")
  part[, `:=`(.copy = seq_len(.N), .copies = .N), by = content]
  part[, .times := Reduce(greatest_divisor, unique(.copies)), by = .unit]
  extra <- part$.copy > part$.copies / part$.times
  duplicate <- suspect <- none
  duplicate[part$.place[extra]] <- TRUE
  suspect[part$.place[!extra & part$.copy > 1L]] <- TRUE
  list(duplicate = duplicate, suspect = suspect)
}

greatest_divisor <- function(a, b) if (b == 0L) a else greatest_divisor(b, a %% b)
