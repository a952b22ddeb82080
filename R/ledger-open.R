#' Turn order lines into a ledger
#'
#' Reads the rows, sets aside with a reason what cannot be used, forms orders and purchases, and
#' sorts them once by customer and time. Everything else in the package starts from the result.
#'
#' @param orders `[character | data.frame | list]` Paths or globs of CSV, TSV (also packed with
#'   gzip), Parquet or XLSX files of one shape, or a data frame, with one row per order line or per
#'   order; or a list of such. Or, alone, a folder that [save_ledger()] made.
#' @param columns `[nubrek_columns]` From [column_map()].
#' @param meaning `[nubrek_meanings]` From [meanings()].
#' @param customers,products,aliases `[nubrek_table]` From [attribute_table()], or `NULL`.
#'   `products` may give a `category`; `aliases` gives `same_as`, the main id of a customer known
#'   under several.
#' @param joins `[list]` Of [join_table()]s: other tables whose columns belong to the lines.
#' @param rates `[nubrek_rates]` From [currency_rates()]: converts foreign rows instead of setting
#'   them aside.
#' @param bands `[list]` Named [band()]s: numbers and dates cut into groups for breakdowns.
#' @param format `[nubrek_format]` From [file_format()].
#' @param workspace `[character(1)]` For orders from [db_table()]: they stay in the database, folded
#'   there into orders, lines and purchase days, in tables of a schema of this name (see
#'   [close_ledger()]) or in `"temporary"` ones, which go with the connection. `"none"`: nothing is
#'   written, and each question folds all rows anew, which takes its time. Default `NULL`: the rows
#'   are fetched. A list of tables, each by a connection of its own, are servers of one engine that
#'   hold the orders of some customers each; every server folds and reduces its own.
#' @param connection `[DBIConnection | list]` With a folder whose ledger stays in a database: how to
#'   reach that; of several servers a list, in the order in which it was opened.
#' @return A `nubrek_ledger`. Its parts are read through functions: [audit()], [set_aside()],
#'   [customers()], [prove_totals()], [remarks()], [identity_suspects()], [identified_share()].
#'   Money inside is whole minor units, so sums agree exactly. Invariant: rows in = rows kept + rows
#'   set aside, and so for readable money in each currency.
#' @section Errors: `nubrek_error_file`, `_columns`, `_dates`, `_amounts`, `_currency`, `_join`,
#'   `_aliases`, `_conflict`, `_no_rows`.
#' @section Speed: Regular text files are read by all threads of the machine;
#'   `options(nubrek.threads = 1)` sets another number. The result does not depend on it. A long
#'   read can be interrupted at any time.
#' @examples
#' lines <- data.frame(
#'   who = c("A", "A", "B"),
#'   receipt = c("1", "2", "3"),
#'   on = c("2024-03-05", "2024-04-01", "2024-03-09"),
#'   paid = c("12.50", "8.00", "30.00")
#' )
#' open_ledger(lines, column_map(customer = "who", order = "receipt", date = "on", sales = "paid"))
#' @export
open_ledger <- function(
  orders, columns, meaning = meanings(), customers = NULL, products = NULL, aliases = NULL,
  joins = list(), rates = NULL, bands = list(), format = file_format(), workspace = NULL,
  connection = NULL
) {
  if (missing(columns) && is_saved_ledger(orders)) return(open_saved_ledger(orders, connection))
  origin <- origin_of(rlang::current_env())
  check_opening(origin, meaning, bands)
  if (!is.null(workspace)) {
    return(open_in_database(orders, workspace, origin, meaning, bands, rlang::current_env()))
  }
  orders <- fetched(orders)
  signal_progress("reading orders")
  lookup <- alias_lookup(aliases)
  read <- read_cells(orders, format, rlang::current_env())
  columns <- origin$columns
  customers <- origin$customers
  intake <- take_in_orders(read, columns, meaning, lookup, origin$joins, rates)
  rm(read)
  aside <- first_faults(intake$faults)
  check_some_left(intake, aside)
  signal_progress("forming orders")
  kept <- if (length(aside$rows) > 0L) seq_len(intake$n)[-aside$rows]
  lines <- kept_lines(intake, columns, origin$products, meaning, kept)
  known <- sorted_ids(intake$people, lines$customer, customers, lookup)
  lines$customer <- known$code[lines$customer]
  formed <- form_orders(lines, intake$order_ids, length(known$ids), meaning)
  rm(lines)
  ledger <- new_ledger(
    formed, known$ids, meaning, intake, aside, customer_attributes(known$ids, customers, lookup)
  )
  ledger <- with_beside(ledger, meaning, bands, lookup)
  ledger$source <- c(list(orders = located(orders)), origin)
  ledger
}

