# Every input row ends in the ledger or in the set-aside table, with a reason.

# In order of precedence: a row is set aside once, under the first.
set_aside_reasons <- c("duplicate", "no customer", "no date", "unreadable date", "unreadable amount", "blank amount", "test order",
                       "cancelled order", "after as of", "foreign currency", "excluded id", "ignored return")

# Reads the order rows: `rows` (customer, day, seconds, sales ... one per input row), their faults, and what to say.
take_in_orders <- function(source, map, meaning, alias_of, joins, rates, format, call = rlang::caller_env()) {
  read <- read_source(source, format, call)
  joined <- add_joins(if (length(joins) > 0L) data.table::copy(read$table) else read$table, joins, read$files[[1L]], call)
  text <- joined$text
  rules <- Filter(Negate(is.null), list(meaning$test, meaning$cancelled))
  check_columns_exist(c(unname(unclass(map)), vapply(rules, `[[`, "", "column")), names(text), read$files[[1L]], call)
  check_no_multiplying(sales_columns(map), joined$key_of, text, call)
  signal_progress("reading amounts and dates")
  dates <- read_days(role_text(text, map, "date"), map[["date"]], meaning, call)
  amount <- read_amounts(text, map, meaning, dates$day, rates, call)
  written <- trim_text(role_text(text, map, "customer"))
  customer <- resolve_aliases(written, alias_of)
  order <- if (has_role(map, "order")) trim_text(role_text(text, map, "order")) else rep("", nrow(text))
  order[is.na(order)] <- ""
  no_date <- is_blank(role_text(text, map, "date"))
  faults <- list(
    duplicate = logical(nrow(text)),
    "no customer" = is_blank(customer),
    "no date" = no_date,
    "unreadable date" = is.na(dates$day) & !no_date,
    "unreadable amount" = amount$unreadable,
    "blank amount" = amount$blank,
    "test order" = rule_hits(meaning$test, text),
    "cancelled order" = rule_hits(meaning$cancelled, text),
    "after as of" = if (is.null(meaning$as_of)) logical(nrow(text)) else !is.na(dates$day) & dates$day > as.integer(meaning$as_of),
    "foreign currency" = amount$foreign,
    "excluded id" = written %in% meaning$excluded_ids | customer %in% meaning$excluded_ids,
    "ignored return" = meaning$returns == "ignore" & !is.na(amount$units) & amount$units < 0)
  repeated <- find_duplicates(read$table, order, customer, dates$day, if (has_role(map, "line")) map[["line"]], meaning$duplicates)
  settled <- settle_conflicts(read, order, customer, map, meaning, repeated$duplicate, rules, call)
  faults$duplicate <- settled$duplicate
  stopifnot(identical(names(faults), set_aside_reasons))
  rows <- data.table(customer = customer, order = order, day = dates$day, seconds = dates$seconds, sales = amount$units)
  list(text = text, rows = rows, faults = faults, read = read, currency = amount$currency, row_currency = amount$row_currency, decimals = amount$decimals,
       rest = amount$rest, converted = amount$converted, suspects = repeated$suspect, conflicts = settled$orders, replaced = settled$replaced,
       written = list(dates = dates$order, mark = amount$mark))
}

rule_hits <- function(rule, text) {
  if (is.null(rule)) return(logical(nrow(text)))
  trim_text(text[[rule$column]]) %in% rule$values
}

# Rows equal over all columns as read. A copy is a duplicate where lines have ids, where the file holds one row per order,
# or where a whole order stands again; other equal lines are suspects (two equal items at a till are two items).
find_duplicates <- function(text, order, customer, day, line_id, policy) {
  none <- logical(nrow(text))
  has_line_id <- !is.null(line_id)
  if (has_line_id && line_id %in% names(text) && !anyDuplicated(text[[line_id]])) return(list(duplicate = none, suspect = none))
  again <- duplicated(text)
  if (!any(again)) return(list(duplicate = none, suspect = none))
  if (policy == "none") return(list(duplicate = none, suspect = again))
  if (has_line_id || policy == "all equal lines") return(list(duplicate = again, suspect = none))
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
