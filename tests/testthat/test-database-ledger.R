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

test_that("random rows folded in the database are the ledger that they make in memory", {
  for (seed in 1:30) {
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
    part <- open_part(database, 1L)
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

test_that("every answer is the same in the database as in memory, lists and proofs too", {
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

test_that("the demo world is the same in a database, and what is asked of it can be seen", {
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
  writeLines(sub("  workspace", "  keep: x\n  workspace", text), file.path(folder, "study.yaml"))
  expect_error(study_ledger(file.path(folder, "study.yaml")), class = "nubrek_error_study")
})

test_that("2,000 texts that try to get out of their quotes stay texts", {
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
  DBI::dbDisconnect(con)
  expect_error(repeat_rate(ledger), class = "nubrek_error_database")
})
