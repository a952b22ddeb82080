# A customer who asks for it is gone from all that was written; the till's total stays.

forget_study <- function(env = parent.frame(), more = character()) {
  folder <- withr::local_tempdir(.local_envir = env)
  own <- withr::local_tempdir(.local_envir = env)
  withr::local_envvar(R_USER_DATA_DIR = own, .local_envir = env)
  set.seed(5)
  n <- 240L
  rows <- data.frame(
    who = sprintf("KD%03dX", sample(40L, n, TRUE)), receipt = seq_len(n),
    day = format(as.Date("2024-01-05") + sort(sample(500L, n, TRUE))),
    paid = sprintf("%.2f", 5 + seq_len(n) %% 23),
    mail = "", note = "plain"
  )
  rows$mail <- paste0(tolower(rows$who), "@post.example")
  # an order that is set aside is listed as it was read
  rows$paid[which(rows$who == "KD007X")[[1L]]] <- "ask Zelda"
  data.table::fwrite(rows, file.path(folder, "orders.csv"))
  people <- data.frame(
    id = sprintf("KD%03dX", 1:40), name = sprintf("Person Nr %d", 1:40),
    email = sprintf("kd%03dx@post.example", 1:40), ok = "yes"
  )
  people$name[[7L]] <- "Zelda Quint"
  data.table::fwrite(people, file.path(folder, "people.csv"))
  data.table::fwrite(
    data.frame(id = "OLD7", main = "KD007X"), file.path(folder, "aliases.csv")
  )
  data.table::fwrite(data.frame(
    customer = c("KD007X", "KD008X"), day = "2025-01-02", campaign = "letter"
  ), file.path(folder, "contacts.csv"))
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "data:", "  keep: ledger", "  orders:", "    files: orders.csv",
    "    columns: {customer: who, order: receipt, date: day, sales: paid}",
    "    attributes: [mail, note]",
    "  customers: {files: people.csv, key: id, attributes: [name, email, ok]}",
    "  aliases: {files: aliases.csv, key: id, same_as: main}",
    "  contacts:", "    files: contacts.csv",
    "    columns: {customer: customer, day: day, campaign: campaign}",
    "meanings: {currency: EUR, consent: ok}",
    "tiers: {shares: {best: 20, other: 80}}",
    "audiences: {all: {rule: purchases >= 1}}",
    paste0(
      "campaigns: {letter: {audience: all, share: 0.5, days: 30, day: 2025-01-01, ",
      "cost_per_contact: 1, file: letter.json}}"
    ),
    "outputs: {people: yes, contact: [name, email], workbook: yes, report: no}",
    more
  ), path)
  path
}

# The files below a folder whose bytes hold one of these texts, also where they are compressed.
files_holding <- function(folder, texts) {
  files <- list.files(folder, recursive = TRUE, all.files = TRUE, full.names = TRUE)
  hit <- vapply(files, \(path) {
    bytes <- readBin(path, "raw", file.size(path))
    plain <- tryCatch(memDecompress(bytes, "gzip"), error = \(e) raw())
    made <- tryCatch(unserialize(bytes[-(1:16)]), error = \(e) NULL)
    inside <- if (endsWith(path, ".parquet")) unlist(nanoparquet::read_parquet(path))
    text <- c(
      rawToChar(bytes[bytes != 0]), rawToChar(plain[plain != 0]),
      if (!is.null(made)) rawToChar(serialize(made, NULL, ascii = TRUE)), inside
    )
    any(vapply(texts, \(one) any(grepl(one, text, fixed = TRUE, useBytes = TRUE)), NA))
  }, NA)
  sub(paste0(folder, "/"), "", files[hit], fixed = TRUE)
}
zelda <- c("KD007X", "Zelda", "kd007x@post.example", "OLD7")
theirs <- c("aliases.csv", "contacts.csv", "orders.csv", "people.csv")

