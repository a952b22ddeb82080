# The installed command, in a process of its own.
nubrek_command <- function(...) {
  script <- system.file("exec", "nubrek", package = "nubrek")
  err <- tempfile()
  out <- suppressWarnings(system2(
    file.path(R.home("bin"), "Rscript"), c(shQuote(script), ...), stdout = TRUE, stderr = err
  ))
  list(status = attr(out, "status") %||% 0L, out = as.character(out), err = paste(
    readLines(err), collapse = "\n"
  ))
}

test_that("demo, check, run, show and draw do the job", {
  folder <- withr::local_tempdir()
  demo <- file.path(folder, "world")
  made <- nubrek_command("demo", "--folder", demo)
  expect_match(made$out, "Next: nubrek run", all = FALSE)
  # never over something that is there
  expect_identical(nubrek_here("demo", "--folder", demo)$status, 1L)
  study <- demo_run()$study
  check <- nubrek_here("check", study)
  expect_match(check$out, "excluded id", all = FALSE)
  expect_match(check$out, "All that the study asks for is there", all = FALSE)
  for (word in c(
    "Customers: ", "Repeat rate: ", "Expected from today's customers: ", "checks are exact",
    "report.html"
  )) {
    expect_match(demo_run()$out, word, all = FALSE)
  }
  results <- dirname(demo_run()$run$files[[1L]])
  written <- \(name) utils::read.csv(file.path(results, name), fileEncoding = "UTF-8-BOM")
  json <- jsonlite::fromJSON(nubrek_here("show", "counts", study, "--format", "json")$out)
  csv <- utils::read.csv(text = nubrek_command("show", "counts", study, "--format", "csv")$out)
  expect_identical(json$customers, csv$customers)
  expect_identical(sum(json$customers), sum(written("customers.csv")$purchases > 0L))
  figure <- file.path(folder, "counts.png")
  expect_identical(nubrek_here("draw", "counts", study, "--file", figure)$status, 0L)
  expect_identical(readBin(figure, "raw", 4L), as.raw(c(0x89, 0x50, 0x4e, 0x47)))
  expect_match(
    nubrek_here("show", "cohorts", study, "--measure", "sales", "--view", "calendar")$out,
    "came from earlier cohorts",
    all = FALSE
  )
  expect_identical(
    nubrek_here("draw", "cohorts", study, "--curves", "--to", sub("png", "svg", figure))$status, 0L
  )
  list <- file.path(folder, "moved.csv")
  moved <- nubrek_here(
    "list", "moves", study, "--file", list, "--columns", "customer,email,change,from,to",
    "--contact", "email", "--from", "cashmere", "--to", "wool,absent"
  )
  expect_match(moved$out, "rows? in", all = FALSE)
  rows <- utils::read.csv(list, fileEncoding = "UTF-8-BOM")
  expect_identical(names(rows), c("customer", "email", "change", "from", "to"))
  expect_true(
    nrow(rows) > 0L && all(rows$from == "cashmere") && all(rows$to %in% c("wool", "absent"))
  )
  all_moves <- written("moved.csv")
  expect_identical(
    nrow(rows), sum(all_moves$from == "cashmere" & all_moves$to %in% c("wool", "absent"))
  )
  expect_false(any(all_moves$from == all_moves$to)) # nobody who stayed
  nubrek_here("list", "moves", study, "--file", list, "--stayers")
  stayed <- utils::read.csv(list, fileEncoding = "UTF-8-BOM")
  expect_identical(sum(stayed$from == stayed$to), sum(
    pellmere()$moves$customers[pellmere()$moves$from == pellmere()$moves$to]
  ))
  tiers <- utils::read.csv(
    text = nubrek_here(
      "show", "tiers", study, "--where", "tier=cashmere; sales>=300", "--format", "csv"
    )$out
  )
  every <- plain_table(pellmere()$tiers)
  expect_identical(nrow(tiers), sum(every$tier == "cashmere" & every$sales >= 300))
  late <- nubrek_here("list", "waits", study, "--file", list, "--where", "state=not yet")
  expect_match(late$out, "rows in", all = FALSE)
  expect_true(all(utils::read.csv(list, fileEncoding = "UTF-8-BOM")$state == "not yet"))
  payback <- utils::read.csv(text = nubrek_here("show", "payback_by", study, "--format", "csv")$out)
  expect_identical(payback$payback_age, written("payback.csv")$payback_age)
  expect_match(nubrek_here("keys", "waits")$out, "which purchase is waited for", all = FALSE)
})

