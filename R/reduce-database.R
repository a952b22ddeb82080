# Reductions as SQL over the folded tables of a ledger that stays in its database. What has no SQL
# here passes over the rows in parts, as in any ledger.

# A ledger with steps (a slice) has no tables of its own: its parts are passed over.
sql_store <- function(ledger) if (length(ledger$steps) == 0L) ledger$db

# The purchases of a ledger: its days, or its orders that are worth one.
purchases_sql <- function(ledger) {
  db <- ledger$db
  if (ledger$meaning$purchase_unit == "day") {
    return(paste0("(SELECT customer, day AS number, day, sales FROM ", db$named("days"), ")"))
  }
  paste0(
    "(SELECT customer, number, day, sales FROM ", db$named("orders"), " WHERE sales >= ",
    ledger$least, ")"
  )
}

# Values of customers (`customer` and others), each at his code; `none` for who is not among them.
at_codes <- function(ledger, found, column, none = 0) {
  out <- rep(none, n_customers(ledger))
  out[found$customer] <- found[[column]]
  out
}

#' @export
reduce_size.nubrek_database <- function(ledger) {
  if (is.null(sql_store(ledger))) return(NextMethod())
  reduce_totals(ledger)[c("orders", "purchases")]
}

#' @export
reduce_totals.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  one <- ask_workspace(
    db, "SELECT COUNT(*) AS orders, COALESCE(SUM(sales), 0) AS sales FROM ", db$named("orders")
  )
  list(
    orders = as.integer(one$orders),
    purchases = as.integer(ask_workspace(
      db, "SELECT COUNT(*) AS n FROM ", purchases_sql(ledger), " p"
    )$n),
    sales = as.double(one$sales),
    sales_gross = as.double(ask_workspace(
      db, "SELECT COALESCE(SUM(sales), 0) AS sales FROM ", db$named("days")
    )$sales)
  )
}

#' @export
reduce_sums.nubrek_database <- function(ledger, what) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  lines <- if (what == "lines") "0" else "COALESCE(SUM(n_lines), 0)"
  found <- ask_workspace(
    db, "SELECT COALESCE(SUM(sales), 0) AS sales, ", lines, " AS n_lines FROM ", db$named(what)
  )
  list(sales = as.double(found$sales), n_lines = as.double(found$n_lines))
}

#' @export
reduce_customers.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  cost <- if (".cost" %in% ledger$line_names) ", SUM(cost) AS cost"
  orders <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS orders, SUM(sales) AS sales", cost, " FROM ",
    db$named("orders"), " GROUP BY customer"
  )
  bought <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS purchases, COUNT(DISTINCT day) AS days, MIN(day) AS low, ",
    "MAX(day) AS high, SUM(sales) AS sales, SUM(CASE WHEN number = lowest THEN sales END) ",
    "AS first_sales FROM (SELECT p.*, MIN(number) OVER (PARTITION BY customer) AS lowest FROM ",
    purchases_sql(ledger), " p) q GROUP BY customer"
  )
  whole <- \(found, column, none = 0L) as.integer(at_codes(ledger, found, column, none))
  money <- \(found, column) as.double(at_codes(ledger, found, column))
  m <- data.table(
    purchases = whole(bought, "purchases"),
    orders = whole(orders, "orders"),
    purchase_days = whole(bought, "days"),
    first = whole(bought, "low", NA_integer_),
    last = whole(bought, "high", NA_integer_),
    sales = money(orders, "sales"),
    sales_purchases = money(bought, "sales"),
    sales_first = money(bought, "first_sales")
  )
  if (!is.null(cost)) data.table::set(m, NULL, "cost", money(orders, "cost"))
  m
}

#' @export
reduce_first.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT customer, MIN(day) AS day FROM ", db$named("days"), " GROUP BY customer"
  )
  as.integer(at_codes(ledger, found, "day", NA_integer_))
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
reduce_sales_between.nubrek_database <- function(ledger, from, to) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT day, SUM(sales) AS sales FROM ", db$named("orders"), " GROUP BY day ORDER BY day"
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
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  inside <- paste(
    " WHERE day BETWEEN", as.integer(span$from), "AND", as.integer(span$until), "GROUP BY customer"
  )
  orders <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS n, SUM(sales) AS sales FROM ", db$named("orders"), inside
  )
  bought <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS n, MIN(day) AS low, MAX(day) AS high FROM ",
    purchases_sql(ledger), " p", inside
  )
  whole <- \(found, column, none = 0L) as.integer(at_codes(ledger, found, column, none))
  m <- list(purchases = whole(bought, "n"))
  if (all) {
    m <- c(m, list(
      orders = whole(orders, "n"),
      first = whole(bought, "low", NA_integer_),
      last = whole(bought, "high", NA_integer_)
    ))
  }
  m$sales <- as.double(at_codes(ledger, orders, "sales"))
  data.table::setDT(m)[]
}

