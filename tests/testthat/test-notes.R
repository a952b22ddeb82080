study_notes_of <- function(path) {
  study <- read_study(path)
  ask_part("notes", study, open_study_ledger(study))
}

noted_shop <- function(folder, notes) {
  data.table::fwrite(random_orders(11L, 300L), file.path(folder, "orders.csv"))
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "data:", "  orders:", "    files: orders.csv",
    "    columns: {customer: customer, order: receipt, date: day, sales: amount}",
    "meanings:", "  currency: EUR", "  cancelled: {column: state, values: [cancelled]}",
    "notes:", notes
  ), path)
  path
}

test_that("notes stand beside their part, and say when their number has moved", {
  without_figures()
  folder <- withr::local_tempdir()
  path <- noted_shop(folder, c(
    "  fair:", "    part: counts", "    text: \"<b>The fair</b> was {held} in May\"",
    "    author: Ilse", "    day: 2025-05-02",
    "  rate:", "    {part: repeat, text: high, number: rate, was: 0.01}",
    "  same:", "    {part: repeat, text: all of them, number: customers, was: 14}"
  ))
  run <- run_study(path)
  expect_identical(run$notes$stale, c(FALSE, TRUE, FALSE))
  expect_equal(run$notes$now, c(NA, run[["repeat"]]$rate, run[["repeat"]]$customers))
  report <- paste(readLines(run$files[basename(run$files) == "report.html"]), collapse = "\n")
  expect_match(
    report,
    "class=\"note\">&lt;b&gt;The fair&lt;/b&gt; was {held} in May (Ilse, 2 May 2025)",
    fixed = TRUE
  )
  expect_match(report, "high Stale: repeat rate was 1.0", fixed = TRUE)
  expect_false(grepl("<b>The fair", report, fixed = TRUE))
  expect_output(command_main(c("show", "notes", path)), "1 stale")
  state <- new_exploration(read_study(path))
  shown <- explored_answer(state, list(
    part = "counts", values = list(), lines = list(), width = 600
  ))
  expect_match(shown$notes, "The fair")
  wrong <- list(
    "  a: {part: repaet, text: b}" = "repeat", "  a: {part: repeat}" = "text",
    "  a: {part: repeat, text: b, number: rat}" = "rate"
  )
  for (note in names(wrong)) {
    path <- noted_shop(folder, note)
    expect_error(
      study_notes_of(path), wrong[[note]], class = "nubrek_error_study"
    )
  }
})