test_long("parts that a run made are shown and drawn by the command", {
  study <- demo_run()$study
  figure <- file.path(withr::local_tempdir(), "counts.png")
  coming <- jsonlite::fromJSON(nubrek_here("show", "coming", study, "--format", "json")$out)
  expect_identical(nrow(coming), 13L)
  expect_match(nubrek_here("show", "value_by", study, "--by", "town")$out, "by town", all = FALSE)
  expect_identical(
    nubrek_here("draw", "worth_by", study, "--file", sub("counts", "worth", figure))$status, 0L
  )
  expect_match(nubrek_here("show", "model", study)$out, "Fit of pareto-nbd", all = FALSE)
  expect_identical(
    nubrek_here("draw", "tracking", study, "--file", sub("counts", "tracking", figure))$status, 0L
  )
})

test_that("check computes nothing and writes nothing; run as a process writes what is asked for", {
  folder <- withr::local_tempdir()
  writeLines(c(
    "who,receipt,day,paid", "A,1,2024-03-05,12.50", "A,2,2024-04-25,7", "B,3,2024-03-06,9"
  ), file.path(folder, "orders.csv"))
  study <- file.path(folder, "study.yaml")
  writeLines(c(
    "data:",
    "  orders:",
    "    files: orders.csv",
    "    columns: {customer: who, order: receipt, date: day, sales: paid}",
    "meanings: {currency: EUR}",
    "outputs: {folder: out, report: no}"
  ), study)
  expect_identical(nubrek_here("check", study)$status, 0L)
  expect_false(dir.exists(file.path(folder, "out")))
  run <- nubrek_command("run", study)
  expect_identical(run$status, 0L)
  expect_match(run$out, "Repeat rate: .* 50.0 %", all = FALSE)
  expect_match(run$out, "tiers\\.csv", all = FALSE)
  expect_false(any(grepl("Report:", run$out)))
  expect_setequal(list.files(file.path(folder, "out")), c(
    "tiers.csv", "rfm.csv", "ranks.csv", "map.csv", "customers.csv", "cohorts.csv", "set-aside.csv",
    "suspects.csv", "overdue.csv", "runs"
  ))
})

test_that(
  paste0(
    "wrong usage is 2, wrong input 1, with a message on standard error and nothing on standard ",
    "output"
  ),
  {
    bad <- list(
      list(2L, "forecat", "forecast|check|list"),
      list(2L, "run", "takes"),
      list(2L, c("show", "teirs", "x.yaml"), "tiers"),
      list(2L, c("run", "x.yaml", "--fast"), "fast"),
      list(2L, c("list", "tiers", "x.yaml"), "--file"),
      list(2L, c("show", "tiers", "x.yaml", "--format", "pdf"), "csv"),
      list(2L, c("show", "tiers", "x.yaml", "--measure", "sales"), "cohorts"),
      list(2L, c("show", "tiers", "x.yaml", "--by", "town"), "value_by"),
      list(2L, c("draw", "cohorts", "x.yaml", "--file", "x.png", "--measure", "revenue"), "sales"),
      list(2L, c("show", "cohort", "x.yaml"), "cohorts"),
      list(2L, c("keys", "wait"), "waits"),
      list(2L, c("list", "tiers", "x.yaml", "--file", "x.csv", "--from", "wool"), "moves")
    )
    for (case in bad) {
      got <- nubrek_here(case[[2L]])
      label <- paste(case[[2L]], collapse = " ")
      expect_identical(got$status, case[[1L]], label = label)
      expect_identical(got$out, character(), label = label)
      expect_match(got$err, case[[3L]], label = label)
    }
    # the last one as a process
    products <- system.file("pellmere", "products.csv", package = "nubrek")
    for (case in list(
      list(2L, c("show", "tiers")), list(1L, c("check", products)),
      list(1L, c("run", "nowhere.yaml"))
    )) {
      ask <- if (case[[2L]][[1L]] == "run") nubrek_command else nubrek_here
      got <- do.call(ask, as.list(case[[2L]]))
      expect_identical(got$status, case[[1L]], label = paste(case[[2L]], collapse = " "))
      expect_identical(got$out, character(), label = paste(case[[2L]], collapse = " "))
      expect_gt(nchar(got$err), 20L)
    }
    expect_match(nubrek_here("--help")$out, "Exit status", all = FALSE)
  }
)

