# Random ledgers with all that exports bring, in PostgreSQL and in memory: every answer compared.
# The last line is the count. Usage: tools/test-engines.sh
library(testthat)
library(nubrek)
folder <- "tests/testthat"
world <- new.env(parent = asNamespace("nubrek"))
for (helper in list.files(folder, "^helper-", full.names = TRUE)) {
  sys.source(helper, world)
}
asked <- commandArgs(TRUE)
seeds <- as.integer(asked[2:3])
engines <- list(
  PostgreSQL = \() {
    con <- DBI::dbConnect(
      RPostgreSQL::PostgreSQL(),
      host = "127.0.0.1",
      port = as.integer(Sys.getenv("NUBREK_PORT")),
      user = "nubrek",
      dbname = "postgres"
    )
    DBI::dbExecute(con, "SET client_min_messages TO warning")
    con
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
for (seed in seq.int(seeds[[1L]], seeds[[2L]])) {
  rows <- world$rich_rows(seed)
  said <- world$rich_opening(seed, rows)
  DBI::dbExecute(con, "DROP TABLE IF EXISTS sold")
  DBI::dbWriteTable(con, "sold", rows, row.names = FALSE)
  open <- \(...) do.call(open_ledger, c(list(db_table(con, "sold")), said, list(...)))
  memory <- open()
  database <- open(workspace = "temporary")
  same(remarks(database), remarks(memory), paste("remarks, seed", seed))
  whole <- world$answers(memory)
  found <- world$answers(database)
  for (name in names(whole)) {
    same(found[[name]], whole[[name]], paste0(name, ", seed ", seed))
  }
  close_ledger(database)
}
left <- DBI::dbGetQuery(
  con, "SELECT COUNT(*) AS n FROM information_schema.tables WHERE table_name LIKE 'nubrek%'"
)$n
same(as.integer(left), 0L, "tables left behind")
DBI::dbDisconnect(con)
cat(sprintf("%d passed, %d failed, 0 skipped\n", passed, failed))
if (failed > 0L || passed == 0L) quit(status = 1L)
