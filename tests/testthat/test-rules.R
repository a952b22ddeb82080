# Rules of the page of definitions, by their numbers, each on paper: the function that is the rule,
# without a ledger around it.

test_that("2: a row is set aside once, under the first reason that holds", {
  faults <- stats::setNames(
    rep(list(integer()), length(set_aside_reasons)), set_aside_reasons
  )
  faults[["no date"]] <- c(2L, 5L)
  faults$duplicate <- 5L
  faults[["excluded id"]] <- c(1L, 2L)
  expect_identical(
    first_faults(faults),
    list(rows = c(1L, 2L, 5L), reason = c("excluded id", "no date", "duplicate"))
  )
})

test_that("5: money is rounded once, half to even, at the end of a line's own arithmetic", {
  units <- \(first, second, arithmetic, off = list(), rate = character()) cpp_minor_units(
    list(first = first, second = second, arithmetic = arithmetic, off = off, rate = rate), 2L, "."
  )$units
  # 3 x 0.335 = 1.005 and 3 x 0.345 = 1.035: to the even cent
  expect_identical(units(c("3", "3"), c("0.335", "0.345"), "times"), c(100, 104))
  # 10 - 0.125 - 0.120 = 9.755, not 9.88 - 0.12
  expect_identical(units("10", "0.125", "minus", off = list("0.120")), 976)
  # blank is nothing to take off; a rate comes last: (2.5 - 0) x 0.83 = 2.075
  expect_identical(units("2.5", "0", "minus", off = list(""), rate = "0.83"), 208)
})

test_that("11: aliases are followed to their main id; a circle is an error", {
  table <- data.frame(id = c("a", "b"), main = c("b", "c"))
  lookup <- alias_lookup(attribute_table(table, "id", c(same_as = "main")))
  expect_identical(resolve_aliases(c("a", "b", "c", "d"), lookup), c("c", "c", "c", "d"))
  circle <- data.frame(id = c("a", "b"), main = c("b", "a"))
  expect_error(
    alias_lookup(attribute_table(circle, "id", c(same_as = "main"))),
    class = "nubrek_error_aliases"
  )
})

test_that("19: first and later, one-time and repeat each have a third part", {
  m <- data.table(
    purchases = c(0L, 1L, 3L),
    purchase_days = c(0L, 1L, 1L),
    sales = c(-500, 1500, 9000),
    first = c(0, 2000, 4000),
    inside = c(0, 2000, 9500)
  )
  got <- rate_sums(m, NULL)
  expect_identical(
    c(got$sales_no_purchase, got$sales_one_time, got$sales_repeat), c(-500, 1500, 9000)
  )
  expect_identical(c(got$sales_first, got$sales_later, got$sales_outside), c(6000, 5500, -1500))
  expect_identical(got$sales, got$sales_first + got$sales_later + got$sales_outside)
  expect_identical(c(got$customers, got$repeat_customers, got$same_day_only), c(2L, 1L, 1L))
  expect_identical(c(got$of_repeat, got$of_later), c(3L, 2L))
})

test_that("22: the expected gap is drawn towards the common mean, on logs of gap + 1", {
  g <- data.frame(gaps = c(0L, 1L, 3L), log_sum = c(0, log(11), 3 * log(5)))
  rhythm <- list(m = 2, mean = log(30))
  expect_equal(expected_gaps(g, rhythm), c(
    29, exp((log(11) + 2 * log(30)) / 3) - 1, exp((3 * log(5) + 2 * log(30)) / 5) - 1
  ))
  expect_equal(expected_gaps(g, list(m = Inf, mean = log(30))), rep(29, 3))
})

test_that("23: intervals of shares are Wilson's, within 0 and 1", {
  # 3 of 10, worked with z = 1.959964: (0.3 + 0.19207) / 1.38415 -+ ...
  got <- share_interval(c(3, 0, 10, 0), c(10, 10, 10, 0))
  expect_equal(got$rate, c(0.3, 0, 1, NA))
  expect_equal(got$lower, c(0.10779, 0, 0.72247, NA), tolerance = 1e-4)
  expect_equal(got$upper, c(0.60322, 0.27753, 1, NA), tolerance = 1e-4)
})

