# Reductions as SQL over the folded tables of a ledger that stays in its database. What has no SQL
# here passes over the rows in parts, as in any ledger.

# A ledger with steps (a slice) has no tables of its own: its parts are passed over.
sql_store <- function(ledger) if (length(ledger$steps) == 0L) ledger$db

# The purchases of a ledger: its days, or its orders that are worth one.
purchases_sql <- function(ledger) {
  db <- ledger$db
  if (ledger$meaning$purchase_unit == "day") {
    return(paste0(
      "(SELECT customer, day AS number, day, sales, nth, before_day FROM ", db$named("days"), ")"
    ))
  }
  paste0(
    "(SELECT customer, number, day, sales, nth, before_day FROM ", db$named("orders"),
    " WHERE nth >= 1)"
  )
}

# What stands of an order `o`.
order_columns <- all_named("o", c("customer", "number", "day"))

# Values of customers (`customer` and others), each at his code; `none` for who is not among them.
at_codes <- function(ledger, found, column, none = 0) {
  out <- rep(none, n_customers(ledger))
  out[found$customer] <- found[[column]]
  out
}

#' @export
reduce_size.nubrek_database <- function(ledger) {
  if (is.null(sql_store(ledger))) return(NextMethod())
  totals_found(ledger)[c("orders", "purchases")]
}

#' @export
reduce_totals.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  c(totals_found(ledger), list(sales_gross = as.double(ask_workspace(
    db, "SELECT COALESCE(SUM(sales), 0) AS sales FROM ", db$named("days"), by = character()
  )$sales)))
}

totals_found <- function(ledger) {
  db <- ledger$db
  kept_answer(db, paste("totals of", db$named("orders")), \() ask_totals(ledger, db))
}

ask_totals <- function(ledger, db) {
  one <- ask_workspace(
    db, "SELECT COUNT(*) AS orders, COUNT(nth) AS purchases, COALESCE(SUM(sales), 0) AS sales ",
    "FROM ", db$named("orders"), by = character()
  )
  if (ledger$meaning$purchase_unit == "day") {
    one$purchases <- ask_workspace(
      db, "SELECT COUNT(*) AS n FROM ", db$named("days"), by = character()
    )$n
  }
  list(
    orders = as.integer(one$orders), purchases = as.integer(one$purchases),
    sales = as.double(one$sales)
  )
}

#' @export
reduce_sums.nubrek_database <- function(ledger, what) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  lines <- if (what == "lines") "0" else "COALESCE(SUM(n_lines), 0)"
  found <- ask_workspace(
    db, "SELECT COALESCE(SUM(sales), 0) AS sales, ", lines, " AS n_lines FROM ", db$named(what),
    by = character()
  )
  list(sales = as.double(found$sales), n_lines = as.double(found$n_lines))
}

#' @export
reduce_customers.nubrek_database <- function(ledger) {
  if (is.null(sql_store(ledger))) return(NextMethod())
  found <- orders_and_purchases(
    ledger, c(sales = "SUM(sales)", cost = if (".cost" %in% ledger$line_names) "SUM(cost)"), c(
      purchases = "COUNT(nth)",
      days = "SUM(CASE WHEN nth IS NULL OR before_day = day THEN 0 ELSE 1 END)",
      low = "MIN(CASE WHEN nth >= 1 THEN day END)", high = "MAX(CASE WHEN nth >= 1 THEN day END)",
      bought = "SUM(CASE WHEN nth >= 1 THEN sales ELSE 0 END)",
      first_sales = "SUM(CASE WHEN nth = 1 THEN sales ELSE 0 END)"
    )
  )
  whole <- \(column, none = 0L) as.integer(at_codes(ledger, found, column, none))
  money <- \(column) as.double(at_codes(ledger, found, column))
  m <- data.table(
    purchases = whole("purchases"),
    orders = whole("orders"),
    purchase_days = whole("days"),
    first = whole("low", NA_integer_),
    last = whole("high", NA_integer_),
    sales = money("sales"),
    sales_purchases = money("bought"),
    sales_first = money("first_sales")
  )
  if (!is.null(found$cost)) data.table::set(m, NULL, "cost", money("cost"))
  m
}

