# Cohort cells and money of a ledger in its database.

# Margin of an order as an expression over `o`, with its digits and words; NULL where it is by
# attributes, which the parts know.
margin_sql <- function(ledger, margin) {
  if (is.null(margin)) {
    if (!".cost" %in% ledger$line_names) return(list(sql = NULL))
    return(list(
      sql = "(o.sales - o.cost)", digits = 0L, words = "sales less the ledger's own cost"
    ))
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
  who <- "w.cohort AS cohort, o.customer AS customer"
  keys <- paste0(" GROUP BY w.cohort, o.customer, ", place$sql)
  active <- ask_workspace(
    db, "SELECT cohort, place, COUNT(*) AS customers, SUM(n) AS purchases, ",
    "SUM(CASE WHEN place = last_place THEN 1 ELSE 0 END) AS last FROM (SELECT a.*, MAX(place) ",
    "OVER (PARTITION BY customer) AS last_place FROM (SELECT ", who, ", ", place$sql,
    " AS place, COUNT(*) AS n FROM ", purchases_sql(ledger), " o JOIN ", db$named("who"),
    " w ON w.customer = o.customer", place$join, keys, ") a) b GROUP BY cohort, place"
  )
  sums <- lapply(money, \(units) {
    list(
      cells = ask_workspace(
        db, "SELECT cohort, place, SUM(n) AS orders, SUM(here) AS sums, SUM(1.0 * here * here) AS ",
        "squares, SUM(1.0 * here * at_first) AS with_first, SUM((2.0 * (running - here) + here) * ",
        "here) AS running FROM (SELECT a.*, SUM(here) OVER (PARTITION BY customer ORDER BY place ",
        "ROWS UNBOUNDED PRECEDING) AS running, FIRST_VALUE(here) OVER (PARTITION BY customer ",
        "ORDER BY place) AS at_first FROM (SELECT ", who, ", ", place$sql,
        " AS place, COUNT(*) AS n, SUM(", units, ") AS here FROM ", db$named("orders"), " o JOIN ",
        db$named("who"), " w ON w.customer = o.customer", place$join,
        " WHERE o.day >= w.first_day", keys, ") a) b GROUP BY cohort, place"
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
