# Lines become orders: same order id and customer, or (blank id) same customer and day.

# The rows that count (all where `kept` is NULL), with the mapped columns that later breakdowns may
# ask for, quantities, cost and discount in minor units.
kept_lines <- function(intake, columns, products, meaning, kept) {
  pick <- if (is.null(kept)) identity else \(x) x[kept]
  lines <- lapply(intake$rows, \(x) if (length(x) > 0L) pick(x) else x)
  named <- line_roles(columns)
  for (name in named) {
    lines[[name]] <- blanks_missing(pick(trim_cells(intake$cells[[columns[[name]]]])))
  }
  if (!is.null(products) && "product" %in% named) {
    place <- match(levels(lines$product), products$id)
    for (name in setdiff(names(products$attributes), names(lines))) {
      lines[[name]] <- blanks_missing(recode(lines$product, products$attributes[[name]][place]))
    }
  }
  if (has_role(columns, "quantity")) {
    lines$.quantity <- plain_quantities(pick(role_cells(intake$cells, columns, "quantity")), intake)
  }
  if (has_role(columns, "discount")) {
    lines$.discount <- side_amounts(
      pick(role_cells(intake$cells, columns, "discount")), columns, "discount", intake
    )
  }
  if (has_role(columns, "cost")) {
    lines$.cost <- side_amounts(
      pick(role_cells(intake$cells, columns, "cost")), columns, "cost", intake
    )
  } else if (derives_cost(meaning)) {
    found <- derived_costs(lines, meaning, intake)
    lines$.cost <- found$cost
    attr(lines, "unknown_cost") <- sum(found$unknown)
  }
  lines_by_kind(lines, meaning, c("product", "category", names(products$attributes)))
}

# The mapped columns that become columns of the lines as they are.
line_roles <- function(columns) {
  setdiff(names(columns), c(
    "customer", "order", "date", "sales", "line", "currency", "unit_price", "gross", "discount",
    "quantity", "tax", "shipping", "cost"
  ))
}

# Quantities as plain numbers, to three decimals; what is no number stays as it is written.
plain_quantities <- function(cells, intake) {
  read <- parse_minor(levels(cells), 3L, intake$written$mark)
  number <- format(
    read$units / 1000, digits = 15L, trim = TRUE, scientific = FALSE, drop0trailing = TRUE
  )
  text <- ifelse(read$unreadable, as.character(levels(cells)), number)
  recode(cells, ifelse(read$blank, NA_character_, text))
}

blanks_missing <- function(cells) {
  empty <- is_blank(levels(cells))
  if (!any(empty)) return(cells)
  recode(cells, ifelse(empty, NA_character_, as.character(levels(cells))))
}

# Where no column holds the cost: by sales, or by the cost of a piece.
derives_cost <- function(meaning) !is.null(meaning$cost_rate) || !is.null(meaning$unit_cost)

# The cost of each line in minor units, 0 where it is `unknown`. Only goods cost.
derived_costs <- function(lines, meaning, intake, call = NULL) {
  cost <- if (is.null(meaning$unit_cost)) {
    round(lines$sales * cost_rates(lines, meaning, call))
  } else {
    costs_of_pieces(lines, meaning, intake, call)
  }
  if (!is.null(lines$.kind)) cost[lines$.kind > 0L] <- 0
  list(cost = ifelse(is.na(cost), 0, cost), unknown = is.na(cost))
}

# Pieces times the cost of one; what came back takes its cost with it.
costs_of_pieces <- function(lines, meaning, intake, call) {
  check_columns_exist(meaning$unit_cost, names(lines), "the lines and products", call)
  if (is.null(lines$.quantity)) {
    abort_nubrek(c(
      "{.field unit_cost} is the cost of a piece, and no column holds the pieces.",
      "i" = "Map it: {.code quantity: COLUMN}; or map the cost of the whole line as {.field cost}."
    ), "columns", call = call)
  }
  cells <- lines[[meaning$unit_cost]]
  read <- parse_minor(levels(cells), 6L, intake$written$mark)
  bad <- !read$blank & (read$unreadable | (!is.na(read$units) & read$units < 0))
  if (any(bad)) {
    abort_nubrek(c(
      "{.field {meaning$unit_cost}} must hold the cost of a piece, 0 or more.",
      "x" = "It is {.val {levels(cells)[bad][[1]]}} somewhere."
    ), "amounts", call = call)
  }
  each <- spread(ifelse(read$blank, NA_real_, read$units / 1e6), cells)
  pieces <- suppressWarnings(as.numeric(levels(lines$.quantity)))[cpp_codes(lines$.quantity)]
  round(ifelse(lines$sales < 0, -1, 1) * abs(pieces) * each * 10^intake$decimals)
}

# Cost by sales of each line, missing where it is not known.
cost_rates <- function(lines, meaning, call = NULL) {
  check_columns_exist(meaning$cost_rate, names(lines), "the lines and products", call)
  cells <- lines[[meaning$cost_rate]]
  rate <- suppressWarnings(as.numeric(levels(cells)))
  bad <- !is.na(rate) & (rate < 0 | rate > 1)
  if (any(bad)) {
    abort_nubrek(c(
      "{.field {meaning$cost_rate}} must be cost by sales, from 0 to 1.",
      "x" = "It is {.val {rate[bad][[1]]}} somewhere."
    ), "argument", call = call)
  }
  spread(rate, cells)
}

