# The cohorts on paper (helper-slow.R), half of the sales being margin: January 15, 5, -2.5, 0, (5);
# February 15, 0, 15, (0); April 20, (1.25).
halves <- function(...) cohort_grid(paper(currency = "EUR"), margin = 0.5, older_within = 0L, ...)

test_that(
  paste0(
    "payback on paper: first age at which cumulative margin reaches the cost of all customers ",
    "acquired"
  ),
  {
    p <- cohort_payback(halves(), 10, within = 1L)
    expect_identical(p$payback_age, c(1L, 0L, 0L))
    expect_identical(p$margin, c(22.5, 30, 21.25))
    expect_identical(p$value_to_cost, c(22.5 / 20, 3, 2.125))
    # trap: no time to; the first age after April is not over
    expect_identical(p$highest_cost, c(10, 15, NA))
    p <- cohort_payback(halves(), 16)
    expect_identical(p$payback_age, c(NA, 2L, 0L))
    expect_identical(p$status, c("not yet", "paid back", "paid back"))
    # January: 17.50 after 3 complete ages, 32 needed, 2.50 / 3 a month of late: 17.4, so 18 months
    expect_identical(p$expected_age, c(21L, NA, NA))
    # 75 months are more than 5 years
    expect_identical(cohort_payback(halves(), 40)$status, c("out of reach", "not yet", "not yet"))
    expect_identical(cohort_payback(halves(), 0)$status, rep("no cost", 3L))
    course <- payback_course(cohort_payback(halves(), 16))
    expect_equal(
      course$value_to_cost[course$cohort == as.Date("2024-02-01")], c(15, 15, 30, 30) / 16
    )
    pool <- payback_pool(cohort_payback(halves(), 16))
    expect_equal(pool$value, c(50 / 4, 35 / 3, 47.5 / 3, 17.5 / 2))
    expect_identical(pool$cohorts, c(3L, 2L, 2L, 1L))
  }
)

test_that("the comparison is in whole decimals, and the first cash flow is not discounted (trap)", {
  cents <- cohort_grid(
    small_ledger(
      "customer,receipt,day,amount\nA,1,2024-01-01,0.70\nA,2,2024-02-01,0.10\nA,3,2024-03-31,1",
      currency = "EUR"
    ),
    margin = 1
  )
  expect_lt(0.7 + 0.1, 0.8) # what doubles say
  expect_identical(cohort_payback(cents, 0.8)$payback_age, 1L)
  d <- cohort_payback(halves(), 10, yearly_discount = 1)
  month <- 2^(1 / 12)
  expect_equal(
    d$margin, c(15 + 5 / month - 2.5 / month^2 + 5 / month^4, 15 + 15 / month^2, 20 + 1.25 / month)
  )
  expect_identical(d$payback_age, c(4L, 0L, 0L))
  expect_match(remarks(d)$remark[remarks(d)$about == "discount"], "age 0 is not")
})

channels <- function() {
  small_ledger(
    "customer,receipt,day,amount,shop
  A,1,2024-01-05,10,Mill
  A,2,2024-02-10,10,Mill
  B,3,2024-01-31,20,Quay
  C,4,2024-02-02,30,Quay
  D,5,2024-03-10,40,Mill
  E,6,2024-03-20,8,",
    columns = column_map("customer", "day", order = "receipt", sales = "amount", channel = "shop"),
    currency = "EUR",
    history_start = "2024-01-01",
    as_of = "2024-03-31"
  )
}
spend_table <- data.frame(
  shop = c("Mill", "Mill", "Mill", "Mill", "Quay", "Quay", "Quay"),
  month = c("2024-01-01", "2024-01-20", "2024-02", "2024-03", "2024-01", "2024-02", "2024-03"),
  paid = c("4,00", "2,50", "3,00", "9,00", "7,00", "0", "5,00")
)