# What a ledger is made from beside its rows, from the arguments of a function that makes one.
origin_of <- function(arguments) {
  origin <- mget(
    c("columns", "customers", "products", "aliases", "joins", "rates", "format"), arguments
  )
  origin$joins <- as_joins(origin$joins)
  with_free_names(origin)
}

as_joins <- function(joins) if (inherits(joins, "nubrek_join")) list(joins) else joins

# What is known beside the rows: first purchases from before, bands, aliases.
with_beside <- function(ledger, meaning, bands, lookup) {
  check_consent(ledger)
  ledger <- know_first_purchases(ledger, meaning)
  names(bands) <- free_names(names(bands), "customer")
  ledger$bands <- bands
  attr(ledger, "remarks") <- rbind(
    remarks(ledger), renamed_remark(c(attribute_names(ledger), line_columns(ledger))),
    day_remarks(ledger)
  )
  for (name in names(bands)) {
    band_values(ledger, name)
  } # a band that cannot be cut is said now
  if (length(lookup) > 0L) ledger$aliases <- lookup
  ledger
}

check_opening <- function(source, meaning, bands, call = rlang::caller_env()) {
  is_a <- \(x, class, arg, null = TRUE) {
    throw_unless(checkmate::check_class(x, class, null.ok = null), arg, call)
  }
  is_a(source$columns, "nubrek_columns", "columns", FALSE)
  is_a(meaning, "nubrek_meanings", "meaning", FALSE)
  for (table in source[c("customers", "products", "aliases")]) {
    is_a(table, "nubrek_table", "customers, products, aliases")
  }
  is_a(source$rates, "nubrek_rates", "rates")
  is_a(source$format, "nubrek_format", "format", FALSE)
  throw_unless(checkmate::check_list(source$joins, types = "nubrek_join"), "joins", call)
  throw_unless(
    checkmate::check_list(bands, types = "nubrek_band", names = if (length(bands) > 0L) "unique"),
    "bands",
    call
  )
}

check_some_left <- function(intake, aside, call = rlang::caller_env()) {
  if (length(aside$rows) < intake$n) return(invisible())
  abort_none_left(sort(table(aside$reason), decreasing = TRUE), call)
}

abort_none_left <- function(counts, call) {
  abort_nubrek(c(
    "No row can be used.",
    "x" = "{paste0(names(counts), ': ', counts, collapse = ', ')}.",
    "i" = "Look at the column map and the meanings."
  ), "no_rows", reasons = counts, call = call)
}

# The ids of customers with a row that counts, and of those who stand only in the customer table,
# sorted by their bytes; the code of each text.
sorted_ids <- function(people, used, customers, lookup) {
  place <- which(tabulate(used, length(people)) > 0L)
  ids <- people[place]
  extra <- customer_only_ids(customers, lookup, ids)
  if (length(extra) > 0L) ids <- c(ids, extra)
  sorted <- cpp_order_texts(ids)
  code <- integer(length(people))
  code[place] <- match(seq_along(place), sorted)
  list(ids = ids[sorted], code = code)
}

# Ids that stand only in the customer table: counted once, as customers without a purchase.
customer_only_ids <- function(customers, lookup, known) {
  if (is.null(customers)) return(character())
  setdiff(unique(resolve_aliases(customers$id, lookup)), as.character(known))
}

customer_attributes <- function(ids, customers, lookup) {
  if (is.null(customers)) return(data.table())
  # a customer's own row first, then that of an alias
  place <- match(ids, c(customers$id, resolve_aliases(customers$id, lookup)))
  rows <- customers$attributes[(place - 1L) %% length(customers$id) + 1L]
  for (name in names(rows)) {
    data.table::set(rows, which(is_blank(rows[[name]])), name, NA_character_)
  }
  rows
}

