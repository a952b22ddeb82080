lines_with <- function(text) {
  utils::read.csv(text = text, colClasses = "character", strip.white = TRUE)
}
full_map <- column_map(
  customer = "customer", order = "receipt", date = "day", sales = "amount", return_of = "back"
)
sales_of <- function(ledger) stats::setNames(customers(ledger)$sales, customers(ledger)$customer)
purchases_of <- function(ledger) {
  stats::setNames(customers(ledger)$purchases, customers(ledger)$customer)
}

test_that("three return policies, on paper", {
  rows <- lines_with(
    "customer,receipt,day,amount,back
    A,1,2024-01-01,50,
    A,2,2024-02-01,-50,1
    A,3,2024-03-01,20,
    B,4,2024-01-01,30,
    B,4,2024-01-20,-10,
    B,5,2024-02-01,-5,9
    B,6,2024-03-01,-1,"
  )
  open <- function(policy) open_ledger(rows, full_map, meanings(returns = policy))
  net <- open("net")
  expect_identical(purchases_of(net), c(A = 2L, B = 1L))
  expect_identical(sales_of(net), c(A = 20, B = 14))
  expect_identical(nrow(rows_behind(customers(net), net, customer = "B")), 4L)
  moved <- open("with original order")
  # A's first order becomes 0 and is no purchase; B's order 4 takes its late line; order 9 is not
  # there, the last names none
  expect_identical(purchases_of(moved), c(A = 1L, B = 1L))
  expect_identical(sales_of(moved), c(A = 20, B = 14))
  expect_identical(rows_behind(customers(moved), moved, customer = "B")$sales, c(20, -5, -1))
  expect_match(
    remarks(moved)$remark,
    "2 went with their original order, 1 named one that was not found, 1 named none",
    all = FALSE
  )
  ignored <- open("ignore")
  expect_identical(sales_of(ignored), c(A = 70, B = 30))
  expect_identical(sum(audit(ignored)$rows[audit(ignored)$reason == "ignored return"]), 4L)
  for (ledger in list(net, moved, ignored)) {
    expect_true(all(prove_totals(ledger)$exact))
  }
})

test_that(
  paste0(
    "sales from quantity and price, or gross and discount, less tax and shipping, each line ",
    "rounded once"
  ),
  {
    rows <- data.frame(
      customer = c("A", "B"),
      day = "2024-01-01",
      q = c("3", "1"),
      p = c("0.335", "12.345"),
      g = c("10.00", "20.00"),
      d = c("0.50", ""),
      tax = c("0.1005", ""),
      ship = c("", "2")
    )
    by_price <- open_ledger(rows, column_map("customer", "day", quantity = "q", unit_price = "p"))
    expect_identical(sales_of(by_price), c(A = 1, B = 12.34)) # 1.005 and 12.345, half to even
    expect_match(
      remarks(by_price)$remark,
      paste0(
        "2.lines with fractions of the minor unit, each rounded half to even; in all that moved ",
        "-1 minor"
      ),
      all = FALSE
    )
    less <- open_ledger(rows, column_map(
      "customer", "day", quantity = "q", unit_price = "p", tax = "tax", shipping = "ship"
    ))
    expect_identical(sales_of(less), c(A = 0.90, B = 10.34)) # 0.9045, 10.345
    gross <- open_ledger(rows, column_map("customer", "day", gross = "g", discount = "d"))
    expect_identical(sales_of(gross), c(A = 9.5)) # a blank discount is no 0
    expect_identical(customers(gross)$first_discount_share, 0.05)
    beside <- open_ledger(rows, column_map("customer", "day", sales = "g", discount = "d"))
    expect_equal(customers(beside)$first_discount_share, c(0.5 / 10.5, 0))
  }
)