test_that("28: elapsed ages are months by anniversary, weeks of seven days", {
  age <- \(start, day, clock) elapsed_age(as.integer(as.Date(start)), as.Date(day), clock)
  expect_equal(age("2024-01-31", "2024-02-28", "month"), 0)
  expect_equal(age("2024-01-31", "2024-02-29", "month"), 1) # the last of February
  expect_equal(age("2023-01-31", "2023-02-28", "month"), 1)
  expect_equal(age("2024-01-15", "2024-04-14", "quarter"), 0)
  expect_equal(age("2024-01-15", "2024-04-15", "quarter"), 1)
  expect_equal(age("2024-02-29", "2025-02-28", "year"), 1)
  expect_equal(age("2024-01-01", "2024-01-14", "week"), 1)
})

test_that("32: top n is rank up to n, a top percent keeps whole ties, in millionths", {
  expect_identical(within_edge(c(1, 2, 2, 4), 2, "customers"), c(TRUE, TRUE, TRUE, FALSE))
  expect_identical(within_edge(c(1, 2, 2, 4), NULL, "customers"), rep(TRUE, 4))
  # 30 % of ten: ranks 1 to 3, and whoever shares the third
  expect_identical(within_edge(c(1, 3, 3, 4), 30, "percent", 10), c(TRUE, TRUE, TRUE, FALSE))
  expect_identical(within_edge(4:5, 33.3, "percent", 10), c(TRUE, FALSE)) # 3 < 3.33 < 4
})

test_that("33: bands are 1 + (bands x strictly worse) div n; equal customers share one", {
  got <- band_by_rank(c(10, 20, 20, 40, 50), 5L, "frequency", NULL)
  expect_identical(got$band, c(1L, 2L, 2L, 4L, 5L))
  recency <- band_by_rank(c(0, 5, 5, 90, 100), 5L, "recency", NULL)
  expect_identical(recency$band, c(5L, 3L, 3L, 2L, 1L)) # fewer days are better
  expect_identical(band_by_limits(c(5, 10, 11), c(10, 20), "frequency")$band, c(1L, 2L, 2L))
  expect_identical(band_by_limits(c(5, 10, 30), c(10, 20), "recency")$band, c(3L, 3L, 1L))
})

test_that("36: a percent change is left out below its base", {
  now <- list(units = c(300, 50, 10), orders = c(3L, 1L, 1L), customers = c(3L, 1L, 1L))
  then <- list(units = c(200, 40, 0), orders = c(2L, 1L, 0L), customers = c(30L, 29L, 30L))
  ledger <- list(decimals = 0L)
  got <- sales_change(ledger, now, then, 30L)
  expect_identical(got$change_percent, c(0.5, NA, NA)) # 29 customers; no sales before
  expect_identical(got$share_of_growth, c(100, 10, 10) / 120)
  expect_identical(got$rank_before, c(1L, 2L, NA))
  expect_identical(got$rank_change, c(0L, 0L, NA))
})

test_that("37: the discount of a period is that part of a year's", {
  expect_equal(period_discount(0.1, "year"), 0.1)
  expect_equal((1 + period_discount(0.1, "month"))^12, 1.1)
  expect_equal((1 + period_discount(0.1, "week"))^(365.25 / 7), 1.1)
  expect_equal(continuous_rate(0.1, "year"), log(1.1))
})

test_that("39: a text cell that would be a formula gets a leading mark in CSV, numbers stay", {
  cells <- c("=1+1", "+a", "-b", "@c", "\tx", "plain", "a=b")
  expect_identical(safe_cell(cells), c("'=1+1", "'+a", "'-b", "'@c", "'\tx", "plain", "a=b"))
  expect_identical(safe_cell(-3.5), -3.5)
})

test_that("groups keep of their distance what their sampling leaves sure", {
  expect_identical(kept_of(5, 1), 0) # one group has no distance
  expect_identical(kept_of(c(1, 9), c(0, 0)), c(1, 1))
  expect_identical(kept_of(c(4, 4), c(1, 1)), c(0, 0)) # no spread beyond chance
  kept <- kept_of(c(0, 10, 20), c(1, 1, 50))
  expect_gt(kept[[1L]], 0.9)
  expect_lt(kept[[3L]], kept[[1L]])
})