#' @export
reduce_never_paid.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT customer, MIN(day) AS low FROM ", db$named("orders"),
    " GROUP BY customer HAVING COUNT(nth) = 0"
  )
  data.table(customer = as.integer(found$customer), day = as.integer(found$low))[order(customer)]
}

# A row per customer with an order: how many, and by name the sums over them and over what stands of
# the purchases; these are orders too (one pass), or days (joined).
orders_and_purchases <- function(ledger, sums, bought, where = NULL) {
  db <- ledger$db
  as <- \(expressions) paste0(", ", expressions, " AS ", names(expressions), collapse = "")
  of <- \(table, expressions) paste0(
    "SELECT customer, COUNT(*) AS orders", as(expressions), " FROM ", db$named(table), where,
    " GROUP BY customer"
  )
  if (ledger$meaning$purchase_unit != "day") {
    return(ask_workspace(db, of("orders", c(sums, bought))))
  }
  # no day is no purchase, but the first and the last day of nothing are not known
  told <- stats::setNames(paste0("b.", names(bought)), names(bought))
  known <- !names(bought) %in% c("low", "high")
  told[known] <- paste0("COALESCE(", told[known], ", 0)")
  ask_workspace(
    db, "SELECT ", all_named("o", c("customer", "orders", names(sums))), as(told), " FROM (",
    of("orders", sums), ") o LEFT JOIN (", of("days", bought), ") b ON b.customer = o.customer"
  )
}

#' @export
reduce_first.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  kept_answer(db, paste("first of", db$named("days")), \() {
    found <- ask_workspace(
      db, "SELECT customer, MIN(day) AS day FROM ", db$named("days"), " GROUP BY customer"
    )
    as.integer(at_codes(ledger, found, "day", NA_integer_))
  })
}

#' @export
reduce_counts.nubrek_database <- function(ledger, from = NULL) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS n FROM ", purchases_sql(ledger), " p",
    if (!is.null(from)) paste(" WHERE day >=", as.integer(from)), " GROUP BY customer"
  )
  as.integer(at_codes(ledger, found, "n", 0L))
}

#' @export
reduce_count_sizes.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT n, COUNT(*) AS customers FROM (SELECT customer, COUNT(*) AS n FROM ",
    purchases_sql(ledger), " p GROUP BY customer) t GROUP BY n", by = "n"
  )
  replace(integer(max(0L, found$n)), found$n, as.integer(found$customers))
}

#' @export
reduce_sales_between.nubrek_database <- function(ledger, from, to) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT day, SUM(sales) AS sales FROM ", db$named("orders"), " GROUP BY day ORDER BY day",
    by = "day"
  )
  running <- c(0, cumsum(as.double(found$sales)))
  running[findInterval(as.integer(to), found$day) + 1L] -
    running[findInterval(as.integer(from) - 1L, found$day) + 1L]
}

#' @export
reduce_between.nubrek_database <- function(ledger, after, until) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS n, SUM(sales) AS sales FROM ", db$named("days"),
    " WHERE day > ", as.integer(after), " AND day <= ", as.integer(until), " GROUP BY customer"
  )
  data.table(
    purchases = as.integer(at_codes(ledger, found, "n", 0L)),
    sales = as.double(at_codes(ledger, found, "sales"))
  )
}

