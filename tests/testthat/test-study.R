study_with <- function(text, folder = withr::local_tempdir(.local_envir = parent.frame())) {
  path <- file.path(folder, "study.yaml")
  writeLines(text, path)
  path
}
small_study <- "
study: Small
data:
  orders:
    files: orders.csv
    columns:
      customer: Kunde
      order: Beleg
      date: Datum
      sales: Betrag
meanings:
  currency: EUR
outputs:
  folder: out"
lists_only <- function(study) {
  sub("  folder: out", "  folder: out\n  report: no", study, fixed = TRUE)
}

write_small <- function(
  rows, study = small_study, folder = withr::local_tempdir(.local_envir = parent.frame())
) {
  writeLines(c("Kunde;Beleg;Datum;Betrag", rows), file.path(folder, "orders.csv"))
  study_with(study, folder)
}

test_that("a file with other names, day-first dates and semicolons needs only the study file", {
  without_figures()
  path <- write_small(c(
    "007;1;05.03.2024;12,50", "007;2;25.04.2024;1.012,50", "8;3;06.03.2024;7,00"
  ))
  run <- run_study(path)
  expect_identical(run[["repeat"]]$repeat_customers, 1L)
  expect_identical(run[["repeat"]]$sales, 1032)
  expect_true(all(run$proof$exact))
  expect_setequal(basename(run$files), c(
    "report.html", "tiers.csv", "rfm.csv", "ranks.csv", "map.csv", "customers.csv", "cohorts.csv",
    "set-aside.csv", "suspects.csv", "overdue.csv"
  ))
  expect_setequal(
    list.files(file.path(dirname(path), "out"), all.files = TRUE, no.. = TRUE),
    c(basename(run$files), results_manifest, runs_folder)
  )
  expect_identical(
    utils::read.csv(run$files[[2L]], colClasses = "character", fileEncoding = "UTF-8-BOM")$customer,
    c("007", "8")
  )
})

test_that("a broken study file is refused with the line and what was meant", {
  edit <- function(from, to) sub(from, to, small_study, fixed = TRUE)
  cases <- list(
    list(edit("currency", "curency"), 12L, "currency"),
    list(edit("  currency: EUR", "  clock: fortnight"), 12L, "one of"),
    list(edit("      sales:", "      sale:"), 10L, "sales"),
    list(edit("    files: orders.csv\n", ""), 4L, "files"),
    list(edit("meanings:", "meanigs:"), 11L, "meanings"),
    list(paste0(small_study, "\nrfm:\n  bands: many"), 16L, "whole number"),
    list(paste0(small_study, "\ntiers:\n  shares: {a: 50, b: x}"), 16L, "numbers"),
    list(edit("  currency: EUR", "  as_of: 05.03.2024"), 12L, "a day such as")
  )
  for (case in cases) {
    error <- expect_error(read_study(study_with(case[[1L]])), class = "nubrek_error_study")
    expect_identical(error$line, case[[2L]], label = case[[3L]])
    expect_match(cli::ansi_strip(conditionMessage(error)), case[[3L]])
  }
  for (text in c("a: [", "", "- a", "a: 1\na: 2", "study: {")) {
    expect_error(read_study(study_with(text)), class = "nubrek_error_study", label = text)
  }
})

test_that("acquisition cost and margins of a study reach the payback; what is missing is named", {
  without_figures()
  rows <- c(
    "A;1;05.01.2024;10,00", "A;2;25.02.2024;6,00", "B;3;06.02.2024;20,00", "B;4;31.03.2024;1,00"
  )
  with_part <- \(part) paste0(
    small_study,
    paste0(
      "\neconomics: {margin_rate: 0.5}\ncohorts: ",
      "{older_within: 0, measures: [sales, value_to_date]}\npayback:\n"
    ),
    part
  )
  run <- run_study(write_small(rows, lists_only(with_part("  cost: 6\n  within: 1"))))
  expect_identical(run$payback$payback_age, c(1L, 0L))
  expect_identical(run$payback$highest_cost, c(NA, 10.5)) # January is covered from the 5th on
  expect_null(run$payback_by)
  expect_true("payback.csv" %in% basename(run$files))
  old <- run_study(write_small(rows, sub(
    "older_within: 0, ", "older_within: 9, by: cohort, ", with_part("  cost: 6"), fixed = TRUE
  ))) # every cohort may hold older customers: said, not drawn
  expect_match(
    paste(readLines(old$files[[1L]]), collapse = " "),
    "No acquisition cost is known for any cohort without older customers"
  )
  costs <- run_study(
    write_small(rows, with_part("  costs: {by: cohort, per_customer: {2024-02: 11}}")), folder = NA
  )
  expect_identical(costs$payback$status, c("no cost", "not yet"))
  folder <- withr::local_tempdir()
  writeLines(c("monat,euro", "2024-01,5", "2024-02,20"), file.path(folder, "spend.csv"))
  spend <- run_study(
    write_small(
      rows,
      with_part("  spend: {files: spend.csv, period: monat, amount: euro, carry_over: no}"),
      folder
    ),
    folder = NA
  )
  expect_identical(spend$payback$cost, c(5, 20))
  for (part in c(
    "  within: 3", "  cost: 6\n  costs: {by: cohort}", "  spend: {files: spend.csv}"
  )) {
    expect_error(
      run_study(write_small(rows, with_part(part)), folder = NA),
      class = "nubrek_error_study",
      label = part
    )
  }
  error <- expect_error(
    ask_part("payback", read_study(write_small(rows)), NULL), class = "nubrek_error_study"
  )
  expect_match(conditionMessage(error), "needs")
})

