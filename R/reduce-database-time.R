# Gaps, histories and arrivals of a ledger in its database.

# Logs of whole numbers that stand in the database, worked out here: not every engine has them.
send_logs <- function(db, values, scale = 1, add = 0) {
  logs <- log(values / scale + add)
  send_table(db, "logs", list(value = values, log = logs))
  make_index(db, "logs", "value")
}

#' @export
reduce_gaps.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  gaps <- paste0(
    "(SELECT customer, day - before_day AS gap FROM ", purchases_sql(ledger), " p WHERE nth > 1)"
  )
  most <- ask_workspace(
    db, "SELECT MAX(gap) AS most FROM ", gaps, " g", by = character(), high = "most"
  )$most
  send_logs(db, seq.int(0, if (is.na(most)) 0 else most), add = 1)
  found <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS gaps, SUM(gap) AS sum, SUM(gap * gap) AS squares, SUM(log) ",
    "AS log_sum, SUM(log * log) AS log_squares, AVG(1.0 * CASE WHEN 2 * nth IN (n, n + 1, n + 2) ",
    "THEN gap END) AS median, MAX(gap) AS longest FROM (SELECT customer, gap, ROW_NUMBER() OVER ",
    "(PARTITION BY customer ORDER BY gap) AS nth, COUNT(*) OVER (PARTITION BY customer) AS n FROM ",
    gaps, " g) r JOIN ", db$named("logs"), " l ON l.value = gap GROUP BY customer"
  )
  of <- \(name, none = 0) as.double(at_codes(ledger, found, name, none))
  list(
    gaps = as.integer(of("gaps")), sum = of("sum"), squares = of("squares"),
    median = of("median", NA_real_), longest = as.integer(of("longest")),
    log_sum = of("log_sum"), log_squares = of("log_squares")
  )
}

#' @export
reduce_gap_list.nubrek_database <- function(ledger) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT customer, nth, before_day, day FROM ", purchases_sql(ledger),
    " p WHERE nth > 1 ORDER BY customer, number", sort = c("customer", "nth")
  )
  lapply(list(
    code = found$customer, visit = found$nth, from = found$before_day, to = found$day
  ), as.integer)
}

#' @export
reduce_history.nubrek_database <- function(ledger, until, scale, index = NULL, occasions = FALSE) {
  if (is.null(db <- sql_store(ledger)) || occasions) return(NextMethod())
  # a season is fitted in many business times, which the database need not know
  found <- kept_answer(db, paste("histories of", db$named("days"), "until", until), \() {
    histories_found(ledger, db, until)
  })
  if (nrow(found) == 0L) return(NULL)
  start <- business_days(index, found$low)
  list(
    code = found$customer,
    repeats = found$n - 1L,
    last = (business_days(index, found$high) - start) / scale,
    span = (business_days(index, as.integer(until)) - start) / scale,
    later = found$later,
    log_spend = found$log_mean,
    log_spread = found$spread
  )
}

# Per customer with a purchase until a day: the first and last day, how many, sales after the first.
histories_found <- function(ledger, db, until) {
  inside <- paste0(
    "(SELECT customer, day, sales, nth FROM ", db$named("days"), " WHERE day <= ",
    as.integer(until), ")"
  )
  amounts <- ask_workspace(
    db, "SELECT DISTINCT sales FROM ", inside, " d WHERE nth > 1 AND sales > 0", by = "sales"
  )$sales
  send_logs(db, amounts, 10^ledger$decimals)
  found <- ask_workspace(
    db, "SELECT customer, MIN(day) AS low, MAX(day) AS high, COUNT(*) AS n, SUM(CASE WHEN nth > 1 ",
    "THEN sales ELSE 0 END) AS later FROM ", inside, " d GROUP BY customer ORDER BY customer",
    sort = "customer"
  )
  logs <- ask_workspace(
    db, "SELECT customer, AVG(log) AS log_mean, SUM((log - mean_log) * (log - mean_log)) ",
    "AS spread FROM (SELECT d.customer AS customer, l.log AS log, AVG(l.log) OVER (PARTITION BY ",
    "d.customer) AS mean_log FROM ",
    inside, " d JOIN ", db$named("logs"), " l ON l.value = d.sales WHERE d.nth > 1) t ",
    "GROUP BY customer"
  )
  place <- match(found$customer, logs$customer)
  data.table(
    customer = as.integer(found$customer),
    low = as.integer(found$low),
    high = as.integer(found$high),
    n = as.integer(found$n),
    later = as.double(found$later),
    log_mean = as.double(logs$log_mean)[place],
    spread = as.double(logs$spread)[place]
  )
}

