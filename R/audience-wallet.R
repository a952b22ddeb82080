#' Our share of each customer
#'
#' From a panel (or a partner's data) that says what customers bought of every seller: our share of
#' each, whom to hold, widen and reach, and what is still with others (definition 56).
#'
#' @param panel `[data.frame | character(1)]` One row per customer and seller (and category, day),
#'   or a file with such rows. Rows without a customer, a seller or an amount of money are left out
#'   and told; sellers whose names differ by capitals and blanks alone are one.
#' @param ours `[character(1)]` Our name among the sellers.
#' @param columns `[character]` Which column is the `customer`, the `seller`, the `units`, the
#'   `money` (major units), and where there is one the `category`. `units` may be lacking.
#' @param category `[character]` Only rows of these categories.
#' @param audience `[nubrek_audience]` Only these customers.
#' @param ledger `[nubrek_ledger]` Our own: how far the panel tells what we know, and attributes for
#'   `by`. Ids of the panel follow its aliases; money has the decimals of its currency.
#' @param by `[character(1)]` A column of the panel that says what kind of customer somebody is
#'   (`"age_band"`), or a customer attribute of the ledger: who buys of us in each of its levels.
#'   The panel also knows those who do not; where it has a column of that name, that one counts.
#' @param weights `[character(1)]` The panel's column with the weight of each customer, how many
#'   people he stands for: all shares, sellers and levels count by it.
#' @param during `[character]` The part of time of the panel, to compare it with the ledger.
#' @param hold `[double(1)]` From this share of the money on a customer is to be held.
#' @param decimal_mark `[character(1)]` `"."` or `","`, of amounts in a file.
#' @return A `nubrek_wallet`, one row per customer: `customer`; `units`, `units_all`, `share_units`;
#'   `money`, `money_all`, `share_money`, ours and of all sellers, shares missing where nothing was
#'   bought of anybody; `class` (`"hold"` from the cut on, `"widen"` below it, `"reach"` who buys of
#'   others alone); `elsewhere`, money with others; `weight`, where there is one. Sorted by class,
#'   then by all their money. [wallet_sellers()] has all sellers. The basis has `of_ours`, our share
#'   of our customers, and `of_all`. Invariant: `money_all` adds up to the panel.
#' @section Errors: `nubrek_error_value` where `ours` is no seller, with the nearest name, or a
#'   customer has two weights or two levels; `nubrek_error_amounts` where an amount or a weight
#'   cannot be read.
#' @examples
#' panel <- data.frame(
#'   customer = c("A", "A", "B", "C"), seller = c("we", "they", "we", "they"),
#'   units = c(3, 1, 2, 5), money = c(30, 20, 25, 60)
#' )
#' wallet_share(panel, "we")
#' @export
wallet_share <- function(
  panel, ours, columns = c(
    customer = "customer", seller = "seller", units = "units", money = "money",
    category = "category"
  ),
  category = NULL, audience = NULL, ledger = NULL, by = NULL, during = NULL, hold = 0.8,
  decimal_mark = ".", weights = NULL
) {
  check_text(ours)
  check_text(by, null = TRUE)
  check_text(weights, null = TRUE)
  check_share(hold)
  check_choice(decimal_mark, c(".", ","))
  throw_unless(
    checkmate::check_class(audience, "nubrek_audience", null.ok = TRUE),
    "audience",
    rlang::current_env()
  )
  if (!is.null(ledger)) check_ledger(ledger)
  digits <- if (is.null(ledger)) 2L else ledger$decimals
  rows <- panel_rows(panel, columns, decimal_mark, digits, by, weights)
  if (!is.null(by) && !"level" %in% names(rows)) {
    if (is.null(ledger)) check_columns_exist(by, attr(rows, "columns"), "the panel")
    by <- meant_attributes(ledger, by)
  }
  if (!is.null(ledger$aliases)) {
    data.table::set(rows, j = "customer", value = resolve_aliases(rows$customer, ledger$aliases))
  }
  left_out <- attr(rows, "left_out")
  told <- one_name_each(rows, ours)
  check_values(ours, unique(rows$seller), "ours")
  if (!is.null(category)) {
    check_values(category, unique(rows$category), "category")
    keep <- rows$category %in% category
    rows <- rows[keep]
  }
  if (!is.null(audience)) {
    keep <- rows$customer %in% audience$customer
    rows <- rows[keep]
  }
  if (nrow(rows) == 0L) abort_nubrek("No row of the panel is left.", "value")
  for (word in intersect(c("weight", "level"), names(rows))) check_one_each(rows, word, by, weights)
  each <- wallet_of_each(rows, ours, hold, 10^digits)
  ours_too <- each$money > 0
  weight <- each$weight %||% rep(1, length(each$customer))
  currency <- if (is.null(ledger)) "" else ledger$currency
  new_result(
    each[setdiff(names(each), "level")],
    "wallet",
    remarks = rbind(panel_remarks(left_out), told),
    basis = list(
      ours = ours,
      category = category,
      hold = hold,
      by = by,
      as_of = NULL,
      currency = currency,
      decimals = digits,
      weights = weights,
      of_ours = sum((weight * each$money)[ours_too]) / sum((weight * each$money_all)[ours_too]),
      of_all = sum(weight * each$money) / sum(weight * each$money_all),
      kinds = c(
        units = "decimal", units_all = "decimal", share_units = "share", share_money = "share",
        money_all = "money", elsewhere = "money", weight = "decimal"
      )
    ),
    sellers = wallet_of_sellers(rows, each$customer[ours_too], 10^digits),
    groups = if (!is.null(by)) wallet_of_groups(each, ledger, by, weight),
    coverage = if (!is.null(ledger)) wallet_coverage_of(each, ledger, during)
  )
}

