# A ledger that stays in its database is the ledger that its rows make in memory: the record of
# intake, the folded rows, and every answer.

orders_of_rows <- column_map(
  customer = "customer", order = "receipt", date = "day", sales = "amount", channel = "shop"
)
paid_rows <- meanings(currency = "EUR", cancelled = order_rule("state", "cancelled"))
audience_of_text <- function(ledger, rule) {
  found <- audience(ledger, rule = rule)
  customers(ledger)$customer[customers(ledger)$customer %in% as.data.frame(found)$customer]
}

test_long("random rows folded in the database are the ledger that they make in memory", {
  for (seed in seq_len(as.integer(Sys.getenv("NUBREK_SEEDS", "30")))) {
    rows <- rich_rows(seed)
    said <- rich_opening(seed, rows)
    con <- local_database(sold = rows)
    open <- \(...) tryCatch(
      do.call(open_ledger, c(list(db_table(con, "sold")), said, list(...))),
      nubrek_error = \(e) list(class(e)[[1L]], conditionMessage(e))
    )
    memory <- open()
    database <- open(workspace = "temporary")
    label <- \(part) paste(part, "seed", seed)
    if (!inherits(memory, "nubrek_ledger")) {
      expect_identical(database, memory, label = label("error"))
      next
    }
    part <- open_part(closed_part(database, 1L))
    for (name in c("orders", "before", "days", "purchases")) {
      expect_equal(part[[name]], memory[[name]], label = label(name))
    }
    expect_equal(
      lapply(part$lines, as.character), lapply(memory$lines, as.character), label = label("lines")
    )
    for (name in c(
      "ids", "known_first", "attributes", "history_start", "as_of", "least", "returns", "currency",
      "decimals", "intake"
    )) {
      expect_equal(database[[name]], memory[[name]], label = label(name))
    }
    expect_equal(remarks(database), remarks(memory), label = label("remarks"))
  }
})

test_long("every answer is the same in the database as in memory, lists and proofs too", {
  for (seed in c(2L, 5L, 8L, 11L)) {
    rows <- rich_rows(seed)
    said <- rich_opening(seed, rows)
    con <- local_database(sold = rows)
    open <- \(...) do.call(open_ledger, c(list(db_table(con, "sold")), said, list(...)))
    whole <- answers(open())
    found <- answers(open(workspace = "temporary"))
    for (name in names(whole)) {
      expect_equal(found[[name]], whole[[name]], label = paste(name, "seed", seed))
    }
  }
})

test_long("the demo world is the same in a database, and what is asked of it can be seen", {
  study <- demo_run()$study
  said <- read_study(study)
  rows <- utils::read.csv(
    file.path(dirname(study), "order-lines.csv.gz"), colClasses = "character", check.names = FALSE
  )
  con <- local_database(sold = rows)
  folder <- withr::local_tempdir()
  file.copy(list.files(dirname(study), "csv|gz", full.names = TRUE), folder)
  writeLines(
    c("warehouse: {package: RSQLite, dbname: {env: SHOP}}"), file.path(folder, "connections.yaml")
  )
  withr::local_envvar(
    NUBREK_CONNECTIONS = file.path(folder, "connections.yaml"), SHOP = attr(con, "path")
  )
  text <- readLines(study, encoding = "UTF-8")
  text <- sub("files: order-lines.csv.gz", "table: sold", text, fixed = TRUE)
  text <- sub("keep: ledger", "connection: warehouse\n  workspace: temporary", text, fixed = TRUE)
  writeLines(text, file.path(folder, "study.yaml"), useBytes = TRUE)
  ledger <- study_ledger(file.path(folder, "study.yaml"))
  memory <- pellmere()$ledger
  expect_s3_class(ledger, "nubrek_database")
  expect_equal(audit(ledger)$rows, audit(memory)$rows)
  for (ask in list(
    repeat_rate, \(l) cohort_grid(l, by = "first_channel"), \(l) sales_by(l, "category"),
    purchase_history, \(l) new_returning(l, "quarter", lookback = 2), assign_tiers
  )) {
    expect_equal(lapply(ask(ledger), identity), lapply(ask(memory), identity))
  }
  asked <- ledger_sql(ledger, cohort_grid)
  expect_true(any(grepl("SELECT cohort, place", asked$sql, fixed = TRUE)))
  # cells and one row per customer come over the wire, not the orders
  cells <- nrow(cohort_grid(ledger))
  expect_lt(sum(asked$rows), n_customers(ledger) + 3 * cells + 10)
  expect_error(ledger_sql(memory, cohort_grid), class = "nubrek_error_argument")
  expect_error(save_ledger(ledger, tempfile()), class = "nubrek_error_source")
  expect_error(append_orders(ledger, rows), "database", class = "nubrek_error_source")
})

