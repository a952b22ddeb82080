# Broken and nasty inputs: each ends in a clear classed error, or in the audit; none in a crash, a
# silent wrong number or a lost row.
map <- column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
header <- "customer,receipt,day,amount"
file_with <- function(text, ending = ".csv") {
  path <- tempfile(fileext = ending)
  writeBin(if (is.raw(text)) text else charToRaw(enc2utf8(paste(text, collapse = "\n"))), path)
  path
}
row <- function(...) c(header, ...)
wide <- function(text) {
  iconv(paste0("\ufeff", paste(text, collapse = "\n")), "UTF-8", "UTF-16LE", toRaw = TRUE)[[1L]]
}

test_that("files that are no tables, and columns that are not there, are refused by class", {
  packed <- local({
    p <- tempfile(fileext = ".csv.gz")
    con <- gzfile(p, "wb")
    writeLines(row(paste0("A,", 1:500, ",2024-01-01,5")), con)
    close(con)
    readBin(p, "raw", 1e6)
  })
  cases <- list(
    file = "nowhere.csv",
    file = tempdir(),
    file = file_with(""),
    file = file_with(header),
    file = file_with(as.raw(c(0x41, 0, 0x42, 0x0a))),
    file = file_with(packed[1:60], ".csv.gz"),
    file = file_with(as.raw(c(0x1f, 0x8b, 8, 0)), ".csv.gz"),
    file = file_with(c("a,b", "1,2", "3,4,5", "6,7")),
    file = file_with(row("A,1,2024-01-01,5,6,7,8,9")),
    file = file_with(c(header, "A;1;2024-01-01;5")),
    file = file_with("not parquet", ".parquet"),
    file = file_with("not xlsx", ".xlsx"),
    file = file_with(as.raw(c(0xff, 0xfe, 0x00))),
    columns = file_with(c("customer,customer,receipt,day,amount", "A,A,1,2024-01-01,5")),
    columns = file_with(c("who,receipt,day,amount", "A,1,2024-01-01,5")),
    columns = file_with(c("Customer,receipt,day,amount", "A,1,2024-01-01,5")),
    columns = c(file_with(row("A,1,2024-01-01,5")), file_with(c(
      "customer,receipt,day,money", "A,1,2024-01-01,5"
    ))),
    dates = file_with(row("A,1,01/02/2024,5", "B,2,03/04/2024,5")),
    dates = file_with(row("A,1,25/02/2024,5", "B,2,02/25/2024,5")),
    dates = file_with(row("A,1,2024-01-01T10:00:00+02:00,5")),
    dates = file_with(row("A,1,2024-01-01 10:00:00Z,5")),
    amounts = file_with(row('A,1,2024-01-01,"1,234"')),
    amounts = file_with(row("A,1,2024-01-01,1.234", "B,2,2024-01-01,5.678")),
    no_rows = file_with(row("A,1,never,5")),
    no_rows = file_with(row(",1,2024-01-01,5")),
    no_rows = file_with(row("A,1,2024-01-01,")),
    no_rows = file_with(row("A,1,0000-01-01,5")),
    no_rows = file_with(row("A,1,2024-01-01,1e400")),
    source = 1,
    source = list(1),
    file = list("a"),
    source = NA_character_,
    source = character()
  )
  absent <- c(parquet = "nanoparquet", xlsx = "readxl")
  absent <- names(absent)[!vapply(absent, requireNamespace, NA, quietly = TRUE)]
  names(cases)[vapply(
    cases, \(x) length(x) > 0L && tools::file_ext(as.character(x[[1L]])) %in% absent, NA
  )] <- "package" # then it says which package it needs
  for (i in seq_along(cases)) {
    expect_error(
      open_ledger(cases[[i]], map),
      class = paste0("nubrek_error_", names(cases)[[i]]),
      label = paste("case", i, names(cases)[[i]])
    )
  }
  # 1.234 alone could be a thousand; with the mark said it is read
  expect_identical(
    customers(open_ledger(
      file_with(row("A,1,2024-01-01,1.234")), map, meanings(decimal_mark = ",")
    ))$sales,
    1234
  )
})

