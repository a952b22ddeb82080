# Lines become orders: same order id and customer, or (blank id) same customer and day.

# The rows that count, with the mapped columns that later breakdowns may ask for, cost and discount in minor units.
kept_lines <- function(intake, columns, products, meaning, kept) {
  lines <- intake$rows[kept]
  text <- intake$text[kept]
  named <- setdiff(names(columns), c("customer", "order", "date", "sales", "line", "currency", "unit_price", "gross", "discount", "quantity", "tax", "shipping", "cost"))
  for (name in named) lines[, (name) := trim_text(text[[columns[[name]]]])]
  if (!is.null(products) && "product" %in% named) {
    place <- match(lines$product, products$id)
    for (name in setdiff(names(products$attributes), names(lines))) lines[, (name) := products$attributes[[name]][place]]
  }
  if (has_role(columns, "discount")) lines[, .discount := side_amounts(text, columns, "discount", intake)]
  if (has_role(columns, "cost")) lines[, .cost := side_amounts(text, columns, "cost", intake)]
  else if (!is.null(meaning$cost_rate)) {
    check_columns_exist(meaning$cost_rate, names(lines), "the lines and products")
    rate <- suppressWarnings(as.numeric(lines[[meaning$cost_rate]]))
    bad <- !is.na(rate) & (rate < 0 | rate > 1)
    if (any(bad)) abort_nubrek(c("{.field {meaning$cost_rate}} must be cost by sales, from 0 to 1.", "x" = "It is {.val {rate[bad][[1]]}} somewhere."), "argument")
    data.table::set(lines, NULL, ".cost", round(lines$sales * ifelse(is.na(rate), 0, rate)))
  }
  lines
}

# Amounts beside the sales: a blank is 0, what cannot be read is an error.
side_amounts <- function(text, columns, role, intake) {
  read <- parse_minor(role_text(text, columns, role), intake$decimals, intake$written$mark)
  bad <- which(read$unreadable)
  if (length(bad) > 0L) {
    abort_nubrek(c("{.field {columns[[role]]}} must hold amounts.", "x" = "{length(bad)} cannot be read, the first is {.val {role_text(text, columns, role)[bad[[1]]]}}."), "amounts", call = NULL)
  }
  ifelse(read$blank, 0, read$units)
}

# Orders with their lines. `late` lines (negative, after the first day of their order) and lines that name another order are
# returns: an order of their own, or, on request, part of the order they belong to.
form_orders <- function(lines, ids, meaning) {
  lines[, `:=`(code = match(customer, ids), place = seq_len(.N))]
  lines[, key := ifelse(order == "", paste0("\r", day), order)]
  lines[, `:=`(first_day = min(day), entry = TRUE), by = .(code, key)]
  lines[, late := sales < 0 & day > first_day & order != ""]
  moved <- list(moved = 0L, not_found = 0L, unlinked = 0L)
  if (meaning$returns == "with original order") {
    if (!"return_of" %in% names(lines)) lines[, return_of := ""]
    known <- unique(lines[sales > 0, .(code, key)])
    lines[, target := ifelse(is.na(return_of) | return_of == "", "", return_of)]
    lines[, found := FALSE][known, on = c("code", target = "key"), found := TRUE]
    back <- lines$sales < 0
    moved <- list(moved = sum(back & (lines$found | (lines$late & lines$target == ""))), not_found = sum(back & lines$target != "" & !lines$found),
                  unlinked = sum(back & lines$target == "" & !lines$late))
    lines[sales < 0 & found, `:=`(key = target, entry = FALSE)]
    lines[late & !found & target == "", entry := FALSE]
    lines[late & !found & target != "", key := paste0(key, "\r", day)]
    lines[, c("target", "found") := NULL]
  } else {
    lines[late == TRUE, key := paste0(key, "\r", day)]
  }
  spread <- lines[late == FALSE & entry, .(days = max(day) - min(day)), by = .(code, key)][days > 1L, .N]
  entries <- if (all(lines$entry)) lines else lines[entry == TRUE]
  orders <- entries[, .(order = order[[1L]], day = min(day), seconds = min(day * 86400 + seconds)), by = .(code, key)]
  sums <- lines[, .(sales = sum(sales), n_lines = .N), by = .(code, key)]
  orders[sums, on = c("code", "key"), `:=`(sales = i.sales, n_lines = i.n_lines)]
  if (".cost" %in% names(lines)) {
    costs <- if (meaning$cost_per == "order") lines[, .(cost = .cost[[1L]]), by = .(code, key)] else lines[, .(cost = sum(.cost)), by = .(code, key)]
    orders[costs, on = c("code", "key"), cost := i.cost]
  }
  setorderv(orders, c("code", "day", "seconds", "order", "key"))
  orders[, number := seq_len(.N)]
  lines[orders, on = c("code", "key"), number := i.number]
  setorderv(lines, c("number", "place"))
  drop <- c("customer", "order", "day", "seconds", "code", "key", "first_day", "late", "entry", "place")
  unknown_cost <- if (is.null(meaning$cost_rate)) 0L else sum(is.na(suppressWarnings(as.numeric(lines[[meaning$cost_rate]]))))
  list(unknown_cost = unknown_cost, no_id = lines[order == "", .N], orders = orders, lines = lines[, setdiff(names(lines), drop), with = FALSE], spread = spread, returns_split = sum(lines$late & lines$entry), moved = moved)
}