test_long("2,000 texts that try to get out of their quotes stay texts", {
  set.seed(7)
  bits <- c(
    "'", "\"", ";", "--", "/*", "*/", "`", "\\", "%", "_", "{{rows}}", "\u2019", "\u02bc", ")", "(",
    "DROP TABLE sold", " OR 1=1", "x", "\n", "\u00a0", "NULL", "0", "?", ":a", "$1", "@v", "]"
  )
  odd <- unique(vapply(1:2600, \(i) {
    paste0("t", i, paste(sample(bits, sample(1:6, 1L), TRUE), collapse = ""), "e")
  }, ""))[1:2000]
  rows <- data.frame(
    who = odd, receipt = rev(odd), day = "2024-03-05", paid = "5.00", shop = odd
  )
  con <- local_database(sold = rows)
  map <- column_map(
    customer = "who", order = "receipt", date = "day", sales = "paid", channel = "shop"
  )
  said <- meanings(
    currency = "EUR", cancelled = order_rule("shop", odd[1:200]), excluded_ids = odd[201:400]
  )
  ledger <- open_ledger(db_table(con, "sold"), map, said, workspace = "temporary")
  expect_identical(sort(customers(ledger)$customer), sort(odd[401:2000]))
  expect_identical(as.vector(table(set_aside(ledger)$reason)), c(200L, 200L))
  sold <- sales_by(ledger, "channel")
  expect_setequal(sold$channel, odd[401:2000])
  expect_equal(sum(sold$sales), 1600 * 5)
  for (text in odd[seq(401, 2000, by = 80)]) {
    part <- ledger_slice(ledger, lines = list(channel = text))
    expect_identical(customers(part)$customer, text)
    rule <- sprintf("bought(channel == %s)", encodeString(text, quote = "\""))
    expect_identical(audience_of_text(ledger, rule), text)
  }
  expect_identical(DBI::dbListTables(con)[!startsWith(DBI::dbListTables(con), "nubrek_")], "sold")
})

test_that("a connection that is lost, a schema that is not there, rows elsewhere: classed errors", {
  rows <- random_orders(3L)
  rows$shop[1:9] <- c(NA, "", " ")
  con <- local_database(sold = rows)
  # a rule that picks blanks leaves what is missing
  blanks <- meanings(currency = "EUR", cancelled = order_rule("shop", ""))
  counted <- lapply(list(NULL, "temporary"), \(where) {
    audit(open_ledger(db_table(con, "sold"), orders_of_rows, blanks, workspace = where))
  })
  expect_equal(counted[[2L]]$rows, counted[[1L]]$rows)
  open <- \(...) open_ledger(db_table(con, "sold"), orders_of_rows, paid_rows, ...)
  expect_error(open(workspace = "nowhere"), class = "nubrek_error_database")
  expect_error(
    open_ledger(rows, orders_of_rows, paid_rows, workspace = "temporary"),
    class = "nubrek_error_argument"
  )
  in_main <- open(workspace = "main")
  expect_true(any(startsWith(DBI::dbListTables(con), "nubrek_")))
  ledger <- open(workspace = "temporary")
  expect_equal(repeat_rate(ledger), repeat_rate(in_main))
  close_ledger(in_main)
  in_schema <- \() DBI::dbGetQuery(con, "SELECT name FROM sqlite_master WHERE type = 'table'")$name
  expect_identical(in_schema(), "sold")
  # what fails on its way leaves nothing
  late <- meanings(currency = "EUR", history_start = "2031-01-01")
  expect_error(
    open_ledger(db_table(con, "sold"), orders_of_rows, late, workspace = "main"),
    class = "nubrek_error_no_rows"
  )
  expect_identical(in_schema(), "sold")
  # stopped at any step, or with a full disk: the tables are gone, and the next one opens
  for (stop_at in 1:3) {
    steps <- 0L
    stopped <- tryCatch(
      withCallingHandlers(open(workspace = "main"), nubrek_progress = \(step) {
        steps <<- steps + 1L
        if (steps == stop_at) rlang::interrupt()
      }),
      interrupt = \(i) "stopped"
    )
    expect_identical(stopped, "stopped")
    expect_identical(in_schema(), "sold")
  }
  DBI::dbExecute(con, "VACUUM")
  pages <- DBI::dbGetQuery(con, "PRAGMA page_count")[[1L]]
  DBI::dbExecute(con, paste0("PRAGMA max_page_count = ", pages + 20L))
  expect_error(open(workspace = "main"), "full", class = "nubrek_error_database")
  expect_identical(in_schema(), "sold")
  DBI::dbExecute(con, "PRAGMA max_page_count = 1000000")
  expect_equal(repeat_rate(open(workspace = "main")), repeat_rate(ledger))
  DBI::dbDisconnect(con)
  expect_error(repeat_rate(ledger), class = "nubrek_error_database")
})

