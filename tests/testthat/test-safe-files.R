# Nothing lost, nothing merged, nothing let in.

small_run <- function(folder, more = "") {
  writeLines(c(
    "Kunde;Beleg;Datum;Betrag", "007;1;05.03.2024;12,50", "007;2;25.04.2024;1.012,50",
    "8;3;06.03.2024;7,00"
  ), file.path(folder, "orders.csv"))
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "data:",
    "  orders:",
    "    files: orders.csv",
    "    columns: {customer: Kunde, order: Beleg, date: Datum, sales: Betrag}",
    "meanings: {currency: EUR}",
    more
  ), path)
  path
}

test_that("results replace and sweep only what an earlier run wrote", {
  without_figures()
  folder <- withr::local_tempdir()
  path <- small_run(folder, "outputs: {folder: out}")
  out <- file.path(folder, "out")
  dir.create(out)
  writeLines("mine", file.path(out, "value.csv")) # a list that this study does not write
  run_study(path)
  expect_identical(readLines(file.path(out, "value.csv")), "mine")
  for (name in c("customers.csv", "report.html")) {
    writeLines("changed by hand", file.path(out, name))
    error <- expect_error(run_study(path), class = "nubrek_error_results")
    expect_match(conditionMessage(error), name, fixed = TRUE)
    expect_identical(readLines(file.path(out, name)), "changed by hand")
    unlink(file.path(out, name))
  }
  with_payback <- small_run(folder, c(
    "outputs: {folder: out, report: no}", "economics: {margin_rate: 0.5}", "payback: {cost: 6}"
  ))
  run_study(with_payback) # its own files are replaced
  expect_true(file.exists(file.path(out, "payback.csv")))
  expect_false(file.exists(file.path(out, "report.html"))) # swept: an earlier run had written it
  run_study(small_run(folder, "outputs: {folder: out, report: no}"))
  expect_false(file.exists(file.path(out, "payback.csv"))) # swept: an earlier run had written it
  expect_identical(readLines(file.path(out, "value.csv")), "mine")
})

test_that(
  "a run that dies while files take their places leaves whole files, and the next one goes on",
  {
    folder <- withr::local_tempdir()
    path <- small_run(folder, "outputs: {folder: out, report: no}")
    out <- file.path(folder, "out")
    run_study(path)
    old <- file.size(file.path(out, "customers.csv"))
    writeLines(c(
      readLines(file.path(folder, "orders.csv")), "9;4;01.05.2024;3,00"
    ), file.path(folder, "orders.csv"))
    moves <- 0L
    dying <- function(to) {
      if (dirname(to) == out) {
        moves <<- moves + 1L
        if (moves > 4L) stop("the machine is gone")
      }
    } # after the manifest and three lists
    suppressMessages(trace(
      "move_file", bquote(.(dying)(to)), where = asNamespace("nubrek"), print = FALSE
    ))
    expect_error(run_study(path), "the machine is gone")
    suppressMessages(untrace("move_file", where = asNamespace("nubrek")))
    expect_identical(moves, 5L)
    expect_gt(file.size(file.path(out, "customers.csv")), old) # moved already, others not
    run_study(path)
    expect_identical(
      nrow(utils::read.csv(file.path(out, "customers.csv"), fileEncoding = "UTF-8-BOM")), 3L
    )
    writeLines("changed by hand", file.path(out, "customers.csv"))
    expect_error(run_study(path), "has been changed", class = "nubrek_error_results")
  }
)

test_that(
  "inputs are never outputs, a folder in the way stops the run, an absolute folder is absolute",
  {
    folder <- withr::local_tempdir()
    path <- small_run(folder, "outputs: {folder: .}")
    file.rename(file.path(folder, "orders.csv"), file.path(folder, "customers.csv"))
    writeLines(sub("orders.csv", "customers.csv", readLines(path)), path)
    before <- readLines(file.path(folder, "customers.csv"))
    expect_error(run_study(path), "which the study reads", class = "nubrek_error_results")
    expect_identical(readLines(file.path(folder, "customers.csv")), before)
    elsewhere <- withr::local_tempdir()
    whole <- small_run(folder, paste0("outputs: {report: no, folder: ", elsewhere, "/made}"))
    expect_true(all(startsWith(run_study(whole)$files, file.path(elsewhere, "made"))))
    unlink(file.path(elsewhere, "made", "tiers.csv"))
    dir.create(file.path(elsewhere, "made", "tiers.csv"))
    expect_error(run_study(whole), "is a folder", class = "nubrek_error_results")
  }
)

