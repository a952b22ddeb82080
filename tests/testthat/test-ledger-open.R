test_that("the example ledger is what one counts by hand", {
  # P04: 22.00 + 18.00, and -18.00 on 6 Apr in an order of its own: three orders, two purchases,
  # 22.00 net
  ledger <- example_ledger()
  people <- customers(ledger)
  p04 <- people[people$customer == "P04", ]
  expect_identical(c(p04$purchases, p04$orders, p04$purchase_days), c(2L, 3L, 2L))
  expect_identical(c(p04$sales, p04$mean_sales, p04$mean_purchase_sales), c(22, 11, 20))
  expect_identical(p04$open_gap, 336L) # 2 Mar 2024 to 1 Feb 2025
  # trap: same-day orders are no coming back
  expect_identical(people$purchase_days[people$customer == "P03"], 1L)
  expect_identical(audit(ledger)$rows, c(25L, 1L, 1L, 1L))
  expect_identical(audit(ledger)$money, c(887.34, 38.40, 11, 14))
  expect_identical(set_aside(ledger)$row, 26:28)
  expect_identical(example_ledger(purchase_unit = "day")$purchases$sales[5:6], c(1525, 6500))
})

test_that(
  paste0(
    "duplicates: copies of whole orders go, equal lines of an order stay (trap: two equal lines ",
    "thrown away)"
  ),
  {
    head <- "customer,receipt,day,amount,item"
    count <- function(rows, ...) {
      ledger <- small_ledger(paste(c(head, rows), collapse = "\n"), ...)
      c(kept = audit(ledger)$rows[[1L]], suspects = sum(grepl("equal", remarks(ledger)$remark)))
    }
    expect_identical(
      count(c("A,1,2024-01-01,5,x", "A,1,2024-01-01,5,x", "A,1,2024-01-01,7,y")),
      c(kept = 3L, suspects = 1L)
    )
    expect_identical(
      count(c(
        "A,1,2024-01-01,5,x", "A,1,2024-01-01,7,y", "A,1,2024-01-01,5,x", "A,1,2024-01-01,7,y"
      )),
      c(kept = 2L, suspects = 0L)
    )
    # x twice and y, exported twice: four x and two y, of which half are copies
    expect_identical(
      count(c(rep("A,1,2024-01-01,5,x", 4), rep("A,1,2024-01-01,7,y", 2))),
      c(kept = 3L, suspects = 1L)
    )
    expect_identical(
      count(c("A,1,2024-01-01,5,x", "A,1,2024-01-01,5,x", "B,2,2024-01-01,7,y")),
      c(kept = 2L, suspects = 0L)
    ) # order grain
    with_id <- column_map(
      customer = "customer", order = "receipt", date = "day", sales = "amount", line = "item"
    )
    expect_identical(
      count(c("A,1,2024-01-01,5,x", "A,1,2024-01-01,5,x", "A,1,2024-01-01,7,y"), columns = with_id),
      c(kept = 2L, suspects = 0L)
    )
  }
)

test_that("a row is set aside once, under the first reason, and all its faults are listed", {
  ledger <- small_ledger(
    "customer,receipt,day,amount,state
    A,1,2024-01-01,5,paid
    ,2,,abc,cancelled
    B,3,2024-02-30,,paid",
    cancelled = order_rule("state", "cancelled")
  )
  aside <- set_aside(ledger)
  expect_identical(aside$reason, c("no customer", "unreadable date"))
  expect_identical(aside$faults, c(
    "no customer; no date; unreadable amount; cancelled order", "unreadable date; blank amount"
  ))
  expect_identical(audit(ledger)$unknown, c(0L, 1L, 1L))
})

test_that(
  paste0(
    "returns are no visits, late negative lines are orders of their own, blank order ids are one ",
    "order a day"
  ),
  {
    ledger <- small_ledger(
      "customer,receipt,day,amount
    A,1,2024-01-01,50
    A,1,2024-01-20,-20
    A,2,2024-03-01,-5
    B,,2024-01-05,3
    B,,2024-01-05,4
    B,,2024-01-06,4"
    )
    people <- customers(ledger)
    expect_identical(people$purchases, c(1L, 2L)) # trap: a return counted as a visit
    expect_identical(people$orders, c(3L, 2L))
    expect_identical(people$sales, c(25, 11))
    expect_true(any(remarks(ledger)$about == "returns"))
    expect_identical(format(people$last[[1L]]), "2024-01-01")
  }
)