test_long("a folded ledger outlives its session, and sees when its rows have changed", {
  rows <- rich_rows(5L)
  said <- rich_opening(5L, rows)
  con <- local_database(sold = rows)
  open <- \(...) do.call(open_ledger, c(list(db_table(con, "sold")), said, list(...)))
  ledger <- open(workspace = "main")
  folder <- file.path(withr::local_tempdir(), "kept")
  save_ledger(ledger, folder)
  expect_error(open_ledger(folder), "connection", class = "nubrek_error_source")
  again <- DBI::dbConnect(RSQLite::SQLite(), attr(con, "path"))
  withr::defer(DBI::dbDisconnect(again))
  kept <- open_ledger(folder, connection = again)
  whole <- answers(open())
  found <- answers(kept)
  for (name in names(whole)) expect_equal(found[[name]], whole[[name]], label = name)
  expect_equal(remarks(kept), remarks(ledger))
  expect_equal(set_aside(kept), set_aside(ledger))
  expect_identical(refresh_ledger(kept), kept)
  # a cell changed, a row gone, a row more: each is seen
  for (change in c(
    "UPDATE sold SET amount = '31.07' WHERE rowid = 3", "DELETE FROM sold WHERE rowid = 7",
    "INSERT INTO sold SELECT * FROM sold WHERE rowid = 1"
  )) {
    DBI::dbExecute(con, change)
    fresh <- refresh_ledger(kept)
    expect_false(identical(fresh$db$mark, kept$db$mark), label = change)
    expect_equal(repeat_rate(fresh), repeat_rate(open()), label = change)
    close_ledger(kept)
    kept <- fresh
  }
  # only the tables of the last one are left, and a save that names others is refused
  tables <- setdiff(DBI::dbListTables(again), "sold")
  expect_setequal(tables, paste0(kept$db$mark, c("orders", "before", "lines", "days")))
  expect_error(open_ledger(folder, connection = again), class = "nubrek_error_database")
  save_ledger(kept, folder)
  orders <- kept$db$named("orders")
  DBI::dbExecute(
    con, paste0("DELETE FROM ", orders, " WHERE number = (SELECT MAX(number) FROM ", orders, ")")
  )
  expect_error(
    open_ledger(folder, connection = again), "are not as", class = "nubrek_error_database"
  )
  temporary <- open(workspace = "temporary")
  expect_error(save_ledger(temporary, folder), "temporary", class = "nubrek_error_source")
  half <- ledger_slice(temporary, until = "2024-06-01")
  expect_error(refresh_ledger(half), "slice", class = "nubrek_error_source")
  expect_error(refresh_ledger(open()), class = "nubrek_error_source")
})

test_that("a study keeps a ledger in its database, folded anew only when rows have changed", {
  con <- local_database(sold = random_orders(3L, 300L))
  folder <- withr::local_tempdir()
  writeLines(
    c("warehouse: {package: RSQLite, dbname: {env: SHOP}}"), file.path(folder, "connections.yaml")
  )
  withr::local_envvar(
    NUBREK_CONNECTIONS = file.path(folder, "connections.yaml"), SHOP = attr(con, "path")
  )
  study <- file.path(folder, "study.yaml")
  text <- c(
    "data:", "  connection: warehouse", "  workspace: temporary", "  keep: kept", "  orders:",
    "    table: sold",
    "    columns: {customer: customer, order: receipt, date: day, sales: amount}",
    "meanings: {currency: EUR}"
  )
  writeLines(text, study)
  expect_error(study_ledger(study), "schema", class = "nubrek_error_study")
  text[[3L]] <- "  workspace: main"
  writeLines(text, study)
  tables <- \(ledger) paste0(ledger$db$mark, folded_tables)
  there <- \() setdiff(DBI::dbListTables(con), "sold")
  first <- study_ledger(study)
  expect_identical(study_ledger(study)$db$mark, first$db$mark)
  DBI::dbExecute(con, "DELETE FROM sold WHERE rowid = 10")
  second <- study_ledger(study)
  expect_identical(sum(audit(second)$rows), sum(audit(first)$rows) - 1L)
  expect_setequal(there(), tables(second))
  # another study of the same rows: its tables take the place of those
  text[[8L]] <- "meanings: {currency: EUR, minimum_sales: 5}"
  writeLines(text, study)
  third <- study_ledger(study)
  expect_false(identical(third$db$mark, second$db$mark))
  expect_setequal(there(), tables(third))
})