test_that("arguments that make no sense are refused by class", {
  orders <- data.frame(
    customer = c("A", "B"),
    receipt = 1:2,
    day = c("2024-01-01", "2024-02-01"),
    amount = c(5, 6),
    share = c("2", "x")
  )
  two <- cbind(orders, cur = c("EUR", "DKK"))
  open <- function(..., columns = map) open_ledger(orders, columns, ...)
  cases <- list(
    columns = \() column_map(date = "day", sales = "amount"),
    columns = \() column_map(customer = "a", date = "b"),
    columns = \() column_map("a", "b", sales = "c", attributes = c("d", d = "e")),
    columns = \() column_map("a", "b", sales = "c", attributes = c(order = "d")),
    argument = \() column_map(1, "b", sales = "c"),
    currency = \() open_ledger(
      two, column_map("customer", "day", sales = "amount", currency = "cur")
    ),
    currency = \() open_ledger(two, map),
    argument = \() meanings(purchase_unit = "visit"),
    argument = \() meanings(as_of = "2024-02-30"),
    argument = \() meanings(as_of = "2024-01-01", history_start = "2025-01-01"),
    argument = \() meanings(currency = "euro"),
    argument = \() meanings(time_zone = "Mars"),
    argument = \() meanings(fiscal_start = 13),
    argument = \() meanings(returns = "refund"),
    argument = \() meanings(minimum_sales = -1),
    argument = \() meanings(test = "state"),
    columns = \() open(meanings(test = order_rule("state", "test"))),
    no_rows = \() open(meanings(history_start = "2025-01-01")),
    no_rows = \() open(meanings(as_of = "2020-01-01")),
    no_rows = \() open(meanings(excluded_ids = c("A", "B"))),
    columns = \() open(meanings(registered = "signed_up")),
    join = \() attribute_table(data.frame(id = c("A", "A"), town = c("x", "y")), "id", "town"),
    columns = \() attribute_table(data.frame(id = "A"), "id", "town"),
    aliases = \() open(aliases = attribute_table(data.frame(id = "A", x = "B"), "id", "x")),
    aliases = \() open(
      aliases = attribute_table(
        data.frame(id = c("A", "B"), same_as = c("B", "A")), "id", "same_as"
      )
    ),
    join = \() join_table(data.frame(receipt = c("1", "1"), x = c("a", "b")), "receipt"),
    columns = \() open(joins = join_table(data.frame(order = "1", x = "a"), "order")),
    currency = \() currency_rates(data.frame(date = "2024-01-01", currency = "DKK", rate = "-1")),
    currency = \() currency_rates(data.frame(
      date = c("2024-01-01", "2024-01-01"), currency = "DKK", rate = "1"
    )),
    argument = \() band("x", c(3, 1)),
    argument = \() band("x", as = "weekday"),
    columns = \() open(bands = list(age = band("birth_year", 30, "age"))),
    argument = \() open(bands = list(band("x", 1))),
    argument = \() open(
      columns = column_map("customer", "day", sales = "amount", attributes = c(rate = "share")),
      meanings(cost_rate = "rate")
    ),
    argument = \() file_format(separator = "#"),
    argument = \() open_ledger(orders, "customer"),
    argument = \() audit(orders),
    attribute = \() repeat_rate(open(), by = "town"),
    argument = \() ledger_slice(open(), from = "2024-03-01", until = "2024-01-01"),
    no_rows = \() ledger_slice(open(), from = "2024-05-01", until = "2024-06-01"),
    columns = \() ledger_slice(open(), lines = list(shop = "x")),
    argument = \() cohort_grid(open(), "fortnight"),
    argument = \() set_aside(open(), "lost"),
    source = \() open_ledger(
      data.frame(customer = I(list(1)), receipt = 1, day = "2024-01-01", amount = 1), map
    )
  )
  for (i in seq_along(cases)) {
    expect_error(
      cases[[i]](),
      class = paste0("nubrek_error_", names(cases)[[i]]),
      label = paste("case", i, names(cases)[[i]])
    )
  }
})

test_that("what is strange but readable is read, and nothing is lost", {
  read <- function(rows, ...) open_ledger(file_with(rows), map, meanings(...))
  odd <- c("NA", "1e5", "007", "\u00a0 x ", "=1+1", "<b>", "{stop()}")
  ids <- customers(read(row(paste0(odd, ",", 1:7, ",2024-01-01,5"))))$customer
  expect_identical(
    ids, sort(c("NA", "1e5", "007", "x", "=1+1", "<b>", "{stop()}"), method = "radix")
  )
  quoted <- read(row('"A\nB",1,2024-01-01,"1,234.50"', '"say ""hi""",2,2024-01-02,"2,000.00"'))
  expect_identical(customers(quoted)$customer, c("A\nB", 'say "hi"'))
  expect_identical(customers(quoted)$sales, c(1234.5, 2000))
  plain <- row("\u00c4,1,2024-01-01,5")
  marked <- c(as.raw(c(0xef, 0xbb, 0xbf)), charToRaw(paste(plain, collapse = "\n")))
  western <- iconv(paste(plain, collapse = "\r\n"), "UTF-8", "WINDOWS-1252", toRaw = TRUE)[[1L]]
  for (bytes in list(wide(plain), marked, western)) {
    path <- file_with(bytes)
    expect_identical(customers(open_ledger(path, map))$customer, "\u00c4")
  }
  # one order id with two customers is two orders; a negative quantity with a positive amount is a
  # sale
  two <- read(row("A,1,2024-01-01,5", "B,1,2024-01-01,5"))
  expect_identical(customers(two)$purchases, c(1L, 1L))
  sold <- open_ledger(
    file_with(c("c,d,q,p,s", "A,2024-01-01,-1,5,5")),
    column_map("c", "d", sales = "s", quantity = "q")
  )
  expect_identical(customers(sold)$purchases, 1L)
  serial <- read(row("A,1,45292,5", "B,2,45293.75,5"))
  expect_identical(format(customers(serial)$first), c("2024-01-01", "2024-01-02"))
  leap <- read(row("A,1,2024-02-29,5", "B,2,2023-02-29,5", "C,3,9999-12-31,5", "D,4,2024-12-31,5"))
  expect_identical(set_aside(leap)$reason, c("unreadable date", "unreadable date"))
  expect_identical(
    customers(read(row(paste0(strrep("long", 5000), ",1,2024-01-01,9000000000000.00"))))$sales, 9e12
  )
  zone <- open_ledger(
    file_with(row(
      "A,1,2024-01-01T23:30:00Z,5", "B,2,2024-06-30T23:30:00+00:00,5", "C,3,2024-06-30,5"
    )),
    map,
    meanings(time_zone = "Europe/Vienna")
  )
  expect_identical(format(customers(zone)$first), c("2024-01-02", "2024-07-01", "2024-06-30"))
})