test_that("33: customers in bands of unequal numbers have the code and the group of their bands", {
  limits <- list(recency = 100, frequency = c(2, 3, 4), monetary = c(20, 60))
  scores <- score_rfm(example_ledger(), cuts = limits)
  expect_identical(basis_of(scores, "bands"), c(recency = 2L, frequency = 4L, monetary = 3L))
  expect_true(all(table(scores$frequency_band) > 0L) && all(table(scores$recency_band) > 0L))
  expect_identical(
    scores$code, paste0(scores$recency_band, scores$frequency_band, scores$monetary_band)
  )
  expect_equal(scores$index, 100 / 3 * (
    (scores$recency_band - 1) + (scores$frequency_band - 1) / 3 + (scores$monetary_band - 1) / 2
  ))
})

test_that("34: a tier takes every rank with (rank - 1) x 100 < edge x n", {
  # of ten, 25 %: ranks 1 to 3, since 2 x 100 < 25 x 10; of 20 %: 1 and 2, since 200 is not < 200
  expect_identical(tier_by_share(1:10, c(25, 75)), rep(1:2, c(3L, 7L)))
  expect_identical(tier_by_share(1:10, c(20, 80)), rep(1:2, c(2L, 8L)))
  expect_identical(tier_by_share(1L, c(1, 99)), 1L)
  expect_identical(tier_by_share(c(1L, 2L, 2L, 2L), c(50, 25, 25)), c(1L, 1L, 1L, 1L))
  expect_identical(tier_by_share(1:3, c(0, 34, 66)), c(2L, 2L, 3L))
  expect_identical(tier_by_threshold(c(10, 9.99, 5), c(a = 10, b = 5)), c(1L, 2L, 2L))
})

test_that("5: as many amounts for the point as for the comma mean the point", {
  mark <- \(...) detect_decimal_mark(list(factor(c(...))), "detect")
  expect_identical(mark("1.5", "2,5"), ".")
  expect_identical(mark("1.5", "2,5", "3,5"), ",")
  expect_identical(mark("1", "2"), ".")
  expect_identical(detect_decimal_mark(list(factor("1.5")), ","), ",")
  expect_error(mark("1,234"), class = "nubrek_error_amounts")
})

test_that("12: a spreadsheet's day 45292 is 1 January 2024, its fraction the time of day", {
  got <- read_serial(c("45292", "45292.5", " 60000 ", "4529", "x", NA))
  expect_identical(
    got$day, as.integer(as.Date(c("2024-01-01", "2024-01-01", "2064-04-08", NA, NA, NA)))
  )
  expect_identical(got$seconds[1:3], c(0, 43200, 0))
  expect_true(looks_serial(rep(c("45292", ""), 5L)))
  expect_false(looks_serial(c(rep("45292", 9L), "x"))) # nine of ten are not enough
  expect_false(looks_serial(character()))
})

test_that("41: what is divided by nothing is unknown, whichever side of an or it stands on", {
  ledger <- example_ledger()
  once <- customers(ledger)$customer[customers(ledger)$purchases == 1L]
  often <- setdiff(customers(ledger)$customer[customers(ledger)$purchases > 1L], once)
  per_gap <- audience(ledger, sales / (purchases - 1) > 0)
  expect_setequal(per_gap$customer, often)
  expect_identical(utils::tail(audience_course(per_gap)$cannot_be_told, 1L), length(once))
  expect_setequal(audience(ledger, !(sales / (purchases - 1) > 0))$customer, character())
  expect_setequal(
    audience(ledger, sales / (purchases - 1) > 0 | purchases == 1)$customer, c(often, once)
  )
})

test_that("a word is hinted at within two letters, or a third of a long one, the nearest first", {
  known <- c("sales", "share", "purchases", "Europe/Vienna", "channel")
  expect_identical(nearest_word("salse", known), "sales")
  expect_identical(nearest_word("shale", known), "share")
  expect_identical(nearest_word("vienna", known), "Europe/Vienna")
  expect_identical(nearest_word("pur", known), "purchases")
  expect_identical(nearest_word("shop", known), "channel") # the word that is used here
  expect_identical(nearest_word("purchaxxx", known), "purchases") # three of nine letters
  expect_null(nearest_word("puxxxaxxx", known))
  expect_null(nearest_word("zz", known))
  expect_null(nearest_hint("sale", character()))
  expect_null(nearest_hint(c("sale", "share"), known))
})

