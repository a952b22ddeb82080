# Orders dealt to parts in a folder are one ledger: what one ledger of the same files says.

split_as <- function(rows, said, n, folder, piece = NULL) {
  if (!is.null(piece)) withr::local_options(nubrek.piece = piece)
  do.call(split_ledger, c(list(rows), said, list(into = n, folder = folder)))
}

# Parts say the same as the whole; its remarks too.
expect_same_ledger <- function(found, whole, name) {
  expect_identical(audit(found), audit(whole), label = paste("audit,", name))
  expect_identical(set_aside(found), set_aside(whole), label = paste("set aside,", name))
  expect_identical(remarks(found), remarks(whole), label = paste("remarks,", name))
  answer <- answers(whole)
  given <- answers(found)
  for (one in names(answer)) {
    expect_identical(given[[one]], answer[[one]], label = paste(one, name, sep = ", "))
  }
}

test_long("random ledgers in 1, 2, 7 and 64 parts are equal to one ledger, also appended to", {
  # more of them where somebody has the time
  for (seed in seq_len(as.integer(Sys.getenv("NUBREK_SPLIT_SEEDS", "5")))) {
    rows <- rich_rows(seed)
    said <- rich_opening(seed, rows)
    n <- c(7L, 2L, 1L, 16L, 7L, 2L, 64L, 7L)[seed %% 8L + 1L]
    name <- paste("seed", seed, "in", n, "parts")
    folder <- withr::local_tempdir()
    files <- file.path(folder, c("one.csv", "two.csv"))
    half <- seq_len(nrow(rows)) <= nrow(rows) / 2
    data.table::fwrite(rows[half, ], files[[1L]], quote = TRUE)
    data.table::fwrite(rows[!half, ], files[[2L]], quote = TRUE)
    whole <- tryCatch(do.call(open_ledger, c(list(files), said)), nubrek_error = \(e) e)
    place <- file.path(folder, "ledger")
    # nothing may be left of the first file alone
    begun <- if (seed %% 3L == 0L) {
      tryCatch(split_as(files[[1L]], said, n, place), nubrek_error_no_rows = \(e) NULL)
    }
    found <- tryCatch(
      if (is.null(begun)) {
        split_as(files, said, n, place, if (seed %% 2L == 0L) 1500)
      } else {
        append_orders(begun, files[[2L]])
      },
      nubrek_error = \(e) e
    )
    if (inherits(whole, "nubrek_error")) {
      expect_s3_class(found, class(whole)[[1L]])
      next
    }
    expect_s3_class(found, "nubrek_parts")
    expect_same_ledger(if (seed %% 5L == 0L) open_ledger(place) else found, whole, name)
  }
})

orders_map <- function() {
  column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
}

small_split <- function(n = 3L, frame = parent.frame(), ...) {
  folder <- withr::local_tempdir(.local_envir = frame)
  split_ledger(
    random_orders(5, 60L), orders_map(), meanings(currency = "EUR"), into = n, folder = folder, ...
  )
}

test_that("a ledger in parts is saved, reopened and added to; the old one says that it is old", {
  ledger <- small_split()
  whole <- open_ledger(random_orders(5, 60L), orders_map(), meanings(currency = "EUR"))
  copy <- withr::local_tempdir()
  save_ledger(ledger, copy)
  more <- random_orders(6, 20L)
  more$receipt <- paste0("n", more$receipt)
  again <- append_orders(open_ledger(copy), more)
  both <- append_orders(whole, more)
  expect_identical(customers(again), customers(both))
  expect_identical(audit(again)$rows, audit(both)$rows)
  expect_identical(repeat_rate(ledger), repeat_rate(whole))
  # contacts are kept with it
  told <- add_contacts(ledger, data.frame(customer = whole$ids[1:2], day = "2024-06-01"))
  save_ledger(told, ledger$folder)
  expect_identical(
    contact_history(open_ledger(ledger$folder)),
    contact_history(add_contacts(
      whole, data.frame(customer = whole$ids[1:2], day = "2024-06-01")
    ))
  )
  expect_error(save_ledger(ledger_slice(ledger, from = "2024-06-01"), copy), "slice")
  light <- small_split(exports = FALSE)
  expect_error(append_orders(light, more), class = "nubrek_error_source")
})

