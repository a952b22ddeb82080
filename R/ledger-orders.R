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
  code <- match(lines$customer, ids)
  names_of <- sort(unique(lines$order), method = "radix")
  # order ids as numbers in their C-locale order; a blank id is the day
  order_code <- match(lines$order, names_of)
  no_id <- lines$order == ""
  order_code[no_id] <- -1000000L - lines$day[no_id]
  time <- lines$day * 86400 + lines$seconds
  units <- cpp_number_pairs(code, order_code)
  start <- cpp_unit_sums(units$unit, units$n, time, lines$sales, rep(TRUE, nrow(lines)))$start
  late <- lines$sales < 0 & lines$day > floor(start[units$unit] / 86400) & !no_id
  linked <- link_returns(lines, meaning, code, order_code, names_of, units, late)
  # what is late and goes nowhere is an order of its own, by day
  apart <- cpp_number_pairs(linked$unit, ifelse(late & linked$entry, lines$day, 0L))
  unit <- apart$unit
  sums <- cpp_unit_sums(unit, apart$n, time, lines$sales, linked$entry)
  day <- as.integer(floor(sums$start / 86400))
  at <- data.table(unit = seq_len(apart$n), code = code[sums$first], order_code = order_code[sums$first], day, time = sums$start)
  setorderv(at, c("code", "time", "order_code", "unit"))
  orders <- data.table(number = seq_len(apart$n), code = at$code, day = at$day, order = lines$order[sums$first[at$unit]], sales = sums$sales[at$unit], n_lines = sums$rows[at$unit])
  if (".cost" %in% names(lines)) {
    cost <- if (meaning$cost_per == "order") lines$.cost[sums$first] else rowsum(lines$.cost, unit)[, 1L]
    orders[, cost := cost[at$unit]]
  }
  number <- integer(apart$n)
  number[at$unit] <- seq_len(apart$n)
  number <- number[unit]
  spread <- sum(floor(sums$last / 86400) - floor(sums$start / 86400) > 1)
  keep <- setdiff(names(lines), c("customer", "order", "day", "seconds"))
  sorted <- order(number, method = "radix")
  rows <- lines[sorted, keep, with = FALSE][, number := number[sorted]]
  unknown_cost <- if (is.null(meaning$cost_rate)) 0L else sum(is.na(suppressWarnings(as.numeric(lines[[meaning$cost_rate]]))))
  list(orders = orders, lines = rows, spread = spread, returns_split = sum(late & linked$entry), moved = linked$moved, no_id = sum(no_id), unknown_cost = unknown_cost)
}

# Which unit each line belongs to, and whether it takes part in the unit's own time (a return moved into it does not).
link_returns <- function(lines, meaning, code, order_code, names_of, units, late) {
  unit <- units$unit
  entry <- rep(TRUE, nrow(lines))
  if (meaning$returns != "with original order") return(list(unit = unit, entry = entry, moved = NULL))
  target <- if ("return_of" %in% names(lines)) lines$return_of else rep("", nrow(lines))
  target[is.na(target)] <- ""
  back <- lines$sales < 0
  sold <- which(lines$sales > 0 & order_code > 0L)
  known <- unique(data.table(code = code[sold], order_code = order_code[sold], unit = unit[sold]))
  asked <- which(back & target != "")
  to <- known[data.table(code = code[asked], order_code = match(target[asked], names_of)), on = c("code", "order_code"), unit]
  unit[asked[!is.na(to)]] <- to[!is.na(to)]
  home <- late & target == ""
  entry[asked[!is.na(to)]] <- FALSE
  entry[home] <- FALSE
  list(unit = unit, entry = entry, moved = list(moved = sum(!is.na(to)) + sum(home), not_found = sum(is.na(to)), unlinked = sum(back & target == "" & !late)))
}
