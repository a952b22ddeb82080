test_that("the repeat rate of the example, by hand", {
  rate <- repeat_rate(example_ledger())
  expect_identical(c(rate$customers, rate$repeat_customers, rate$same_day_only), c(12L, 7L, 1L))
  # Wilson: p = 7/12, z = 1.959964: (p + z^2/24 +- z sqrt(p(1-p)/12 + z^2/576)) / (1 + z^2/12)
  expect_equal(
    c(rate$rate, rate$lower, rate$upper), c(7 / 12, 0.3195113, 0.8067397), tolerance = 1e-6
  )
  # repeat customers P01 115.50, P03 65, P04 22, P05 220, P07 60, P09 109.20, P11 68; one-time the
  # rest
  expect_equal(
    c(rate$sales_repeat, rate$sales_one_time, rate$sales_no_purchase), c(659.70, 227.64, 0)
  )
  expect_equal(c(rate$sales_first, rate$sales_later, rate$sales_outside), c(479.84, 425.50, -18))
})

test_both(
  "missing attributes are a group, and nobody is lost (trap: customers vanish from a breakdown)",
  {
    for (seed in worlds(1:2, 1:10)) {
      ledger <- random_ledger(seed)
      all <- repeat_rate(ledger)
      by <- repeat_rate(ledger, by = "first_channel")
      for (name in c("customers", "repeat_customers", "sales", "sales_first", "sales_outside")) {
        expect_equal(sum(by[[name]]), all[[name]], label = paste(seed, name))
      }
      expect_true("(missing)" %in% by$first_channel)
    }
  }
)

test_that("intervals stay within 0 and 1 and hold their level", {
  edge <- share_interval(c(0, 5, 0), c(5, 5, 0))
  expect_identical(edge$lower[1:2] >= 0 & edge$upper[1:2] <= 1, c(TRUE, TRUE))
  expect_identical(edge$rate[[3L]], NA_real_)
  expect_identical(c(edge$lower[[1L]], edge$upper[[2L]]), c(0, 1))
  n <- 40
  p <- 0.3
  interval <- share_interval(0:n, rep(n, n + 1))
  expect_gt(sum(dbinom(0:n, n, p)[interval$lower <= p & p <= interval$upper]), 0.93)
})

test_that("order counts are a full distribution, folded on request", {
  counts <- order_counts(example_ledger())
  expect_identical(counts$purchases, 1:4)
  expect_identical(counts$customers, c(5L, 4L, 1L, 2L))
  folded <- order_counts(example_ledger(), fold_from = 3)
  expect_identical(folded$customers, c(5L, 4L, 3L))
  expect_equal(folded$cumulative_share, c(5, 9, 12) / 12)
  expect_s3_class(counts[counts$purchases > 1L, ], "nubrek_counts")
  expect_false(inherits(counts[, "share", drop = FALSE], "nubrek_counts"))
})

test_that("groups that are seen for different times are compared by day 90, with a test", {
  set.seed(31)
  # both stores' customers come back alike; the old store closed three years ago, the new one is new
  shop <- \(name, n, from, until) {
    first <- as.Date(from) + sample(as.integer(as.Date(until) - as.Date(from)), n, TRUE)
    again <- first + 1L + sample(700L, n, TRUE)
    back <- stats::runif(n) < 0.8 & again <= as.Date("2024-12-31")
    who <- sprintf("%s%04d", name, seq_len(n))
    data.frame(who = c(who, who[back]), day = c(first, again[back]), shop = name, paid = 10)
  }
  rows <- rbind(
    shop("old", 900L, "2021-01-01", "2022-01-01"), shop("new", 900L, "2024-05-01", "2024-09-15")
  )
  ledger <- open_ledger(
    rows, column_map("who", "day", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", history_start = "2021-01-01", as_of = "2024-12-31")
  )
  x <- repeat_rate(ledger, "first_channel")
  expect_gt(x$rate[x$first_channel == "old"], 1.8 * x$rate[x$first_channel == "new"])
  expect_gt(basis_of(x, "differ"), 0.05)
  expect_match(describe(x)$finding, "not statistically significant")
  expect_no_match(describe(x)$finding, "old|new")
  # everybody is seen for 90 days, so that the share is a plain one
  first <- tapply(rows$day, rows$who, min)
  last <- tapply(rows$day, rows$who, max)
  early <- last > first & last - first <= 90
  expect_equal(x$by_90, as.vector(tapply(early, substr(names(first), 1, 3), mean))[
    match(x$first_channel, c("new", "old"))
  ])
  # one store whose customers come back twice as soon
  fast <- shop("fst", 900L, "2023-01-01", "2024-01-01")
  at <- match(fast$who, fast$who)
  fast$day <- fast$day[at] + as.integer(fast$day - fast$day[at]) %/% 3L
  ledger <- open_ledger(
    rbind(rows, fast), column_map("who", "day", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", history_start = "2021-01-01", as_of = "2024-12-31")
  )
  x <- repeat_rate(ledger, "first_channel")
  expect_match(describe(x)$finding, "of \u201cfst\u201d .* bought again, and .*p < 0.001")
  # with a period the rates are those of the period, and nothing is compared
  x <- repeat_rate(ledger, "first_channel", during = "2024")
  expect_true(all(is.na(x$by_90)))
})
