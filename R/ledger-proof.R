#' Prove that all numbers agree, to the cent
#'
#' Each check computes the same total by two independent paths. Money is compared as whole minor units, so a check is exact or
#' it fails.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Period of the cohort and period checks; default the ledger's.
#' @return A `nubrek_proof`, one row per check: `check`, `left`, `right` and `difference` (money in major units, else
#'   counts), `exact` `[logical]`.
#' @examples
#' prove_totals(example_ledger())
#' @export
prove_totals <- function(ledger, clock = NULL) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  checks <- rbindlist(Filter(Negate(is.null), c(prove_intake(ledger), prove_customers(ledger), prove_cells(ledger, clock), prove_tiers(ledger))))
  scale <- ifelse(checks$money, 10^ledger$decimals, 1)
  new_result(list(check = checks$check, left = checks$left / scale, right = checks$right / scale,
                  difference = (checks$left - checks$right) / scale, exact = checks$left == checks$right), "proof", ledger)
}

claim <- function(check, left, right, money = TRUE) list(check = check, left = as.double(left), right = as.double(right), money = money)

prove_intake <- function(ledger) {
  counts <- ledger$intake$counts
  kept <- counts$reason == "kept"
  total <- sum(ledger$orders$sales)
  outside <- ledger$outside %||% list(sales = 0, n_lines = 0)
  list(
    claim("rows read = rows kept + rows set aside", ledger$intake$rows, sum(counts$rows[kept]) + nrow(ledger$intake$aside), FALSE),
    claim("rows kept = lines of orders + before history start + outside the slice", sum(counts$rows[kept]), sum(ledger$orders$n_lines) + sum(ledger$before$n_lines) + outside$n_lines, FALSE),
    claim("money kept by the audit = ledger + before history start + outside the slice", sum(counts$units[kept]),
          total + sum(ledger$before$sales) + outside$sales),
    claim("money before history start", sum(ledger$before$sales), sum(counts$units[kept]) - outside$sales - sum(ledger$lines$sales)),
    claim("ledger = its lines", total, sum(ledger$lines$sales)))
}

prove_customers <- function(ledger) {
  m <- reduce_customers(ledger)
  rate <- repeat_rate(ledger)
  units <- function(x) round(x * 10^ledger$decimals)
  list(
    claim("ledger = sum over customers", sum(ledger$orders$sales), sum(m$sales)),
    claim("ledger = repeat + one-time customers + no purchase", sum(ledger$orders$sales), units(rate$sales_repeat) + units(rate$sales_one_time) + units(rate$sales_no_purchase)),
    claim("ledger = first + later purchases + outside purchases", sum(ledger$orders$sales), units(rate$sales_first) + units(rate$sales_later) + units(rate$sales_outside)),
    claim("purchases = customers with one + gaps", length(ledger$purchases$sales), sum(m$purchases > 0L) + sum(cpp_gap_measures(ledger$purchases, n_customers(ledger))$gaps), FALSE),
    if (bought_any(ledger)) claim("customers = back for a second + not yet + known earlier", sum(m$purchases > 0L), sum(next_purchase(ledger)$customers) + sum(reduce_waits(ledger, 2L)$known),
        FALSE),
    if (bought_any(ledger)) claim("purchases = sum over order counts", length(ledger$purchases$sales), { k <- order_counts(ledger); sum(k$purchases * k$customers) }, FALSE))
}