new_ledger <- function(formed, ids, meaning, intake, aside, attributes) {
  orders <- formed$orders
  span <- ledger_span(meaning, range(orders$day))
  least <- least_units(meaning, intake$decimals)
  rows <- from_start(formed, orders$day < as.integer(span$start))
  ledger <- structure(c(rows, list(
    ids = ids,
    attributes = attributes,
    least = least,
    known_first = first_before(rows$before, least, length(ids)),
    history_start = span$start,
    as_of = span$as_of,
    meaning = meaning,
    currency = intake$currency,
    decimals = intake$decimals,
    day_order = intake$written$dates,
    bands = list(),
    intake = summarise_intake(intake, aside),
    returns = formed$moved
  )), class = c("nubrek_memory", "nubrek_ledger"))
  attr(ledger, "remarks") <- ledger_remarks(
    formed,
    intake,
    told_of_rows(formed, intake, aside),
    ledger$intake,
    span$start,
    span$as_of,
    meaning
  )
  fill_purchases(ledger)
}

# The first and the last day that the history covers, of orders between two days.
ledger_span <- function(meaning, days, call = rlang::caller_env()) {
  days <- as.Date(days, origin = "1970-01-01")
  start <- meaning$history_start %||% days[[1L]]
  last <- days[[2L]]
  if (last < start) {
    abort_nubrek(c(
      "No order is left after {.arg history_start}.", "x" = "The last one is of {format(last)}."
    ), "no_rows", call = call)
  }
  list(start = start, as_of = meaning$as_of %||% last)
}

# Orders, lines and, apart from them, the early orders: purchases from before the history only tell
# who is not new, and how much money stays outside.
from_start <- function(formed, early) {
  orders <- formed$orders
  before <- lapply(orders[intersect(before_columns, names(orders))], `[`, which(early))
  lines <- formed$lines
  if (any(early)) {
    place <- cumsum(!early)
    inside <- which(!early[lines$number])
    orders <- lapply(orders, `[`, !early)
    lines <- lines[inside]
    data.table::set(lines, NULL, "number", place[lines$number])
  }
  list(orders = orders, before = before, lines = lines)
}

before_columns <- c("customer", "day", "sales", "n_lines", "free")

first_before <- function(before, least, n) {
  bought <- is_purchase(list(least = least), before)
  earliest_day(before$customer[bought], before$day[bought], n)
}

# Purchases and purchase days, from the orders.
fill_purchases <- function(ledger) {
  rows <- ledger$orders
  bought <- is_purchase(ledger, rows)
  rows <- rows[c("customer", "day", "sales")]
  if (!all(bought)) rows <- lapply(rows, `[`, bought)
  ledger$days <- cpp_merge_days(rows$customer, rows$day, rows$sales)
  ledger$purchases <- if (ledger$meaning$purchase_unit == "day") ledger$days else rows
  ledger
}

# The earliest of the days of each customer, NA without one.
earliest_day <- function(customer, day, n) {
  result <- rep(NA_integer_, n)
  if (length(customer) == 0L) return(result)
  seen <- data.table(customer, day)[, .(day = min(day)), by = customer]
  result[seen$customer] <- seen$day
  result
}

# True first purchases that the user knows, from before the data.
know_first_purchases <- function(ledger, meaning) {
  if (!is.null(meaning$first_purchase_known)) {
    ledger$known_first <- pmin(
      ledger$known_first, attribute_day(ledger, meaning$first_purchase_known), na.rm = TRUE
    )
  }
  if (!is.null(meaning$registered)) attribute_day(ledger, meaning$registered)
  ledger
}

# A customer attribute read as days; what cannot be read as one is an error, blanks are NA.
attribute_day <- function(ledger, name, call = rlang::caller_env()) {
  name <- own_name(name, names(ledger$attributes))
  check_columns_exist(name, names(ledger$attributes), "the customer table", call)
  text <- ledger$attributes[[name]]
  day <- read_days(ifelse(is.na(text), "", text), name, ledger$meaning, call = call)$day
  bad <- which(is.na(day) & !is.na(text))
  if (length(bad) > 0L) {
    abort_nubrek(c("{.field {name}} must hold days.", "x" = paste0(
      "Customer {.val {ledger$ids[bad[[1]]]}} has {.val {text[bad[[1]]]}}, {length(bad)} in ",
      "all."
    )), "dates", call = call)
  }
  day
}

n_customers <- function(ledger) length(ledger$ids)

# Minor units to what people read.
major <- function(ledger, units) units / 10^ledger$decimals