test_that("66: periods of the calendar, of the fiscal year, and those that move on", {
  ledger <- small_ledger(
    "customer,receipt,day,amount\nA,1,2022-01-10,5\nA,2,2024-05-17,5", fiscal_start = 4L
  )
  cases <- utils::read.csv(text = "
period,from,until
2024,2024-01-01,2024-12-31
2023 Q2,2023-04-01,2023-06-30
2023 H1,2023-01-01,2023-06-30
2023 H2,2023-07-01,2023-12-31
2024-02,2024-02-01,2024-02-29
2024-W01,2024-01-01,2024-01-07
2023-W52,2023-12-25,2023-12-31
FY 2024,2023-04-01,2024-03-31
fy 2024 q1,2023-04-01,2023-06-30
FY 2024 H2,2023-10-01,2024-03-31
last 30 days,2024-04-18,2024-05-17
last day,2024-05-17,2024-05-17
last 2 weeks,2024-04-29,2024-05-12
last month,2024-04-01,2024-04-30
last 12 months,2023-05-01,2024-04-30
last quarter,2024-01-01,2024-03-31
last year,2023-01-01,2023-12-31
Year to date,2024-01-01,2024-05-17
fiscal year to date,2024-04-01,2024-05-17")
  for (i in seq_len(nrow(cases))) {
    got <- read_during(cases$period[[i]], ledger)$asked
    expect_identical(
      format(got), unlist(cases[i, 2:3], use.names = FALSE), label = cases$period[[i]]
    )
  }
  # a month that ends on the as-of day is over
  whole <- small_ledger("customer,receipt,day,amount\nA,1,2024-01-10,5\nA,2,2024-04-30,5")
  expect_identical(format(read_during("last month", whole)$asked), c("2024-04-01", "2024-04-30"))
  # without a fiscal start the fiscal year is the calendar's
  expect_identical(format(read_during("FY 2024", whole)$asked), c("2024-01-01", "2024-12-31"))
  span <- read_during(c("2024-02-01", "2024-02-29"), ledger)
  before <- earlier_span("same period last year", span, ledger)
  expect_identical(format(c(before$from, before$until)), c("2023-02-01", "2023-02-28"))
  wrong <- c(
    "2024 Q5", "2024-13", "2024-W60", "2023-W53", "FY 2024-05", "last 0 days", "soon",
    "last fortnight", "24", "2024 Q"
  )
  for (none in wrong) {
    expect_error(read_during(none, ledger), class = "nubrek_error_argument", label = none)
  }
  expect_error(read_during("yera to date", ledger), "year to date", class = "nubrek_error_argument")
  # the same reader in rules and in a breakdown
  expect_identical(audience(ledger, purchases(during = "last 30 days") == 1)$customer, "A")
  expect_identical(sum(sales_by(ledger, "cohort", during = "fiscal year to date")$sales), 5)
})

test_that("a rule that cannot be read names the words there are, and how a text becomes a number", {
  ledger <- example_ledger()
  expect_error(audience(ledger, purchasess(channel == "Web") > 0), "Words are .*purchases.*bought")
  expect_error(audience(ledger, first_channel > 3), "number_of\\(first_channel\\)")
})

test_that("an audit of several files says what became of all rows before each file", {
  folder <- withr::local_tempdir()
  put <- \(name, rows) writeLines(c("who,day,paid,coin", rows), file.path(folder, name))
  put("a.csv", c("A,2024-01-05,5,EUR", "B,2024-02-05,7,EUR", "B,2024-02-06,7,SEK"))
  put("b.csv", c(",2024-01-05,5,EUR", ",2024-02-05,7,EUR"))
  ledger <- open_ledger(
    file.path(folder, c("a.csv", "b.csv")),
    column_map("who", "day", sales = "paid", currency = "coin"), meanings(currency = "EUR")
  )
  told <- describe(audit(ledger))
  expect_match(told$finding, "Every row of \u201cb.csv\u201d is excluded: no customer[.]")
  expect_match(told$finding, "Every row in SEK is excluded: foreign currency[.]")
  expect_identical(told$table$file[1:3], rep("all files", 3L))
  expect_identical(
    told$table$rows[match(c("kept", "no customer", "foreign currency"), told$table$reason)],
    c(2L, 2L, 1L)
  )
  expect_identical(nrow(audit(ledger)), 3L) # the result itself is by file
  one <- open_ledger(file.path(folder, "a.csv"), column_map("who", "day", sales = "paid",
    currency = "coin"), meanings(currency = "EUR"))
  expect_null(describe(audit(one))$table)
})
