# What lies on disk between runs: other people's files, damaged files, links, modes, stale numbers.

shop_folder <- function(..., env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  own <- withr::local_tempdir(.local_envir = env)
  withr::local_envvar(R_USER_DATA_DIR = own, .local_envir = env)
  rows <- random_orders(4L, 300L)
  rows <- rows[rows$state == "paid" & nzchar(rows$customer) & !is.na(rows$customer), ]
  rows$amount <- sprintf("%.2f", 10 + seq_len(nrow(rows)) %% 7)
  data.table::fwrite(rows, file.path(folder, "orders.csv"))
  writeLines(c(
    "data:",
    "  orders:",
    "    files: orders.csv",
    "    columns: {customer: customer, order: receipt, date: day, sales: amount}",
    ...
  ), file.path(folder, "study.yaml"))
  folder
}
small <- c("meanings: {currency: EUR}", "outputs: {report: no}")
everything <- \(folder) {
  files <- list.files(folder, recursive = TRUE, all.files = TRUE, full.names = TRUE)
  stats::setNames(tools::md5sum(files), files)
}
run <- \(folder) run_study(file.path(folder, "study.yaml"))

test_that("files that are not ours are neither removed nor changed; links are never followed", {
  # the results beside the study, and a folder of the user's in the place of ours
  folder <- shop_folder("meanings: {currency: EUR}", "outputs: {report: no, folder: .}")
  dir.create(file.path(folder, "runs", "parts"), recursive = TRUE)
  writeLines("mine", file.path(folder, "runs", "parts", "bolt.step"))
  mode <- file.mode(file.path(folder, "runs"))
  before <- everything(folder)
  expect_error(run(folder), "is not ours", class = "nubrek_error_results")
  expect_identical(everything(folder), before)
  expect_identical(file.mode(file.path(folder, "runs")), mode)
  writeLines(sub("folder: .", "folder: ., runs: no", readLines(file.path(folder, "study.yaml")),
    fixed = TRUE), file.path(folder, "study.yaml"))
  run(folder)
  expect_identical(everything(file.path(folder, "runs")), before[grepl("bolt", names(before))])

  skip_on_os("windows")
  folder <- shop_folder(small)
  run(folder)
  results <- file.path(folder, "nubrek-results")
  theirs <- withr::local_tempdir()
  writeLines("theirs", file.path(theirs, "a.txt"))
  writeLines("theirs", file.path(theirs, strrep("0", 32L)))
  Sys.chmod(theirs, "0755")
  before <- everything(theirs)
  # the folder of parts leads elsewhere
  unlink(file.path(results, "runs", "parts"), recursive = TRUE)
  file.symlink(theirs, file.path(results, "runs", "parts"))
  run(folder)
  expect_identical(everything(theirs), before)
  # and so does the folder of records
  unlink(file.path(results, "runs"), recursive = TRUE)
  file.symlink(theirs, file.path(results, "runs"))
  expect_error(run(folder), "link", class = "nubrek_error_results")
  expect_identical(everything(theirs), before)
  expect_identical(format(file.mode(theirs)), "755")
})

test_that("what a run keeps is its owner's alone; in its folders, what others put there stays", {
  folder <- shop_folder(small)
  run(folder)
  place <- file.path(folder, "nubrek-results", "runs")
  inside <- list.files(place, recursive = TRUE, full.names = TRUE, all.files = TRUE)
  expect_true(all(format(file.mode(inside)) == "600"))
  expect_true(all(format(file.mode(list.dirs(place))) == "700"))
  mine <- file.path(place, "parts", c("note.txt", strrep("a", 32L)))
  for (path in mine) writeLines("mine", path)
  extra <- file.path(place, kept_runs(file.path(folder, "study.yaml"))$run, "data", "mine.csv")
  writeLines("mine", extra)
  orders <- file.path(folder, "orders.csv")
  for (k in 1:3) {
    writeLines(readLines(orders)[-2L], orders)
    Sys.sleep(0.02)
    run(folder)
  }
  expect_true(all(file.exists(c(mine, extra))))
  expect_identical(kept_runs(file.path(folder, "study.yaml"))$data, c(FALSE, FALSE, TRUE, TRUE))
})

