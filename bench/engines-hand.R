# What the generality costs: the SQL of measures of a ledger in DuckDB beside the SQL that somebody
# would write by hand for the same numbers over the same folded tables, with all that this engine
# has, in the same run; written into docs/engines.md. Usage: Rscript bench/engines-hand.R [lines], with
# NUBREK_DUCKDB naming the shared library (tools/test-engines.sh brings it).
library(nubrek)
asked <- commandArgs(TRUE)
lines <- as.numeric(if (length(asked) > 0L) asked[[1L]] else 5e6)
con <- DBI::dbConnect(
  adbi::adbi(adbcdrivermanager::adbc_driver(
    Sys.getenv("NUBREK_DUCKDB"), entrypoint = "duckdb_adbc_init"
  )),
  path = tempfile(), bigint = "numeric"
)
invisible(DBI::dbExecute(con, paste0(
  "CREATE TABLE sold AS SELECT 'C' || CAST(FLOOR(", lines / 13, " * POWER(((order_no * 7919) % ",
  "1000003) / 1000003.0, 1.7)) AS BIGINT) AS who, order_no AS receipt, CAST(DATE '2022-01-01' + ",
  "CAST((order_no * 104729) % 1095 AS INTEGER) AS VARCHAR) AS sold_on, ",
  "CAST(CAST((n * 15485863) % 9000 + 199 AS DOUBLE) / 100 AS DECIMAL(9, 2)) AS paid FROM (SELECT ",
  "n, n // 2 AS order_no FROM range(", format(lines, scientific = FALSE), ") t(n)) s"
)))
ledger <- open_ledger(
  db_table(con, "sold"),
  column_map(customer = "who", order = "receipt", date = "sold_on", sales = "paid"),
  meanings(currency = "EUR", history_start = "2022-01-01"),
  workspace = "main"
)
tables <- DBI::dbGetQuery(con, "SELECT table_name FROM information_schema.tables")$table_name
table <- \(name) paste0('"', grep(paste0("_", name, "$"), tables, value = TRUE), '"')
by_hand <- function(sql) {
  for (name in c("orders", "days")) {
    sql <- gsub(paste0("{", name, "}"), table(name), sql, fixed = TRUE)
  }
  DBI::dbGetQuery(con, sql)
}
month <- "(year(DATE '1970-01-01' + d.day) * 12 + month(DATE '1970-01-01' + d.day))"
questions <- list(
  "repeat rate" = list(
    \() repeat_rate(ledger),
    "SELECT COUNT(*), SUM(CASE WHEN n > 1 THEN 1 ELSE 0 END), SUM(all_sales), SUM(first), SUM(CASE
     WHEN n > 1 THEN all_sales END), SUM(CASE WHEN n > 1 AND days > 1 THEN 1 ELSE 0 END), SUM(n),
     SUM(orders) FROM (SELECT customer, COUNT(*) AS orders, SUM(sales) AS all_sales, COUNT(*) FILTER
     (sales >= 1) AS n, COUNT(DISTINCT CASE WHEN sales >= 1 THEN day END) AS days, ARG_MIN(sales,
     number) FILTER (sales >= 1) AS first FROM {orders} GROUP BY customer) WHERE n > 0"
  ),
  "cohorts by month" = list(
    \() cohort_grid(ledger),
    paste0(
      "SELECT first, age, COUNT(*) FILTER (n > 0), SUM(n), COUNT(*) FILTER (n > 0 AND later = 0), ",
      "SUM(orders), SUM(sales), SUM(1.0 * sales * sales), SUM(1.0 * sales * at_first), ",
      "SUM((2.0 * so_far - sales) * sales) FROM (SELECT *, COUNT(*) FILTER (n > 0) OVER ",
      "(PARTITION BY customer ORDER BY age ROWS BETWEEN 1 FOLLOWING AND UNBOUNDED FOLLOWING) AS ",
      "later, SUM(sales) OVER w AS so_far, FIRST_VALUE(sales) OVER w AS at_first FROM (SELECT ",
      "d.customer AS customer, first, ", month, " - first AS age, COUNT(*) FILTER (d.sales >= 1) ",
      "AS n, COUNT(*) AS orders, SUM(d.sales) AS sales FROM {orders} d JOIN (SELECT customer, ",
      "MIN(", month, ") AS first, MIN(day) AS start FROM {days} d GROUP BY customer) f ON ",
      "f.customer = d.customer AND d.day >= start GROUP BY ALL) WINDOW w AS (PARTITION BY customer ",
      "ORDER BY age ROWS UNBOUNDED PRECEDING)) GROUP BY first, age"
    )
  ),
  "gaps of each customer" = list(
    \() purchase_gaps(ledger),
    "SELECT customer, COUNT(gap), AVG(gap), MEDIAN(gap), MAX(gap), STDDEV(gap), AVG(LN(gap + 1)),
     VAR_POP(LN(gap + 1)), MIN(day), MAX(day), AVG(sales), COUNT(DISTINCT day) FROM (SELECT
     customer, day, sales, day - LAG(day) OVER (PARTITION BY customer ORDER BY number) AS gap FROM
     {orders} WHERE sales >= 1) GROUP BY customer ORDER BY customer"
  ),
  "order counts" = list(
    \() order_counts(ledger),
    "SELECT n, COUNT(*) FROM (SELECT customer, COUNT(*) AS n FROM {orders} WHERE sales >= 1 GROUP BY
     customer) GROUP BY n"
  ),
  "new and returning" = list(
    \() new_returning(ledger, "month"),
    paste0(
      "SELECT m, kind, COUNT(DISTINCT customer) FILTER (bought > 0), SUM(sales) FROM (SELECT ",
      "customer, m, bought, sales, CASE WHEN bought = 0 THEN 4 WHEN m = MIN(m) FILTER (bought > ",
      "0) OVER (PARTITION BY customer) THEN 1 ELSE 2 END AS kind FROM (SELECT customer, ", month,
      " AS m, COUNT(*) FILTER (sales >= 1) AS bought, SUM(sales) AS sales FROM {orders} d ",
      "GROUP BY ALL)) GROUP BY m, kind"
    )
  ),
  "scores" = list(
    \() score_rfm(ledger),
    "SELECT customer, MAX(day) FILTER (sales >= 1), COUNT(*) FILTER (sales >= 1), SUM(sales)
     FROM {orders} GROUP BY customer ORDER BY customer"
  )
)
once <- \(code) system.time(code())[["elapsed"]]
found <- vapply(questions, \(question) {
  times <- vapply(1:7, \(k) {
    # forgets what is known of the ledger
    ours <- once(\() sql <<- ledger_sql(ledger, \(l) question[[1L]]()))
    c(ours = ours, engine = sum(sql$seconds), hand = once(\() by_hand(question[[2L]])))
  }, numeric(3L))
  times <- times[, -1L] # the first run warms up
  c(apply(times, 1L, stats::median), range(times["engine", ] / times["hand", ]))
}, numeric(5L))
rows <- sprintf(
  "| %s | %.2f | %.2f | %.2f | %.2f (%.2f to %.2f) |", colnames(found), found["ours", ],
  found["engine", ], found["hand", ], found["engine", ] / found["hand", ], found[4L, ], found[5L, ]
)
cat(rows, sep = "\n")
text <- readLines("docs/engines.md")
ends <- match(c("<!-- hand -->", "<!-- end hand -->"), text)
writeLines(c(
  text[seq_len(ends[[1L]])],
  sprintf("%s lines in DuckDB, the middle of six runs.", format(lines, big.mark = " ")), "",
  "| asked | seconds | of it in the engine | by hand | engine by hand |", "|---|--:|--:|--:|--:|",
  rows, text[seq.int(ends[[2L]], length(text))]
), "docs/engines.md")
