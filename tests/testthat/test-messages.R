# The words of the errors that people meet most: what was wrong, where, what to do.

said <- function(code, class) {
  error <- expect_error(code, class = paste0("nubrek_error_", class))
  gsub("\\s+", " ", cli::ansi_strip(conditionMessage(error)))
}
expect_said <- function(text, ...) {
  for (line in c(...)) {
    expect_match(text, line, fixed = TRUE)
  }
}
one <- data.frame(c = c("a", "b"), o = c("1", "2"), d = "2024-01-05", s = c("1.00", "2.00"))
map <- column_map(customer = "c", order = "o", date = "d", sales = "s")

test_that("a file that is not there, a column that is not there", {
  expect_said(
    said(open_ledger("nowhere.csv", map), "file"),
    "Cannot find the file 'nowhere.csv'.",
    "Paths in a study file start from the study file's folder."
  )
  expect_said(
    said(
      open_ledger(one, column_map(customer = "cc", order = "o", date = "d", sales = "s")), "columns"
    ),
    "has no column cc.",
    "Its columns are c, o, d, and s."
  )
})

test_that("dates and amounts that can be read in two ways, and none that can be read", {
  two <- transform(one, d = c("03/04/2024", "05/06/2024"))
  expect_said(
    said(open_ledger(two, map), "dates"),
    "The dates in d can be read in two ways.",
    "\"03/04/2024\" is 3 Apr 2024 (day first) or 4 Mar 2024 (month first).",
    "Say which: `dates = \"day-first\"` or `dates = \"month-first\"`."
  )
  expect_said(
    said(open_ledger(transform(one, s = c("1,234", "2,345")), map), "amounts"),
    "The amounts can be read in two ways.",
    "\"1,234\" has a decimal \".\" or \",\".",
    "Say which: `decimal_mark = \".\"` or `\",\"`."
  )
  expect_said(
    said(open_ledger(transform(one, s = "x"), map), "no_rows"),
    "No row can be used.",
    "unreadable amount: 2.",
    "Look at the column map and the meanings."
  )
})

test_that("several currencies and none that is home", {
  expect_said(
    said(
      open_ledger(
        transform(one, k = c("EUR", "SEK")),
        column_map(customer = "c", order = "o", date = "d", sales = "s", currency = "k")
      ),
      "currency"
    ),
    "The home currency must be named.",
    "k holds \"EUR\" and \"SEK\".",
    "For example `meanings(currency = \"EUR\")`; rows in others are set aside."
  )
})

test_that("words that are not known have the nearest one", {
  ledger <- example_ledger()
  expect_said(
    said(rank_customers(ledger, by = "revenue"), "argument"),
    "It is \"revenue\".",
    "Did you mean \"sales\"?"
  )
  expect_said(
    said(ledger_slice(ledger, lines = list(channel = "webb")), "value"), "Did you mean \"Web\"?"
  )
  expect_said(
    said(cohort_grid(ledger, by = "first_chanel"), "attribute"),
    "There is no customer attribute first_chanel.",
    "Did you mean \"first_channel\"?"
  )
  expect_said(
    said(command_parse(c("show", "cohort", "x.yaml")), "usage"),
    "There is no part \"cohort\".",
    "Did you mean \"cohorts\"?",
    "`nubrek parts` lists what is."
  )
})

test_that("a study says file, line and key of what it does not understand", {
  path <- withr::local_tempfile(fileext = ".yaml")
  writeLines(c("study: x", "data:", "  orders: {files: a.csv, colums: {customer: a}}"), path)
  expect_said(
    said(read_study(path), "study"),
    "line 3 (data: orders: colums)",
    "Unknown key colums.",
    "Did you mean \"columns\"?",
    "Known here: files, columns, attributes, added, separator, encoding, sheet, table, and query."
  )
  writeLines(c(
    "data:", "  orders: {files: a.csv, columns: {customer: a}}", "due: {may_contact: agreed}"
  ), path)
  expect_said(said(read_study(path), "study"), "Write `consent: COLUMN` once")
})

test_that("parts of time that are none, tiers that do not add up, too few to fit", {
  ledger <- example_ledger()
  expect_said(
    said(sales_by(ledger, "channel", during = "2024-13"), "argument"),
    "`during` must be a part of time.",
    "It is \"2024-13\".",
    "Such as \"2024\", \"2024 Q2\", \"2024 H1\", \"2024-05\", \"2024-W05\", \"FY 2024\","
  )
  expect_said(
    said(assign_tiers(ledger, c(top = 10, base = 80)), "tiers"),
    "The shares of the tiers must add up to 100 % (or to 1).",
    "They add up to 90."
  )
  expect_said(
    said(fit_purchases(data.frame(repeats = 0, last = 0, span = 1:5)), "unidentified"),
    "A purchase model cannot be fitted: nobody has bought on a second day.",
    "5 customers bought once. Counts, cohorts and tiers can still be shown; a forecast cannot."
  )
})
