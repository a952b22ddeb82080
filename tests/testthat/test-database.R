# Tables, views and queries of a database as sources: the ledger of the same rows, nothing written,
# names and queries that cannot get out of their place.

orders_map <- column_map(
  customer = "customer", order = "receipt", date = "day", sales = "amount", channel = "shop"
)
paid <- meanings(currency = "EUR", cancelled = order_rule("state", "cancelled"))

test_long("random rows in a database make the ledger that they make in a data frame", {
  for (seed in 1:25) {
    rows <- random_orders(seed)
    con <- local_database(orders = rows)
    ours <- open_ledger(db_table(con, "orders"), orders_map, paid)
    theirs <- open_ledger(rows, orders_map, paid)
    for (part in c("orders", "lines", "days", "ids", "attributes", "known_first", "least")) {
      expect_equal(ours[[part]], theirs[[part]], label = part)
    }
    counts <- \(ledger) audit(ledger)[c("reason", "rows", "money", "unknown")]
    expect_equal(as.list(counts(ours)), as.list(counts(theirs)))
  }
})

test_that("numbers, days and ids arrive as they are: zeros, long ids, cents, unicode, missing", {
  rows <- data.frame(
    who = c("007", "12345678901234567890", "Zo\u00eb", NA), on_day = as.character(
      as.Date("2024-03-05") + 0:3
    ), paid = c(12.5, 1234567.89, 0.1, 3), n = c(1L, 2L, NA, 4L)
  )
  con <- local_database(sold = rows)
  DBI::dbExecute(con, "CREATE VIEW recent AS SELECT * FROM sold WHERE paid > 0.1")
  ledger <- open_ledger(
    db_table(con, "sold"), column_map(customer = "who", date = "on_day", sales = "paid"),
    meanings(currency = "EUR")
  )
  expect_identical(customers(ledger)$customer, rows$who[1:3])
  expect_equal(customers(ledger)$sales, rows$paid[1:3])
  expect_identical(sum(audit(ledger)$rows[audit(ledger)$reason == "no customer"]), 1L)
  view <- open_ledger(
    db_table(con, "recent"), column_map(customer = "who", date = "on_day", sales = "paid"),
    meanings(currency = "EUR")
  )
  expect_identical(nrow(customers(view)), 2L)
  query <- db_table(
    con, query = "SELECT who, on_day, paid FROM sold WHERE who LIKE 'Z(o;%' OR n = 1"
  )
  expect_identical(query$columns, c("who", "on_day", "paid"))
  expect_identical(fetch_table(query)$who, "007")
  panel <- data.frame(customer = c("A", "B"), seller = c("we", "they"), money = c(30.5, 20))
  DBI::dbWriteTable(con, "panel", panel)
  expect_equal(
    lapply(wallet_share(db_table(con, "panel"), "we"), identity),
    lapply(wallet_share(panel, "we"), identity)
  )
})

test_that("queries are one SELECT, names are quoted, and nothing is written", {
  con <- local_database(lines = data.frame(a = 1))
  before <- tools::md5sum(attr(con, "path"))
  for (query in c(
    "DROP TABLE lines", "SELECT 1; DROP TABLE lines", "SELECT * FROM lines) AS x; --",
    "SELECT * FROM lines -- ", "SELECT * FROM lines /* x */", "SELECT 'a", "UPDATE lines SET a = 2",
    "SELECT * FROM lines) UNION SELECT * FROM (SELECT 1", "PRAGMA writable_schema = 1", "SELECT (1"
  )) {
    expect_error(db_table(con, query = query), class = "nubrek_error_database", label = query)
  }
  expect_error(db_table(con, "line"), "lines", class = "nubrek_error_database")
  expect_error(db_table(con, "main.nothing"), class = "nubrek_error_database")
  odd <- c("it's", "a\"b", "a;b", "--", "x y", "dr\u00f6p", "a`b", "[c]", "){", "{x}", "%d")
  for (name in odd) {
    table <- stats::setNames(data.frame("1", "2024-01-02", "5"), c(name, "day", "paid"))
    DBI::dbWriteTable(con, DBI::SQL(as.character(DBI::dbQuoteIdentifier(con, name))), table)
    source <- db_table(con, query = NULL, table = name)
    ledger <- open_ledger(
      source, column_map(customer = name, date = "day", sales = "paid"), meanings(currency = "EUR")
    )
    expect_identical(customers(ledger)$sales, 5)
    DBI::dbRemoveTable(con, DBI::SQL(as.character(DBI::dbQuoteIdentifier(con, name))))
  }
  expect_identical(DBI::dbListTables(con), "lines")
  expect_error(db_table(con), class = "nubrek_error_argument")
  source <- db_table(con, "lines")
  DBI::dbExecute(con, "DELETE FROM lines")
  expect_error(fetch_table(source), "no rows", class = "nubrek_error_database")
  DBI::dbExecute(con, "DROP TABLE lines")
  expect_error(fetch_table(source), "no such table", class = "nubrek_error_database")
})