test_that("nothing that was written holds the person afterwards, nor after the next run", {
  skip_if_not_installed("nanoparquet")
  path <- forget_study()
  folder <- dirname(path)
  suppressMessages(command_main(c("hold", "letter", path)))
  run <- suppressMessages(run_study(path))
  before <- sum(run$ledger$intake$identified$all)
  expect_gt(length(setdiff(files_holding(folder, zelda), theirs)), 10L)
  held <- nrow(open_campaign(file.path(folder, "letter.json")))
  md5 <- tools::md5sum(file.path(folder, theirs))
  found <- forget_customer(path, "OLD7", copies = file.path(folder, "copies"))
  expect_identical(setdiff(files_holding(folder, zelda), theirs), character())
  expect_identical(tools::md5sum(file.path(folder, theirs)), md5)
  yours <- found[grepl("^yours", found$what), ]
  expect_setequal(yours$file, theirs)
  rows <- utils::read.csv(file.path(folder, "orders.csv"))
  expect_identical(yours$rows[yours$file == "orders.csv"], sum(rows$who == "KD007X"))
  expect_match(yours$what[yours$file == "people.csv"], "remove rows 7$")
  expect_setequal(list.files(file.path(folder, "copies")), theirs)
  expect_identical(nrow(open_campaign(file.path(folder, "letter.json"))), held - 1L)
  campaign <- open_campaign(file.path(folder, "letter.json"))
  expect_match(remarks(campaign)$remark, "erased", all = FALSE)

  # a workbook once is enough
  writeLines(sub("workbook: yes", "workbook: no", readLines(path)), path)
  again <- suppressMessages(run_study(path))
  expect_identical(setdiff(files_holding(folder, zelda), theirs), character())
  expect_false("KD007X" %in% again$ledger$ids)
  expect_identical(nrow(customers(again$ledger)), nrow(customers(run$ledger)) - 1L)
  # the till keeps its total, the customers lose theirs
  expect_equal(sum(again$ledger$intake$identified$all), before)
  sold <- \(run) sum(customers(run$ledger)$sales)
  own <- customers(run$ledger)
  expect_equal(sold(run) - sold(again), own$sales[own$customer == "KD007X"])
  # the record of the run before no longer holds the person, and says so
  rows <- rbind(rows, transform(rows[1L, ], who = "KD001X", receipt = 999L, day = "2025-07-01"))
  data.table::fwrite(rows, file.path(folder, "orders.csv"))
  later <- suppressMessages(run_study(path))
  expect_identical(setdiff(files_holding(folder, zelda), theirs), character())
  told <- compare_runs(path, before = kept_runs(path)$run[[1L]])
  expect_match(remarks(told)$remark, "1.customer erased since", all = FALSE)
  # let in again
  forget_customer(path, "OLD7", again = TRUE)
  expect_true("KD007X" %in% study_ledger(path)$ids)
})

test_long("erased in parts and in a database as in memory; deleted orders are set aside", {
  skip_if_not_installed("nanoparquet")
  path <- forget_study()
  folder <- dirname(path)
  base <- file.path(folder, "shop.sqlite")
  con <- DBI::dbConnect(RSQLite::SQLite(), base)
  DBI::dbWriteTable(con, "lines", utils::read.csv(
    file.path(folder, "orders.csv"), colClasses = "character"
  ))
  DBI::dbDisconnect(con)
  withr::local_envvar(NUBREK_CONNECTIONS = withr::local_tempfile(
    lines = paste0("shop: {package: RSQLite, dbname: '", base, "'}")
  ))
  text <- readLines(path)
  as_told <- \(change) {
    writeLines(change(text), path)
    ledger <- study_ledger(path)
    list(customers(ledger), set_aside(ledger), audit(ledger)[c("reason", "rows", "money")])
  }
  stores <- list(
    memory = \(x) x[x != "  keep: ledger"],
    parts = \(x) append(x[x != "  keep: ledger"], c("  keep: in-parts", "  parts: 3"), 1L),
    database = \(x) {
      x <- sub("files: orders.csv", "table: lines", x[x != "  keep: ledger"])
      append(x, c("  connection: shop", "  workspace: temporary"), 1L)
    }
  )
  for (orders in c("keep", "delete")) {
    writeLines(text, path)
    forget_customer(path, c("KD007X", "KD009X"), orders = orders)
    found <- suppressMessages(lapply(stores, as_told))
    for (name in names(found)) {
      x <- found[[name]]
      expect_false(any(c("KD007X", "KD009X") %in% x[[1L]]$customer), label = name)
      expect_false(any(grepl("KD00[79]X|kd00[79]x", unlist(x[[2L]]))), label = name)
      expect_identical(plain_table(x[[1L]]), plain_table(found$memory[[1L]]), label = name)
      expect_equal(as.data.frame(x[[3L]]), as.data.frame(found$memory[[3L]]), label = name)
      reason <- if (orders == "keep") "no customer" else "excluded id"
      expect_true(reason %in% x[[3L]]$reason, label = name)
    }
  }
})

