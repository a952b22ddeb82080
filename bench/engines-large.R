# More lines than memory: a ledger in DuckDB with a limit of memory, its answers, their time and the
# peak of the process; written into docs/engines.md. Usage: Rscript bench/engines-large.R
# [lines] [limit], with NUBREK_DUCKDB naming the shared library (tools/test-engines.sh brings it).
library(nubrek)
source("bench/ask-all.R")
asked <- commandArgs(TRUE)
lines <- as.numeric(if (length(asked) > 0L) asked[[1L]] else 20e6)
limit <- if (length(asked) > 1L) asked[[2L]] else "1GB"
place <- tempfile("large-")
con <- DBI::dbConnect(
  adbi::adbi(adbcdrivermanager::adbc_driver(
    Sys.getenv("NUBREK_DUCKDB"), entrypoint = "duckdb_adbc_init"
  )),
  path = place, bigint = "numeric"
)
tell <- \(...) invisible(DBI::dbExecute(con, paste0(...)))
tell("SET memory_limit = '", limit, "'")
tell("SET temp_directory = '", place, ".tmp'")
# a few lines an order, orders scattered over three years, customers as unequal as they are
tell(
  "CREATE TABLE sold AS SELECT 'C' || CAST(FLOOR(", lines / 13, " * POWER(((order_no * 7919) % ",
  "1000003) / 1000003.0, 1.7)) AS BIGINT) AS who, order_no AS receipt, CAST(DATE '2022-01-01' + ",
  "CAST((order_no * 104729) % 1095 AS INTEGER) AS VARCHAR) AS sold_on, ",
  "CAST(CAST((n * 15485863) % 9000 + 199 AS DOUBLE) / 100 AS DECIMAL(9, 2)) AS paid, ",
  "CASE WHEN (order_no * 31) % 3 = 0 THEN 'web' ELSE 'shop' END AS sold_in FROM (SELECT n, n // 2 ",
  "AS order_no FROM range(", format(lines, scientific = FALSE), ") t(n)) s"
)
ledger <- NULL
rows <- ask_all("fold", \() ledger <<- open_ledger(
  db_table(con, "sold"),
  column_map(
    customer = "who", order = "receipt", date = "sold_on", sales = "paid", channel = "sold_in"
  ),
  meanings(currency = "EUR", history_start = "2022-01-01"),
  workspace = "main"
))
size <- sum(file.size(list.files(dirname(place), basename(place), full.names = TRUE)))
text <- readLines("docs/engines.md")
ends <- match(c("<!-- large -->", "<!-- end large -->"), text)
told <- c(
  sprintf(
    "%s lines, %s customers in DuckDB with at most %s for the engine; the file took %.1f GB.",
    format(lines, big.mark = " ", scientific = FALSE),
    format(nrow(customers(ledger)), big.mark = " "), limit, size / 1e9
  ),
  "",
  "| asked | seconds | peak of the process so far, GB |",
  "|---|--:|--:|",
  sprintf("| %s | %.1f | %.2f |", rows$name, rows$seconds, rows$peak)
)
writeLines(c(text[seq_len(ends[[1L]])], told, text[ends[[2L]]:length(text)]), "docs/engines.md")
DBI::dbDisconnect(con)
unlink(paste0(place, "*"), recursive = TRUE)
