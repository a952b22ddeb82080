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
sys.source("tools/clickhouse-connect.R", globalenv())
port <- as.integer(Sys.getenv("NUBREK_PORT"))
# a connection to the k-th of two servers
engines <- list(
  PostgreSQL = \(k) {
    at <- \(name) DBI::dbConnect(
      RPostgres::Postgres(), host = "127.0.0.1", port = port, user = "nubrek", dbname = name
    )
    if (k == 2L && !"second" %in% DBI::dbGetQuery(con, "SELECT datname FROM pg_database")[[1L]]) {
      DBI::dbExecute(con, "CREATE DATABASE second")
    }
    one <- at(c("postgres", "second")[[k]])
    DBI::dbExecute(one, "SET client_min_messages TO warning")
    one
  },
  ClickHouse = \(k) connect_clickhouse(k),
  DuckDB = \(k) DBI::dbConnect(
    adbi::adbi(adbcdrivermanager::adbc_driver(
      Sys.getenv("NUBREK_DUCKDB"), entrypoint = "duckdb_adbc_init"
    )),
    path = ":memory:", bigint = "numeric"
  )
)
engine <- asked[[1L]]
con <- engines[[engine]](1L)
resolve <- function(ids, aliases) {
  ours <- asNamespace("nubrek")
  ids <- ours$trim_text(ifelse(is.na(ids), "", ids))
  ours$resolve_aliases(ids, ours$alias_lookup(aliases))
}
tell <- \(sql) invisible(DBI::dbExecute(con, sql))
passed <- failed <- 0L
same <- function(found, whole, label) {
  equal <- isTRUE(all.equal(found, whole))
  passed <<- passed + equal
  failed <<- failed + !equal
  if (!equal) cat("not the same:", label, "\n")
}
put <- function(rows, on = con, name = "sold") {
  DBI::dbExecute(on, paste("DROP TABLE IF EXISTS", name))
  if (engine == "ClickHouse") {
    DBI::dbExecute(on, paste0(
      "CREATE TABLE ", name, " (", paste0("`", names(rows), "` Nullable(String)", collapse = ", "),
      ") ENGINE = MergeTree ORDER BY tuple()"
    ))
    if (nrow(rows) > 0L) DBI::dbWriteTable(on, name, rows, append = TRUE, row.names = FALSE)
  } else {
    DBI::dbWriteTable(on, name, rows)
  }
}
open <- \(said, ...) do.call(open_ledger, c(list(db_table(con, "sold")), said, list(...)))

all_same <- function(found, whole, label) {
  for (name in names(whole)) same(found[[name]], whole[[name]], paste(name, label))
}

for (seed in seeds) {
  rows <- world$rich_rows(seed)
  said <- world$rich_opening(seed, rows)
  put(rows)
  memory <- open(said)
  database <- open(said, workspace = "temporary")
  same(remarks(database), remarks(memory), paste("remarks, seed", seed))
  all_same(world$answers(database), world$answers(memory), paste("seed", seed))
  close_ledger(database)
}

# where nothing may be written: rows in the order in which the questions number them
for (seed in 2:3) {
  rows <- world$rich_rows(seed)
  said <- world$rich_opening(seed, rows)
  rows <- rows[do.call(order, c(lapply(rows, \(x) ifelse(is.na(x), "", x)), method = "radix")), ]
  put(rows)
  memory <- open(said)
  only <- switch(
    engine, PostgreSQL = "default_transaction_read_only = on", ClickHouse = "readonly = 2"
  )
  if (!is.null(only)) DBI::dbExecute(con, paste("SET", only))
  if (engine == "ClickHouse") {
    refused <- tryCatch(open(said, workspace = "none"), nubrek_error_database = \(e) "refused")
    same(refused, "refused", "nothing written")
    # which lets readers have temporary tables
    database <- open(said, workspace = "temporary")
  } else {
    database <- open(said, workspace = "none")
  }
  # whose record says that nothing is written
  whole <- world$answers(memory)
  whole$audit <- NULL
  all_same(world$answers(database), whole, paste("by a reader, seed", seed))
  same(audit(database)$rows, audit(memory)$rows, paste("record of a reader, seed", seed))
  DBI::dbDisconnect(con)
  con <- engines[[engine]](1L)
}