test_that("aliases are followed to the end; a circle is an error; ids keep case and zeros", {
  text <- paste0(
    "customer,receipt,day,amount\n007,1,2024-01-01,5\n7,2,2024-01-02,5\na,3,2024-01-03,5\nA,4,",
    "2024-01-04,5\n\u00a0B ,5,2024-01-05,5"
  )
  expect_identical(customers(small_ledger(text))$customer, c("007", "7", "A", "B", "a"))
  aliased <- function(from, to) {
    open_ledger(
      utils::read.csv(text = text, colClasses = "character"),
      column_map(customer = "customer", order = "receipt", date = "day", sales = "amount"),
      aliases = attribute_table(data.frame(id = from, main = to), "id", c(same_as = "main"))
    )
  }
  # trap: a split customer
  expect_identical(customers(aliased(c("a", "B"), c("B", "7")))$customer, c("007", "7", "A"))
  expect_error(aliased(c("a", "B", "7"), c("B", "7", "a")), class = "nubrek_error_aliases")
})

test_that("the same ledger comes from files in other forms", {
  orders <- random_orders(7L)
  expected <- customers(random_ledger(7L, orders))
  folder <- withr::local_tempdir()
  german <- orders
  german$amount <- sub(".", ",", german$amount, fixed = TRUE)
  parts <- strsplit(german$day, "-")
  german$day <- vapply(parts, \(p) paste(rev(p), collapse = "."), "")
  utils::write.table(
    german, file.path(folder, "de.csv"), sep = ";", row.names = FALSE, fileEncoding = "UTF-16LE"
  )
  data.table::fwrite(orders, file.path(folder, "packed.csv.gz"))
  half <- orders$receipt < "R040"
  data.table::fwrite(orders[half, ], file.path(folder, "a.tsv"), sep = "\t")
  data.table::fwrite(orders[!half, ], file.path(folder, "b.tsv"), sep = "\t")
  writeBin(c(
    as.raw(c(0xff, 0xfe)), readBin(file.path(folder, "de.csv"), "raw", 1e6)
  ), file.path(folder, "de.csv"))
  for (source in list(file.path(folder, "de.csv"), file.path(folder, "packed.csv.gz"), file.path(
    folder, c("a.tsv", "b.tsv")
  ))) {
    expect_equal(
      customers(random_ledger(7L, source, dates = "day-first")),
      expected,
      ignore_attr = TRUE,
      label = basename(source[[1L]])
    )
  }
  packed <- readBin(file.path(folder, "packed.csv.gz"), "raw", 1e6)
  writeBin(packed[seq_len(length(packed) %/% 2L)], file.path(folder, "cut.csv.gz"))
  expect_error(random_ledger(7L, file.path(folder, "cut.csv.gz")), class = "nubrek_error_file")
})

test_that("bad input ends in a classed error", {
  map <- column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
  file_with <- function(text) {
    path <- tempfile(fileext = ".csv")
    writeBin(if (is.raw(text)) text else charToRaw(text), path)
    path
  }
  good <- "customer,receipt,day,amount,cur\nA,1,2024-01-01,5,EUR\n"
  bad <- list(
    file = \() open_ledger("nowhere.csv", map),
    file = \() open_ledger(file_with(""), map),
    file = \() open_ledger(file_with("customer,receipt,day,amount\n"), map),
    file = \() open_ledger(file_with(as.raw(c(65, 0, 66, 10))), map),
    file = \() open_ledger(file_with("a,b\n1,2\n3,4,5\n6,7\n"), map),
    columns = \() open_ledger(file_with("a,b\n1,2\n"), map),
    columns = \() open_ledger(
      file_with("customer,customer,receipt,day,amount\nA,A,1,2024-01-01,5\n"), map
    ),
    columns = \() column_map(date = "day", sales = "amount"),
    columns = \() column_map(customer = "a", date = "b"),
    no_rows = \() open_ledger(file_with("customer,receipt,day,amount\nA,1,never,5\n"), map),
    dates = \() open_ledger(file_with("customer,receipt,day,amount\nA,1,01/02/2024,5\n"), map),
    dates = \() open_ledger(
      file_with("customer,receipt,day,amount\nA,1,2024-01-01T10:00:00+02:00,5\n"), map
    ),
    amounts = \() open_ledger(
      file_with("customer,receipt,day,amount\nA,1,2024-01-01,\"1,234\"\n"), map
    ),
    currency = \() open_ledger(
      file_with(paste0(good, "B,2,2024-01-02,5,DKK\n")),
      column_map(customer = "customer", date = "day", sales = "amount", currency = "cur")
    ),
    join = \() attribute_table(data.frame(id = c("A", "A"), town = c("x", "y")), "id", "town"),
    argument = \() meanings(purchase_unit = "visit"),
    argument = \() meanings(as_of = "2024-02-30"),
    argument = \() meanings(as_of = "2024-01-01", history_start = "2025-01-01"),
    attribute = \() repeat_rate(example_ledger(), by = "first_chanel"),
    tiers = \() assign_tiers(example_ledger(), c(a = 50, b = 40)),
    tiers = \() assign_tiers(example_ledger(), thresholds = c(a = 10, b = 20)),
    source = \() open_ledger(1, map)
  )
  marker <- tempfile()
  header <- paste0("{file.create('", marker, "')}")
  expect_error(
    open_ledger(file_with(paste0(header, ",day\nA,1\n")), column_map(
      customer = sub("create", "creat", header), date = "day", sales = "day"
    )),
    class = "nubrek_error_columns"
  )
  expect_false(file.exists(marker)) # text from files is never a template
  for (i in seq_along(bad)) {
    expect_error(
      bad[[i]](),
      class = paste0("nubrek_error_", names(bad)[[i]]),
      label = paste("case", i, names(bad)[[i]])
    )
  }
})

