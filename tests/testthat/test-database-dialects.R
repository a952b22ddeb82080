# Engines that are not here: what they are told, as it stands in files beside this one. A statement
# that changes is read, and the file written again by NUBREK_WRITE_SQL=1.

sys.source(test_path("paper-engines.R"), globalenv())

# The statements with which `ask` is answered over `rows` on paper, names without their marks.
on_paper <- function(class, rows, open, ask) {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "sold", rows)
  heard <- new.env()
  ask(open(methods::new("Listening", con, heard = heard), "main"))
  heard$asked <- 0L
  ledger <- open(methods::new(class, heard = heard), "work")
  expect_match(remarks(ledger)$remark[[1L]], "was never run by us")
  ask(ledger)
  gsub("nubrek_[0-9a-f]+_|_part_[0-9a-f]+", "", heard$said)
}

engines_on_paper <- c(
  Spark = "Spark SQL", Snowflake = "Snowflake", BigQuery = "BigQueryConnection",
  `MS SQL` = "Microsoft SQL Server"
)

statements <- function(class) {
  rows <- rich_rows(2L)
  said <- rich_opening(2L, rows)
  on_paper(
    class, rows,
    \(con, schema) do.call(open_ledger, c(list(db_table(con, "sold")), said, workspace = schema)),
    \(ledger) {
      cohort_grid(ledger, by = "first_channel")
      new_returning(ledger, "quarter", lookback = 2)
      purchase_gaps(ledger)
      purchase_history(ledger)
      repeat_rate(ledger_slice(ledger, lines = list(channel = "Mill")))
    }
  )
}

test_long("engines that are not here are told what stands in the files, in their own language", {
  never <- list(
    Spark = "TEMPORARY|CREATE INDEX|IS NOT DISTINCT|\"|\\|\\|",
    Snowflake = "CREATE INDEX|OVER \\(\\)|\\|\\|| // ",
    BigQuery = "CREATE INDEX|VARCHAR|BIGINT|DOUBLE|\"|\\|\\|",
    `MS SQL` = "TABLE [^ ]+ AS|LIMIT|IS NOT DISTINCT|OVER \\(\\)|\\|\\||LENGTH\\(|DOUBLE|`"
  )
  reserved <- c(
    "at", "rank", "rows", "start", "end", "key", "order", "user", "desc", "percent", "plan", "rule",
    "open", "close", "current", "values", "window", "function", "trigger", "sample"
  )
  for (engine in names(engines_on_paper)) {
    said <- statements(engines_on_paper[[engine]])
    expect_identical(
      utils::head(grep(never[[engine]], said, value = TRUE), 1L), character(), label = engine
    )
    names <- unlist(regmatches(said, gregexpr("(?<= AS )[a-z_]+", said, perl = TRUE)))
    expect_identical(intersect(names, reserved), character(), label = engine)
    # literals of rows are data, not language
    said <- gsub("[[:cntrl:]]", "~", said[!grepl("^INSERT INTO", said)])
    text <- unlist(lapply(said, \(one) c(strwrap(one, 98), "")))
    file <- test_path("sql", paste0(gsub("[^a-z]", "-", tolower(engine)), ".sql"))
    if (nzchar(Sys.getenv("NUBREK_WRITE_SQL"))) writeLines(text, file)
    expect_identical(readLines(file), text, label = engine)
  }
})

test_that("an engine without temporary tables wants a schema", {
  paper <- methods::new("Spark SQL", heard = list2env(list(
    answers = list(rich_rows(2L)[0, ]), asked = 0L
  )))
  expect_error(
    open_ledger(
      db_table(paper, "sold"), column_map("customer", "day", sales = "amount"),
      workspace = "temporary"
    ),
    "schema", class = "nubrek_error_database"
  )
})