#' @export
reduce_repeat_days.nubrek_database <- function(ledger, until, codes) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  all <- setequal(codes, which(reduce_first(ledger) <= as.integer(until)))
  if (!all) send_table(db, "chosen", list(customer = sort(unique(codes))))
  found <- ask_workspace(
    db, "SELECT day, COUNT(*) AS n FROM ", db$named("days"), " WHERE nth > 1 AND day <= ",
    as.integer(until), if (!all) {
      paste0(" AND customer IN (SELECT customer FROM ", db$named("chosen"), ")")
    },
    " GROUP BY day ORDER BY day", by = "day"
  )
  lapply(found, as.integer)
}

# `arrived` in the workspace: customers and periods with a purchase in lines as wanted, the day of
# the first there and the kind: new, returning, reactivated.
stage_arrivals <- function(ledger, frame, lookback, unit, lines, any) {
  db <- ledger$db
  send_calendar(ledger, frame)
  money <- db$named("orders")
  if (length(lines) > 0L) {
    check_columns_exist(names(lines), line_columns(ledger), "the lines")
    make_table(
      db, "inside", "SELECT ", order_columns, ", SUM(l.sales) AS sales", free_of_lines(ledger),
      " FROM ", db$named("lines"), " l JOIN ", db$named("orders"),
      " o ON o.number = l.number WHERE ", lines_where(ledger, lines),
      " GROUP BY o.customer, o.number, o.day"
    )
    money <- db$named("inside")
  }
  known <- if (any || length(lines) == 0L) known_before(ledger) else integer()
  send_table(db, "known", list(customer = known))
  back <- if (is.null(lookback)) {
    "1 = 1"
  } else if (unit == "days") {
    paste("a.day - a.last_day <=", as.integer(lookback))
  } else {
    paste("a.period - p.period <=", as.integer(lookback))
  }
  active <- if (length(lines) > 0L) active_in_lines(ledger, any) else active_in_days(db)
  make_table(
    db, "arrived", "SELECT a.customer, a.period, a.day, CASE WHEN a.last_day IS NULL THEN 1 WHEN ",
    back, " THEN 2 ELSE 3 END AS kind FROM (SELECT f.customer AS customer, ",
    "f.period AS period, f.day AS day, COALESCE(f.last_day, CASE WHEN f.customer ",
    "IN (SELECT customer FROM ", db$named("known"), ") THEN ", as.integer(ledger$history_start),
    " END) AS last_day FROM (", active, ") f) a LEFT JOIN ", db$named("calendar"),
    " p ON p.day = a.last_day"
  )
  make_index(db, "arrived", c("customer", "period"))
  money
}

# Customers and periods in which they are active: the first day there, and the last one of the
# history before the period (NULL without one).
active_in_days <- function(db) {
  none <- "-2000000"
  day <- paste0("v.day AS day, COALESCE(v.before_day, ", none, ") AS last_day")
  paste0(
    "SELECT customer, period, MIN(day) AS day, NULLIF(MIN(last_day), ", none, ") AS last_day ",
    "FROM (", in_periods(db, "days", day),
    ") w GROUP BY customer, period"
  )
}

# The same of those lines that are in `inside`.
active_in_lines <- function(ledger, any) {
  db <- ledger$db
  make_table(
    db, "active", "SELECT DISTINCT customer, day FROM ", db$named("inside"), " WHERE ",
    purchase_sql(ledger)
  )
  make_index(db, "active", c("customer", "day"))
  stage_earlier(db, if (any) "days" else "active")
  paste0(
    "SELECT ", all_named("w", c("customer", "period", "day")), ", e.last_day AS last_day FROM ",
    "(SELECT customer, period, MIN(day) AS day FROM (", in_periods(db, "active", "v.day AS day"),
    ") v GROUP BY customer, period) w JOIN ", db$named("earlier"),
    " e ON e.customer = w.customer AND e.period = w.period"
  )
}