# Amounts beside the sales: a blank is 0, what cannot be read is an error.
side_amounts <- function(cells, columns, role, intake) {
  read <- parse_minor(levels(cells), intake$decimals, intake$written$mark)
  bad <- rows_where(cells, read$unreadable)
  if (length(bad) > 0L) {
    abort_nubrek(c(
      "{.field {columns[[role]]}} must hold amounts.",
      "x" = "{length(bad)} cannot be read, the first is {.val {cell_text(cells, bad[[1]])}}."
    ), "amounts", call = NULL)
  }
  minor <- spread(ifelse(read$blank, 0, read$units), cells)
  minor[is.na(minor)] <- 0
  minor
}

# Orders with their lines. `late` lines (negative, after the first day of their order) and lines
# that name another order are returns: an order of their own, or, on request, part of the order they
# belong to. Customers are codes into the sorted ids.
form_orders <- function(lines, order_ids, n_customers, meaning) {
  threads <- reading_threads()
  gather <- \(x, at) cpp_gather(x, at, threads)
  minor <- order_units(lines, length(order_ids))
  back <- which(lines$sales < 0 & goods_lines(lines))
  back <- back[lines$order[back] > 0L]
  late <- if (length(back) == 0L) {
    back
  } else {
    start <- cpp_unit_sums(
      minor$unit, minor$n, lines$day, lines$seconds, lines$sales, integer(), threads
    )$start
    back[lines$day[back] > start[minor$unit[back]]]
  }
  linked <- link_returns(lines, meaning, order_ids, minor$unit, late)
  # what is late and goes nowhere is an order of its own, by day
  alone <- setdiff(late, linked$moved_rows)
  apart <- if (length(alone) == 0L && is.null(linked$moved)) {
    minor
  } else {
    day <- integer(length(lines$day))
    day[alone] <- lines$day[alone]
    cpp_number_pairs(linked$unit, day, 0L)
  }
  sums <- cpp_unit_sums(
    apart$unit, apart$n, lines$day, lines$seconds, lines$sales, linked$moved_rows, threads
  )
  customer <- gather(lines$customer, sums$first)
  sorting <- gather(lines$order, sums$first)
  place <- cpp_sort_orders(
    customer, n_customers, sums$start, sums$seconds, sorting, order_ids, threads
  )
  orders <- list(
    customer = gather(customer, place),
    day = gather(sums$start, place),
    sales = gather(sums$sales, place),
    order = order_texts(order_ids, gather(sorting, place)),
    n_lines = gather(sums$rows, place)
  )
  if (".cost" %in% names(lines)) {
    orders$cost <- if (meaning$cost_per == "order") {
      lines$.cost[sums$first][place]
    } else {
      cpp_group_sums(lines$.cost, apart$unit, 0L, apart$n)$sums[place]
    }
  }
  sorted <- cpp_rows_by_unit(apart$unit, place, sums$first, sums$rows)
  rows <- lapply(
    lines[setdiff(names(lines), c("customer", "order", "day", "seconds"))], gather, at = sorted
  )
  rows$number <- cpp_order_of_lines(orders$n_lines)
  list(
    orders = with_free(orders, rows, meaning),
    lines = data.table::setDT(rows),
    spread = sum(sums$last - sums$start > 1L),
    returns_split = length(alone),
    moved = linked$moved,
    no_id = sum(lines$order == 0L),
    unknown_cost = attr(lines, "unknown_cost") %||% 0L
  )
}

# The ids of orders; empty text where there is none.
order_texts <- function(order_ids, code) {
  if (!any(code == 0L)) return(order_ids[code])
  empty <- which(is_blank(order_ids))
  if (length(empty) == 0L) order_ids <- c(as.character(order_ids), "")
  order_ids[ifelse(code == 0L, if (length(empty) == 0L) length(order_ids) else empty[[1L]], code)]
}

# Which unit each line belongs to, and the rows that take no part in the unit's own time (a return
# moved into it does not).
link_returns <- function(lines, meaning, order_ids, unit, late) {
  if (meaning$returns != "with original order") {
    return(list(unit = unit, moved_rows = integer(), moved = NULL))
  }
  back <- which(lines$sales < 0 & goods_lines(lines))
  named <- if ("return_of" %in% names(lines)) back[!is.na(lines$return_of[back])] else integer()
  sold <- which(lines$sales > 0 & lines$order > 0L & goods_lines(lines))
  known <- unique(data.table(
    customer = lines$customer[sold], order = lines$order[sold], unit = unit[sold]
  ))
  target <- match(as.character(lines$return_of[named]), order_ids)
  to <- known[
    data.table(customer = lines$customer[named], order = target), on = c("customer", "order"), unit
  ]
  unit[named[!is.na(to)]] <- to[!is.na(to)]
  home <- setdiff(late, named)
  list(unit = unit, moved_rows = sort(c(named[!is.na(to)], home)), moved = list(
    moved = sum(!is.na(to)) + length(home),
    not_found = sum(is.na(to)),
    unlinked = length(back) - length(named) - length(home)
  ))
}