#' @export
reduce_span.nubrek_database <- function(ledger, span, all = TRUE) {
  if (is.null(sql_store(ledger))) return(NextMethod())
  inside <- paste(" WHERE day BETWEEN", as.integer(span$from), "AND", as.integer(span$until))
  found <- orders_and_purchases(ledger, c(sales = "SUM(sales)"), c(
    n = "COUNT(nth)", low = "MIN(CASE WHEN nth >= 1 THEN day END)",
    high = "MAX(CASE WHEN nth >= 1 THEN day END)"
  ), inside)
  whole <- \(column, none = 0L) as.integer(at_codes(ledger, found, column, none))
  m <- list(purchases = whole("n"))
  if (all) {
    m <- c(m, list(
      orders = whole("orders"), first = whole("low", NA_integer_), last = whole("high", NA_integer_)
    ))
  }
  m$sales <- as.double(at_codes(ledger, found, "sales"))
  data.table::setDT(m)[]
}

# The number of the period of each day of the history, as a table of the workspace: the calendar of
# the package, so that no engine's dates are asked.
send_calendar <- function(ledger, frame) {
  days <- seq.int(as.integer(ledger$history_start), as.integer(ledger$as_of))
  send_table(ledger$db, "calendar", list(day = days, period = frame$row_of_day))
  make_index(ledger$db, "calendar", "day")
}

#' @export
reduce_gap_counts.nubrek_database <- function(ledger, clock = NULL, until = ledger$as_of) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  gap <- "p.day - p.before_day"
  rows <- paste0(purchases_sql(ledger), " p")
  if (!is.null(clock)) {
    frame <- period_frame(ledger, clock)
    send_calendar(ledger, frame)
    gap <- "c.period - b.period"
    rows <- paste0(
      rows, " JOIN ", db$named("calendar"), " c ON c.day = p.day JOIN ", db$named("calendar"),
      " b ON b.day = p.before_day"
    )
  }
  found <- ask_workspace(
    db, "SELECT gap, COUNT(*) AS n FROM (SELECT ", gap, " AS gap FROM ", rows,
    " WHERE p.nth > 1 AND p.day <= ", as.integer(until), ") t GROUP BY gap", by = "gap"
  )
  counts <- integer(if (is.null(clock)) {
    as.integer(ledger$as_of) - as.integer(ledger$history_start) + 2L
  } else {
    max(frame$row_of_day) + 1L
  })
  counts[found$gap + 1] <- as.integer(found$n)
  counts
}

#' @export
reduce_periods.nubrek_database <- function(ledger, clock) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  frame <- period_frame(ledger, clock)
  send_calendar(ledger, frame)
  of <- \(rows, sums) paste0(
    "SELECT customer, period, COUNT(*) AS n", sums, " FROM ", rows, " o JOIN ",
    db$named("calendar"), " c ON c.day = o.day GROUP BY customer, period"
  )
  found <- ask_workspace(
    db, "SELECT a.customer, a.period, a.n AS orders, a.sales, COALESCE(b.n, 0) AS purchases FROM (",
    of(db$named("orders"), ", SUM(sales) AS sales"), ") a LEFT JOIN (",
    of(purchases_sql(ledger), NULL),
    ") b ON b.customer = a.customer AND b.period = a.period ORDER BY a.customer, a.period",
    sort = c("customer", "period")
  )
  cells <- list(
    code = as.integer(found$customer),
    row = as.integer(found$period),
    purchases = as.integer(found$purchases),
    orders = as.integer(found$orders),
    sales = as.double(found$sales)
  )
  cells$of_customer <- cpp_group_sums(cells$sales, cells$code, 0L, n_customers(ledger))$sums
  cells$of_period <- cpp_group_sums(cells$sales, cells$row, 0L, length(frame$number))$sums
  cells
}

#' @export
reduce_waits.nubrek_database <- function(ledger, nth, clock = NULL) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT customer, MIN(day) AS low, MIN(CASE WHEN nth = ", as.integer(nth),
    " THEN day END) AS nth_day FROM ", db$named("days"), " GROUP BY customer"
  )
  waits_from(ledger, list(
    first = as.integer(at_codes(ledger, found, "low", NA_integer_)),
    nth = as.integer(at_codes(ledger, found, "nth_day", NA_integer_))
  ), clock)
}