test_that("ranks, scores, the map, tiers and moves of a study are as it says", {
  rows <- c(
    "A;1;05.01.2023;100,00", "A;2;25.02.2024;10,00", "B;3;06.02.2023;20,00", "B;4;31.03.2024;80,00",
    "B;5;02.04.2024;5,00", "C;6;01.05.2023;7,00"
  )
  part <- "
economics: {margin_rate: 0.5}
ranks: {by: purchases, top: 1}
rfm:
  cuts: {recency: [100], frequency: [2], monetary: [50]}
  weights: [1, 0, 0]
  groups:
    good: {frequency: 2}
    other: {frequency: 1}
map: {cut: [2, 50]}
tiers:
  limits: {cashmere: {sales: 80, purchases: 2}, base: }
  match: all
  during: 2024
  benefits: {cost: {cashmere: 10, base: 0}, uplift: 0.2}
moves: {periods: [2023, 2024], same_days: no, draws: 20}"
  run <- run_study(write_small(rows, lists_only(paste0(small_study, part))))
  expect_identical(run$ranks$customer, "B")
  expect_identical(run$rfm$group, c("good", "good", "other"))
  expect_identical(run$rfm$index, c(100, 100, 0))
  expect_identical(run$map$region, c("often & large", "often & small", "seldom & small"))
  expect_identical(as.character(run$tiers$tier), c("cashmere", "base"))
  expect_identical(run$payoff$cost, c(10, 0))
  expect_identical(run$moves$customers[run$moves$from == "base"], c(1L, 1L, 1L))
  expect_true(all(c("ranks.csv", "map.csv", "moved.csv") %in% basename(run$files)))
  expect_null(run$outlook)
  moved <- utils::read.csv(
    run$files[basename(run$files) == "moved.csv"], fileEncoding = "UTF-8-BOM"
  )
  expect_identical(
    paste(moved$customer, moved$from, moved$to), c("B base cashmere", "C base absent")
  )
  for (wrong in c(
    "\nmoves: {draws: 20}",
    "\ntiers: {limits: {cashmere: {profit: 1}, base: }}",
    "\nrfm: {groups: {a: {recency: high}}}",
    "\nmap: {cut: mean}",
    "\ntiers: {benefits: {cost: {a: 1, b: 0}}}"
  )) {
    expect_error(
      run_study(write_small(rows, paste0(small_study, wrong)), folder = NA),
      class = "nubrek_error",
      label = wrong
    )
  }
})

test_that("YAML never runs code, and scalars keep their zeros", {
  marker <- withr::local_tempfile()
  path <- study_with(paste0(small_study, "\nrepeat:\n  by: !expr file.create('", marker, "')"))
  try(suppressWarnings(read_study(path)), silent = TRUE)
  expect_false(file.exists(marker))
  ids <- read_study(study_with(sub(
    "  currency: EUR", "  excluded_ids: [007, 1e5, no, 0x1A]", small_study, fixed = TRUE
  )))$meanings$excluded_ids
  expect_identical(ids, c("007", "1e5", "no", "0x1A"))
})

test_that("a study chooses its models, and covariates from a file are names, never code", {
  said <- read_study(study_with(paste0(
    small_study,
    "\nforecast: {purchases: mbg-nbd, spend: log-normal,",
    paste0(
      " covariates: {rate: [first_channel, 'odd `name`; stop()', 'x\\', ' + stop(1) + ']}, ",
      "penalty: cross-validated, season: false}"
    )
  )))
  models <- study_models(said)
  expect_identical(
    models[c("purchases", "spend", "penalty", "season")],
    list(purchases = "mbg-nbd", spend = "log-normal", penalty = "cross-validated", season = FALSE)
  )
  expect_identical(formula_variables(models$covariates), c(
    "first_channel", "odd `name`; stop()", "x\\", " + stop(1) + "
  ))
  odd <- data.frame(
    repeats = c(0, 2, 1, 4), last = c(0, 3, 4, 8), span = 9, a = c("u", "v", "v", "u")
  )
  names(odd)[[4]] <- "b c"
  expect_identical(
    names(
      coef(fit_purchases(odd, "mbg-nbd", list(rate = rlang::new_formula(NULL, as.name("b c")))))[5]
    ),
    "rate: b c v"
  )
  for (wrong in c(
    "{purchases: bg-bb}", "{penalty: -1}", "{penalty: best}", "{season: summer}",
    "{covariates: first_channel}"
  )) {
    expect_error(
      read_study(study_with(paste0(small_study, "\nforecast: ", wrong))),
      class = "nubrek_error_study",
      label = wrong
    )
  }
  ledger <- pellmere()$ledger
  fit <- fit_models(
    ledger, forecast_models("mbg-nbd", covariates = list(rate = ~first_channel), season = FALSE)
  )$purchases
  expect_identical(
    fit, fit_purchases(ledger, "mbg-nbd", list(rate = ~first_channel)), ignore_attr = TRUE
  )
  expect_true(all(grepl("^rate: first_channel", names(coef(fit))[-(1:4)])))
})