test_that("who was erased is not let in by a damaged record, or by another user", {
  path <- forget_study()
  expect_error(forget_customer(path, "KD999X"), "names", class = "nubrek_error_erased")
  expect_error(forget_customer(path, "KD007X", again = TRUE), class = "nubrek_error_erased")
  suppressMessages(command_main(c("forget", "KD007X", path)))
  record <- file.path(dirname(path), erased_file)
  expect_false(grepl("KD007X", paste(readLines(record), collapse = "")))
  good <- readLines(record)
  for (text in c("{}", "", sub("deleted", "daleted", good))) {
    writeLines(text, record)
    expect_error(study_ledger(path), class = "nubrek_error_erased")
  }
  writeLines(good, record)
  withr::with_envvar(c(R_USER_DATA_DIR = withr::local_tempdir()), {
    expect_error(study_ledger(path), "another user", class = "nubrek_error_erased")
  })
  expect_false("KD007X" %in% study_ledger(path)$ids)
})

test_that("a saved ledger is made again without them, and nothing appended brings them back", {
  skip_if_not_installed("nanoparquet")
  withr::local_envvar(R_USER_DATA_DIR = withr::local_tempdir())
  place <- withr::local_tempdir()
  orders <- data.frame(
    who = c("KD1", "Zelda7", "KD2", "Z8", "KD1", "Zelda7"), receipt = 1:6,
    day = c("2024-01-03", "2024-01-09", "2024-02-01", "2024-02-03", "2024-03-01", "2024-04-07"),
    paid = c("5.00", "6.50", "7.00", "8.25", "9.00", "x Zelda"),
    mail = c("", "zelda@post.example", "", "", "", "")
  )
  map <- column_map("who", "day", order = "receipt", sales = "paid", attributes = "mail")
  people <- attribute_table(
    data.frame(id = c("KD1", "Zelda7"), name = c("A", "Zelda Quint")), "id", "name"
  )
  main <- attribute_table(data.frame(id = "Z8", main = "Zelda7"), "id", c(same_as = "main"))
  export <- file.path(place, "export.csv")
  data.table::fwrite(orders, export)
  kept <- function(source) {
    ledger <- add_contacts(
      open_ledger(source, map, meanings(currency = "EUR"), customers = people, aliases = main),
      data.frame(customer = c("KD1", "Zelda7"), day = "2024-02-02")
    )
    folder <- tempfile("ledger-", place)
    save_ledger(ledger, folder)
    folder
  }
  for (source in list(export, orders)) {
    folder <- kept(source)
    before <- open_ledger(folder)
    expect_gt(length(files_holding(folder, "Zelda")), 1L)
    found <- forget_customer(folder, "Z8")
    expect_identical(found$rows, c(2L, 3L))
    expect_identical(files_holding(folder, c("Zelda", "zelda", "Z8")), character())
    after <- open_ledger(folder)
    expect_identical(customers(after)$customer, c("KD1", "KD2"))
    expect_identical(customers(after)$sales, c(14, 7))
    expect_equal(sum(after$intake$identified$all), sum(before$intake$identified$all))
    expect_true(all(prove_totals(after)$exact))
    expect_identical(after$contacts$customer, "KD1")
    # the next export
    more <- rbind(orders, data.frame(
      who = c("Zelda7", "KD2"), receipt = 7:8, day = "2024-05-01", paid = "3.00", mail = "Zelda"
    ))
    grown <- append_orders(after, more)
    expect_identical(customers(grown)$sales, c(14, 10))
    save_ledger(grown, folder)
    expect_identical(customers(open_ledger(folder))$customer, c("KD1", "KD2"))
    expect_error(forget_customer(folder, "Nobody"), class = "nubrek_error_erased")
    forget_customer(folder, "Zelda7", again = TRUE)
    expect_identical(
      customers(append_orders(open_ledger(folder), more))$customer, c("KD1", "KD2", "Zelda7")
    )
  }
  gone <- kept(export)
  forget_customer(gone, "Zelda7", orders = "delete")
  expect_identical(
    sum(open_ledger(gone)$intake$identified$all), 100 * (5 + 7 + 9)
  )
  save_ledger(open_ledger(export, map, meanings(currency = "EUR")), gone <- tempfile(), FALSE)
  expect_error(forget_customer(gone, "KD1"), class = "nubrek_error_source")
})