# The number of the period of each day of the history, as a table of the workspace: the calendar of
# the package, so that no engine's dates are asked.
send_calendar <- function(ledger, frame) {
  days <- seq.int(as.integer(ledger$history_start), as.integer(ledger$as_of))
  send_table(ledger$db, "calendar", list(day = days, period = frame$row_of_day))
}

#' @export
reduce_gap_counts.nubrek_database <- function(ledger, clock = NULL, until = ledger$as_of) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  place <- "day"
  rows <- paste0(purchases_sql(ledger), " p")
  if (!is.null(clock)) {
    frame <- period_frame(ledger, clock)
    send_calendar(ledger, frame)
    place <- "period"
    rows <- paste0(rows, " JOIN ", db$named("calendar"), " c ON c.day = p.day")
  }
  found <- ask_workspace(
    db, "SELECT gap, COUNT(*) AS n FROM (SELECT p.day, ", place, " - LAG(", place,
    ") OVER (PARTITION BY customer ORDER BY number) AS gap FROM ", rows,
    ") t WHERE gap IS NOT NULL AND day <= ", as.integer(until), " GROUP BY gap"
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
    ") b ON b.customer = a.customer AND b.period = a.period ORDER BY a.customer, a.period"
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

# Margin of an order as an expression over `o`, with its digits and words; NULL where it is by
# attributes, which the parts know.
margin_sql <- function(ledger, margin) {
  if (is.null(margin)) {
    if (!".cost" %in% ledger$line_names) return(list(sql = NULL))
    return(list(sql = "(o.sales - o.cost)", digits = 0L, words = "sales less the ledger's own cost"))
  }
  if (is.numeric(margin)) margin <- margin_rates(margin)
  if (!inherits(margin, "nubrek_margin") || !is.null(margin$by)) return(NULL)
  rate <- whole_rates(c(unname(margin$rates), margin$otherwise))
  list(
    sql = sprintf("(o.sales * %d)", as.integer(rate$whole[[1L]])),
    digits = rate$digits,
    words = paste0(number_text(100 * margin$rates[[1L]]), " % of sales")
  )
}

#' @export
reduce_money.nubrek_database <- function(ledger, margin = NULL, call = rlang::caller_env()) {
  known <- margin_sql(ledger, margin)
  if (is.null(db <- sql_store(ledger)) || is.null(known)) return(NextMethod())
  net <- ask_workspace(
    db, "SELECT customer, SUM(sales) AS sales",
    if (!is.null(known$sql)) paste0(", SUM(", known$sql, ") AS margin"), " FROM ",
    db$named("orders"), " o GROUP BY customer"
  )
  gross <- ask_workspace(
    db, "SELECT customer, SUM(sales) AS sales FROM ", db$named("days"), " GROUP BY customer"
  )
  list(
    net = as.double(at_codes(ledger, net, "sales")),
    gross = as.double(at_codes(ledger, gross, "sales")),
    margin = if (!is.null(known$sql)) as.double(at_codes(ledger, net, "margin")),
    digits = known$digits,
    words = known$words
  )
}

# The cells of cohorts and places: `plan` has the cohort, the start and the first purchase of each
# customer, and how places are told.
cells_of_rows <- function(ledger, plan, money) {
  db <- ledger$db
  bought <- which(!is.na(plan$cohort))
  send_table(db, "who", list(
    customer = bought, cohort = plan$cohort[bought], start_day = plan$start[bought],
    first_day = plan$first[bought]
  ))
  make_index(db, "who", "customer")
  place <- send_places(ledger, plan$place)
  active <- ask_workspace(
    db, "SELECT cohort, place, COUNT(*) AS customers, SUM(n) AS purchases, ",
    "SUM(CASE WHEN place = last_place THEN 1 ELSE 0 END) AS last FROM (SELECT a.*, MAX(place) OVER ",
    "(PARTITION BY customer) AS last_place FROM (SELECT w.cohort, o.customer, ", place$sql,
    " AS place, COUNT(*) AS n FROM ", purchases_sql(ledger), " o JOIN ", db$named("who"),
    " w ON w.customer = o.customer", place$join, " GROUP BY 1, 2, 3) a) b GROUP BY cohort, place"
  )
  sums <- lapply(money, \(units) {
    list(
      cells = ask_workspace(
        db, "SELECT cohort, place, SUM(n) AS orders, SUM(here) AS sums, SUM(1.0 * here * here) AS ",
        "squares, SUM(1.0 * here * at_first) AS with_first, SUM((2.0 * (running - here) + here) * ",
        "here) AS running FROM (SELECT a.*, SUM(here) OVER (PARTITION BY customer ORDER BY place ",
        "ROWS UNBOUNDED PRECEDING) AS running, FIRST_VALUE(here) OVER (PARTITION BY customer ",
        "ORDER BY place) AS at_first FROM (SELECT w.cohort, o.customer, ", place$sql,
        " AS place, COUNT(*) AS n, SUM(", units, ") AS here FROM ", db$named("orders"), " o JOIN ",
        db$named("who"), " w ON w.customer = o.customer", place$join,
        " WHERE o.day >= w.first_day GROUP BY 1, 2, 3) a) b GROUP BY cohort, place"
      ),
      outside = as.double(ask_workspace(
        db, "SELECT COALESCE(SUM(", units, "), 0) AS outside FROM ", db$named("orders"),
        " o LEFT JOIN ", db$named("who"),
        " w ON w.customer = o.customer WHERE w.customer IS NULL OR o.day < w.first_day"
      )$outside)
    )
  })
  matrix_of <- \(found, column, whole) {
    out <- matrix(if (whole) 0L else 0, plan$n, plan$places)
    value <- found[[column]]
    out[cbind(found$cohort, found$place)] <- if (whole) as.integer(value) else as.double(value)
    out
  }
  c(
    lapply(stats::setNames(nm = c("customers", "purchases", "last")), \(name) {
      matrix_of(active, name, TRUE)
    }),
    lapply(sums, \(one) {
      cells <- list(orders = matrix_of(one$cells, "orders", TRUE))
      for (name in c("sums", "squares", "with_first", "running")) {
        cells[[name]] <- matrix_of(one$cells, name, FALSE)
      }
      for (k in seq_len(plan$places)[-1L]) {
        cells$running[, k] <- cells$running[, k] + cells$running[, k - 1L]
      }
      c(cells, list(outside = one$outside))
    })
  )
}

# How the place of an order `o` of a customer `w` is told: by the calendar of periods, or by ages in
# months, weeks or days, for which the calendar knows months and days of the month.
send_places <- function(ledger, place) {
  db <- ledger$db
  if (place$kind == "days") {
    return(list(
      sql = paste0("(", sprintf(db$dialect$divide, "(o.day - w.start_day)", place$step), " + 1)"),
      join = NULL
    ))
  }
  if (place$kind == "calendar") {
    send_table(db, "calendar", list(
      day = place$origin + seq_along(place$row) - 1L, period = place$row
    ))
    return(list(sql = "c.period", join = paste0(
      " JOIN ", db$named("calendar"), " c ON c.day = o.day"
    )))
  }
  send_table(db, "calendar", list(
    day = place$origin + seq_along(place$month) - 1L, month = place$month, mday = place$day,
    last = place$last
  ))
  make_index(db, "calendar", "day")
  list(
    sql = paste0("(", sprintf(db$dialect$divide, paste0(
      "(c.month - s.month - CASE WHEN c.mday < s.mday AND c.mday < c.last THEN 1 ELSE 0 END)"
    ), place$step), " + 1)"),
    join = paste0(
      " JOIN ", db$named("calendar"), " c ON c.day = o.day JOIN ", db$named("calendar"),
      " s ON s.day = w.start_day"
    )
  )
}

#' @export
sum_cells.nubrek_database <- function(ledger, plan, margin, call) {
  known <- margin_sql(ledger, margin)
  if (is.null(sql_store(ledger)) || is.null(known)) return(NextMethod())
  sums <- cells_of_rows(ledger, plan, c(
    list(sales = "o.sales"), if (!is.null(known$sql)) list(margin = known$sql)
  ))
  c(sums, known[c("digits", "words")])
}

# A column of the lines in the workspace.
line_cell <- function(ledger, name) {
  paste0("l", match(name, setdiff(ledger$line_names, c("number", "sales"))))
}

#' @export
reduce_values.nubrek_database <- function(ledger, name) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  as.character(ask_workspace(
    db, "SELECT DISTINCT ", line_cell(ledger, name), " AS value FROM ", db$named("lines")
  )$value)
}

#' @export
reduce_waits.nubrek_database <- function(ledger, nth, clock = NULL) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT customer, MIN(day) AS low, MIN(CASE WHEN nth = ", as.integer(nth),
    " THEN day END) AS nth_day FROM (SELECT customer, day, ROW_NUMBER() OVER (PARTITION BY ",
    "customer ORDER BY day) AS nth FROM ", db$named("days"), ") t GROUP BY customer"
  )
  waits_from(ledger, list(
    first = as.integer(at_codes(ledger, found, "low", NA_integer_)),
    nth = as.integer(at_codes(ledger, found, "nth_day", NA_integer_))
  ), clock)
}