test_that("one customer, nobody repeats, unreadable dates: classed errors, nothing half-written", {
  with_forecast <- paste0(small_study, "\nforecast:\n  years: 1")
  cases <- list(
    unidentified = c("A;1;2024-03-05;5"),
    unidentified = c("A;1;2024-03-05;5", "B;2;2024-03-06;5"),
    unidentified = c("A;1;2024-03-05;5", "A;2;2024-04-05;5"),
    no_rows = c("A;1;soon;5"),
    file = character()
  )
  for (i in seq_along(cases)) {
    path <- write_small(cases[[i]], with_forecast)
    expect_error(
      run_study(path), class = paste0("nubrek_error_", names(cases)[[i]]), label = paste("case", i)
    )
    expect_false(dir.exists(file.path(dirname(path), "out")), label = paste("case", i))
  }
  # without a forecast the rest can be shown
  expect_identical(run_study(write_small(cases[[2L]], lists_only(small_study)))[["repeat"]]$rate, 0)
})

test_that("a column that could not be guessed is named where it stands in the study", {
  path <- write_small("A;1;2024-03-05;5", sub("sales: Betrag", 'sales: "?"', small_study))
  error <- expect_error(run_study(path), class = "nubrek_error_study")
  expect_match(conditionMessage(error), "line [0-9]+.*found no column for sales")
})

test_that("a study keeps its ledger, and makes it again when anything it came from has changed", {
  skip_if_not(requireNamespace("nanoparquet", quietly = TRUE), "no Parquet package")
  folder <- withr::local_tempdir()
  study <- sub(
    "files: orders.csv",
    "files: '*.csv'",
    sub("data:", "data:\n  keep: kept", small_study, fixed = TRUE),
    fixed = TRUE
  )
  path <- write_small(c("007;1;05.03.2024;12,50", "8;2;25.04.2024;7,00"), study, folder)
  current <- \() readLines(file.path(folder, "kept", "current"), n = 1L)
  steps <- \() {
    said <- character()
    ledger <- withCallingHandlers(
      open_study_ledger(read_study(path)), nubrek_progress = \(c) said <<- c(said, c$step)
    )
    list(ledger = ledger, said = said)
  }
  first <- steps()
  version <- current()
  again <- steps()
  expect_identical(current(), version)
  expect_identical(unique(again$said), "opening the saved ledger")
  expect_identical(customers(again$ledger), customers(first$ledger))
  writeLines(c(
    "Kunde;Beleg;Datum;Betrag", "8;2;25.04.2024;7,00", "007;3;01.05.2024;2,00"
  ), file.path(folder, "orders-may.csv"))
  grown <- steps()
  expect_false(current() == version)
  expect_identical(customers(grown$ledger)$sales, c(14.5, 7))
  writeLines(sub("currency: EUR", "as_of: 2024-04-30", readLines(path)), path)
  expect_identical(customers(steps()$ledger)$sales, c(12.5, 7))
  unlink(file.path(folder, "kept", current(), "orders.parquet"))
  expect_identical(customers(steps()$ledger)$sales, c(12.5, 7)) # what is damaged is made again
})

test_that("long work says where it stands to whoever asks", {
  said <- data.frame()
  withr::local_options(
    nubrek.progress = \(step, share) said <<- rbind(said, data.frame(step, share))
  )
  open_study_ledger(read_study(system.file("pellmere", "study.yaml", package = "nubrek")))
  expect_true(all(
    c("reading orders", "reading amounts and dates", "forming orders") %in% said$step
  ))
  expect_identical(progress_text("reading orders", 0.256), "reading orders, 26 %\u2026")
})

test_long("a study asks for a forecast alone, with no cost of winning customers and no groups", {
  folder <- withr::local_tempdir()
  orders <- random_orders(3, 900L)
  data.table::fwrite(orders[orders$state == "paid", ], file.path(folder, "sales.txt"), sep = ";")
  study <- file.path(folder, "study.yaml")
  writeLines(c(
    "data:",
    "  orders:",
    "    files: sales.txt",
    "    columns: {customer: customer, order: receipt, date: day, sales: amount, channel: shop}",
    "meanings: {currency: EUR}",
    "forecast: {cut: 2024-12-31, periods: 2}"
  ), study)
  run <- run_study(study, folder = file.path(folder, "out"))
  expect_s3_class(run$worth, "nubrek_worth")
  expect_null(run$continued_by)
  expect_null(run$payback)
  expect_true(all(c("worth.csv", "report.html") %in% basename(run$files)))
})