# customers dealt to two servers, each folding its own
second <- engines[[engine]](2L)
for (seed in 1:5) {
  rows <- world$rich_rows(seed)
  said <- world$rich_opening(seed, rows)
  person <- resolve(rows$customer, said$aliases)
  mine <- vapply(paste0(person, "x"), \(id) sum(utf8ToInt(id)) %% 2L == 0L, NA)
  put(rows[mine, ])
  put(rows[!mine, ], second)
  servers <- lapply(list(con, second), db_table, "sold")
  over <- \(...) do.call(open_ledger, c(list(servers), said, list(...)))
  memory <- over()
  database <- over(workspace = "temporary")
  same(remarks(database), remarks(memory), paste("remarks of two servers, seed", seed))
  all_same(world$answers(database), world$answers(memory), paste("two servers, seed", seed))
  close_ledger(database)
}
DBI::dbDisconnect(second)

# kept in a schema
schema <- if (engine == "ClickHouse") "DATABASE" else "SCHEMA"
tell(paste("CREATE", schema, "work"))
rows <- world$rich_rows(5L)
said <- world$rich_opening(5L, rows)
put(rows)
folder <- tempfile()
save_ledger(open(said, workspace = "work"), folder)
kept <- open_ledger(folder, connection = con)
same(world$answers(kept), world$answers(open(said)), "kept")
same(refresh_ledger(kept)$db$mark, kept$db$mark, "nothing changed")
tell(if (engine == "ClickHouse") {
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
if (engine == "PostgreSQL") {
  rows <- world$rich_rows(8L)
  said <- world$rich_opening(8L, rows)
  mine <- nchar(rows$customer) %% 2L == 0L | is.na(rows$customer)
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
  same(world$answers(sharded), world$answers(over()), "a view over two servers")
  close_ledger(sharded)
}

# one table over those of two servers
if (engine == "ClickHouse") {
  rows <- world$rich_rows(8L)
  said <- world$rich_opening(8L, rows)
  second <- engines[[engine]](2L)
  put(rows[0, ], con, "dealt")
  put(rows[0, ], second, "dealt")
  DBI::dbExecute(con, paste(
    "CREATE TABLE everywhere AS dealt ENGINE = Distributed(both, default, dealt,",
    "cityHash64(trim(BOTH ' \u00a0' FROM coalesce(customer, ''))))"
  ))
  put(rows)
  DBI::dbExecute(con, "SET distributed_foreground_insert = 1")
  DBI::dbExecute(con, "INSERT INTO everywhere SELECT * FROM sold")
  over <- \(...) do.call(open_ledger, c(list(db_table(con, "everywhere")), said, list(...)))
  sharded <- over(workspace = "temporary")
  same(world$answers(sharded), world$answers(over()), "a distributed table")
  close_ledger(sharded)
  DBI::dbDisconnect(second)
}

# rows that were added: only their customers are folded again
refreshed <- 0L
for (seed in 1:5) {
  rows <- world$rich_rows(seed)
  said <- world$rich_opening(seed, rows)
  more <- rows
  more$customer <- paste0("Q", trimws(ifelse(is.na(rows$customer), "", rows$customer)))
  more$receipt <- paste0("Q", rows$receipt)
  rows$loaded <- ifelse(rows$receipt %in% rows$receipt[1:9], "2025-02-01", "2025-01-01")
  more$loaded <- "2025-01-01"
  rows <- rbind(rows, more)
  rows <- rows[order(rows$loaded), ]
  old <- rows$loaded == "2025-01-01"
  put(rows[old, ])
  over <- \(...) {
    do.call(open_ledger, c(list(db_table(con, "sold", added = "loaded")), said, list(...)))
  }
  before <- over(workspace = "temporary")
  DBI::dbWriteTable(con, "sold", rows[!old, ], append = TRUE, row.names = FALSE)
  steps <- character()
  after <- withCallingHandlers(
    refresh_ledger(before), nubrek_progress = \(p) steps <<- c(steps, p$step)
  )
  refreshed <- refreshed + any(steps == "folding what was touched, as it is")
  whole <- world$answers(over())
  whole$audit <- NULL
  all_same(world$answers(after), whole, paste("refreshed, seed", seed))
  close_ledger(before)
  close_ledger(after)
}
same(refreshed >= 3L, TRUE, "folded only what is new")

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
all_same(found, whole, "of the demo world")
close_ledger(database)

left <- grep("nubrek", DBI::dbListTables(con), value = TRUE)
same(left, character(), paste(c("tables left behind", left), collapse = " "))
DBI::dbDisconnect(con)
cat(sprintf("%d passed, %d failed, 0 skipped\n", passed, failed))
if (failed > 0L || passed == 0L) quit(status = 1L)
