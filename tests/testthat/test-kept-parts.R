# What a run made of a study stands beside its results, and is not made again.

# A study of its own kind: other columns, day first, cost by channel in a file.
kept_study <- function(folder, ...) {
  if (!file.exists(file.path(folder, "till.csv"))) {
    orders <- random_orders(3, 500L)
    orders$day <- format(as.Date(orders$day), "%d.%m.%Y")
    data.table::fwrite(orders[orders$state == "paid", ], file.path(folder, "till.csv"))
    writeLines(c("month,spend", "2024-03,120"), file.path(folder, "spend.csv"))
  }
  told <- c(
    data = "
  orders:
    files: till.csv
    columns: {customer: customer, order: receipt, date: day, sales: amount, channel: shop}",
    meanings = "{currency: EUR}",
    economics = "{margin_rate: 0.4}",
    cohorts = "{clock: quarter}",
    payback = "{spend: {files: spend.csv, period: month, amount: spend}}",
    tiers = "{shares: {first: 20, other: 80}}",
    audiences = "{back twice: {rule: purchases >= 2}}",
    forecast = "{purchases: bg-nbd, periods: 2, season: no}",
    ...
  )
  told <- told[!duplicated(names(told), fromLast = TRUE)]
  path <- file.path(folder, "study.yaml")
  writeLines(paste0(names(told), ": ", told), path)
  path
}

# The names of the parts that a call computes.
computed_in <- function(call) {
  names <- character()
  withCallingHandlers(call, nubrek_progress = \(said) {
    if (startsWith(said$step, "computing ")) names <<- c(names, sub("computing ", "", said$step))
  })
  names
}

# A run that is given nothing: its user has kept nothing.
plain_run <- function(study) {
  withr::local_envvar(R_USER_DATA_DIR = withr::local_tempdir())
  run_study(study, NA)
}

results_of <- function(run) unclass(run)[setdiff(names(run), c("study", "ledger", "files"))]

test_long("a second run makes only the proof, and what a change touches, to the same results", {
  withr::local_envvar(R_USER_DATA_DIR = withr::local_tempdir())
  folder <- withr::local_tempdir()
  study <- kept_study(folder)
  first <- computed_in(run <- run_study(study))
  expect_true(all(c("fits", "forecast", "cohorts", "payback", "proof") %in% first))
  # the record of the first run is what the second looks back at
  expect_identical(setdiff(computed_in(run_study(study)), "changes"), "proof")
  expect_identical(computed_in(again <- run_study(study)), "proof")
  expect_identical(results_of(again)[names(results_of(run))], results_of(run))
  expect_identical(tools::md5sum(run$files[[1L]]), tools::md5sum(again$files[[1L]]))

  changes <- list(
    list(c(economics = "{margin_rate: 0.3}"), c("payback", "forecast"), c("fits", "tiers", "rfm")),
    list(c(tiers = "{shares: {first: 50, other: 50}}"), "tiers", c("fits", "payback", "forecast")),
    list(c(forecast = "{purchases: pareto-nbd, season: no}"), c("fits", "forecast"), "cohorts"),
    list(c(audiences = "{back twice: {rule: purchases >= 3}}"), "audiences", c("fits", "cohorts")),
    list(c(meanings = "{currency: EUR, history_start: 2023-06-01}"), c("repeat", "fits"), NULL)
  )
  said <- c(outputs = "{report: no}")
  for (change in changes) {
    said <- c(said, change[[1L]])
    study <- kept_study(folder, said)
    made <- computed_in(run <- run_study(study))
    told <- names(change[[1L]])
    expect_true(all(change[[2L]] %in% made), label = told)
    expect_false(any(change[[3L]] %in% made), label = told)
    plain <- plain_run(study)
    parts <- setdiff(names(results_of(plain)), "changes")
    expect_identical(results_of(run)[parts], results_of(plain)[parts], label = told)
  }
})

test_long("a changed file, another secret, damaged or strange bytes: made again", {
  withr::local_envvar(R_USER_DATA_DIR = withr::local_tempdir())
  folder <- withr::local_tempdir()
  study <- kept_study(folder, outputs = "{report: no}")
  run_study(study)
  run_study(study)
  spend <- file.path(folder, "spend.csv")
  writeLines(sub("120", "480", readLines(spend)), spend)
  made <- computed_in(run_study(study))
  expect_true("payback" %in% made)
  expect_false("fits" %in% made)
  orders <- file.path(folder, "till.csv")
  writeLines(readLines(orders)[-2L], orders)
  expect_true(all(c("fits", "cohorts", "repeat") %in% computed_in(run_study(study))))
  plain <- results_of(plain_run(study))
  compare <- setdiff(names(plain), "changes")

  place <- file.path(folder, "nubrek-results", "runs", "parts")
  kept <- setdiff(list.files(place, full.names = TRUE), file.path(place, "parts.json"))
  for (path in kept) {
    bytes <- readBin(path, "raw", file.size(path))
    at <- length(bytes) %/% 2L
    bytes[[at]] <- xor(bytes[[at]], as.raw(1L))
    writeBin(bytes, path)
  }
  made <- computed_in(run <- run_study(study))
  expect_true(all(c("fits", "cohorts", "repeat") %in% made))
  expect_identical(results_of(run)[compare], plain[compare])
  # somebody else's runs are not believed, whatever they hold
  withr::local_envvar(R_USER_DATA_DIR = withr::local_tempdir())
  expect_true("fits" %in% computed_in(run_study(study)))
  writeLines("{", file.path(place, "parts.json"))
  expect_true("fits" %in% computed_in(run_study(study)))
  # where nothing of a run stays, no part does; a run that writes nothing keeps nothing
  unlink(file.path(folder, "nubrek-results"), recursive = TRUE)
  study <- kept_study(folder, outputs = "{report: no, runs: no}")
  run_study(study)
  expect_false(dir.exists(place))
  expect_true("fits" %in% computed_in(run_study(study)))
})

test_that("`show` is given what a run made, and writes nothing; a run that fails keeps its parts", {
  withr::local_envvar(R_USER_DATA_DIR = withr::local_tempdir())
  folder <- withr::local_tempdir()
  study <- kept_study(folder, outputs = "{report: no}")
  show <- \(part) capture.output(command_main(c("show", part, study)))
  alone <- show("tiers")
  expect_false(dir.exists(file.path(folder, "nubrek-results")))
  run_study(study)
  before <- list.files(folder, recursive = TRUE)
  expect_identical(computed_in(out <- show("tiers")), character())
  expect_identical(out, alone)
  expect_identical(setdiff(computed_in(run_study(study, NA)), "changes"), "proof")
  expect_identical(list.files(folder, recursive = TRUE), before)
  study <- kept_study(
    folder, outputs = "{report: no}", tiers = "{shares: {first: 30, other: 70}}",
    audiences = "{nobody: {rule: no_such_column > 1}}"
  )
  expect_error(made <- computed_in(run_study(study)), class = "nubrek_error")
  study <- kept_study(
    folder, outputs = "{report: no}", tiers = "{shares: {first: 30, other: 70}}"
  )
  expect_false("tiers" %in% computed_in(run_study(study)))
})