test_that("a part that is damaged or missing is refused by name", {
  ledger <- small_split()
  file <- list.files(ledger$folder, "lines-1.npy", recursive = TRUE, full.names = TRUE)[[1L]]
  bytes <- readBin(file, "raw", 1e6)
  writeBin(rev(bytes), file)
  opened <- open_ledger(ledger$folder)
  parts_at_hand <- asNamespace("nubrek")$parts_at_hand
  rm(list = ls(parts_at_hand), envir = parts_at_hand)
  expect_error(customers(opened), "lines-1[.]npy", class = "nubrek_error_file")
  unlink(file)
  expect_error(customers(opened), "missing", class = "nubrek_error_file")
  expect_error(open_ledger(ledger$folder), "lines-1[.]npy", class = "nubrek_error_file")
  writeBin(bytes, file)
  expect_s3_class(customers(open_ledger(ledger$folder)), "nubrek_customers")
  deal <- list.files(
    file.path(ledger$folder, "exports"), "parquet$", recursive = TRUE, full.names = TRUE
  )[[2L]]
  writeBin(rev(readBin(deal, "raw", 1e6)), deal)
  expect_error(
    append_orders(ledger, random_orders(6, 20L)), "exports", class = "nubrek_error_file"
  )
})

test_that("files that were read alike are said together, in parts as in one piece", {
  folder <- withr::local_tempdir()
  rows <- random_orders(5, 60L)
  files <- file.path(folder, sprintf("till-%d.csv", 1:6))
  for (k in 1:6) {
    data.table::fwrite(rows[seq_len(nrow(rows)) %% 6L == k - 1L, ], files[[k]])
  }
  said <- meanings(conflicts = "parts of one order")
  whole <- open_ledger(files, orders_map(), said)
  split <- split_ledger(files, orders_map(), said, into = 3, folder = file.path(folder, "ledger"))
  expect_identical(remarks(split), remarks(whole))
  expect_match(
    remarks(whole)$remark, "^till-1.csv, till-2.csv, till-3.csv, 3 more: cells", all = FALSE
  )
})

test_that("how dates and amounts are written, and currencies, are decided over all parts", {
  open_both <- function(rows, ..., frame = parent.frame()) {
    folder <- withr::local_tempdir(.local_envir = frame)
    map <- column_map(customer = "who", order = "no", date = "on", sales = "paid", ...)
    list(
      whole = tryCatch(open_ledger(rows, map), nubrek_error = \(e) e),
      split = tryCatch(split_ledger(rows, map, into = 5, folder = folder), nubrek_error = \(e) e)
    )
  }
  # one row of twelve tells the order of days, another the mark of decimals
  rows <- data.frame(
    who = sprintf("C%d", 1:12), no = 1:12, on = sprintf("%02d/%02d/2024", 1:12, 12:1),
    paid = rep(c("1.234", "12"), 6), money = rep(c("EUR", "DKK", ""), 4)
  )
  both <- open_both(rows, currency = "money")
  expect_s3_class(both$whole, "nubrek_error_dates")
  expect_identical(conditionMessage(both$split), conditionMessage(both$whole))
  rows$on[[7L]] <- "30/01/2024"
  both <- open_both(rows, currency = "money")
  expect_s3_class(both$whole, "nubrek_error_amounts")
  expect_identical(conditionMessage(both$split), conditionMessage(both$whole))
  rows$paid[[3L]] <- "1,5"
  both <- open_both(rows)
  expect_s3_class(both$whole, "nubrek_error_currency")
  expect_match(conditionMessage(both$split), "money")
  both <- open_both(rows, currency = "money")
  expect_match(conditionMessage(both$split), "home currency")
  expect_identical(conditionMessage(both$split), conditionMessage(both$whole))
  rows$money <- "EUR"
  both <- open_both(rows, currency = "money")
  expect_identical(customers(both$split), customers(both$whole))
  expect_identical(both$split$currency, "EUR")
})