test_that(
  paste0(
    "two equal items of a receipt are two items, unless the file was exported twice (trap: two ",
    "equal lines thrown away)"
  ),
  {
    head <- "customer,receipt,day,amount,item"
    open <- \(rows) small_ledger(paste(c(head, rows), collapse = "\n"))
    kept <- \(ledger) sum(audit(ledger)$rows[audit(ledger)$reason == "kept"])
    pair <- c("A,1,2024-01-01,5,x", "A,1,2024-01-01,5,x")
    other <- c(
      "B,2,2024-01-02,7,y", "B,2,2024-01-02,8,z", "C,3,2024-01-03,1,x", "C,3,2024-01-03,2,y"
    )
    once <- open(c(pair, other))
    expect_identical(kept(once), 6L)
    expect_match(
      paste(remarks(once)$remark, collapse = " "), "equal to another line of the same order, kept"
    )
    twice <- open(c(pair, other, other)) # both orders with different lines stand twice
    expect_identical(kept(twice), 5L)
    expect_match(
      paste(remarks(twice)$remark, collapse = " "), "2 of 2 orders with different lines stand twice"
    )
    expect_identical(kept(open(c(pair, other, other[1:2]))), 6L) # one of two is not nearly all
    # an order of one line in two files is one order
    folder <- withr::local_tempdir()
    files <- file.path(folder, c("a.csv", "b.csv"))
    writeLines(c(head, other[1:2], "D,4,2024-01-04,9,x"), files[[1L]])
    writeLines(
      c(head, "D,4,2024-01-04,9,x", "E,5,2024-01-05,3,x", "E,5,2024-01-05,4,y"), files[[2L]]
    )
    map <- column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
    expect_identical(kept(open_ledger(files, map)), 5L)
  }
)

test_that("two currencies are not added up unseen", {
  orders <- data.frame(
    customer = c("A", "B", "C"),
    receipt = 1:3,
    day = "2024-01-01",
    amount = 5:7,
    coin = c("EUR", "sek", "")
  )
  map <- column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
  error <- expect_error(open_ledger(orders, map), class = "nubrek_error_currency")
  expect_identical(error$columns, "coin")
  expect_setequal(error$currencies, c("EUR", "SEK"))
  expect_identical(sum(customers(open_ledger(orders, map, meanings(currencies = "one")))$sales), 18)
  expect_identical(sum(customers(open_ledger(transform(orders, coin = "EUR"), map))$sales), 18)
  expect_identical(
    sum(customers(open_ledger(transform(orders, coin = c("EUR", "SEK", "shoe")), map))$sales), 18
  ) # a third is no code
})

test_that("an order that lost a line for want of a customer is partly kept", {
  ledger <- small_ledger(
    "customer,receipt,day,amount\nA,1,2024-01-01,5\n,1,2024-01-01,7\nB,2,2024-01-02,9"
  )
  expect_match(
    paste(remarks(ledger)$remark, collapse = " "),
    "1\u00a0order (5.00 in money) kept without a line",
    fixed = TRUE
  )
})

test_that("an order id mapped as the customer is said at the top", {
  orders <- data.frame(
    receipt_no = sprintf("R%02d", 1:30), on = format(as.Date("2024-01-01") + 1:30), paid = 5
  )
  ledger <- open_ledger(orders, column_map(customer = "receipt_no", date = "on", sales = "paid"))
  expect_identical(remarks(ledger)$about[[1L]], "customer ids")
  expect_true("customer ids" %in% remarks(repeat_rate(ledger))$about)
  fair <- open_ledger(transform(orders, buyer = receipt_no), column_map(
    customer = "buyer", date = "on", sales = "paid"
  ))
  expect_false("customer ids" %in% remarks(fair)$about)
})
