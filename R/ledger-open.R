#' Turn order lines into a ledger
#'
#' Reads the rows, sets aside with a reason what cannot be used, forms orders and purchases, and sorts them once by customer
#' and time. Everything else in the package starts from the result.
#'
#' @param orders `[character | data.frame]` Paths of CSV or TSV files (also packed with gzip) of one shape, or a data frame, with
#'   one row per order line or per order.
#' @param columns `[nubrek_columns]` From [column_map()].
#' @param meaning `[nubrek_meanings]` From [meanings()].
#' @param customers,products,aliases `[nubrek_table]` From [attribute_table()], or `NULL`. `products` may give a `category`;
#'   `aliases` gives `same_as`, the main id of a customer known under several.
#' @return A `nubrek_ledger`. Its parts are read through functions: [audit()], [set_aside()], [customers()],
#'   [prove_totals()], [remarks()]. Money inside is whole minor units, so sums agree exactly.
#'   Invariant: rows in = rows kept + rows set aside, and so for readable money in each currency.
#' @section Errors: `nubrek_error_file`, `_columns`, `_dates`, `_amounts`, `_currency`, `_join`, `_aliases`, `_no_rows`.
#' @examples
#' lines <- data.frame(who = c("A", "A", "B"), receipt = c("1", "2", "3"),
#'                     on = c("2024-03-05", "2024-04-01", "2024-03-09"), paid = c("12.50", "8.00", "30.00"))
#' open_ledger(lines, column_map(customer = "who", order = "receipt", date = "on", sales = "paid"))
#' @export
open_ledger <- function(orders, columns, meaning = meanings(), customers = NULL, products = NULL, aliases = NULL) {
  throw_unless(checkmate::check_class(columns, "nubrek_columns"), "columns", rlang::current_env())
  throw_unless(checkmate::check_class(meaning, "nubrek_meanings"), "meaning", rlang::current_env())
  for (table in list(customers, products, aliases)) throw_unless(checkmate::check_class(table, "nubrek_table", null.ok = TRUE), "table", rlang::current_env())
  signal_progress("reading orders")
  intake <- take_in_orders(orders, columns, meaning, alias_lookup(aliases))
  reason <- first_fault(intake$faults)
  kept <- which(is.na(reason))
  if (length(kept) == 0L) {
    counts <- sort(table(reason), decreasing = TRUE)
    abort_nubrek(c("No row can be used.", "x" = "{paste0(names(counts), ': ', counts, collapse = ', ')}.",
                   "i" = "Look at the column map and the meanings."), "no_rows", reasons = counts)
  }
  signal_progress("forming orders")
  lines <- kept_lines(intake, columns, products, kept)
  ids <- sort(unique(c(lines$customer, customer_only_ids(customers, aliases, lines$customer))), method = "radix")
  formed <- form_orders(lines, ids)
  new_ledger(formed, ids, meaning, intake, reason, customer_attributes(ids, customers, alias_lookup(aliases)))
}

first_fault <- function(faults) {
  reason <- rep(NA_character_, length(faults[[1L]]))
  for (name in rev(names(faults))) reason[faults[[name]]] <- name
  reason
}

# The rows that count, with the mapped columns that later breakdowns may ask for.
kept_lines <- function(intake, columns, products, kept) {
  lines <- intake$rows[kept]
  keep <- setdiff(names(columns), c("customer", "order", "date", "sales", "line", "currency", "unit_price", "gross", "discount", "quantity"))
  for (name in keep) lines[, (name) := trim_text(intake$text[[columns[[name]]]][kept])]
  if (!is.null(products) && "product" %in% keep) {
    place <- match(lines$product, products$id)
    for (name in setdiff(names(products$attributes), names(lines))) lines[, (name) := products$attributes[[name]][place]]
  }
  lines
}

# Ids that stand only in the customer table: counted once, as customers without a purchase.
customer_only_ids <- function(customers, aliases, known) {
  if (is.null(customers)) return(character())
  setdiff(resolve_aliases(customers$id, alias_lookup(aliases)), known)
}

customer_attributes <- function(ids, customers, lookup) {
  if (is.null(customers)) return(data.table(.none = ids)[, .none := NULL])
  # a customer's own row first, then that of an alias
  place <- match(ids, c(customers$id, resolve_aliases(customers$id, lookup)))
  table <- customers$attributes[(place - 1L) %% length(customers$id) + 1L]
  for (name in names(table)) data.table::set(table, which(is_blank(table[[name]])), name, NA_character_)
  table
}