test_that("what is wrong in one piece of a file is said with its row in the file", {
  withr::local_options(nubrek.piece = 500)
  file <- withr::local_tempfile(fileext = ".csv")
  rows <- random_orders(5, 60L)
  data.table::fwrite(rows, file)
  text <- readLines(file)
  text[[50L]] <- paste0(text[[50L]], ",more,cells")
  writeLines(text, file)
  folder <- withr::local_tempdir()
  said <- tryCatch(open_ledger(file, orders_map()), error = conditionMessage)
  expect_error(split_ledger(file, orders_map(), into = 2, folder = folder), said, fixed = TRUE)
  expect_identical(list.files(folder, "current"), character())
  # nothing stands in the way of another try, nor what is left of one that was killed
  expect_identical(list.files(folder, recursive = TRUE), character())
  file.create(file.path(folder, "exports", "half"))
  dir.create(file.path(folder, "version-1"))
  data.table::fwrite(rows, file)
  ledger <- split_ledger(file, orders_map(), into = 2, folder = folder)
  expect_identical(customers(ledger), customers(open_ledger(file, orders_map())))
  expect_length(list.files(folder), 3L)
})

test_that("a study keeps its ledger in parts", {
  folder <- withr::local_tempdir()
  data.table::fwrite(random_orders(5, 60L), file.path(folder, "orders.csv"))
  told <- data.frame(who = "C01", on = "2024-06-01")
  data.table::fwrite(told, file.path(folder, "letters.csv"))
  study <- file.path(folder, "study.yaml")
  text <- c(
    "data:", "  orders:", "    files: orders.csv",
    "    columns: {customer: customer, order: receipt, date: day, sales: amount}",
    "  contacts: {files: letters.csv, columns: {customer: who, day: on}}",
    "  parts: 3", "  keep: ledger"
  )
  writeLines(text, study)
  ledger <- study_ledger(study)
  expect_length(ledger$parts, 3L)
  expect_output(print(ledger), "3.parts in the folder")
  writeLines(text[!grepl("parts|keep", text)], study)
  whole <- study_ledger(study)
  expect_identical(customers(ledger), customers(whole))
  expect_identical(contact_history(ledger), contact_history(whole))
  # opened again, not made again
  writeLines(text, study)
  before <- readLines(file.path(folder, "ledger", "current"))
  expect_identical(repeat_rate(study_ledger(study)), repeat_rate(whole))
  expect_identical(readLines(file.path(folder, "ledger", "current")), before)
  expect_identical(list.files(file.path(folder, "ledger", "exports")), character())
  writeLines(text[!grepl("keep", text)], study)
  expect_error(study_ledger(study), "keep", class = "nubrek_error_study")
})

test_long("exports of one name in two folders, and a joined table, are added as to one ledger", {
  folder <- withr::local_tempdir()
  files <- file.path(folder, c("may", "june"), "orders.csv")
  lapply(dirname(files), dir.create)
  rows <- random_orders(5, 60L)
  money <- data.frame(receipt = unique(rows$receipt))
  money$till <- rep_len(c("north", "south"), nrow(money))
  half <- seq_len(nrow(rows)) <= 30L
  data.table::fwrite(rows[half, ], files[[1L]])
  data.table::fwrite(rows[!half, ], files[[2L]])
  map <- column_map(
    customer = "customer", order = "receipt", date = "day", sales = "amount", channel = "till"
  )
  joined <- join_table(money, "receipt")
  said <- meanings(conflicts = "newer replaces")
  whole <- append_orders(open_ledger(files[[1L]], map, said, joins = joined), files[[2L]])
  split <- split_ledger(
    files[[1L]], map, said, into = 3, folder = file.path(folder, "ledger"), joins = joined
  )
  split <- append_orders(split, files[[2L]], joins = joined)
  expect_same_ledger(split, whole, "two files of one name")
  expect_length(unique(audit(split)$file), 2L)
  # what found no row in the joined table is counted over all parts
  few <- join_table(money[-(1:4), ], "receipt")
  whole <- open_ledger(files[[1L]], map, said, joins = few)
  split <- split_ledger(
    files[[1L]], map, said, into = 3, folder = file.path(folder, "few"), joins = few
  )
  expect_identical(remarks(split), remarks(whole))
  expect_match(remarks(whole)$remark, "found their row, [0-9]+ did not", all = FALSE)
})
