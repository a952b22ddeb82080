test_long("a saved ledger opens as the one that was saved, for any meanings", {
  skip_if_not(requireNamespace("nanoparquet", quietly = TRUE), "no Parquet package")
  folder <- file.path(withr::local_tempdir(), "ledger")
  for (seed in 1:12) {
    ledger <- random_ledger(
      seed,
      purchase_unit = c("order", "day")[[1L + seed %% 2L]],
      history_start = if (seed %% 3L == 0L) "2024-05-05",
      excluded_ids = if (seed %% 2L == 0L) "C01" else character()
    )
    if (seed == 5L) ledger <- ledger_slice(ledger, lines = list(channel = "Mill"))
    save_ledger(ledger, folder)
    again <- open_ledger(folder)
    for (part in setdiff(names(ledger), c("returns", "source"))) {
      expect_equal(
        again[[part]],
        ledger[[part]],
        ignore_attr = c("row.names", "index", "sorted", ".internal.selfref"),
        label = paste("seed", seed, part)
      )
    }
    expect_identical(customers(again), customers(ledger), label = paste("seed", seed))
    expect_true(all(prove_totals(again)$exact))
    expect_length(list.files(folder, "^version-"), 1L)
  }
})

test_long("a save that is killed leaves the old one, and other folders are not touched", {
  skip_if_not(
    requireNamespace("nanoparquet", quietly = TRUE) && .Platform$OS.type == "unix",
    "needs Parquet and signals"
  )
  folder <- file.path(withr::local_tempdir(), "ledger")
  save_ledger(example_ledger(), folder)
  # another process saves the demo world over it and kills itself when half of the tables are
  # written
  code <- sprintf(
    "library(nubrek); l <- nubrek:::open_study_ledger(read_study(%s)); n <- 0
    die <- quote({ n <<- n + 1; if (n == 4) tools::pskill(Sys.getpid(), 9) })
    trace(nanoparquet::write_parquet, die, print = FALSE, where = asNamespace('nubrek'))
    save_ledger(l, %s)",
    deparse(system.file("pellmere", "study.yaml", package = "nubrek")),
    deparse(folder)
  )
  status <- suppressWarnings(system2(
    file.path(R.home("bin"), "Rscript"), c("-e", shQuote(code)), stdout = FALSE, stderr = FALSE
  ))
  expect_false(status == 0L)
  expect_length(list.files(folder, "^version-"), 2L) # it had begun
  expect_identical(customers(open_ledger(folder)), customers(example_ledger()))
  save_ledger(example_ledger(), folder)
  expect_length(list.files(folder, "^version-"), 1L)
  other <- withr::local_tempdir()
  writeLines("mine", file.path(other, "notes.txt"))
  expect_error(save_ledger(example_ledger(), other), class = "nubrek_error_file")
  expect_identical(list.files(other), "notes.txt")
  unlink(file.path(folder, list.files(folder, "^version-"), "lines-1.npy"))
  expect_error(open_ledger(folder), class = "nubrek_error_file")
})