test_that("the contents of files decide, whatever their times say", {
  folder <- shop_folder(
    "  keep: ledger", "meanings: {currency: EUR}", "outputs: {report: no}",
    "tiers: {shares: {best: 20, other: 80}}"
  )
  skip_if_not_installed("nanoparquet")
  first <- run(folder)
  orders <- file.path(folder, "orders.csv")
  stamp <- file.mtime(orders)
  changed <- read.csv(orders, colClasses = "character")
  changed$amount[1:29] <- sprintf("%.2f", as.numeric(changed$amount[1:29]) + 1)
  size <- file.size(orders)
  data.table::fwrite(changed, orders)
  expect_identical(file.size(orders), size)
  Sys.setFileTime(orders, stamp)
  again <- run(folder)
  clean <- run_study(file.path(folder, "study.yaml"), NA)
  withr::local_envvar(R_USER_DATA_DIR = withr::local_tempdir())
  unlink(file.path(folder, "ledger"), recursive = TRUE)
  fresh <- run_study(file.path(folder, "study.yaml"), withr::local_tempdir())
  sold <- \(run) sum(customers(run$ledger)$sales)
  expect_gt(sold(again), sold(first) + 20)
  expect_identical(sold(again), sold(clean))
  lists <- basename(fresh$files)
  expect_gt(length(lists), 5L)
  for (name in lists) {
    expect_identical(
      readLines(again$files[basename(again$files) == name]),
      readLines(fresh$files[basename(fresh$files) == name]), label = name
    )
  }
  expect_identical(again$tiers, clean$tiers)
})

test_that("numbers shown that are not those of the ledger are seen by the proof", {
  ledger <- example_ledger()
  other <- ledger_slice(ledger, until = "2024-06-30")
  shown <- \(x) list(rate = repeat_rate(x), counts = order_counts(x), cohorts = cohort_grid(x))
  told <- \(x) {
    found <- prove_totals(ledger, shown = shown(x))
    found$exact[grepl("as shown", found$check)]
  }
  expect_identical(told(ledger), rep(TRUE, 3L))
  expect_identical(told(other), rep(FALSE, 3L))
})

test_long("small files that are not as we wrote them stop nothing, and are told", {
  folder <- shop_folder(small)
  run(folder)
  results <- file.path(folder, "nubrek-results")
  places <- c(
    file.path(results, "runs", "parts", "parts.json"), file.path(results, ".nubrek-files.json"),
    list.files(file.path(results, "runs"), "^run[.]json$", recursive = TRUE, full.names = TRUE)
  )
  bad <- c(
    "{\"a\":5}", "{\"files\":[5]}", "[]", "5", "null", "", "{", "{\"seal\":\"0\"}", "\xff\xfe"
  )
  for (path in places) {
    good <- readBin(path, "raw", file.size(path))
    for (text in bad) {
      writeLines(text, path, useBytes = TRUE)
      if (basename(path) == ".nubrek-files.json") {
        # then nothing says that the lists are ours
        expect_error(
          suppressMessages(run(folder)), "not written by", class = "nubrek_error_results"
        )
      } else {
        expect_message(run(folder), "is not used", class = "nubrek_damaged", label = text)
      }
      writeBin(good, path)
    }
    # whole, but of another shape
    for (content in list(list(a = 5), list(files = 5), list(parts = 5), list(parts = list(5)))) {
      write_sealed(content, path, if (basename(path) == ".nubrek-files.json") {
        public_key
      } else {
        user_secret()
      })
      expect_message(try(run(folder), silent = TRUE), class = "nubrek_damaged")
    }
    writeBin(good, path)
  }
  # a name that leads out of the folder is none
  away <- file.path(folder, "away.txt")
  writeLines("mine", away)
  write_sealed(
    list(files = list(c(list(name = "../away.txt"), file_mark(away)))), places[[2L]]
  )
  try(suppressMessages(run(folder)), silent = TRUE)
  expect_true(file.exists(away))
  expect_identical(is_inside(c("a", "a/b", "../a", "a/../../b", "/a", "~/a", "C:/a", "")), c(
    TRUE, TRUE, FALSE, FALSE, FALSE, FALSE, FALSE, FALSE
  ))
})