test_that("an order exported in two states is an error, or settled as said (trap)", {
  head <- "customer,receipt,day,amount,line,state"
  with_line <- column_map(
    customer = "customer", order = "receipt", date = "day", sales = "amount", line = "line"
  )
  two_files <- c(
    file_with(c(
      head, "A,1,2024-01-01,5,L1,paid", "A,1,2024-01-01,7,L2,paid", "B,2,2024-01-02,1,L3,paid"
    )),
    file_with(c(head, "A,1,2024-01-01,5,L1,paid", "A,1,2024-01-01,3,L2,paid"))
  )
  open <- function(source, ..., columns = with_line) open_ledger(source, columns, meanings(...))
  expect_error(open(two_files), "1", class = "nubrek_error_conflict")
  expect_identical(customers(open(two_files, conflicts = "newer replaces"))$sales, c(8, 1))
  expect_identical(customers(open(two_files, conflicts = "first stays"))$sales, c(12, 1))
  one_file <- file_with(c(
    head, "A,1,2024-01-01,5,L1,paid", "A,1,2024-01-01,5,L1,cancelled", "B,2,2024-01-02,1,L3,paid"
  ))
  rule <- order_rule("state", "cancelled")
  expect_error(open(one_file, cancelled = rule), class = "nubrek_error_conflict")
  # without line ids too
  expect_error(open(one_file, cancelled = rule, columns = map), class = "nubrek_error_conflict")
  expect_identical(
    customers(open(one_file, cancelled = rule, conflicts = "first stays"))$customer, c("A", "B")
  )
  settled <- open(one_file, cancelled = rule, conflicts = "newer replaces")
  expect_identical(customers(settled)$customer, "B")
  expect_true("conflicts" %in% remarks(settled)$about && all(prove_totals(settled)$exact))
  # lines of one order in two files, none of them twice, are parts of it
  parts <- c(
    file_with(c(head, "A,1,2024-01-01,5,L1,paid")), file_with(c(head, "A,1,2024-01-01,7,L2,paid"))
  )
  expect_identical(customers(open(parts))$purchases, 1L)
  expect_error(open(parts, columns = map), class = "nubrek_error_conflict")
  expect_identical(
    customers(open(parts, columns = map, conflicts = "parts of one order"))$sales, 12
  )
  # two equal items with ids of their own and a third that was cancelled are no conflict
  items <- file_with(c(
    head, "A,1,2024-01-01,7.36,L1,paid", "A,1,2024-01-01,7.36,L2,paid",
    "A,1,2024-01-01,7.36,L3,cancelled"
  ))
  rule <- order_rule("state", "cancelled")
  for (policy in meaning_choices$conflicts) {
    kept <- open(items, cancelled = rule, conflicts = policy)
    expect_identical(customers(kept)$sales, 14.72, label = policy)
    expect_identical(set_aside(kept)$reason, "cancelled order", label = policy)
  }
  # without ids it may be the same item twice: each way that is offered works
  alike <- file_with(c(
    head, "A,1,2024-01-01,7.36,x,paid", "A,1,2024-01-01,7.36,x,paid",
    "A,1,2024-01-01,7.36,x,cancelled"
  ))
  expect_error(open(alike, columns = map, cancelled = rule), class = "nubrek_error_conflict")
  all_parts <- open(alike, columns = map, cancelled = rule, conflicts = "parts of one order")
  expect_identical(customers(all_parts)$sales, 14.72)
  expect_match(remarks(all_parts)$remark, "every row counts as a part", all = FALSE)
})

test_that("numbers of more digits than a workbook keeps are warned of, with their place", {
  skip_if_not(
    requireNamespace("openxlsx", quietly = TRUE) && requireNamespace("readxl", quietly = TRUE),
    "no spreadsheet packages"
  )
  path <- withr::local_tempfile(fileext = ".xlsx")
  write <- \(card) openxlsx::write.xlsx(
    data.frame(card = card, day = as.Date("2024-01-02") + 0:2, paid = 5), path, overwrite = TRUE
  )
  open <- \() open_ledger(path, column_map("card", "day", sales = "paid"))
  write(c(7, 123456789012345, 12345678901235076))
  expect_warning(open(), "card.*first in row 3.*as text", class = "nubrek_warning_digits")
  write(c("7", "123456789012345", "12345678901235076"))
  expect_no_warning(ledger <- open())
  expect_true("12345678901235076" %in% customers(ledger)$customer)
})