test_that("cost by line, by order, by rate gives margin; a minimum makes a purchase", {
  rows <- data.frame(
    customer = c("A", "A", "B"),
    receipt = c(1, 1, 2),
    day = "2024-01-01",
    amount = c(10, 20, 0.5),
    cost = c(4, 4, 1),
    rate = c("0.5", "0.25", "")
  )
  map <- column_map("customer", "day", order = "receipt", sales = "amount", cost = "cost")
  expect_identical(customers(open_ledger(rows, map))$margin, c(22, -0.5))
  expect_identical(
    customers(open_ledger(rows, map, meanings(cost_per = "order")))$margin, c(26, -0.5)
  )
  rate <- column_map(
    "customer", "day", order = "receipt", sales = "amount", attributes = c(rate = "rate")
  )
  expect_identical(
    customers(open_ledger(rows, rate, meanings(cost_rate = "rate")))$margin, c(20, 0.5)
  )
  expect_true("cost" %in% remarks(open_ledger(rows, rate, meanings(cost_rate = "rate")))$about)
  expect_error(open_ledger(transform(rows, cost = "?"), map), class = "nubrek_error_amounts")
  least <- open_ledger(rows, map, meanings(minimum_sales = 1))
  expect_identical(purchases_of(least), c(A = 1L, B = 0L))
  expect_true(all(prove_totals(least)$exact))
})

test_that("foreign rows are converted at the latest rate not after the day, or set aside", {
  rows <- data.frame(
    customer = c("A", "B", "C", "D"),
    day = c("2024-01-10", "2024-02-10", "2023-12-31", "2024-01-10"),
    amount = "100",
    cur = c("DKK", "DKK", "DKK", "EUR")
  )
  rates <- currency_rates(data.frame(
    date = c("2024-01-01", "2024-02-01"), currency = "DKK", rate = c("0.13405", "0.2")
  ))
  ledger <- open_ledger(
    rows,
    column_map("customer", "day", sales = "amount", currency = "cur"),
    meanings(currency = "EUR"),
    rates = rates
  )
  expect_identical(sales_of(ledger), c(A = 13.40, B = 20, D = 100)) # 13.405 half to even
  expect_identical(set_aside(ledger)$reason, "foreign currency")
  expect_true("currency" %in% remarks(ledger)$about)
})

test_that("weeks start where said, a fiscal year is named after the year it ends in", {
  ledger <- example_ledger(week_start = "sunday", fiscal_start = 7L)
  expect_identical(
    unique(weekdays(cohort_grid(ledger, "week")$period)), weekdays(as.Date("2024-01-07"))
  )
  year <- cohort_grid(ledger, "year")
  expect_identical(format(unique(year$period)), c("2023-07-01", "2024-07-01"))
  expect_identical(
    period_label(unique(year$period), basis_of(year, "clock")), c("FY 2024", "FY 2025")
  )
  expect_identical(
    period_label(as.Date(c("2024-07-01", "2024-04-01")), ledger_clock(ledger, "quarter")),
    c("FY 2025 Q1", "FY 2024 Q4")
  )
  for (clock in c("week", "quarter", "year")) {
    expect_true(all(prove_totals(ledger, clock)$exact))
  }
})

test_that("known first purchases decide the cohort, and registration the days to the first order", {
  rows <- lines_with(
    "customer,receipt,day,amount\nA,1,2024-02-05,5\nA,2,2024-03-05,5\nB,3,2024-02-10,5"
  )
  people <- attribute_table(data.frame(
    id = c("A", "B", "C"),
    since = c("2022-06-01", "", ""),
    signed = c("2022-05-30", "2024-02-01", "2024-01-01"),
    born = c("1980-02-05", "1999", "")
  ), "id", c("since", "signed", "born"))
  ledger <- open_ledger(
    rows,
    column_map("customer", "day", order = "receipt", sales = "amount"),
    meanings(first_purchase_known = "since", registered = "signed"),
    customers = people,
    bands = list(age = band("born", c(30, 44), "age"), joined = band("signed", as = "year"))
  )
  grid <- cohort_grid(ledger)
  expect_identical(format(unique(grid$cohort)), c("2022-06-01", "2024-02-01"))
  expect_false(any(grid$older)) # nobody can be older than what is known
  known <- customers(ledger, everybody = TRUE)
  expect_identical(known$days_to_first, c(2L, 9L, NA))
  expect_identical(known$age, c("44 and over", "under 30", NA)) # A turned 44 on 5 Feb 2024
  expect_identical(known$joined, c("2022", "2024", "2024"))
  expect_identical(nrow(customers(ledger)), 2L)
  expect_identical(repeat_rate(ledger, "age")$age, c("under 30", "44 and over"))
  expect_true(all(prove_totals(ledger)$exact))
})

