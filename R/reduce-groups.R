# Sums by attributes of customers, orders and lines.

# Per group of the attributes `by`, a table for each part of time: customers, seen (with returns),
# orders, purchases, units (sales). `labels` of the groups; `lines`, are there line columns among
# them; `overlap`, may an order stand in several groups.
reduce_groups <- function(ledger, by, spans, call = rlang::caller_env()) UseMethod("reduce_groups")

#' @export
reduce_groups.nubrek_memory <- function(ledger, by, spans, call = rlang::caller_env()) {
  group <- sales_groups(ledger, by, call)
  list(
    labels = group$labels,
    lines = group$lines,
    overlap = group$lines && anyDuplicated(ledger$lines$number) > 0L,
    sums = lapply(spans, \(span) group_sales(ledger, group, span))
  )
}

# The groups that every order stands in: `labels` of the groups; `code` of the group and `order`, a
# row for each line or order.
reduce_group_orders <- function(ledger, by, call = rlang::caller_env()) {
  UseMethod("reduce_group_orders")
}

#' @export
reduce_group_orders.nubrek_memory <- function(ledger, by, call = rlang::caller_env()) {
  group <- sales_groups(ledger, by, call)
  list(
    labels = group$labels,
    code = if (group$lines) group$code else group$code[ledger$orders$customer],
    order = if (group$lines) ledger$lines$number else seq_along(ledger$orders$sales)
  )
}

# The group of each customer, or (where a line column is among them) of each line: codes into a
# table of labels.
sales_groups <- function(ledger, by, call) {
  of_lines <- by %in% line_columns(ledger)
  known <- if (!all(of_lines)) group_of(ledger, by[!of_lines], call)
  whose <- if (any(of_lines)) ledger$orders$customer[ledger$lines$number]
  cells <- lapply(stats::setNames(nm = by), \(name) {
    if (name %in% by[of_lines]) return(named_missing(ledger$lines[[name]]))
    mine <- code_column(known[[name]])
    if (any(of_lines)) {
      structure(cpp_codes(mine)[whose], levels = levels(mine), class = "factor")
    } else {
      mine
    }
  })
  if (length(by) == 1L) {
    return(list(
      code = cells[[1L]],
      labels = lapply(cells, \(cell) as.character(levels(cell))),
      lines = any(of_lines),
      n = length(levels(cells[[1L]]))
    ))
  }
  code <- cpp_codes(cells[[1L]])
  for (cell in cells[-1L]) {
    code <- cpp_number_pairs(code, cpp_codes(cell), 0L)$unit
  }
  first <- which(!duplicated(code))
  list(
    code = code,
    labels = lapply(cells, \(cell) as.character(cell[first])),
    lines = any(of_lines),
    n = length(first)
  )
}

# Per group: customers, orders, purchases and minor units of a part of time.
group_sales <- function(ledger, group, span) {
  cpp_group_sales(
    list(
      code = group$code,
      number = group$n,
      by_customer = !group$lines,
      least = ledger$least,
      by_day = ledger$meaning$purchase_unit == "day"
    ),
    if (group$lines) ledger$lines$number else integer(),
    ledger$orders,
    if (group$lines) ledger$lines$sales else ledger$orders$sales,
    c(as.integer(span$from), as.integer(span$until))
  )
}