test_that("texts that are none are refused with words, in rules, studies and connections", {
  for (rule in c("first_channel == \"\\ud800\"", "first_channel == \"\\xff\"", "`\\xff` > 1")) {
    expect_error(
      parse_rule(rule), "UTF-8|cannot be read", class = "nubrek_error_rule", label = rule
    )
  }
  path <- withr::local_tempfile(fileext = ".yaml", lines = "study: \"\\ud800\"")
  expect_error(read_study(path), class = "nubrek_error_study")
  for (text in c("[1, 2]", "5", "a", "- a: b", "")) {
    file <- withr::local_tempfile(lines = text)
    withr::local_envvar(NUBREK_CONNECTIONS = file)
    expect_error(open_connection("shop"), class = "nubrek_error_database", label = text)
  }
})

test_that("a query by a connection of a study loads no code", {
  skip_if_not_installed("RSQLite")
  base <- withr::local_tempfile(fileext = ".sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), base)
  DBI::dbWriteTable(con, "lines", data.frame(a = 1))
  DBI::dbDisconnect(con)
  file <- withr::local_tempfile(lines = paste0("shop: {package: RSQLite, dbname: '", base, "'}"))
  withr::local_envvar(NUBREK_CONNECTIONS = file)
  for (where in list(NULL, "main")) {
    con <- open_connection("shop", where)
    said <- tryCatch(
      DBI::dbGetQuery(con, "SELECT load_extension('x') AS a FROM lines"), error = conditionMessage
    )
    expect_match(said, "not authorized|no such function")
    DBI::dbDisconnect(con)
  }
})

test_that("arrays whose codes or counts lead outside are refused, hashes right or wrong", {
  skip_if_not_installed("nanoparquet")
  folder <- withr::local_tempdir()
  save_ledger(example_ledger(), folder)
  place <- list.files(folder, "^version-", full.names = TRUE)
  index <- file.path(place, "ledger.json")
  arrays <- list.files(place, "[.]npy$", full.names = TRUE)
  whole <- Filter(\(path) any(grepl("i4", readLines(path, n = 1L, warn = FALSE, skipNul = TRUE),
    useBytes = TRUE)), arrays)
  expect_gt(length(whole), 3L)
  seal_anew <- \() {
    facts <- jsonlite::fromJSON(index, simplifyVector = FALSE)
    facts$files <- lapply(
      stats::setNames(nm = names(facts$files)), \(name) file_mark(file.path(place, name))
    )
    write_text(jsonlite::toJSON(facts, auto_unbox = TRUE, null = "null", digits = NA), index)
    write_text(c(basename(place), rlang::hash_file(index)), file.path(folder, "current"))
  }
  refused <- 0L
  for (path in whole) {
    good <- readBin(path, "raw", file.size(path))
    for (value in c(0L, -1L, .Machine$integer.max, NA)) {
      bytes <- good
      bytes[length(bytes) - 3:0] <- writeBin(value, raw())
      writeBin(bytes, path)
      seal_anew()
      # a code without a text is a missing cell; nothing else opens
      opened <- tryCatch(open_ledger(folder), nubrek_error_file = \(e) NULL)
      refused <- refused + is.null(opened)
      if (!is.null(opened)) expect_true(sum(customers(opened)$sales) >= 0)
    }
    writeBin(good, path)
  }
  expect_gte(refused, 3L * length(whole))
})

test_that("records of runs are kept as long as the study says", {
  folder <- shop_folder("meanings: {currency: EUR}", "outputs: {report: no, keep_runs: 24 months}")
  run(folder)
  results <- file.path(folder, "nubrek-results")
  made <- as.Date(known_runs(results)[[1L]]$made)
  latest <- seq(made, by = "24 months", length.out = 2L)[[2L]]
  forget_runs(results, "24 months", latest)
  expect_length(known_runs(results), 1L)
  forget_runs(results, "24 months", latest + 1L)
  expect_length(known_runs(results), 0L)
  expect_length(list.dirs(file.path(results, "runs"), recursive = FALSE), 1L)
  text <- sub("24 months", "long", readLines(file.path(folder, "study.yaml")))
  writeLines(text, file.path(folder, "study.yaml"))
  expect_error(run(folder), "24 months", class = "nubrek_error_study")
})

test_that("a file that cannot be written is one error, without warnings beside it", {
  path <- withr::local_tempfile()
  broken <- \(to) {
    warning("a strange noise")
    file.create(to)
  }
  expect_no_warning(expect_error(write_whole(path, broken), class = "nubrek_error_disk"))
  expect_false(file.exists(path))
  expect_warning(write_whole(path, \(to) {
    writeLines("a", to)
    warning("a remark")
  }), "a remark")
  expect_identical(readLines(path), "a")
})