# The rows of a panel with plain columns; money in the smallest units of the currency. Rows that
# lack a customer, a seller or the money are left out: a blank is not nothing.
panel_rows <- function(
  panel, columns, decimal_mark, digits, by = NULL, weights = NULL, call = rlang::caller_env()
) {
  panel <- fetched(panel, call)
  if (is.character(panel)) {
    read <- read_source(panel, file_format())
    table <- as.data.frame(lapply(read$table, as.character), optional = TRUE)
  } else {
    throw_unless(checkmate::check_data_frame(panel, min.rows = 1L), "panel", call)
    table <- as.data.frame(panel)
  }
  needed <- c(columns[intersect(c("customer", "seller", "money"), names(columns))], weights)
  check_columns_exist(needed, names(table), "the panel", call)
  amount <- \(name, digits) {
    x <- table[[name]]
    # numbers are rounded like the same numbers as text
    mark <- if (is.numeric(x)) "." else decimal_mark
    if (is.numeric(x)) x <- ifelse(is.na(x), "", sprintf("%.15g", x))
    read <- parse_minor(as.character(x), digits, mark)
    wrong <- read$unreadable | (name %in% weights & (read$blank | read$units < 0))
    if (any(wrong)) {
      row <- which(wrong)[[1L]]
      what <- if (name %in% weights) "weights, 0 or more" else "amounts"
      abort_nubrek(c(
        "{.field {name}} must hold {what}.", "x" = "Row {row} says {.val {x[[row]]}}."
      ), "amounts", call = call)
    }
    ifelse(read$blank, NA_real_, read$units)
  }
  there <- \(role) role %in% names(columns) && columns[[role]] %in% names(table)
  text <- \(role) trim_text(as.character(table[[columns[[role]]]]))
  rows <- data.table(
    customer = text("customer"),
    seller = text("seller"),
    units = if (there("units")) amount(columns[["units"]], 3L) / 1000 else NA_real_,
    money = amount(columns[["money"]], digits),
    category = if (there("category")) text("category") else "",
    weight = if (!is.null(weights)) amount(weights, 6L) / 1e6,
    level = if (any(by %in% names(table))) {
      level <- trim_text(as.character(table[[by]]))
      with_missing(replace(level, is_blank(level), NA))
    }
  )
  nobody <- is_blank(rows$customer) | is_blank(rows$seller)
  unpaid <- is.na(rows$money)
  left_out <- c(nobody = sum(nobody), money = sum(unpaid & !nobody))
  rows <- rows[!nobody & !unpaid]
  if (there("units")) data.table::set(rows, which(is.na(rows$units)), "units", 0)
  structure(rows, left_out = left_out, columns = names(table))
}

# What describes a customer is the same in all rows of his.
check_one_each <- function(rows, word, by, weights, call = rlang::caller_env()) {
  values <- unique(rows, by = c("customer", word))
  twice <- values$customer[duplicated(values$customer)]
  if (length(twice) == 0L) return(invisible())
  found <- as.character(values[[word]][values$customer == twice[[1L]]])
  abort_nubrek(c(
    "A customer of the panel has one {.field {if (word == 'weight') weights else by}}.",
    "x" = "Customer {.val {twice[[1L]]}} has {.val {found}}.",
    "i" = "Give each customer the same in all rows."
  ), "value", call = call)
}

panel_remarks <- function(left) {
  words <- c(nobody = "without a customer or a seller", money = "without an amount of money")
  left <- left[left > 0L]
  if (length(left) == 0L) return(NULL)
  remark_table("panel", vapply(names(left), \(why) {
    say(
      "%s of the panel %s %s left out.", n_of(left[[why]], "row"), words[[why]],
      if (left[[why]] == 1L) "is" else "are"
    )
  }, ""))
}

# Sellers whose names differ by capitals and blanks alone are one, under our name or the most common
# spelling; rows are changed in place, and what was done is told.
one_name_each <- function(rows, ours) {
  counts <- rows[, .N, keyby = seller][order(-N, seller)]
  counts <- rbind(counts[seller == ours], counts[seller != ours])
  counts[, whole := seller[[1L]], by = .(tolower(gsub("\\s+", " ", seller)))]
  other <- counts[seller != whole]
  if (nrow(other) == 0L) return(NULL)
  data.table::set(rows, j = "seller", value = counts$whole[match(rows$seller, counts$seller)])
  remark_table("panel", say(
    "Spellings of one seller: %s.",
    paste0("\u201c", other$seller, "\u201d is \u201c", other$whole, "\u201d", collapse = ", ")
  ))
}

wallet_of_each <- function(rows, ours, hold, unit) {
  each <- rows[,
    .(
      units = sum(units[seller == ours]),
      units_all = sum(units),
      money = sum(money[seller == ours]),
      money_all = sum(money)
    ),
    by = customer
  ]
  first <- match(each$customer, rows$customer)
  share <- each[, ifelse(money_all > 0, money / money_all, NA_real_)]
  class <- ifelse(share >= hold, "hold", ifelse(share > 0, "widen", "reach"))
  sorting <- order(match(class, c("hold", "widen", "reach")), -each$money_all, each$customer)
  c(list(
    customer = each$customer,
    units = each$units,
    units_all = each$units_all,
    share_units = each[, ifelse(!is.na(units_all) & units_all > 0, units / units_all, NA_real_)],
    money = each$money / unit,
    money_all = each$money_all / unit,
    share_money = share,
    class = class,
    elsewhere = (each$money_all - each$money) / unit
  ), lapply(rows[, intersect(c("weight", "level"), names(rows)), with = FALSE], `[`, first)) |>
    lapply(`[`, sorting)
}
