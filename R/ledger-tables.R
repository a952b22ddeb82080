# Tables beside the order lines: attributes of customers and products, aliases, joined order tables,
# currency rates.

#' A table of attributes, joined to customers or products by a key
#'
#' @param source `[character]` Paths of files, or a data frame.
#' @param key `[character(1)]` Column with the customer or product id, each at most once.
#' @param attributes `[character]` Columns to keep, `c(name = "column in the file")`; unnamed ones
#'   keep their names.
#' @param format `[nubrek_format]` From [file_format()].
#' @return A `nubrek_table` for the arguments `customers`, `products` and `aliases` of
#'   [open_ledger()]. Customer attributes named `email`, or `name` and `postcode`, are compared by
#'   [identity_suspects()].
#' @examples
#' attribute_table(
#'   data.frame(id = c("A", "B"), town = c("Carrow", "")), key = "id", attributes = "town"
#' )
#' @export
attribute_table <- function(source, key, attributes = character(), format = file_format()) {
  check_text(key)
  throw_unless(
    checkmate::check_character(attributes, any.missing = FALSE, min.chars = 1L),
    "attributes",
    rlang::current_env()
  )
  attributes <- with_own_names(attributes)
  read <- read_source(source, format)
  check_columns_exist(c(key, attributes), names(read$table), read$files[[1L]])
  id <- trim_text(read$table[[key]])
  kept <- read$table[, attributes, with = FALSE]
  data.table::setnames(kept, names(attributes))
  unique_keys(id, kept, key, read$files[[1L]], rlang::current_env())
}

# Rows with a key, each once; equal rows count once, others with the same key are an error.
unique_keys <- function(id, table, key, file, call) {
  unused <- duplicated(data.table(id, table)) | is.na(id) | id == ""
  if (ncol(table) > 0L) table <- table[!unused]
  id <- id[!unused]
  if (anyDuplicated(id)) {
    twice <- unique(id[duplicated(id)])
    abort_nubrek(c(
      "{.field {key}} must be unique in {.file {file}}, or rows would multiply.",
      "x" = paste0(
        "{length(twice)} key{?s} stand{?s/} in several rows that differ: ",
        "{.val {utils::head(twice, 5)}}."
      )
    ), "join", keys = twice, call = call)
  }
  structure(list(id = id, attributes = table, file = file), class = "nubrek_table")
}

check_columns_exist <- function(wanted, found, file, call = rlang::caller_env()) {
  lacking <- setdiff(wanted, found)
  if (length(lacking) > 0L) {
    abort_nubrek(c(
      "{.file {file}} has no column {.field {lacking}}.",
      "x" = "Its columns are {.field {found}}.",
      nearest_hint(lacking[[1L]], found)
    ), "columns", columns = lacking, call = call)
  }
}

#' Another table that belongs to the order lines
#'
#' Where customer, date or amount stand in different tables (lines and order heads, say): its
#' columns are joined to the lines and can then be mapped.
#'
#' @param source `[character | data.frame]` Files or a data frame.
#' @param by `[character(1)]` The key: one name for both tables, or `c("column of the lines" =
#'   "column of this table")`. Each key at most once.
#' @param format `[nubrek_format]` From [file_format()].
#' @return A `nubrek_join`, for the argument `joins` of [open_ledger()].
#' @examples
#' join_table(data.frame(receipt = 1:2, customer = c("A", "B")), by = "receipt")
#' @export
join_table <- function(source, by, format = file_format()) {
  check_text(by)
  read <- read_source(source, format)
  check_columns_exist(unname(by), names(read$table), read$files[[1L]])
  key <- unname(by)
  rows <- unique_keys(
    trim_text(read$table[[key]]),
    read$table[, setdiff(names(read$table), key), with = FALSE],
    key,
    read$files[[1L]],
    rlang::current_env()
  )
  structure(
    c(unclass(rows), list(by = if (is.null(names(by))) key else names(by))), class = "nubrek_join"
  )
}

# Adds the columns of joined tables to the lines; says which columns came from where.
add_joins <- function(cells, joins, file, call) {
  from <- character()
  for (join in joins) {
    check_columns_exist(join$by, names(cells), file, call)
    same <- names_beside(join, names(cells))
    key <- cells[[join$by]]
    place <- match(trim_text(levels(key)), join$id)
    for (i in seq_along(same)) {
      cells[[same[[i]]]] <- recode(key, join$attributes[[i]][place])
    }
    from <- c(from, stats::setNames(rep(join$by, length(same)), same))
  }
  list(cells = cells, key_of = from)
}

# The columns of a join under their names beside others: a name in both tables stays the lines' own.
names_beside <- function(join, columns) {
  own <- names(join$attributes)
  ifelse(own %in% columns, paste0(own, " (", join$file, ")"), own)
}

# An amount that stands once per key must not be counted for each of its lines.
check_no_multiplying <- function(columns, key_of, cells, call) {
  for (name in intersect(columns, names(key_of))) {
    key <- trim_cells(cells[[key_of[[name]]]])
    if (!all_distinct(key)) {
      twice <- levels(key)[tabulate(key, length(levels(key))) > 1L]
      abort_multiplying(name, key_of[[name]], twice, call)
    }
  }
}

abort_multiplying <- function(name, key, twice, call) {
  abort_nubrek(c(
    "{.field {name}} stands once per {.field {key}}, but would be counted for each of its lines.",
    "x" = "{length(twice)} key{?s} {?has/have} several lines: {.val {utils::head(twice, 5)}}.",
    "i" = "Map an amount of the lines, or use the joined table as the orders."
  ), "join", keys = twice, call = call)
}

#' Exchange rates into the home currency
#'
#' The latest rate not after the day of the line converts it; the line is rounded once, after
#' conversion.
#'
#' @param source `[character | data.frame]` Files or a data frame.
#' @param date,currency,rate `[character(1)]` Columns: the day from which the rate holds (year
#'   first), the currency, home units for one unit of it (decimal point).
#' @return A `nubrek_rates`, for the argument `rates` of [open_ledger()].
#' @examples
#' currency_rates(data.frame(date = "2024-01-01", currency = "DKK", rate = "0.134"))
#' @export
currency_rates <- function(source, date = "date", currency = "currency", rate = "rate") {
  read <- read_source(source)
  check_columns_exist(c(date, currency, rate), names(read$table), read$files[[1L]])
  day <- cpp_read_days(read$table[[date]], "year-first")$day
  number <- parse_minor(read$table[[rate]], 6L, ".")
  bad <- which(is.na(day) | is.na(number$units) | number$units <= 0)
  if (length(bad) > 0L) {
    abort_nubrek(c(
      "A rate needs a day and a number above 0.",
      "x" = "Row {bad[[1]]} of {.file {read$files[[1]]}} has not."
    ), "currency", rows = bad)
  }
  result <- data.table(
    currency = toupper(trim_text(read$table[[currency]])),
    day = day,
    rate = trim_text(read$table[[rate]])
  )
  if (anyDuplicated(result, by = c("currency", "day"))) {
    abort_nubrek("Two rates stand for one currency and day.", "currency")
  }
  structure(list(table = result[order(currency, day)]), class = "nubrek_rates")
}

# The text of the rate that holds for each row; NA where there is none.
rate_of <- function(rates, currency, day) {
  result <- rep(NA_character_, length(day))
  for (one in unique(rates$table$currency)) {
    mine <- which(currency == one & !is.na(day))
    listed <- rates$table[rates$table$currency == one]
    place <- findInterval(day[mine], listed$day)
    result[mine[place > 0L]] <- listed$rate[place[place > 0L]]
  }
  result
}