# Cells come from the C++ pass; the other side is counted again from the orders by data.table.
prove_cells <- function(ledger, clock) {
  margin <- order_margin(ledger)$units
  cells <- reduce_cells(ledger, clock, margin = margin)
  elapsed <- if (bought_any(ledger)) reduce_cells(ledger, clock, elapsed = TRUE) else cells
  label <- paste0("by ", clock, ": ")
  frame <- cells$frame
  period <- c(period_row(frame, ledger$purchases$day), period_row(frame, ledger$orders$day))
  pairs <- cpp_number_pairs(c(ledger$purchases$customer, ledger$orders$customer), period, 0L)
  bought <- seq_along(ledger$purchases$day)
  busy <- logical(pairs$n)
  busy[pairs$unit[bought]] <- TRUE
  here <- busy[pairs$unit[-bought]]
  if (length(bought) == 0L) here <- logical(length(ledger$orders$day))
  active <- sum(ledger$orders$sales[here])
  idle <- sum(ledger$orders$sales[!here])
  per_period <- tabulate(period[bought][!duplicated(pairs$unit[bought])], length(frame$number))
  diagonal <- colSums(cells$customers)
  fresh <- new_returning(ledger, clock, lookback = 1L)
  parts <- fresh$sales_new + fresh$sales_returning + fresh$sales_reactivated + fresh$sales_not_active
  per_customer <- cpp_customer_periods(ledger$orders, ledger$purchases, frame$row_of_day, frame$first_day)
  list(
    claim(paste0(label, "ledger = cohort cells + no cohort"), sum(ledger$orders$sales), sum(cells$sales$sums) + cells$sales$outside),
    claim(paste0(label, "ledger = cells of elapsed ages + no cohort"), sum(ledger$orders$sales), sum(elapsed$sales$sums) + elapsed$sales$outside),
    claim(paste0(label, "purchases = cells of elapsed ages"), length(ledger$purchases$sales), sum(elapsed$purchases), FALSE),
    claim(paste0(label, "customers = last purchases in cells"), uniqueN(ledger$purchases$customer), sum(cells$last), FALSE),
    if (!is.null(margin)) claim(paste0(label, "margin of the customers = cohort cells + no cohort"), sum(ledger$orders$sales) - sum(reduce_customers(ledger)$cost),
        sum(cells$margin$sums) + cells$margin$outside),
    claim(paste0(label, "ledger = active customers + not active"), sum(ledger$orders$sales), active + idle),
    claim(paste0(label, "cohort sizes = customers with a purchase"), sum(cells$size), uniqueN(ledger$purchases$customer), FALSE),
    claim(paste0(label, "active customers = diagonals of the cohort grid"), sum(per_period), sum(per_period) + sum(abs(per_period - diagonal)), FALSE),
    claim(paste0(label, "active = new + returning + reactivated"), sum(per_period), sum(per_period) + sum(abs(per_period - fresh$new - fresh$returning - fresh$reactivated)), FALSE),
    claim(paste0(label, "ledger = new, returning, reactivated, not active"), sum(ledger$orders$sales), sum(round(parts * 10^ledger$decimals))),
    claim(paste0(label, "ledger = customers by period"), sum(ledger$orders$sales), sum(per_customer$sales)),
    claim(paste0(label, "new + known before = customers with a purchase"), sum(fresh$new) + length(intersect(known_before(ledger), ledger$purchases$customer)), sum(cells$size), FALSE))
}

bought_any <- function(ledger) length(ledger$purchases$sales) > 0L

# Tiers, groups, regions and moves are partitions: each customer with a purchase once, with all of their money.
prove_tiers <- function(ledger) {
  if (!bought_any(ledger)) return(NULL)
  bought <- tabulate(ledger$purchases$customer, n_customers(ledger)) > 0L
  theirs <- sum(ledger$orders$sales[bought[ledger$orders$customer]])
  partition <- \(name, customers, sales) list(claim(paste(name, "hold each customer with a purchase once"), sum(bought), sum(customers), FALSE),
                                              claim(paste(name, "hold the money of customers with a purchase"), theirs, sum(round(sales * 10^ledger$decimals))))
  tiers <- assign_tiers(ledger)
  map <- map_profile(order_map(ledger))
  groups <- rfm_profile(score_rfm(ledger))
  middle <- ledger$history_start + as.integer(ledger$as_of - ledger$history_start) %/% 2L
  halves <- if (middle < ledger$as_of) tier_moves(ledger, list(c(ledger$history_start, middle), c(middle + 1L, ledger$as_of)))
  c(list(claim("tiers hold each customer with a purchase once", sum(bought), nlevels(code_column(tiers$customer)), FALSE), claim("tiers hold the money of customers with a purchase", theirs,
      sum(round(tiers$sales * 10^ledger$decimals)))),
    partition("groups of bands", groups$customers, groups$sales), partition("regions of the order map", map$customers, map$sales),
    if (!is.null(halves)) partition("moves between two halves", halves$customers, c(halves$sales_before, halves$sales_after)))
}