test_that(
  paste0(
    "customer, date and amount may stand in different tables, in Parquet and XLSX too (trap: ",
    "lines counted as orders)"
  ),
  {
    lines <- data.frame(
      receipt = c("1", "1", "2"), sku = c("a", "b", "a"), amount = c("5.10", "7.20", "1.00")
    )
    heads <- data.frame(
      receipt = c("1", "2"),
      who = c("A", "B"),
      day = c("2024-01-01", "2024-01-02"),
      total = c("12.30", "1.00")
    )
    map <- column_map("who", "day", order = "receipt", sales = "amount", product = "sku")
    expected <- c(A = 12.3, B = 1)
    joined <- open_ledger(lines, map, joins = join_table(heads, "receipt"))
    expect_identical(sales_of(joined), expected)
    expect_identical(purchases_of(joined), c(A = 1L, B = 1L))
    expect_error(
      open_ledger(
        lines,
        column_map("who", "day", order = "receipt", sales = "total"),
        joins = join_table(heads, "receipt")
      ),
      class = "nubrek_error_join"
    )
    # a rule on a column of the joined table, beside one on a column of the lines
    states <- transform(heads, state = c("paid", "cancelled"))
    ruled <- open_ledger(
      transform(lines, kind = "real"),
      map,
      meanings(cancelled = order_rule("state", "cancelled"), test = order_rule("kind", "test")),
      joins = join_table(states, "receipt")
    )
    expect_identical(sales_of(ruled), expected["A"])
    missing_head <- open_ledger(lines, map, joins = join_table(heads[1L, ], c(receipt = "receipt")))
    expect_identical(set_aside(missing_head)$faults, "no customer; no date")
    # of a key of two columns; the line of each join says who found none
    by_till <- transform(heads, till = c("N", "S"), receipt = "1", total = NULL)
    two <- open_ledger(
      transform(lines, shop = c("N", "S", "W"), receipt = "1"), map,
      joins = join_table(by_till, c(shop = "till", "receipt"))
    )
    expect_identical(sales_of(two), c(A = 5.1, B = 7.2))
    expect_identical(remarks(two)$remark[remarks(two)$about == "joins"], paste0(
      "data frame, joined by shop, receipt: 2\u00a0rows of the orders found their row, 1 did not, ",
      "such as those of \"W, 1\"."
    ))
    expect_error(
      join_table(rbind(by_till, transform(by_till, who = "C")), c("till", "receipt")), "N, 1",
      class = "nubrek_error_join"
    )
    folder <- withr::local_tempdir()
    flat <- merge(lines, heads[1:3], sort = FALSE)
    if (requireNamespace("nanoparquet", quietly = TRUE)) {
      nanoparquet::write_parquet(
        transform(flat, day = as.Date(day), amount = as.numeric(amount)),
        file.path(folder, "x.parquet")
      )
      expect_identical(sales_of(open_ledger(file.path(folder, "x.parquet"), map)), expected)
    }
    skip_if_not(
      requireNamespace("openxlsx", quietly = TRUE) && requireNamespace("readxl", quietly = TRUE),
      "no spreadsheet packages"
    )
    openxlsx::write.xlsx(
      transform(flat, day = as.Date(day), amount = as.numeric(amount)), file.path(folder, "x.xlsx")
    )
    sheet <- open_ledger(file.path(folder, "x.xlsx"), map)
    expect_identical(sales_of(sheet), expected)
    expect_identical(format(customers(sheet)$first), c("2024-01-01", "2024-01-02"))
  }
)

test_both(
  paste0(
    "a slice is a ledger again, and says what first purchase means (trap: a filter changes what ",
    "returning means)"
  ),
  {
    for (seed in worlds(1:3, 1:20)) {
      ledger <- random_ledger(seed)
      shop <- ledger_slice(ledger, lines = list(channel = "Mill"))
      rest <- ledger_slice(ledger, lines = list(channel = c("Quay", "(missing)")))
      expect_equal(sum(shop$orders$sales) + sum(rest$orders$sales), sum(ledger$orders$sales))
      expect_true(
        all(prove_totals(shop)$exact) &&
          all(prove_totals(ledger_slice(shop, from = "2024-04-01", until = "2024-12-31"))$exact),
        label = paste("seed", seed)
      )
      late <- ledger_slice(ledger, from = "2024-09-01", first = "any")
      expect_identical(
        first_purchase_day(late),
        ifelse(is.na(reduce_customers(late)$first), NA, first_purchase_day(ledger)),
        label = paste("seed", seed)
      )
      within <- ledger_slice(ledger, from = "2024-09-01")
      expect_identical(first_purchase_day(within), reduce_customers(within)$first)
    }
    expect_match(
      remarks(ledger_slice(
        example_ledger(), lines = list(channel = "Web"), first = "within"
      ))$remark[[1L]],
      "first inside the slice"
    )
  }
)

