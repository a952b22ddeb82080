# The rows behind a number: trust is one call away.

#' The rows behind a number
#'
#' @param result A result of this package.
#' @param ledger `[nubrek_ledger]` The ledger it came from.
#' @param ... Columns of `result` and the values that pick its rows, such as `cohort =
#'   as.Date("2024-03-01"), age = 2`.
#' @return A data frame of orders: `customer`, `order`, `day`, `sales` in major units, `purchase`
#'   `[logical]`.
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
  ids <- if ("customer" %in% names(picked)) {
    picked$customer
  } else if (!is.null(members)) {
    members$customer[members$group %in% as.character(picked[[1L]])]
  }
  if (is.null(ids)) {
    abort_nubrek(c(
      "The rows behind this kind of result are not known.",
      "i" = paste0(
        "Results that count customers or orders have them; {.fn set_aside} has the rows that are ",
        "no orders."
      )
    ), "argument")
  }
  orders_of(ledger, ledger_codes(ledger, ids))
}

#' @export
rows_behind.nubrek_rate <- function(result, ledger, ..., kind = NULL) {
  check_ledger(ledger)
  for (one in kind) {
    check_choice(one, c("repeat", "one-time"), "kind")
  }
  picked <- pick_rows(result, ...)
  whole <- ledger
  ledger <- ledger_during(ledger, basis_of(result, "during"))
  number <- reduce_counts(ledger)
  wanted <- number > 0L & (is.null(kind) | ifelse(number > 1L, "repeat", "one-time") %in% kind)
  grouped_by <- basis_of(result, "by")
  if (!is.null(grouped_by)) {
    wanted <- wanted &
      row_keys(group_of(whole, basis_of(result, "attributes"))) %in%
        row_keys(as.list(picked)[grouped_by])
  }
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
  orders <- ledger_rows(ledger, "orders", c("customer", "day"))
  wanted <- list(ledger_codes(ledger, picked$customer), match(picked$period, frame$start))
  here <- row_keys(list(orders$customer, period_row(frame, orders$day))) %in% row_keys(wanted)
  order_rows(ledger, orders$row[here])
}

# All orders of the periods; of diagonals only those from the first purchase on.
#' @export
rows_behind.nubrek_identified <- function(result, ledger, ...) {
  check_ledger(ledger)
  frame <- period_frame(ledger, basis_of(result, "clock"))
  orders <- ledger_rows(ledger, "orders", "day")
  wanted <- pick_rows(result, ...)$period
  order_rows(ledger, orders$row[frame$start[period_row(frame, orders$day)] %in% wanted])
}

#' @export
rows_behind.nubrek_diagonals <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  cells <- as.data.table(plain_table(attr(result, "grid")))
  grouped_by <- basis_of(result, "by")
  orders_in_cells(
    as.data.frame(
      cells[
        as.data.table(picked)[, c(grouped_by, "period"), with = FALSE],
        on = c(grouped_by, "period")
      ],
      optional = TRUE
    ),
    ledger,
    attr(result, "basis")
  )
}

#' @export
rows_behind.nubrek_suspects <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  codes <- attr(result, "codes")[
    row_keys(result[c("kind", "evidence")]) %in% row_keys(picked[c("kind", "evidence")])
  ]
  orders_of(ledger, unlist(codes))
}

# Who came back on the days, counted from their first purchase.
#' @export
rows_behind.nubrek_curve <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  w <- reduce_waits(ledger, basis_of(result, "nth"))
  grouped_by <- basis_of(result, "by")
  group <- if (is.null(grouped_by)) {
    rep("all", length(w$code))
  } else {
    group_of(ledger, grouped_by)[[1L]][w$code]
  }
  orders_of(
    ledger, w$code[row_keys(list(group, w$nth - w$first)) %in% row_keys(picked[c("group", "days")])]
  )
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
  if (is.null(basis$purchase_unit)) {
    abort_nubrek("A grid from a ready table has no orders behind it.", "argument")
  }
  first <- first_purchase_day(ledger)
  cohort <- format(period_start(period_number(first, basis$clock), basis$clock))
  if (length(basis$by) > 0L) {
    group <- side_by_side(ledger, basis$attributes, grid_columns)
    cohort <- do.call(paste, c(
      lapply(group$labels[basis$by], \(x) x[as.integer(group$code)]), list(cohort, sep = "\r")
    ))
  }
  wanted <- do.call(
    paste, c(lapply(cells[basis$by], as.character), list(format(cells$cohort), sep = "\r"))
  )
  people <- which(cohort %in% wanted & !is.na(first))
  orders <- ledger_rows(ledger, "orders", c("customer", "day"), people)
  whose <- orders$customer
  here <- orders$day >= reduce_first(ledger)[whose]
  if (ages) {
    age <- if (basis$ages == "elapsed") {
      elapsed_age(first[whose], orders$day, basis$clock)
    } else {
      period_number(orders$day, basis$clock) - period_number(first[whose], basis$clock)
    }
    here <- here & paste(cohort[whose], age) %in% paste(wanted, cells$age)
  }
  order_rows(ledger, orders$row[which(here)])
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

orders_of <- function(ledger, codes) {
  order_rows(ledger, ledger_rows(ledger, "orders", "day", codes)$row)
}