#' The rows behind a number
#'
#' @param result A result of this package.
#' @param ledger `[nubrek_ledger]` The ledger it came from.
#' @param ... Columns of `result` and the values that pick its rows, such as `cohort = as.Date("2024-03-01"), age = 2`.
#' @return A data frame of orders: `customer`, `order`, `day`, `sales` in major units, `purchase` `[logical]`.
#' @examples
#' ledger <- example_ledger()
#' rows_behind(cohort_grid(ledger), ledger, cohort = as.Date("2024-01-01"), age = 1)
#' rows_behind(assign_tiers(ledger), ledger, tier = "top")
#' @export
rows_behind <- function(result, ledger, ...) UseMethod("rows_behind")

#' @export
rows_behind.default <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  members <- attr(result, "members")
  ids <- if ("customer" %in% names(picked)) picked$customer else if (!is.null(members)) members$customer[members$group %in% as.character(picked[[1L]])]
  if (is.null(ids)) {
    abort_nubrek(c("The rows behind this kind of result are not known.",
                   "i" = "Results that count customers or orders have them; {.fn set_aside} has the rows that are no orders."), "argument")
  }
  orders_of(ledger, match(ids, ledger$ids))
}

#' @export
rows_behind.nubrek_rate <- function(result, ledger, ..., kind = NULL) {
  check_ledger(ledger)
  for (one in kind) check_choice(one, c("repeat", "one-time"), "kind")
  picked <- pick_rows(result, ...)
  whole <- ledger
  ledger <- ledger_during(ledger, basis_of(result, "during"))
  number <- reduce_counts(ledger)
  wanted <- number > 0L & (is.null(kind) | ifelse(number > 1L, "repeat", "one-time") %in% kind)
  by <- basis_of(result, "by")
  if (!is.null(by)) wanted <- wanted & row_keys(group_of(whole, basis_of(result, "attributes"))) %in% row_keys(as.list(picked)[by])
  orders_of(ledger, which(wanted))
}

# Several columns as one key of text.
row_keys <- function(columns) do.call(paste, c(unname(lapply(columns, as.character)), sep = "\r"))

# The orders of the customers in the periods.
#' @export
rows_behind.nubrek_periods <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  frame <- period_frame(ledger, basis_of(result, "clock"))
  rows <- row_keys(list(ledger$orders$customer, period_row(frame, ledger$orders$day)))
  order_rows(ledger, which(rows %in% row_keys(list(match(picked$customer, ledger$ids), match(picked$period, frame$start)))))
}

# All orders of the periods; of diagonals only those from the first purchase on.
#' @export
rows_behind.nubrek_identified <- function(result, ledger, ...) {
  check_ledger(ledger)
  frame <- period_frame(ledger, basis_of(result, "clock"))
  order_rows(ledger, which(frame$start[period_row(frame, ledger$orders$day)] %in% pick_rows(result, ...)$period))
}

#' @export
rows_behind.nubrek_diagonals <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  cells <- as.data.table(plain_table(attr(result, "grid")))
  by <- basis_of(result, "by")
  orders_in_cells(as.data.frame(cells[as.data.table(picked)[, c(by, "period"), with = FALSE], on = c(by, "period")], optional = TRUE),
                  ledger, attr(result, "basis"))
}

#' @export
rows_behind.nubrek_suspects <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  codes <- attr(result, "codes")[row_keys(result[c("kind", "evidence")]) %in% row_keys(picked[c("kind", "evidence")])]
  orders_of(ledger, unlist(codes))
}