test_that(
  paste0(
    "spend by channel and month is divided by the new customers there; the rest is shown, or ",
    "carried over on request"
  ),
  {
    grid <- cohort_grid(channels(), by = "first_channel", margin = 0.5, older_within = 0L)
    spend <- \(...) acquisition_spend(spend_table, "month", "paid", c(first_channel = "shop"), ...)
    p <- cohort_payback(grid, spend())
    expect_identical(
      paste(p$first_channel, format(p$cohort, "%m"), p$cost, p$status),
      c(
        "Mill 01 6.5 paid back", "Mill 03 9 paid back", "Quay 01 7 paid back", "Quay 02 0 no cost",
        "(missing) 03 NA no cost"
      )
    )
    unused <- unused_spend(p)
    expect_identical(
      paste(unused$first_channel, format(unused$cohort, "%m"), unused$amount),
      c("Mill 02 3", "Quay 03 5")
    )
    expect_match(remarks(p)$remark[remarks(p)$about == "unused spend"], "8.00 EUR")
    carried <- cohort_payback(grid, spend(carry_over = TRUE))
    # February's of the Mill goes to March; nobody follows at the Quay
    expect_identical(carried$cost, c(6.5, 12, 7, 0, NA))
    expect_identical(sum(unused_spend(carried)$amount), 5)
    whole <- cohort_payback(grid, spend(), together = TRUE)
    expect_identical(whole$size, c(2L, 1L, 2L))
    expect_true("cost unknown" %in% remarks(whole)$about)
    expect_identical(whole$cost * whole$size, c(13.5, 0, 9))
    expect_identical(whole$margin, c(20, 15, 24))
    groups <- payback_summary(p)
    expect_identical(groups$cost, c(15.5 / 2, 7))
    # pooled: the Mill at age 0 has 5 + 20 of 15.50; the Quay 10 of 7
    expect_identical(groups$payback_age, c(0L, 0L))
    expect_equal(payback_pool(p)$value_to_cost[1:2], c(25 / 15.5, 10 / 6.5))
    # every cent of the spend is in a cohort or shown apart
    for (x in list(p, carried)) {
      expect_identical(sum(x$cost * x$size, na.rm = TRUE) + sum(unused_spend(x)$amount), 30.5)
    }
    expect_error(
      cohort_payback(cohort_grid(channels(), margin = 0.5), spend()), class = "nubrek_error_cost"
    )
    expect_error(
      cohort_payback(grid, acquisition_cost(c(Mill = 3, Key = 2), by = "first_channel")),
      class = "nubrek_error_cost"
    )
    expect_identical(
      cohort_payback(grid, acquisition_cost(c(`2024-03` = 3), by = "cohort"))$cost,
      c(NA, 3, NA, NA, 3)
    )
    bad <- spend_table
    bad$paid[[3L]] <- "-3"
    expect_identical(
      expect_error(
        cohort_payback(grid, acquisition_spend(bad, "month", "paid")), class = "nubrek_error_table"
      )$rows,
      3L
    )
  }
)

test_that(
  paste0(
    "without a margin sales are shown and called sales, and nothing is paid back (trap: sales ",
    "called value)"
  ),
  {
    p <- cohort_payback(cohort_grid(channels(), older_within = 0L), 5)
    expect_true(
      all(is.na(p$margin)) && all(is.na(p$payback_age)) && all(p$status == "margin unknown")
    )
    expect_identical(p$sales_to_cost, c(4, 6, 4.8))
    expect_match(
      paste(capture.output(print(p)), collapse = " "), "without a margin that is no payback"
    )
    expect_match(ggplot2::autoplot(p)$labels$subtitle, "not margin")
  }
)

test_that("the interval of value to date is that of the mean over customers", {
  ledger <- random_ledger(3)
  grid <- cohort_grid(ledger, "quarter", margin = 0.5, older_within = 0L)
  course <- payback_course(cohort_payback(grid, 1))
  cell <- course[which.max(course$size * (course$age == 1L)), ]
  orders <- orders_of(ledger, seq_along(ledger$ids))
  first <- tapply(as.integer(orders$day[orders$purchase]), orders$customer[orders$purchase], min)
  mine <- names(first)[label_of_day(first, "quarter") == period_label(cell$cohort, "quarter")]
  end <- period_end(period_number(cell$cohort, "quarter") + 1L, "quarter")
  here <- orders[
    orders$customer %in% mine &
      orders$day <= end &
      orders$day >= as.Date(first[orders$customer], origin = "1970-01-01"),

  ]
  each <- as.vector(tapply(here$sales, factor(here$customer, mine), sum)) / 2
  expect_equal(cell$value, mean(each))
  expect_equal(cell$upper - cell$value, stats::qnorm(0.975) * stats::sd(each) / sqrt(length(each)))
})

test_that("a cohort whose age 0 is seen in part is judged by its later complete ages", {
  # weeks; the data begin on a Sunday, so the first cohort's own week is seen for one day only
  rows <- c(
    "A,1,2017-01-01,10", "A,2,2017-01-09,4", "A,3,2017-01-16,2", "A,4,2017-01-23,1",
    "B,5,2017-01-03,10", "B,6,2017-01-10,4", "B,7,2017-01-17,2", "B,8,2017-01-24,1",
    "Z,9,2017-02-05,1"
  )
  ledger <- small_ledger(
    paste(c("customer,receipt,day,amount", rows), collapse = "\n"), clock = "week"
  )
  grid <- cohort_grid(ledger, margin = 1, older_within = 0L)
  p <- cohort_payback(grid, cost = 1000)
  expect_identical(format(p$cohort[1:2]), c("2016-12-26", "2017-01-02"))
  expect_false(grid$complete[grid$cohort == p$cohort[[1L]] & grid$age == 0L])
  expect_identical(p$status[1:2], c("out of reach", "out of reach"))
  soon <- cohort_payback(grid, cost = 18) # 17 by age 4; the last three complete ages bring 2, 1, 0
  expect_identical(soon$status[1:2], c("not yet", "not yet"))
  expect_identical(soon$expected_age[[2L]], 4L + 1L)
})

test_that("where no cohort is observed through the horizon, it is said what is known", {
  # of January months 0 to 4 are over on 15 May, but for the last
  grid <- cohort_grid(paper(), margin = 0.5, older_within = 0L)
  blank <- cohort_payback(grid, 10, within = 4L)
  expect_true(all(is.na(blank$highest_cost)))
  expect_match(
    remarks(blank)$remark, "observed through month 4 .* within = 3 is the longest", all = FALSE
  )
  known <- cohort_payback(grid, 10, within = 3L)
  expect_false(is.na(known$highest_cost[[1L]]))
  expect_false(any(remarks(known)$about == "within"))
})