# Orders by where they stand in the ledger.
order_rows <- function(ledger, at) {
  orders <- ledger_rows(
    ledger, "orders", c("customer", "order", "day", bought_columns(ledger)), at = at
  )
  new_result(list(
    customer = ledger_ids(ledger, orders$customer),
    order = orders$order,
    day = as.Date(orders$day, origin = "1970-01-01"),
    sales = major(ledger, orders$sales),
    purchase = is_purchase(ledger, orders)
  ), "orders", ledger)
}

# The customers who waited so long (all their orders), or have not come yet.
#' @export
rows_behind.nubrek_waits <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  frame <- period_frame(ledger, basis_of(result, "clock"))
  w <- reduce_waits(ledger, basis_of(result, "nth"), basis_of(result, "clock"))
  orders_of(
    ledger, w$code[paste(frame$start[w$cohort], w$waited) %in% paste(picked$cohort, picked$waited)]
  )
}

# The orders of the period's customers, of one kind if asked.
#' @param kind `[character]` Of a result of [new_returning()]: only customers who are `"new"`,
#'   `"returning"` or `"reactivated"`.
#' @rdname rows_behind
#' @export
rows_behind.nubrek_new <- function(result, ledger, ..., kind = NULL) {
  check_ledger(ledger)
  for (one in kind) {
    check_choice(one, c("new", "returning", "reactivated"), "kind")
  }
  picked <- pick_rows(result, ...)
  grouped_by <- basis_of(result, "by")
  lines <- basis_of(result, "lines")
  clock <- basis_of(result, "clock")
  frame <- period_frame(ledger, clock)
  attribute <- basis_of(result, "attribute")
  groups <- if (is.null(grouped_by)) list(NULL) else as.list(unique(picked[[grouped_by]]))
  rows <- lapply(groups, \(value) {
    filter <- if (is.null(value)) {
      lines
    } else {
      c(lines[names(lines) != attribute], stats::setNames(list(value), attribute))
    }
    inside <- if (length(filter) > 0L) slice_or_none(ledger, filter) else ledger
    cells <- reduce_arrival_kinds(
      ledger,
      clock,
      basis_of(result, "lookback"),
      basis_of(result, "unit"),
      filter,
      length(filter) == 0L || basis_of(result, "scope") == "any"
    )
    wanted <- if (is.null(value)) picked else picked[picked[[grouped_by]] == value, ]
    keep <- frame$start[cells$row] %in% wanted$period & (is.null(kind) | cells$kind %in% kind)
    cells <- cells[keep]
    orders <- ledger_rows(inside, "orders", c("customer", "day"))
    here <- row_keys(list(orders$customer, period_row(frame, orders$day))) %in%
      row_keys(cells[, .(customer, row)])
    order_rows(inside, orders$row[here])
  })
  do.call(rbind, lapply(rows, plain_table)) |> as.list() |> new_result("orders", ledger)
}

# The orders of the groups, of the time that the result is about.
#' @export
rows_behind.nubrek_sales <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  span <- as.integer(basis_of(result, "during"))
  groups <- reduce_group_orders(ledger, basis_of(result, "attributes"))
  wanted <- row_keys(groups$labels) %in% row_keys(as.list(picked)[basis_of(result, "by")])
  rows <- unique(groups$order[wanted[groups$code]])
  inside <- ledger_rows(ledger, "orders", "day", from = span[[1L]], until = span[[2L]])$row
  order_rows(ledger, sort(intersect(rows, inside)))
}

# All orders of both times of the customers behind the cells.
#' @export
rows_behind.nubrek_moves <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  rows <- lapply(unique(picked$step), \(step) {
    cells <- picked[picked$step == step, ]
    who <- attr(result, "who")[[match(step, basis_of(result, "steps"))]]
    places <- move_places(basis_of(result, "labels"))
    codes <- which(
      !is.na(who$from) &
        paste(places$from[who$from], places$to[who$to], sep = "\r") %in%
          paste(cells$from, cells$to, sep = "\r")
    )
    spans <- basis_of(result, "spans")[[match(step, basis_of(result, "steps"))]]
    unlist(lapply(spans, \(s) ledger_rows(ledger, "orders", "day", codes, s$from, s$until)$row))
  })
  order_rows(ledger, sort(unique(unlist(rows))))
}

# All orders of the customers of the combinations.
#' @export
rows_behind.nubrek_overlap <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  whose <- attr(result, "who")
  by <- basis_of(result, "by")
  wanted <- if (is.null(by)) list(picked$place) else list(picked$place, picked[[by]])
  here <- if (is.null(by)) list(whose$place) else list(whose$place, whose$level)
  orders_of(ledger, ledger_codes(
    ledger, whose$customer[row_keys(here) %in% row_keys(wanted)]
  ))
}

#' @export
rows_behind.nubrek_audience_comparison <- rows_behind.nubrek_overlap

# All orders of those who joined, stayed or left.
#' @export
rows_behind.nubrek_audience_changes <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  whose <- attr(result, "who")
  keys <- c("change", "because")
  orders_of(ledger, ledger_codes(
    ledger, whose$customer[row_keys(whose[keys]) %in% row_keys(picked[keys])]
  ))
}

# All orders of those who bought in the stores in either time.
#' @export
rows_behind.nubrek_stores <- function(result, ledger, ...) {
  check_ledger(ledger)
  picked <- pick_rows(result, ...)
  who <- attr(result, "who")
  orders_of(ledger, unique(unlist(lapply(who, \(one) one$customer[one$place %in% picked$store]))))
}
