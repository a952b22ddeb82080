#' A part of a ledger that is a ledger again
#'
#' By lines (a product group, a shop), customers (a town, an age band) or time. What "first
#' purchase" means is said: with `first = "any"` a customer who bought anything before is not new in
#' the slice; with `"within"` only purchases inside the slice count.
#'
#' @param ledger `[nubrek_ledger]`
#' @param lines `[list]` Values to keep by mapped line column, such as `list(category = "Yarn")`. An
#'   order counts with its lines inside, and is a purchase where they are worth more than 0.
#' @param customers `[list]` Values to keep by customer attribute, such as `list(town = c("Carrow",
#'   "(missing)"))`.
#' @param from,until `[Date(1)]` First and last day to keep.
#' @param first `[character(1)]` `"within"` (default) or `"any"`, as `scope` in [new_returning()].
#' @return A `nubrek_ledger`. [prove_totals()] has a line for the money outside the slice.
#' @examples
#' web <- ledger_slice(example_ledger(), lines = list(channel = "Web"), until = "2024-12-31")
#' repeat_rate(web)
#' @export
ledger_slice <- function(
  ledger, lines = list(), customers = list(), from = NULL, until = NULL, first = "within"
) {
  check_ledger(ledger)
  check_choice(first, c("any", "within"))
  for (part in list(lines, customers)) {
    throw_unless(
      checkmate::check_list(part, names = if (length(part) > 0L) "unique"),
      "lines, customers",
      rlang::current_env()
    )
  }
  from <- check_day(from) %||% ledger$history_start
  until <- check_day(until) %||% ledger$as_of
  if (from > until) {
    abort_nubrek(c(
      "{.arg from} must not be after {.arg until}.",
      "x" = "{format(from)} is after {format(until)}."
    ), "argument")
  }
  if (length(lines) > 0L) check_lines_wanted(ledger, lines)
  chosen <- if (length(customers) > 0L) customers_with(ledger, customers)
  result <- cut_ledger(ledger, lines, chosen, from, until)
  if (reduce_size(result)$orders == 0) abort_nubrek("Nothing is left in this slice.", "no_rows")
  result$source <- result$made_from <- NULL
  result$history_start <- max(from, ledger$history_start)
  result$as_of <- min(until, ledger$as_of)
  # what came before the slice decides who is not new, if it is to count
  result$known_first <- if (first == "any") {
    first_purchase_day(ledger)
  } else {
    rep(NA_integer_, n_customers(ledger))
  }
  result$attributes <- data.table::copy(ledger$attributes)
  words <- sprintf(
    "A slice: %s. First purchase means first %s.",
    paste(c(
      if (length(lines) > 0L) paste0("lines with ", words_of(lines)),
      if (length(customers) > 0L) paste0("customers with ", words_of(customers)),
      paste(format_day(result$history_start), "to", format_day(result$as_of))
    ), collapse = ", "),
    if (first == "any") "of anything" else "inside the slice"
  )
  attr(result, "remarks") <- rbind(remark_table("slice", words), remarks(ledger))
  result
}

# The ledger with the rows of a slice alone.
cut_ledger <- function(ledger, lines, chosen, from, until) UseMethod("cut_ledger")

#' @export
cut_ledger.nubrek_ledger <- function(ledger, lines, chosen, from, until) {
  change_parts(ledger, \(part, codes) cut_part(part, lines, of_part(chosen, codes), from, until))
}

# The rows of a slice: orders between two days, of the customers `chosen` (all if NULL), with what
# is left of their lines.
cut_part <- function(ledger, lines, chosen, from, until) {
  inside <- ledger$orders$day >= as.integer(from) & ledger$orders$day <= as.integer(until)
  if (!is.null(chosen)) inside <- inside & chosen[ledger$orders$customer]
  keep <- inside[ledger$lines$number]
  if (length(lines) == 0L) return(cut_orders(ledger, inside, keep))
  cut_lines(ledger, keep & lines_in(ledger, lines))
}

# Which lines, and which customers, have one of the values asked for in every attribute.
check_lines_wanted <- function(ledger, wanted, call = rlang::caller_env()) {
  check_columns_exist(names(wanted), line_columns(ledger), "the lines", call)
  for (name in names(wanted)) {
    check_values(wanted[[name]], line_values(ledger, name), name, call = call)
  }
}

lines_in <- function(ledger, wanted) {
  Reduce(`&`, lapply(
    names(wanted), \(name) line_in(ledger$lines[[name]], as.character(wanted[[name]]))
  ))
}

customers_with <- function(ledger, wanted, call = rlang::caller_env()) {
  keep <- rep(TRUE, n_customers(ledger))
  names(wanted) <- meant_attributes(ledger, names(wanted))
  groups <- group_of(ledger, names(wanted), call = call)
  for (name in names(wanted)) {
    check_values(wanted[[name]], unique(groups[[name]]), name, call = call)
    keep <- keep & groups[[name]] %in% as.character(wanted[[name]])
  }
  keep
}

line_in <- function(cells, wanted) {
  hit <- spread(levels(cells) %in% wanted, cells)
  hit[is.na(hit)] <- "(missing)" %in% wanted
  hit
}
words_of <- function(conditions) {
  paste(
    names(conditions),
    "=",
    vapply(conditions, \(v) {
      more <- length(v) - 8L
      paste(if (more > 1L) c(v[1:8], paste(more, "more")) else v, collapse = " or ")
    }, ""),
    collapse = ", "
  )
}

# The ledger with only some of its orders, whole ones; `keep` are their lines.
cut_orders <- function(ledger, inside, keep) {
  lines <- ledger$lines[keep]
  lines[, number := cumsum(inside)[number]]
  with_parts(ledger, lapply(ledger$orders, `[`, inside), lines, keep)
}

# The ledger with only some of its lines; orders count with what is left of them.
cut_lines <- function(ledger, keep) {
  sums <- ledger$lines[keep, .(sales = sum(sales), n_lines = .N), keyby = number]
  orders <- lapply(ledger$orders[setdiff(names(ledger$orders), "cost")], `[`, sums$number)
  orders[c("sales", "n_lines")] <- list(sums$sales, sums$n_lines)
  # the cost of an order cannot be split among its lines
  if (!is.null(ledger$orders$cost) && ledger$meaning$cost_per == "line") {
    orders$cost <- ledger$lines[keep, .(cost = sum(.cost)), keyby = number]$cost
  }
  lines <- ledger$lines[keep]
  place <- integer(length(ledger$orders$day))
  place[sums$number] <- seq_along(sums$number)
  lines[, number := place[number]]
  with_parts(ledger, with_free(orders, lines, ledger$meaning), lines, keep)
}

# A ledger of these orders and lines.
with_parts <- function(ledger, orders, lines, keep) {
  outside <- list(sales = sum(ledger$lines$sales[!keep]), n_lines = sum(!keep))
  if (!is.null(ledger$outside)) outside <- Map(`+`, outside, ledger$outside)
  ledger[c("orders", "lines", "outside")] <- list(orders, lines, outside)
  fill_purchases(ledger)
}

# Columns of the lines that filters and breakdowns can name.
line_columns <- function(ledger) {
  setdiff(line_names(ledger), c("number", "sales", ".quantity", ".cost", ".discount"))
}

# The values of a line column, the missing ones last.
line_values <- function(ledger, name) {
  values <- reduce_values(ledger, name)
  c(used_texts(ledger, name, values), if (anyNA(values)) "(missing)")
}

used_texts <- function(ledger, name, values = reduce_values(ledger, name)) {
  sort(values[!is.na(values)], method = "radix")
}
