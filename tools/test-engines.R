# A ledger in a real engine and in memory: random ones with all that exports bring, one that is
# kept, texts that try to get out of their quotes, the demo world. The last line is the count.
# Usage: tools/test-engines.sh
library(testthat)
library(nubrek)
folder <- "tests/testthat"
world <- new.env(parent = asNamespace("nubrek"))
for (helper in list.files(folder, "^helper-", full.names = TRUE)) {
  sys.source(helper, world)
}
asked <- commandArgs(TRUE)
seeds <- seq_len(as.integer(asked[[2L]]))
engines <- list(
  PostgreSQL = \() {
    con <- DBI::dbConnect(
      RPostgres::Postgres(),
      host = "127.0.0.1",
      port = as.integer(Sys.getenv("NUBREK_PORT")),
      user = "nubrek",
      dbname = "postgres"
    )
    DBI::dbExecute(con, "SET client_min_messages TO warning")
    con
  },
  ClickHouse = \() {
    sys.source("tools/clickhouse-driver.R", globalenv())
    connect_clickhouse(as.integer(Sys.getenv("NUBREK_PORT")))
  },
  DuckDB = \() DBI::dbConnect(
    adbi::adbi(adbcdrivermanager::adbc_driver(
      Sys.getenv("NUBREK_DUCKDB"), entrypoint = "duckdb_adbc_init"
    )),
    path = ":memory:", bigint = "numeric"
  )
)
con <- engines[[asked[[1L]]]]()
passed <- failed <- 0L
same <- function(found, whole, label) {
  equal <- isTRUE(all.equal(found, whole))
  passed <<- passed + equal
  failed <<- failed + !equal
  if (!equal) cat("not the same:", label, "\n")
}
put <- function(rows) {
  DBI::dbExecute(con, "DROP TABLE IF EXISTS sold")
  DBI::dbWriteTable(con, "sold", rows)
}
open <- \(said, ...) do.call(open_ledger, c(list(db_table(con, "sold")), said, list(...)))

for (seed in seeds) {
  rows <- world$rich_rows(seed)
  said <- world$rich_opening(seed, rows)
  put(rows)
  memory <- open(said)
  database <- open(said, workspace = "temporary")
  same(remarks(database), remarks(memory), paste("remarks, seed", seed))
  whole <- world$answers(memory)
  found <- world$answers(database)
  for (name in names(whole)) {
    same(found[[name]], whole[[name]], paste0(name, ", seed ", seed))
  }
  close_ledger(database)
}

# kept in a schema
schema <- if (asked[[1L]] == "ClickHouse") "DATABASE" else "SCHEMA"
DBI::dbExecute(con, paste("CREATE", schema, "work"))
rows <- world$rich_rows(5L)
said <- world$rich_opening(5L, rows)
put(rows)
folder <- tempfile()
save_ledger(open(said, workspace = "work"), folder)
kept <- open_ledger(folder, connection = con)
same(world$answers(kept), world$answers(open(said)), "kept")
same(refresh_ledger(kept)$db$mark, kept$db$mark, "nothing changed")
DBI::dbExecute(con, if (asked[[1L]] == "ClickHouse") {
  "ALTER TABLE sold UPDATE amount = '31.07' WHERE receipt = 'R011' SETTINGS mutations_sync = 1"
} else {
  "UPDATE sold SET amount = '31.07' WHERE receipt = 'R011'"
})
fresh <- refresh_ledger(kept)
same(fresh$db$mark == kept$db$mark, FALSE, "a changed row is seen")
same(repeat_rate(fresh), repeat_rate(open(said)), "folded anew")
close_ledger(kept)
close_ledger(fresh)