test_that("figures of few rows have room for a mark, and the repeat rate is shown by attribute", {
  folder <- withr::local_tempdir()
  data.table::fwrite(example_orders(), file.path(folder, "orders.csv"))
  study <- file.path(folder, "study.yaml")
  writeLines(c(
    "data: {orders: {files: orders.csv, columns: {customer: customer, order: receipt, date: day,",
    "  sales: amount, channel: shop}}}", "meanings: {currency: EUR}"
  ), study)
  height_of <- \(...) {
    path <- file.path(folder, "figure.png")
    expect_identical(nubrek_here("draw", ..., study, "--file", path)$status, 0L)
    sum(as.integer(readBin(path, "raw", 24L)[21:24]) * 256^(3:0))
  }
  for (part in c("repeat", "counts", "ranks", "tiers")) expect_gte(height_of(part), 360L)
  expect_gte(height_of("repeat", "--by", "first_channel"), 360L)
  shown <- nubrek_here("show", "repeat", study, "--by", "first_channel", "--format", "csv")
  rates <- utils::read.csv(text = shown$out)
  ledger <- study_ledger(study)
  expect_equal(rates$rate, repeat_rate(ledger, by = "first_channel")$rate)
  expect_identical(nubrek_here("show", "repeat", study, "--by", "nothing")$status, 1L)
  # what the count suggests can be pasted
  rule <- "sales >= 20; unless(purchases >= 2)"
  counted <- utils::read.csv(text = nubrek_here("count", rule, study, "--format", "csv")$out)
  course <- audience_course(audience(ledger, sales >= 20, unless(purchases >= 2)))
  expect_identical(counted$customers, course$customers)
  expect_identical(nubrek_here("count", rule, study, "--format", "xls")$status, 2L)
})

test_both("who has read enough closes the pipe, and nothing is said of it", {
  skip_if(Sys.which("bash") == "", "no bash at hand")
  script <- system.file("exec", "nubrek", package = "nubrek")
  asks <- c("keys | head -n 1", "keys | true", "parts | true", "--help | true")
  for (asked in asks[worlds(2L, 1:4)]) {
    err <- withr::local_tempfile()
    line <- sprintf("%s %s; exit ${PIPESTATUS[0]}", script, sub("|", paste("2>", err, "|"), asked,
      fixed = TRUE
    ))
    status <- system2("bash", c("--norc", "-c", shQuote(line)), stdout = FALSE)
    expect_identical(status, 0L, label = asked)
    expect_identical(readLines(err), character(), label = asked)
  }
})

test_that("a shell completes verbs, parts, options and their words", {
  skip_if(Sys.which("bash") == "", "no bash at hand")
  script <- withr::local_tempfile(lines = capture.output(command_main(c("completion", "bash"))))
  offered <- function(...) {
    words <- c(...)
    asked <- sprintf(
      ". %s; COMP_WORDS=(%s); COMP_CWORD=%d; _nubrek; printf '%%s\\n' \"${COMPREPLY[@]}\"",
      shQuote(script), paste(shQuote(words), collapse = " "), length(words) - 1L
    )
    system2("bash", c("--norc", "-c", shQuote(asked)), stdout = TRUE)
  }
  expect_setequal(offered("nubrek", "co"), c("count", "completion"))
  expect_setequal(offered("nubrek", "show", "coh"), c("cohorts", "cohorts_by"))
  expect_identical(offered("nubrek", "keys", "audi"), "audiences")
  expect_identical(offered("nubrek", "draw", "cohorts", "s.yaml", "--mea"), "--measure")
  expect_true("value_to_date" %in% offered("nubrek", "draw", "cohorts", "s.yaml", "--measure", "v"))
  expect_identical(offered("nubrek", "run", "xyz"), "") # a file
  expect_identical(command_main(c("completion", "fish")), 2L)
})