# Lines become orders: same order id and customer, or (blank id) same customer and day. A negative line dated after its
# order's first day is a return of its own.
form_orders <- function(lines, ids) {
  lines[, `:=`(code = match(customer, ids), place = seq_len(.N))]
  lines[, key := ifelse(order == "", paste0("\r", day), order)]
  lines[, first_day := min(day), by = .(code, key)]
  lines[, late := sales < 0 & day > first_day & order != ""]
  lines[late == TRUE, key := paste0(key, "\r", day)]
  spread <- lines[late == FALSE, .(days = max(day) - min(day)), by = .(code, key)][days > 1L, .N]
  orders <- lines[, .(order = order[[1L]], day = min(day), seconds = min(day * 86400 + seconds), sales = sum(sales), n_lines = .N), by = .(code, key)]
  setorderv(orders, c("code", "day", "seconds", "order"))
  orders[, number := seq_len(.N)]
  lines[orders, on = c("code", "key"), number := i.number]
  setorderv(lines, c("number", "place"))
  list(orders = orders, lines = lines[, setdiff(names(lines), c("customer", "order", "day", "seconds", "code", "key", "first_day", "late", "place")), with = FALSE],
       spread = spread, returns_split = lines[late == TRUE, .N])
}

new_ledger <- function(formed, ids, meaning, intake, reason, attributes) {
  orders <- formed$orders
  last <- as.Date(max(orders$day), origin = "1970-01-01")
  start <- meaning$history_start %||% as.Date(min(orders$day), origin = "1970-01-01")
  as_of <- meaning$as_of %||% last
  early <- orders$day < as.integer(start)
  if (all(early)) abort_nubrek(c("No order is left after {.arg history_start}.", "x" = "The last one is of {format(last)}."), "no_rows")
  # purchases from before the history only tell who is not new, and how much money stays outside
  before <- list(customer = orders$code[early], day = orders$day[early], sales = orders$sales[early], n_lines = orders$n_lines[early])
  used <- orders[!early]
  numbers <- match(formed$lines$number, used$number)
  lines <- formed$lines[!is.na(numbers)][, number := numbers[!is.na(numbers)]]
  rows <- list(customer = used$code, day = used$day, sales = used$sales, order = used$order, n_lines = used$n_lines)
  days <- cpp_merge_days(rows$customer, rows$day, rows$sales)
  bought <- rows$sales > 0
  purchases <- if (meaning$purchase_unit == "day") days else lapply(rows[c("customer", "day", "sales")], `[`, bought)
  structure(list(orders = rows, purchases = purchases, days = days, before = before, lines = lines, ids = ids, attributes = attributes,
                 history_start = start, as_of = as_of, meaning = meaning, currency = intake$currency, decimals = intake$decimals,
                 intake = summarise_intake(intake, reason)),
            remarks = ledger_remarks(formed, intake, reason, start, as_of, meaning), class = "nubrek_ledger")
}

ledger_basis <- function(ledger) {
  list(as_of = ledger$as_of, history_start = ledger$history_start, currency = ledger$currency, decimals = ledger$decimals,
       purchase_unit = ledger$meaning$purchase_unit)
}

n_customers <- function(ledger) length(ledger$ids)

# Minor units to what people read.
major <- function(ledger, units) units / 10^ledger$decimals

ledger_remarks <- function(formed, intake, reason, start, as_of, meaning) {
  days <- sort(unique(formed$orders$day))
  n <- length(days)
  rbind(remark_table(), intake$read$remarks,
    if (is.null(meaning$history_start)) remark_table("history start", sprintf(
      "The data begin on %s; the first cohorts may hold customers from before. Set history_start if the export begins on another day.", start)),
    if (n >= 3L && days[[n]] - days[[n - 1L]] > max(30L, 5L * max(diff(days[-n])))) remark_table("as of", sprintf(
      "The last day (%s) stands alone, %d days after the one before: a wrong date? Set as_of if it is.", as_of, days[[n]] - days[[n - 1L]])),
    if (formed$spread > 0L) remark_table("orders", sprintf("%s with lines spread over more than a day; each counts on its first day.", n_of(formed$spread, "order"))),
    if (formed$returns_split > 0L) remark_table("returns", sprintf(
      "%s dated after the first day of the order, counted as returns on their own day.", n_of(formed$returns_split, "negative line"))),
    if (any(intake$fractions & is.na(reason))) remark_table("amounts", sprintf(
      "%s with fractions of the minor unit, each rounded half to even.", n_of(sum(intake$fractions & is.na(reason)), "line"))),
    if (any(intake$suspects & is.na(reason))) remark_table("equal lines", sprintf(
      "%s equal to another line of the same order, kept: two equal items, or a double export?", n_of(sum(intake$suspects & is.na(reason)), "line"))),
    partly_kept_remark(intake, reason))
}

partly_kept_remark <- function(intake, reason) {
  rows <- intake$rows[, .(customer, order, aside = !is.na(reason) & reason != "duplicate", duplicate = reason %in% "duplicate")]
  partly <- rows[order != "" & !duplicate, .(some = any(aside) && !all(aside)), by = .(customer, order)][some == TRUE, .N]
  if (partly > 0L) remark_table("partly kept", sprintf("%s kept without a line that was set aside.", n_of(partly, "order")))
}
