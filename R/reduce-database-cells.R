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
  found <- ask_cells(ledger, place, money)
  outside <- ask_workspace(
    db, "SELECT ",
    paste0("COALESCE(SUM(", money, "), 0) AS out", seq_along(money), collapse = ", "),
    " FROM ", db$named("orders"), " o LEFT JOIN ", db$named("who"),
    " w ON w.customer = o.customer WHERE w.customer IS NULL OR o.day < w.first_day",
    by = character()
  )
  at <- cbind(found$cohort, found$place)
  matrix_of <- \(column, whole) {
    out <- matrix(if (whole) 0L else 0, plan$n, plan$places)
    out[at] <- if (whole) as.integer(found[[column]]) else as.double(found[[column]])
    out
  }
  c(
    lapply(stats::setNames(nm = c("customers", "purchases", "last")), matrix_of, TRUE),
    Map(\(units, k) {
      cells <- list(orders = matrix_of("orders", TRUE))
      for (name in c("sums", "squares", "with_first", "running")) {
        cells[[name]] <- matrix_of(paste0(name, k), FALSE)
      }
      for (place in seq_len(plan$places)[-1L]) {
        cells$running[, place] <- cells$running[, place] + cells$running[, place - 1L]
      }
      c(cells, list(outside = as.double(outside[[paste0("out", k)]])))
    }, money, seq_along(money))
  )
}

# Orders of customers with a cohort, folded to customers and places, then to cells: one pass for
# purchases and every kind of money.
ask_cells <- function(ledger, place, money) {
  db <- ledger$db
  bought <- if (ledger$meaning$purchase_unit == "day") {
    "SUM(CASE WHEN o.nth IS NULL OR o.before_day = o.day THEN 0 ELSE 1 END)"
  } else {
    "COUNT(o.nth)"
  }
  each <- \(text) gsub("{k}", "%1$d", text, fixed = TRUE) |>
    sprintf(seq_along(money)) |>
    paste(collapse = ", ")
  ask_workspace(
    db, "SELECT cohort, place, SUM(CASE WHEN bought > 0 THEN 1 ELSE 0 END) AS customers, ",
    "SUM(bought) AS purchases, SUM(CASE WHEN place = last_place THEN 1 ELSE 0 END) AS last, ",
    "SUM(n) AS orders, ", each(paste(
      "SUM(here{k}) AS sums{k}, SUM(1.0 * here{k} * here{k}) AS squares{k}, SUM(1.0 * here{k} *",
      "at_first{k}) AS with_first{k}, SUM((2.0 * (running{k} - here{k}) + here{k}) * here{k}) AS",
      "running{k}"
    )), " FROM (SELECT a.*, MAX(CASE WHEN bought > 0 THEN place END) OVER (PARTITION BY customer) ",
    "AS last_place, ", each(paste(
      "SUM(here{k}) OVER (PARTITION BY customer ORDER BY place ROWS UNBOUNDED PRECEDING) AS",
      "running{k}, FIRST_VALUE(here{k}) OVER (PARTITION BY customer ORDER BY place) AS at_first{k}"
    )), " FROM (SELECT w.cohort AS cohort, o.customer AS customer, ", place$sql,
    " AS place, COUNT(*) AS n, ", bought, " AS bought, ",
    paste0("SUM(", money, ") AS here", seq_along(money), collapse = ", "), " FROM ",
    db$named("orders"), " o JOIN ", db$named("who"), " w ON w.customer = o.customer", place$join,
    " WHERE o.day >= w.first_day GROUP BY w.cohort, o.customer, ", place$sql,
    ") a) b GROUP BY cohort, place", by = c("cohort", "place")
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
