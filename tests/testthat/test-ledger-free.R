# Orders worth nothing, and people who ordered and never paid (definition 65).

free_rows <- function(seed) {
  set.seed(seed)
  n <- 150L
  data.frame(
    who = sprintf("C%02d", sample(25L, n, TRUE)),
    day = format(as.Date("2024-01-10") + sample(400L, n, TRUE)),
    receipt = sprintf("R%02d", sample(70L, n, TRUE)),
    paid = sample(c("0", "0", "0", "12.50", "-12.50", "4"), n, TRUE),
    kind = sample(c("goods", "goods", "goods", "coupon", "post"), n, TRUE),
    shop = sample(c("Mill", "Quay"), n, TRUE)
  )
}

free_ledger <- function(rows, ...) {
  open_ledger(rows, column_map("who", "day", "receipt", "paid", channel = "shop"), meanings(
    currency = "EUR", duplicates = "none",
    kinds = list(voucher = order_rule("kind", "coupon"), shipping = order_rule("kind", "post")), ...
  ))
}

# An order is what one customer bought under one id; a return on a later day stands alone.
slow_purchases <- function(rows, free) {
  rows <- rows[rows$kind != "post", ]
  rows$paid <- as.numeric(rows$paid)
  start <- ave(as.integer(as.Date(rows$day)), paste(rows$who, rows$receipt), FUN = min)
  late <- rows$paid < 0 & rows$kind == "goods" & as.integer(as.Date(rows$day)) > start
  unit <- paste(rows$who, rows$receipt, ifelse(late, rows$day, ""))
  bought <- vapply(split(rows, unit), \(lines) {
    sales <- sum(lines$paid)
    goods <- lines$paid[lines$kind == "goods"]
    sales > 0 || (free && sales == 0 && length(goods) > 0 && all(goods >= 0))
  }, NA)
  tapply(bought, sub(" .*", "", names(bought)), sum)
}

test_that("an order worth 0 counts only where a minimum of 0 is written, by its lines of goods", {
  rows <- free_rows(1L)
  for (free in c(FALSE, TRUE)) {
    ledger <- free_ledger(rows, minimum_sales = if (free) 0)
    x <- customers(ledger, everybody = TRUE)
    expect_identical(x$purchases, as.integer(slow_purchases(rows, free)[x$customer]))
    expect_identical(sum(orders_of(ledger, seq_along(ledger$ids))$purchase), sum(x$purchases))
  }
  # money does not move, and a purchase is told as what it is
  expect_identical(x$sales, customers(free_ledger(rows), everybody = TRUE)$sales)
  expect_output(print(repeat_rate(ledger)), "net sales of 0 or more")
  expect_output(print(repeat_rate(free_ledger(rows))), "net sales above 0")
  # a saved ledger is the same
  path <- withr::local_tempfile()
  save_ledger(ledger, path)
  expect_identical(repeat_rate(open_ledger(path)), repeat_rate(ledger))
})

test_that("inside a group an order worth nothing there counts by its lines there", {
  rows <- data.frame(
    who = c("A", "A", "A", "B", "B", "C", "D", "D"),
    day = "2024-01-05", receipt = c(1, 1, 1, 2, 2, 3, 4, 4),
    paid = c("10", "0", "0", "5", "-5", "0", "3", "-3"),
    # of A a free gift in the Quay; of B goods returned at once; of C post alone; of D a voucher
    kind = c("goods", "goods", "goods", "goods", "goods", "coupon", "goods", "coupon"),
    shop = c("Mill", "Quay", "Mill", "Quay", "Quay", "Quay", "Quay", "Quay")
  )
  free <- free_ledger(rows, minimum_sales = 0)
  by <- sales_by(free, "channel")
  expect_identical(by$purchases[match(c("Mill", "Quay"), by$channel)], c(1L, 2L)) # A and D
  expect_identical(sales_by(free_ledger(rows), "channel")$purchases, c(1L, 0L))
  there <- rank_customers(free, by = "purchases", within = "channel", top = 9)
  expect_identical(sort(paste(there$channel, there$customer)), c("Mill A", "Quay A", "Quay D"))
  bought <- audience(free, bought(channel == "Quay"))
  expect_setequal(bought$customer, c("A", "D"))
  expect_identical(customers(free)$purchases, c(1L, 0L, 0L, 1L))
})

test_that("those who never paid count in the cost of the period of their first order", {
  rows <- data.frame(
    who = c("A", "B", "B", "C", "D", "E"),
    day = c("2024-01-05", "2024-01-06", "2024-02-03", "2024-01-09", "2024-02-01", "2024-02-20"),
    receipt = 1:6, paid = c("10", "0", "20", "0", "0", "30"),
    kind = "goods", shop = c("Mill", "Mill", "Mill", "Quay", "Quay", "Mill")
  )
  grid <- cohort_grid(free_ledger(rows), "month", margin = 0.5)
  x <- cohort_payback(grid, cost = 10)
  expect_identical(x$size, c(1L, 2L))
  expect_identical(x$never_paid, c(1L, 1L))
  expect_equal(x$cost, c(20, 15))
  expect_match(remarks(grid)$remark, "^2.customers ordered but never paid", all = FALSE)
  # by shop, nobody who pays stands beside them; together they do
  by <- cohort_grid(free_ledger(rows), "month", margin = 0.5, by = "first_channel")
  apart <- cohort_payback(by, cost = acquisition_cost(c(Mill = 10, Quay = 7), "first_channel"))
  expect_equal(apart$cost, c(10, 10))
  expect_equal(unused_spend(apart)$amount, c(7, 7))
  whole <- cohort_payback(by, cost = 10, together = TRUE)
  expect_equal(whole$cost, x$cost)
  expect_identical(whole$never_paid, x$never_paid)
  expect_equal(cohort_value(by, cost = 10, together = TRUE)$cost, x$cost)
  # in a slice, who returned something may have paid elsewhere
  mill <- ledger_slice(free_ledger(rows), lines = list(channel = "Mill"))
  expect_false("never paid" %in% remarks(cohort_grid(mill, "month"))$about)
  # a free order that counts makes them customers
  free <- cohort_grid(free_ledger(rows, minimum_sales = 0), "month", margin = 0.5)
  expect_identical(cohort_payback(free, 10)$cost, c(10, 10))
  expect_null(cohort_payback(free, 10)$never_paid)
})

test_that("amounts are fitted without customers whose later orders were all free", {
  rows <- free_rows(2L)
  rows$kind <- "goods"
  rows$paid <- as.character(round(rexp(nrow(rows), 0.1) + 1, 2))
  rows$paid[rows$who == "C03"] <- "0"
  ledger <- free_ledger(rows, minimum_sales = 0)
  fit <- fit_spend(ledger)
  expect_match(remarks(fit)$remark, "^1.customer paid nothing for any later order", all = FALSE)
  expect_equal(fit$parameters, fit_spend(free_ledger(rows[rows$who != "C03", ]))$parameters)
})