test_that("a study names a connection, whose secrets stand elsewhere, and sees new rows", {
  folder <- withr::local_tempdir()
  rows <- random_orders(4L)
  con <- local_database(orders = rows, written = data.frame(
    who = rows$customer[[1L]], sent = "2024-05-01"
  ))
  put <- \(name, lines) writeLines(lines, file.path(folder, name))
  put("connections.yaml", c(
    "till:", "  package: RSQLite", "  dbname: {env: TILL_DATABASE}", "other: {package: stats}"
  ))
  study <- \(connection, extra = NULL) {
    put("study.yaml", c(
      "data:",
      paste0("  connection: ", connection),
      extra,
      "  orders:",
      "    query: SELECT * FROM orders WHERE state <> 'void'",
      "    columns: {customer: customer, order: receipt, date: day, sales: amount, channel: shop}",
      "  contacts: {table: written, columns: {customer: who, day: sent}}",
      "meanings: {currency: EUR, cancelled: {column: state, values: [cancelled]}}"
    ))
    file.path(folder, "study.yaml")
  }
  withr::local_envvar(
    NUBREK_CONNECTIONS = file.path(folder, "connections.yaml"), TILL_DATABASE = NA
  )
  expect_error(study_ledger(study("till")), "TILL_DATABASE", class = "nubrek_error_database")
  withr::local_envvar(TILL_DATABASE = attr(con, "path"))
  ledger <- study_ledger(study("till"))
  expect_equal(ledger$orders, open_ledger(rows, orders_map, paid)$orders)
  expect_identical(contact_history(ledger)$contacts, 1L)
  expect_error(study_ledger(study("tilt")), "till", class = "nubrek_error_database")
  expect_error(study_ledger(study("other")), "package", class = "nubrek_error")
  # minutes are for engines that can stop a statement, and no word to the driver
  put("connections.yaml", c(
    "till: {package: RSQLite, dbname: {env: TILL_DATABASE}, minutes: 5}"
  ))
  expect_error(study_ledger(study("till")), "no limit of time", class = "nubrek_error_database")
  limit <- \(...) limit_statements(con, list(limit = "CREATE TEMP TABLE s AS SELECT %d AS n"), ...)
  limit(1.5)
  expect_identical(DBI::dbGetQuery(con, "SELECT n FROM s")$n, 90L)
  DBI::dbExecute(con, "DROP TABLE s")
  limit(NULL)
  expect_identical(DBI::dbGetQuery(con, "SELECT n FROM s")$n, 3600L)
  for (wrong in list("soon", 0, -1, Inf, c(1, 2))) {
    expect_error(limit(wrong), "number of minutes", class = "nubrek_error_database")
  }
  put("connections.yaml", "till: {package: RSQLite, dbname: {env: TILL_DATABASE}}")
  # kept, and made again where the tables have other rows
  kept <- study("till", "  keep: ledger")
  n <- length(study_ledger(kept)$orders$sales)
  DBI::dbExecute(
    con, "INSERT INTO orders VALUES ('C01', 'R999', '2025-08-01', '5', 'paid', 'Mill')"
  )
  expect_identical(length(study_ledger(kept)$orders$sales), n + 1L)
  # the study's own connection cannot write
  only <- open_connection("till")
  withr::defer(DBI::dbDisconnect(only))
  expect_error(DBI::dbExecute(only, "DELETE FROM orders"), "readonly")
  writeLines(setdiff(readLines(kept), "  connection: till"), kept)
  expect_error(study_ledger(kept), "connection", class = "nubrek_error_study")
})