test_that(
  paste0(
    "suspects are shown with their money and nothing is done (traps: a split customer, a till ",
    "taken for a wonderful customer)"
  ),
  {
    rows <- data.frame(
      customer = c("A", "B", "C", "D", rep("TILL", 6)),
      receipt = 1:10,
      day = "2024-01-01",
      amount = 10
    )
    people <- attribute_table(data.frame(
      id = c("A", "B", "C", "D"),
      email = c(" Ann@post.example", "ann@POST.example ", "", ""),
      name = c("Bo  Ek", "x", "bo ek", "BO EK"),
      postcode = c("PY1", "PY1", "py1", "")
    ), "id", c("email", "name", "postcode"))
    ledger <- open_ledger(
      rows, column_map("customer", "day", order = "receipt", sales = "amount"), customers = people
    )
    found <- identity_suspects(ledger)
    expect_identical(found$ids, c("A, B", "A, C", "TILL"))
    expect_identical(found$sales, c(20, 20, 60))
    expect_identical(basis_of(found, "at_stake"), 90) # A counts once
    expect_identical(length(purchases_of(ledger)), 5L)
  }
)

test_that("the identified share comes by period, and its growth is said (trap)", {
  rows <- data.frame(
    customer = c("", "A", "A", "A"),
    day = c("2023-03-01", "2023-04-01", "2024-03-01", "2024-04-01"),
    amount = c(10, 10, 10, 10)
  )
  ledger <- open_ledger(rows, column_map("customer", "day", sales = "amount"))
  expect_identical(identified_share(ledger, "year")$share, c(0.5, 1))
  expect_true("identified share" %in% remarks(ledger)$about)
})

test_that("the mess of the demo world is found in its known amounts", {
  aside <- set_aside(pellmere()$ledger)
  mess <- utils::read.csv(system.file("pellmere", "truth-mess.csv", package = "nubrek"))
  first_seen <- aside[!grepl("duplicate", aside$faults), ]
  for (kind in c("no customer", "test order", "foreign currency")) {
    expect_identical(
      sum(grepl(kind, first_seen$faults)), mess$rows[mess$kind == kind], label = kind
    )
  }
  expect_identical(sum(first_seen$state == "cancelled"), mess$rows[mess$kind == "cancelled"])
  expect_identical(
    sum(first_seen$customer_no == "P000000"), mess$rows[mess$kind == "guest account"]
  )
  expect_identical(sum(aside$reason == "duplicate"), mess$rows[mess$kind == "repeated order"])
})

test_that("6: a negative line of the order's own day is part of it, one of the next day is not", {
  rows <- "customer,receipt,day,amount
    A,1,2024-01-01,10
    A,1,2024-01-01,-4
    B,2,2024-01-01,10
    B,2,2024-01-02,-4"
  ledger <- small_ledger(rows)
  expect_identical(customers(ledger)$orders, c(1L, 2L))
  expect_identical(customers(ledger)$mean_sales, c(6, 6))
  behind <- rows_behind(customers(ledger), ledger, customer = "B")
  expect_identical(behind$sales, c(10, -4))
  moved <- small_ledger(rows, returns = "with original order")
  expect_identical(customers(moved)$orders, c(1L, 1L))
})