# customers dealt to two servers, seen as one table
if (asked[[1L]] == "PostgreSQL") {
  rows <- world$rich_rows(8L)
  said <- world$rich_opening(8L, rows)
  mine <- nchar(rows$customer) %% 2L == 0L | is.na(rows$customer)
  port <- as.integer(Sys.getenv("NUBREK_PORT"))
  DBI::dbExecute(con, "CREATE EXTENSION postgres_fdw")
  for (k in 1:2) {
    shard <- paste0("shard", k)
    DBI::dbExecute(con, paste("CREATE DATABASE", shard))
    there <- DBI::dbConnect(
      RPostgres::Postgres(), host = "127.0.0.1", port = port, user = "nubrek", dbname = shard
    )
    DBI::dbWriteTable(there, "sold", rows[mine == (k == 1L), ])
    DBI::dbDisconnect(there)
    for (sql in c(
      paste0(
        "CREATE SERVER {} FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host '127.0.0.1', port '", port,
        "', dbname '{}')"
      ),
      "CREATE USER MAPPING FOR nubrek SERVER {} OPTIONS (user 'nubrek')",
      "CREATE SCHEMA in_{}",
      "IMPORT FOREIGN SCHEMA public LIMIT TO (sold) FROM SERVER {} INTO in_{}"
    )) {
      DBI::dbExecute(con, gsub("{}", shard, sql, fixed = TRUE))
    }
  }
  DBI::dbExecute(con, paste(
    "CREATE VIEW everywhere AS SELECT * FROM in_shard1.sold UNION ALL SELECT * FROM in_shard2.sold"
  ))
  over <- \(...) do.call(open_ledger, c(list(db_table(con, "everywhere")), said, list(...)))
  sharded <- over(workspace = "temporary")
  same(world$answers(sharded), world$answers(over()), "two servers")
  close_ledger(sharded)
}

# texts
set.seed(7)
bits <- c(
  "'", "\"", ";", "--", "/*", "*/", "`", "\\", "%", "_", "\u2019", "\u02bc", ")", "(",
  "DROP TABLE sold", " OR 1=1", "x", "\n", "\u00a0", "NULL", "?", ":a", "$1", "@v", "]", "E'", "$$"
)
odd <- unique(vapply(1:2600, \(i) {
  paste0("t", i, paste(sample(bits, sample(1:6, 1L), TRUE), collapse = ""), "e")
}, ""))[1:2000]
put(data.frame(who = odd, receipt = rev(odd), day = "2024-03-05", paid = "5.00", shop = odd))
said <- list(
  column_map(customer = "who", order = "receipt", date = "day", sales = "paid", channel = "shop"),
  meanings(
    currency = "EUR", cancelled = order_rule("shop", odd[1:200]), excluded_ids = odd[201:400]
  )
)
memory <- open(said)
database <- open(said, workspace = "temporary")
same(customers(database), customers(memory), "hostile ids")
same(sales_by(database, "channel"), sales_by(memory, "channel"), "hostile channels")
same(audit(database)$rows, audit(memory)$rows, "hostile rules")
slice <- \(l) repeat_rate(ledger_slice(l, lines = list(channel = odd[500:700])))
same(slice(database), slice(memory), "hostile slices")
close_ledger(database)

# the demo world
demo <- system.file("pellmere", package = "nubrek")
put(utils::read.csv(
  file.path(demo, "order-lines.csv.gz"), colClasses = "character", check.names = FALSE
))
said <- list(
  column_map(
    customer = "customer_no", order = "receipt", line = "line_id", date = "sold_at",
    sales = "net_amount", currency = "currency", product = "sku", quantity = "quantity",
    channel = "sold_in", return_of = "return_of"
  ),
  meanings(
    currency = "EUR", history_start = "2023-01-01", test = order_rule("state", "test"),
    cancelled = order_rule("state", "cancelled"), excluded_ids = "P000000",
    returns = "with original order"
  )
)
memory <- open(said)
started <- proc.time()[["elapsed"]]
database <- open(said, workspace = "temporary")
cat("the demo world folded in", round(proc.time()[["elapsed"]] - started, 1), "seconds\n")
whole <- world$answers(memory)
found <- world$answers(database)
# the rows of a table have no order of their own, so that the example may be another one
found$audit$example <- whole$audit$example <- NULL
for (name in names(whole)) same(found[[name]], whole[[name]], paste("demo world:", name))
close_ledger(database)

left <- grep("nubrek", DBI::dbListTables(con), value = TRUE)
same(left, character(), "tables left behind")
DBI::dbDisconnect(con)
cat(sprintf("%d passed, %d failed, 0 skipped\n", passed, failed))
if (failed > 0L || passed == 0L) quit(status = 1L)
