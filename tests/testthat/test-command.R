# The installed command, in a process of its own.
nubrek_command <- function(...) {
  script <- system.file("exec", "nubrek", package = "nubrek")
  err <- tempfile()
  out <- suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), c(shQuote(script), ...), stdout = TRUE, stderr = err))
  list(status = attr(out, "status") %||% 0L, out = as.character(out), err = paste(readLines(err), collapse = "\n"))
}

test_that("demo, check, run, show and draw do the job", {
  folder <- withr::local_tempdir()
  demo <- file.path(folder, "world")
  made <- nubrek_command("demo", "--to", demo)
  expect_match(made$out, "Next: nubrek run", all = FALSE)
  expect_identical(nubrek_command("demo", "--to", demo)$status, 1L)              # never over something that is there
  study <- file.path(demo, "study.yaml")
  text <- readLines(study, encoding = "UTF-8")
  writeLines(sub("# keep: ledger ", "keep: ledger ", text, fixed = TRUE), study, useBytes = TRUE)      # read once, opened from there by all that follow
  check <- nubrek_command("check", study)
  expect_match(check$out, "excluded id", all = FALSE)
  expect_false(dir.exists(file.path(demo, "results")))
  run <- nubrek_command("run", study)
  expect_identical(run$status, 0L)
  for (word in c("Customers: ", "Repeat rate: ", "Value at stake: ", "checks are exact", "report.html")) expect_match(run$out, word, all = FALSE)
  json <- jsonlite::fromJSON(nubrek_command("show", "counts", study, "--format", "json")$out)
  csv <- utils::read.csv(text = nubrek_command("show", "counts", study, "--format", "csv")$out)
  expect_identical(json$customers, csv$customers)
  expect_equal(sum(json$customers), sum(pellmere()[["repeat"]]$customers))
  figure <- file.path(folder, "counts.png")
  expect_identical(nubrek_command("draw", "counts", study, "--to", figure)$status, 0L)
  expect_identical(readBin(figure, "raw", 4L), as.raw(c(0x89, 0x50, 0x4e, 0x47)))
  expect_match(nubrek_command("show", "cohorts", study, "--measure", "sales", "--view", "calendar")$out, "came from earlier cohorts", all = FALSE)
  expect_identical(nubrek_command("draw", "cohorts", study, "--curves", "--to", sub("png", "svg", figure))$status, 0L)
  coming <- jsonlite::fromJSON(nubrek_command("show", "coming", study, "--format", "json")$out)
  expect_identical(nrow(coming), 13L)
  expect_match(nubrek_command("show", "value_by", study, "--by", "town")$out, "By town no group", all = FALSE)
  expect_identical(nubrek_command("draw", "worth_by", study, "--to", sub("counts", "worth", figure))$status, 0L)
  expect_match(nubrek_command("show", "model", study)$out, "Fit of pareto-nbd", all = FALSE)
  expect_identical(nubrek_command("draw", "tracking", study, "--to", sub("counts", "tracking", figure))$status, 0L)
  list <- file.path(folder, "moved.csv")
  expect_match(nubrek_command("list", "moves", study, "--to", list, "--columns", "customer,email,change", "--contact", "email")$out, "rows in", all = FALSE)
  expect_identical(names(utils::read.csv(list, fileEncoding = "UTF-8-BOM")), c("customer", "email", "change"))
  payback <- utils::read.csv(text = nubrek_command("show", "payback", study, "--format", "csv")$out)
  expect_identical(payback$payback_age, pellmere()$payback$payback_age)
})

test_that("wrong usage is 2, wrong input 1, with a message on standard error and nothing on standard output", {
  bad <- list(list(2L, "forecat"), list(2L, "run"), list(2L, c("show", "tiers")), list(2L, c("show", "teirs", "x.yaml")), list(2L, c("run", "x.yaml", "--fast")),
              list(2L, c("list", "tiers", "x.yaml")), list(2L, c("show", "tiers", "x.yaml", "--format", "pdf")), list(2L, c("show", "tiers", "x.yaml", "--measure", "sales")), list(2L,
                c("show", "tiers", "x.yaml", "--by", "town")),
              list(2L, c("draw", "cohorts", "x.yaml", "--to", "x.png", "--measure", "sale")), list(1L, c("run", "nowhere.yaml")), list(1L, c("check", "nowhere.yaml")))
  for (case in bad) {
    got <- do.call(nubrek_command, as.list(case[[2L]]))
    expect_identical(got$status, case[[1L]], label = paste(case[[2L]], collapse = " "))
    expect_identical(got$out, character(), label = paste(case[[2L]], collapse = " "))
    expect_gt(nchar(got$err), 20L)
  }
  expect_match(nubrek_command("--help")$out, "Exit status", all = FALSE)
})