# Who came back on the days, counted from their first purchase.
#' @export
rows_behind.nubrek_curve <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  w <- reduce_waits(ledger, basis_of(result, "nth"))
  by <- basis_of(result, "by")
  group <- if (is.null(by)) rep("all", length(w$code)) else group_of(ledger, by)[[1L]][w$code]
  orders_of(ledger, w$code[row_keys(list(group, w$nth - w$first)) %in% row_keys(picked[c("group", "days")])])
}

#' @export
rows_behind.nubrek_grid <- function(result, ledger, ...) {
  check_ledger(ledger)
  orders_in_cells(pick_rows(result, ...), ledger, attr(result, "basis"))
}

#' @export
rows_behind.nubrek_measure <- rows_behind.nubrek_grid

#' @export
rows_behind.nubrek_usual <- rows_behind.nubrek_grid

#' @export
rows_behind.nubrek_outlook_grid <- rows_behind.nubrek_grid

# All orders of the cohorts.
#' @export
rows_behind.nubrek_payback <- function(result, ledger, ...) {
  check_ledger(ledger)
  orders_in_cells(pick_rows(result, ...), ledger, attr(result, "basis"), ages = FALSE)
}

#' @export
rows_behind.nubrek_worth <- rows_behind.nubrek_payback

# The orders of a grid's cells, from the first purchase on; `basis` says how the grid was made.
orders_in_cells <- function(cells, ledger, basis, ages = TRUE) {
  if (is.null(basis$purchase_unit)) abort_nubrek("A grid from a ready table has no orders behind it.", "argument")
  first <- first_purchase_day(ledger)
  cohort <- format(period_start(period_number(first, basis$clock), basis$clock))
  if (length(basis$by) > 0L) {
    group <- side_by_side(ledger, basis$attributes, grid_columns)
    cohort <- do.call(paste, c(lapply(group$labels[basis$by], \(x) x[as.integer(group$code)]), list(cohort, sep = "\r")))
  }
  wanted <- do.call(paste, c(lapply(cells[basis$by], as.character), list(format(cells$cohort), sep = "\r")))
  rows <- which(cohort[ledger$orders$customer] %in% wanted & !is.na(first)[ledger$orders$customer])
  rows <- rows[ledger$orders$day[rows] >= reduce_first(ledger)[ledger$orders$customer[rows]]]
  if (ages) {
    whose <- ledger$orders$customer[rows]
    age <- if (basis$ages == "elapsed") elapsed_age(first[whose], ledger$orders$day[rows], basis$clock)
           else period_number(ledger$orders$day[rows], basis$clock) - period_number(first[whose], basis$clock)
    rows <- rows[paste(cohort[whose], age) %in% paste(wanted, cells$age)]
  }
  order_rows(ledger, rows)
}

#' @export
rows_behind.nubrek_counts <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  number <- reduce_customers(ledger)$purchases
  folded <- basis_of(result, "folded")
  if (!is.null(folded)) number <- pmin(number, folded)
  orders_of(ledger, which(number %in% picked$purchases))
}

pick_rows <- function(result, ..., call = rlang::caller_env()) {
  wanted <- list(...)
  if (length(wanted) > 0L && !checkmate::test_names(names(wanted), subset.of = names(result))) {
    odd <- setdiff(names(wanted), names(result))
    abort_nubrek(c("Rows are picked by columns of the result.", "x" = "Its columns are {.field {names(result)}}.",
                   if (length(odd) > 0L) nearest_hint(odd[[1L]], names(result))), "argument", call = call)
  }
  keep <- rep(TRUE, nrow(result))
  for (name in names(wanted)) keep <- keep & picked_by(result, name, wanted[[name]], call)
  if (!any(keep)) abort_nubrek(c("No row of the result is like that.", "i" = "Each value is there, but not together."), "value", call = call)
  plain_table(result)[keep, , drop = FALSE]
}