test_that("7, 8, 25, 43: an order that just reaches the minimum is a purchase everywhere", {
  ledger <- open_ledger(
    data.frame(
      who = c("A", "A", "A", "B", "B"), no = 1:5, paid = c("5.00", "4.99", "5.00", "4.99", "7.00"),
      day = c("2024-01-01", "2024-02-01", "2024-03-01", "2024-01-02", "2024-02-02"),
      shop = c("Mill", "Mill", "Quay", "Mill", "Quay")
    ),
    column_map("who", "day", order = "no", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", minimum_sales = 5)
  )
  found <- customers(ledger)
  expect_identical(found$purchases, c(2L, 1L))
  expect_identical(found$purchase_days, c(2L, 1L))
  expect_identical(format(found$first), c("2024-01-01", "2024-02-02"))
  expect_identical(audience(ledger, purchases(channel == "Mill") == 1)$customer, "A")
  expect_identical(audience(ledger, days_since(channel == "Mill") >= 0)$customer, "A")
  sold <- sales_by(ledger, "channel")
  expect_identical(sold$customers[match(c("Mill", "Quay"), sold$channel)], c(1L, 2L))
  expect_identical(sum(cohort_grid(ledger, "month")$purchases), 3L)
  expect_identical(sum(new_returning(ledger, "month", by = "channel")$active), 3L)
  expect_identical(as.integer(all_gaps(ledger)$gap), 60L)
  expect_identical(purchase_history(ledger)$repeats, c(1L, 0L))
  # a line worth nothing is no return
  free <- small_ledger(
    "customer,receipt,day,amount\nA,1,2024-01-01,5\nA,1,2024-01-01,0\nB,2,2024-01-02,-1"
  )
  expect_identical(audience(free, returned())$customer, "B")
})

test_both("lines that are not goods are no product, return or first purchase, in every store", {
  lines <- utils::read.csv(text = "who,no,day,art,pieces,paid
    A,1,2024-01-03,SOCK,2,20
    A,1,2024-01-03,V10,1,-2
    A,1,2024-01-03,SHIP,1,4.9
    A,2,2024-02-01,SOCK,1,10
    A,2,2024-03-01,SOCK,-1,-10
    A,2,2024-03-01,V10,1,-1
    B,3,2024-01-05,SHIP,1,34.9
    B,3,2024-01-05,HAT,1,30
    B,4,2024-02-09,V10,1,-5
    C,5,2024-01-09,GIFT,1,50
    C,6,2024-03-01,GIFT,1,-50
    D,7,2024-01-10,HAT,1,8
    D,7,2024-01-10,V10,1,-8
    E,8,2024-04-01,HAT,1,12", colClasses = "character", strip.white = TRUE)
  goods <- attribute_table(
    data.frame(art = c("SOCK", "HAT"), grp = c("Feet", "Head")), "art", c(category = "grp")
  )
  map <- column_map(
    "who", "day", order = "no", sales = "paid", product = "art", quantity = "pieces"
  )
  said <- \(..., shipping = NULL) meanings(currency = "EUR", ..., kinds = list(
    voucher = order_rule("art", "V10"), gift_card = order_rule("art", "GIFT"),
    shipping = order_rule("art", "SHIP", in_sales = shipping)
  ))
  con <- DBI::dbConnect(RSQLite::SQLite())
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "lines", lines)
  root <- withr::local_tempdir()
  fresh <- \() tempfile("l", root)
  saved <- \(ledger) {
    folder <- fresh()
    save_ledger(ledger, folder)
    open_ledger(folder)
  }
  in_memory <- \(said) open_ledger(lines, map, said, products = goods)
  places <- list(
    memory = in_memory,
    database = \(said) open_ledger(
      db_table(con, "lines"), map, said, products = goods, workspace = "temporary"
    ),
    saved = \(said) saved(in_memory(said)),
    parts = \(said) split_ledger(lines, map, said, products = goods, into = 3, folder = fresh())
  )
  stores <- \(said) lapply(places[worlds(1:2, 1:4)], \(open) open(said))
  for (ledger in stores(said())) {
    kept <- audit(ledger)
    expect_identical(kept$reason, c("kept", "shipping", "gift card"))
    expect_equal(kept$money, c(54, 39.8, 0))
    expect_equal(sum(kept$money), sum(as.numeric(lines$paid))) # every cent of the export
    expect_match(remarks(kept)$remark, "4 voucher (-16.00 EUR)", fixed = TRUE, all = FALSE)
    known <- customers(ledger)
    expect_identical(known$customer, c("A", "B", "D", "E"))
    expect_equal(known$sales, c(17, 25, 0, 12))
    expect_identical(known$purchases, c(2L, 1L, 0L, 1L))
    expect_identical(known$first_product, c("SOCK", "HAT", NA, "HAT"))
    expect_identical(known$first_category, c("Feet", "Head", NA, "Head"))
    sold <- sales_by(ledger, "product")
    expect_identical(sold$product, c("HAT", "SOCK", "(voucher)"))
    expect_equal(sold$sales, c(50, 20, -16))
    expect_equal(sales_by(ledger, "category")$sales, c(50, 20, -16))
    back <- customer_returns(ledger)
    expect_identical(back$customer[back$returned > 0], "A")
    expect_equal(back$gross[back$customer == "A"], 30)
    expect_identical(audience(ledger, returned())$customer, "A")
    by <- returns_by(ledger, "product")
    expect_identical(by$product, c("SOCK", "HAT"))
    expect_equal(by$return_share, c(1 / 3, 0))
    pieces <- audience(ledger, units() > 0)
    expect_equal(pieces[["units()"]], c(2, 1, 1, 1))
    expect_equal(audience(ledger, sales(line_kind == "voucher") < 0)$customer, c("A", "B", "D"))
    expect_identical(nrow(companion_goods(ledger, "product", 1L)), 0L)
  }
  for (ledger in stores(said(shipping = TRUE, returns = "ignore"))) {
    kept <- audit(ledger)
    expect_equal(kept$money[match(c("kept", "ignored return"), kept$reason)], c(103.8, -10))
    # the largest line is shipping, and still the goods are what was bought first
    expect_identical(customers(ledger)$first_product, c("SOCK", "HAT", NA, "HAT"))
    expect_true("(shipping)" %in% sales_by(ledger, "product")$product)
  }
  # who paid only for shipping has bought no product
  post <- open_ledger(
    lines[lines$art == "SHIP", ], map, said(shipping = TRUE), products = goods
  )
  for (name in c("first_product", "first_category", "latest_product")) {
    expect_true(all(is.na(known_attributes(post, name)[[1L]])))
  }
  # a voucher is no late return that would be an order of its own
  linked <- stores(said(returns = "with original order"))
  for (ledger in linked) expect_identical(customers(ledger)$orders, c(2L, 2L, 1L, 1L))
  expect_error(
    meanings(kinds = list(gift_card = order_rule("art", "G", in_sales = TRUE))), "no sale"
  )
  expect_error(meanings(kinds = list(voucer = order_rule("art", "V"))), "voucher")
  expect_error(
    open_ledger(lines, map, meanings(kinds = list(fee = order_rule("artt", "F")))), "art",
    class = "nubrek_error_columns"
  )
})

test_that("the cost of a piece times the pieces is the cost of the line, in every store", {
  lines <- utils::read.csv(text = "who,no,day,art,pieces,paid
    A,1,2024-01-03,SOCK,3,20
    A,1,2024-01-03,V10,1,-2
    A,2,2024-02-01,SOCK,-1,-6
    B,3,2024-01-05,HAT,1,30
    B,4,2024-01-09,NEW,2,14
    C,5,2024-01-09,HAT,2,0", colClasses = "character", strip.white = TRUE)
  goods <- attribute_table(
    data.frame(art = c("SOCK", "HAT"), piece = c("2.25", "11.5")), "art", "piece"
  )
  map <- column_map(
    "who", "day", order = "no", sales = "paid", product = "art", quantity = "pieces"
  )
  said <- meanings(
    currency = "EUR", unit_cost = "piece", kinds = list(voucher = order_rule("art", "V10"))
  )
  con <- DBI::dbConnect(RSQLite::SQLite())
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "lines", lines)
  for (ledger in list(
    open_ledger(lines, map, said, products = goods),
    split_ledger(lines, map, said, products = goods, into = 2, folder = withr::local_tempfile()),
    open_ledger(db_table(con, "lines"), map, said, products = goods, workspace = "temporary")
  )) {
    # 20 less 3 pieces of 2.25, less the voucher, and one piece back; 30 less 11.50, and 14 without
    # a cost; a free line still costs
    margin <- customers(ledger)$margin
    expect_equal(margin, c(20 - 6.75 - 2 - 6 + 2.25, 30 - 11.5 + 14, -23))
    expect_match(remarks(ledger)$remark, "1.line without a known cost", all = FALSE)
  }
  expect_error(
    open_ledger(lines, column_map("who", "day", sales = "paid", product = "art"), said, goods),
    class = "nubrek_error"
  )
  expect_error(
    open_ledger(
      lines, column_map("who", "day", sales = "paid", product = "art"), said, products = goods
    ), "no column holds the pieces", class = "nubrek_error_columns"
  )
  odd <- attribute_table(data.frame(art = "SOCK", piece = "cheap"), "art", "piece")
  expect_error(open_ledger(lines, map, said, products = odd), "cheap")
})
