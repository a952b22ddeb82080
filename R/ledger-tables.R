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
    twice <- key_words(unique(id[duplicated(id)]))
    key <- paste(key, collapse = ", ")
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
#' @param by `[character]` The columns of the key: each one name for both tables, or `c("column of
#'   the lines" = "column of this table")`. Each key at most once.
#' @param format `[nubrek_format]` From [file_format()].
#' @return A `nubrek_join`, for the argument `joins` of [open_ledger()]. The [remarks()] of the
#'   ledger say of each how many rows of the orders have a row in it.
#' @examples
#' join_table(data.frame(receipt = 1:2, customer = c("A", "B")), by = "receipt")
#' # receipts are numbered in each shop
#' join_table(
#'   data.frame(till = c("North", "South"), receipt = c(1, 1), customer = c("A", "B")),
#'   by = c(shop = "till", "receipt")
#' )
#' @export
join_table <- function(source, by, format = file_format()) {
  throw_unless(
    checkmate::check_character(by, any.missing = FALSE, min.chars = 1L, min.len = 1L), "by",
    rlang::current_env()
  )
  by <- with_own_names(by)
  read <- read_source(source, format)
  key <- unname(by)
  check_columns_exist(key, names(read$table), read$files[[1L]])
  texts <- lapply(read$table[, key, with = FALSE], trim_text)
  id <- do.call(paste, c(unname(texts), list(sep = key_mark)))
  id[Reduce(`&`, lapply(texts, is_blank))] <- ""
  rows <- unique_keys(
    id,
    read$table[, setdiff(names(read$table), key), with = FALSE],
    key,
    read$files[[1L]],
    rlang::current_env()
  )
  structure(c(unclass(rows), list(by = names(by))), class = "nubrek_join")
}

# Between the texts of a key of several columns, where no export has it.
key_mark <- "\u001f"
key_words <- function(keys) gsub(key_mark, ", ", keys, fixed = TRUE)

# The key of each row, as one text of all its columns.
key_cells <- function(cells, by) {
  columns <- lapply(unname(cells[by]), trim_cells)
  if (length(by) == 1L) return(columns[[1L]])
  code <- number_rows(lapply(columns, cpp_codes))
  first <- which(!duplicated(code))
  texts <- do.call(paste, c(lapply(columns, \(x) as.character(x[first])), list(sep = key_mark)))
  structure(match(code, code[first]), levels = texts, class = "factor")
}

# Adds the columns of joined tables to the lines: `key_of`, the columns of the key of each; `found`,
# of each table the rows that have none there, and the first such key.
add_joins <- function(cells, joins, file, call) {
  key_of <- list()
  found <- lapply(joins, \(join) {
    check_columns_exist(join$by, names(cells), file, call)
    same <- names_beside(join, names(cells))
    key <- key_cells(cells, join$by)
    place <- match(levels(key), join$id)
    for (i in seq_along(same)) {
      cells[[same[[i]]]] <<- recode(key, join$attributes[[i]][place])
    }
    key_of[same] <<- list(join$by)
    times <- tabulate(key, nlevels(key))
    lacking <- levels(key)[is.na(place) & times > 0L]
    list(rows = sum(times[is.na(place)]), example = least_key(lacking))
  })
  list(cells = cells, key_of = key_of, found = found_in_joins(found, joins))
}

# The least of some keys in the order of their bytes, but for blank ones.
least_key <- function(keys) {
  keys <- keys[!is_blank(gsub(key_mark, "", keys, fixed = TRUE))]
  if (length(keys) == 0L) NA_character_ else sort(keys, method = "radix")[[1L]]
}

# Of each joined table: `rows` of the orders that have none there, and the least such key.
found_in_joins <- function(found, joins) {
  data.table(
    file = vapply(joins, `[[`, "", "file"),
    by = vapply(joins, \(join) paste(join$by, collapse = ", "), ""),
    rows = vapply(found, \(one) as.double(one$rows), 0),
    example = vapply(found, \(one) one$example, "")
  )
}

# The same of several parts of the rows together, some of which are taken away.
added_joins <- function(parts, sign = rep(1, length(parts))) {
  parts <- Map(\(part, sign) transform(part, rows = sign * rows), parts, sign)
  both <- \(a, b) {
    a$rows <- a$rows + b$rows
    keys <- cbind(a$example, b$example)
    a$example <- apply(keys, 1L, \(keys) least_key(keys[!is.na(keys)]))
    a
  }
  if (length(parts) > 0L && nrow(parts[[1L]]) > 0L) Reduce(both, parts) else parts[[1L]]
}

# A line for each join: how many rows found theirs. A key stands once in it, so no row stands twice.
joins_remark <- function(found, n) {
  if (NROW(found) == 0L) return(NULL)
  remark_table("joins", vapply(seq_len(nrow(found)), \(i) {
    one <- found[i]
    by <- say("%s, joined by %s:", one$file, one$by)
    if (one$rows == 0) return(say("%s all %s of the orders found their row.", by, n_of(n, "row")))
    such <- if (!is.na(one$example)) {
      say(", such as those of %s", dQuote(key_words(one$example), FALSE))
    }
    say(
      "%s %s of the orders found their row, %s did not%s.", by, n_of(n - one$rows, "row"),
      number_text(one$rows), such %||% ""
    )
  }, ""))
}

# The columns of a join under their names beside others: a name in both tables stays the lines' own.
names_beside <- function(join, columns) {
  own <- names(join$attributes)
  ifelse(own %in% columns, paste0(own, " (", join$file, ")"), own)
}

# An amount that stands once per key must not be counted for each of its lines.
check_no_multiplying <- function(columns, key_of, cells, call) {
  for (name in intersect(columns, names(key_of))) {
    key <- key_cells(cells, key_of[[name]])
    if (!all_distinct(key)) {
      twice <- levels(key)[tabulate(key, length(levels(key))) > 1L]
      abort_multiplying(name, key_of[[name]], twice, call)
    }
  }
}

abort_multiplying <- function(name, key, twice, call) {
  key <- paste(key, collapse = ", ")
  twice <- key_words(twice)
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