test_that("two runs at once: the second says so; stale locks and drafts of killed runs are swept", {
  skip_if_not(.Platform$OS.type == "unix", "needs processes")
  folder <- withr::local_tempdir()
  path <- small_run(folder, "outputs: {folder: out, report: no}")
  out <- file.path(folder, "out")
  dir.create(out)
  other <- as.integer(system("sleep 3600 >/dev/null 2>&1 & echo $!", intern = TRUE))
  withr::defer(tools::pskill(other))
  writeLines(as.character(other), file.path(out, results_lock))
  expect_error(run_study(path), class = "nubrek_error_busy")
  tools::pskill(other, tools::SIGKILL)
  wait_for(\() if (!tools::pskill(other, 0L)) TRUE)
  dir.create(tempfile(".nubrek-", out))
  writeLines("999999", file.path(out, results_lock))
  run_study(path)
  expect_identical(
    setdiff(list.files(out, "^[.]", all.files = TRUE, no.. = TRUE), results_manifest), character()
  )
})

test_that("a file that could not be written whole is an error, and the old one stays", {
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines("old", path)
  expect_error(
    write_whole(path, \(to) writeLines("new", to), \(to) "3 of 9 rows could be written"),
    "3 of 9 rows",
    class = "nubrek_error_disk"
  )
  expect_error(
    write_whole(path, \(to) warning("No space left on device")),
    "No space left",
    class = "nubrek_error_disk"
  )
  expect_error(write_whole(path, \(to) file.create(to)), class = "nubrek_error_disk")
  expect_error(write_whole(path, \(to) stop("a fault of ours")), "a fault of ours")
  expect_identical(readLines(path), "old")
  folder <- withr::local_tempdir()
  expect_error(write_text("x", folder), class = "nubrek_error_disk")
  skip_if_not(
    nzchar(Sys.which("mount")) && Sys.info()[["user"]] == "root" && .Platform$OS.type == "unix",
    "needs a small file system"
  )
  disk <- withr::local_tempdir()
  skip_if(
    system2(
      "mount", c("-t", "tmpfs", "-o", "size=24k", "tmpfs", disk), stdout = FALSE, stderr = FALSE
    ) !=
      0L,
    "no file system can be mounted"
  )
  withr::defer(system2("umount", c("-l", disk)))
  many <- data.frame(customer = sprintf("C%05d", 1:6000), sales = 1:6000 / 7)
  for (ending in c("csv", "xlsx", "parquet")) {
    expect_error(
      suppressWarnings(write_list(many, file.path(disk, paste0("list.", ending)))),
      class = "nubrek_error_disk",
      label = ending
    )
    expect_identical(list.files(disk, all.files = TRUE, no.. = TRUE), character(), label = ending)
  }
})

test_that("a damaged ledger is never believed", {
  folder <- file.path(withr::local_tempdir(), "kept")
  ledger <- example_ledger()
  save_ledger(ledger, folder, exports = FALSE)
  same <- customers(ledger)
  files <- list.files(folder, recursive = TRUE, full.names = TRUE)
  bytes <- lapply(files, \(f) readBin(f, "raw", file.size(f)))
  withr::local_seed(1)
  for (case in 1:60) {
    i <- sample(length(files), 1L)
    damaged <- bytes[[i]]
    at <- sample(length(damaged), 1L)
    damaged <- switch(1L + case %% 3L,
      replace(damaged, at, as.raw(bitwXor(as.integer(damaged[[at]]), 2^sample(0:7, 1L)))),
      damaged[seq_len(at - 1L)],
      damaged[-at]
    )
    writeBin(damaged, files[[i]])
    got <- tryCatch(customers(open_ledger(folder)), nubrek_error_file = \(e) "refused")
    expect_true(
      identical(got, "refused") || identical(got, same),
      label = paste("case", case, basename(files[[i]]))
    )
    writeBin(bytes[[i]], files[[i]])
  }
  expect_identical(customers(open_ledger(folder)), same)
})

test_that("text is never a format, a formula, or a steering of the terminal", {
  result <- new_result(list(
    customer = c("100%d wool", "%n", "=1+1", "\uff1d1+1", "\ufeff=1", "a\033[31mred\033]0;t\007"),
    sales = 1:6 + 0.5
  ), "list")
  shown <- paste(capture.output(write_csv(result)), collapse = "\n")
  expect_match(shown, "100%d wool", fixed = TRUE)
  expect_match(shown, "%n,", fixed = TRUE)
  expect_identical(safe_cell(result$customer)[3:5], c("'=1+1", "'\uff1d1+1", "'\ufeff=1"))
  table <- capture.output(print(result))
  expect_false(any(grepl("[\033\007]", table)))
  expect_match(table, "a\u241b[31mred", fixed = TRUE, all = FALSE)
  path <- withr::local_tempfile(fileext = ".xlsx")
  skip_if_not(requireNamespace("openxlsx", quietly = TRUE), "no XLSX package")
  expect_identical(write_list(data.frame(group = "a\001b", n = 1), path, apart = "group"), path)
})