in_periods <- function(db, table, day) {
  paste0(
    "SELECT v.customer AS customer, c.period AS period, ", day, " FROM ", db$named(table),
    " v JOIN ", db$named("calendar"), " c ON c.day = v.day"
  )
}

# `earlier` in the workspace: the last day of the history before each period in which a customer is
# active.
stage_earlier <- function(db, history) {
  make_table(
    db, "earlier", "SELECT customer, period, MAX(last_day) OVER (PARTITION BY customer ORDER BY ",
    "period ROWS BETWEEN UNBOUNDED PRECEDING AND 1 PRECEDING) AS last_day FROM (SELECT customer, ",
    "period, MAX(last_day) AS last_day FROM (", in_periods(db, history, "v.day AS last_day"),
    " UNION ALL ", in_periods(db, "active", "NULL AS last_day"),
    ") y GROUP BY customer, period) x"
  )
  make_index(db, "earlier", c("customer", "period"))
}

#' @export
reduce_arrivals.nubrek_database <- function(ledger, clock, lookback, unit, lines, any) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  frame <- period_frame(ledger, clock)
  money <- stage_arrivals(ledger, frame, lookback, unit, lines, any)
  people <- ask_workspace(
    db, "SELECT period, kind, COUNT(*) AS n FROM ", db$named("arrived"), " GROUP BY period, kind",
    by = c("period", "kind")
  )
  sums <- ask_workspace(
    db, "SELECT c.period, COALESCE(a.kind, 4) AS kind, SUM(o.sales) AS sales FROM ", money,
    " o JOIN ", db$named("calendar"), " c ON c.day = o.day LEFT JOIN ", db$named("arrived"),
    " a ON a.customer = o.customer AND a.period = c.period GROUP BY c.period, COALESCE(a.kind, 4)",
    by = c("period", "kind")
  )
  n <- length(frame$number)
  of <- \(found, wanted, column) {
    mine <- found[kind == wanted]
    replace(numeric(n), mine$period, as.double(mine[[column]]))
  }
  c(
    lapply(c(new = 1, returning = 2, reactivated = 3), \(k) as.integer(of(people, k, "n"))),
    lapply(
      c(sales_new = 1, sales_returning = 2, sales_reactivated = 3, sales_not_active = 4),
      \(k) of(sums, k, "sales")
    )
  )
}

#' @export
reduce_arrival_kinds.nubrek_database <- function(ledger, clock, lookback, unit, lines, any) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  stage_arrivals(ledger, period_frame(ledger, clock), lookback, unit, lines, any)
  found <- ask_workspace(
    db, "SELECT customer, period, day, kind FROM ", db$named("arrived"),
    " ORDER BY customer, period", sort = c("customer", "period")
  )
  data.table(
    customer = as.integer(found$customer),
    row = as.integer(found$period),
    day = as.integer(found$day),
    kind = c("new", "returning", "reactivated")[found$kind]
  )
}

#' @export
reduce_active.nubrek_database <- function(ledger, frame) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  send_calendar(ledger, frame)
  calendar <- paste0(" JOIN ", db$named("calendar"), " c ON c.day = o.day")
  busy <- paste0(
    "(SELECT DISTINCT o.customer AS customer, c.period AS period FROM ", purchases_sql(ledger),
    " o", calendar, ")"
  )
  per_period <- ask_workspace(
    db, "SELECT period, COUNT(*) AS n FROM ", busy, " b GROUP BY period", by = "period"
  )
  money <- ask_workspace(
    db, "SELECT COALESCE(SUM(CASE WHEN b.period IS NOT NULL THEN o.sales ELSE 0 END), 0) AS ",
    "active, COALESCE(SUM(CASE WHEN b.period IS NULL THEN o.sales ELSE 0 END), 0) AS idle FROM ",
    db$named("orders"), " o", calendar, " LEFT JOIN ", busy,
    " b ON b.customer = o.customer AND b.period = c.period", by = character()
  )
  people <- ask_workspace(
    db, "SELECT DISTINCT customer FROM ", purchases_sql(ledger), " p"
  )$customer
  list(
    customers = length(people),
    known_before = length(intersect(known_before(ledger), people)),
    per_period = replace(
      integer(length(frame$number)), per_period$period, as.integer(per_period$n)
    ),
    active = as.double(money$active),
    idle = as.double(money$idle)
  )
}