# Which rows have one of the values in a column; periods also by the label that the print shows. Every value must be there.
picked_by <- function(result, name, wanted, call) {
  column <- result[[name]]
  if (inherits(column, "Date") && !inherits(wanted, "Date")) {
    clock <- basis_of(result, "clock") %||% "day"
    labels <- period_label(column, clock)
    days <- format(column)
    check_values(ifelse(wanted %in% days, labels[match(wanted, days)], as.character(wanted)), unique(labels), name, call)
    return(labels %in% wanted | days %in% wanted)
  }
  there <- unique(column)
  if (anyNA(wanted) && !anyNA(column)) check_values("(missing)", format_values(there), name, call)
  check_values(format_values(wanted[!is.na(wanted)]), format_values(there[!is.na(there)]), name, call)
  column %in% wanted
}

format_values <- function(x) if (is.numeric(x)) format(x, trim = TRUE, digits = 15L) else as.character(x)

orders_of <- function(ledger, codes) order_rows(ledger, which(ledger$orders$customer %in% codes))

order_rows <- function(ledger, at) {
  new_result(list(customer = ledger$ids[ledger$orders$customer[at]], order = ledger$orders$order[at],
                  day = as.Date(ledger$orders$day[at], origin = "1970-01-01"), sales = major(ledger, ledger$orders$sales[at]),
                  purchase = ledger$orders$sales[at] >= ledger$least), "orders", ledger)
}

# The customers who waited so long (all their orders), or have not come yet.
#' @export
rows_behind.nubrek_waits <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  frame <- period_frame(ledger, basis_of(result, "clock"))
  w <- reduce_waits(ledger, basis_of(result, "nth"), frame)
  orders_of(ledger, w$code[paste(frame$start[w$cohort], w$waited) %in% paste(picked$cohort, picked$waited)])
}

# The orders of the period's customers, of one kind if asked.
#' @param kind `[character]` Of a result of [new_returning()]: only customers who are `"new"`, `"returning"` or `"reactivated"`.
#' @rdname rows_behind
#' @export
rows_behind.nubrek_new <- function(result, ledger, ..., kind = NULL) {
  check_ledger(ledger)
  for (one in kind) check_choice(one, c("new", "returning", "reactivated"), "kind")
  picked <- pick_rows(result, ...)
  by <- basis_of(result, "by")
  lines <- basis_of(result, "lines")
  frame <- period_frame(ledger, basis_of(result, "clock"))
  attribute <- basis_of(result, "attribute")
  groups <- if (is.null(by)) list(NULL) else as.list(unique(picked[[by]]))
  rows <- lapply(groups, \(value) {
    filter <- if (is.null(value)) lines else c(lines[names(lines) != attribute], stats::setNames(list(value), attribute))
    inside <- if (length(filter) > 0L) slice_or_none(ledger, filter) else ledger
    cells <- arrival_kinds(ledger, inside, frame, basis_of(result, "lookback"), basis_of(result, "unit"), length(filter) == 0L || basis_of(result, "scope") == "any")
    wanted <- if (is.null(value)) picked else picked[picked[[by]] == value, ]
    keep <- frame$start[cells$row] %in% wanted$period & (is.null(kind) | cells$kind %in% kind)
    cells <- cells[keep]
    at <- paste(inside$orders$customer, period_row(frame, inside$orders$day)) %in% paste(cells$customer, cells$row)
    order_rows(inside, which(at))
  })
  do.call(rbind, lapply(rows, plain_table)) |> as.list() |> new_result("orders", ledger)
}

# The orders of the groups, of the time that the result is about.
#' @export
rows_behind.nubrek_sales <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  group <- sales_groups(ledger, basis_of(result, "attributes"))
  wanted <- row_keys(group$labels) %in% row_keys(as.list(picked)[basis_of(result, "by")])
  rows <- if (group$lines) unique(ledger$lines$number[which(wanted[group$code])]) else which(wanted[group$code[ledger$orders$customer]])
  span <- as.integer(basis_of(result, "during"))
  rows <- sort(rows[ledger$orders$day[rows] >= span[[1L]] & ledger$orders$day[rows] <= span[[2L]]])
  order_rows(ledger, rows)
}