test_that(
  "bytes that are not text are refused with the row, others read, and long numbers never merge",
  {
    map <- column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
    head <- charToRaw("customer,receipt,day,amount\n")
    path <- withr::local_tempfile(fileext = ".csv")
    writeBin(c(
      head,
      rep(charToRaw("A,1,2024-01-01,5\n"), 5000L),
      charToRaw("B,2,2024-01-02,"),
      as.raw(0L),
      charToRaw("5\n")
    ), path)
    error <- expect_error(open_ledger(path, map), "NUL", class = "nubrek_error_file")
    expect_identical(error$row, 5001)
    packed <- withr::local_tempfile(fileext = ".csv.gz")
    con <- gzfile(packed, "wb")
    writeBin(readBin(path, "raw", file.size(path)), con)
    close(con)
    expect_match(
      conditionMessage(expect_error(open_ledger(packed, map), class = "nubrek_error_file")),
      basename(packed),
      fixed = TRUE
    )
    writeBin(c(
      charToRaw("customer,receipt,day,amount,"),
      as.raw(0xe4),
      charToRaw("x\n\"a \"\"b\"\" "),
      as.raw(0xe9),
      charToRaw("\",1,2024-01-01,5,z\n")
    ), path)
    expect_identical(open_ledger(path, map)$ids, "a \"b\" \u00e9")
    skip_if_not(requireNamespace("nanoparquet", quietly = TRUE), "no Parquet package")
    ids <- withr::local_tempfile(fileext = ".parquet")
    nanoparquet::write_parquet(
      data.frame(customer = 2^53 + 2 * (1:4), receipt = 1:4, day = "2024-01-01", amount = 5),
      ids,
      schema = nanoparquet::parquet_schema(
        customer = "INT64", receipt = "INT32", day = "STRING", amount = "DOUBLE"
      )
    )
    expect_error(open_ledger(ids, map), "too long", class = "nubrek_error_file")
    writeBin(as.raw(c(0x50, 0x41, 0x52, 0x31, 1:40, 0x50, 0x41, 0x52, 0x31)), ids)
    expect_error(open_ledger(ids, map), class = "nubrek_error_file")
  }
)

test_both("broken Parquet is an error, also where the library that reads it breaks down", {
  skip_if_not(requireNamespace("nanoparquet", quietly = TRUE), "no Parquet package")
  map <- column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
  path <- withr::local_tempfile(fileext = ".parquet")
  withr::local_seed(1)
  orders <- data.frame(
    customer = sample(50L, 400L, TRUE) + 0,
    receipt = 1:400,
    day = as.Date("2024-01-01") + sort(sample(300L, 400L, TRUE)),
    amount = round(runif(400L, 1, 50), 2),
    shop = sample(c("a", "b"), 400L, TRUE)
  )
  nanoparquet::write_parquet(orders, path)
  expect_identical(n_customers(open_ledger(path, map)), length(unique(orders$customer)))
  whole <- readBin(path, "raw", 1e6)
  for (case in worlds(1:6, 1:40)) {
    broken <- whole
    at <- if (case %% 2L) sample(length(whole), 3L) else length(whole) - sample(0:600, 3L)
    broken[at] <- as.raw(sample(0:255, 3L))
    writeBin(broken, path)
    got <- tryCatch(all(prove_totals(open_ledger(path, map))$exact), nubrek_error = \(e) TRUE)
    expect_true(got, label = paste("case", case))
  }
  writeBin(whole, path)
  skip_if_not(.Platform$OS.type == "unix", "needs processes")
  expect_error(
    try_parquet(path, NULL, NULL, look = \(...) tools::pskill(Sys.getpid(), tools::SIGKILL)),
    "broke down",
    class = "nubrek_error_file"
  )
  expect_error(
    try_parquet(path, NULL, NULL, look = \(...) tools::pskill(Sys.getpid(), 11L)),
    "broke down",
    class = "nubrek_error_file"
  ) # as a wild pointer does
  expect_true(dir.exists(tempdir()))
  expect_error(
    try_parquet(path, NULL, NULL, look = \(...) length(raw(3e9))),
    "allocate",
    class = "nubrek_error_file"
  )
})

test_that("days far apart in one ledger work", {
  ledger <- small_ledger(
    "customer,receipt,day,amount\nA,1,1900-01-01,5\nA,2,2199-12-31,6\nB,3,2024-01-01,7"
  )
  expect_true(all(prove_totals(ledger, "year")$exact))
  expect_identical(sum(cohort_grid(ledger, "year")$customers), 3L)
})
