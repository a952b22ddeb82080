# Sums by attributes of customers, orders and lines.

# Per group of the attributes `by`, a table for each part of time: customers, seen (with returns),
# orders, purchases, units (sales). `labels` of the groups; `lines`, are there line columns among
# them; `overlap`, may an order stand in several groups.
reduce_groups <- function(ledger, by, spans, call = rlang::caller_env()) UseMethod("reduce_groups")

#' @export
reduce_groups.nubrek_ledger <- function(ledger, by, spans, call = rlang::caller_env()) {
  found <- each_part(ledger, \(part, codes) {
    group <- sales_groups(part, by, call)
    list(
      labels = group$labels,
      lines = group$lines,
      overlap = group$lines && anyDuplicated(part$lines$number) > 0L,
      sums = lapply(spans, \(span) group_sales(part, group, span))
    )
  })
  if (length(found) == 1L) return(found[[1L]])
  labels <- lapply(found, `[[`, "labels")
  groups <- labels_together(labels)
  list(
    labels = groups$labels,
    lines = found[[1L]]$lines,
    overlap = any(vapply(found, `[[`, NA, "overlap")),
    sums = lapply(seq_along(spans), \(k) {
      columns <- lapply(found, \(one) one$sums[[k]])
      lapply(stats::setNames(nm = names(columns[[1L]])), \(name) {
        sums <- numeric(length(groups$labels[[1L]]))
        for (i in seq_along(found)) {
          sums[groups$place[[i]]] <- sums[groups$place[[i]]] + columns[[i]][[name]]
        }
        if (is.integer(columns[[1L]][[name]])) as.integer(sums) else sums
      })
    })
  )
}

# The labels of groups found in several parts, each once, and where those of each part stand.
labels_together <- function(labels) {
  each <- lapply(labels, as.data.table)
  all_labels <- unique(rbindlist(each))
  list(
    labels = as.list(all_labels),
    place = lapply(each, \(one) all_labels[one, on = names(all_labels), which = TRUE])
  )
}

# The groups that every order stands in: `labels` of the groups; `code` of the group, `order` and
# `units` (sales) and `sign` (see `free_signs()`), a row for each line or order.
reduce_group_orders <- function(ledger, by, call = rlang::caller_env()) {
  UseMethod("reduce_group_orders")
}

#' @export
reduce_group_orders.nubrek_ledger <- function(ledger, by, call = rlang::caller_env()) {
  stand <- rows_stand(ledger, "orders")
  found <- each_part(ledger, \(part, codes) {
    group <- sales_groups(part, by, call)
    order <- if (group$lines) part$lines$number else seq_along(part$orders$sales)
    list(
      labels = group$labels,
      code = as.integer(if (group$lines) group$code else group$code[part$orders$customer]),
      units = if (group$lines) part$lines$sales else part$orders$sales,
      sign = if (group$lines) free_signs(part, part$lines),
      order = if (is.null(codes)) order else stand(part$orders$customer, codes)[order]
    )
  })
  if (length(found) == 1L) return(found[[1L]])
  groups <- labels_together(lapply(found, `[[`, "labels"))
  list(
    labels = groups$labels,
    code = unlist(Map(\(place, one) place[one$code], groups$place, found)),
    order = unlist(lapply(found, `[[`, "order")),
    units = unlist(lapply(found, `[[`, "units")),
    sign = unlist(lapply(found, `[[`, "sign"))
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
  code <- number_rows(unname(lapply(cells, cpp_codes)))
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
      sign = (if (group$lines) {
        free_signs(ledger, ledger$lines)
      } else {
        ledger$orders$free
      }) %||% integer(),
      by_day = ledger$meaning$purchase_unit == "day"
    ),
    if (group$lines) ledger$lines$number else integer(),
    ledger$orders,
    if (group$lines) ledger$lines$sales else ledger$orders$sales,
    c(as.integer(span$from), as.integer(span$until))
  )
}
