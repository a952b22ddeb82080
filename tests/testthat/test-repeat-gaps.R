paper <- "customer,receipt,day,amount,shop
A,1,2024-01-01,10,Web\nA,2,2024-01-11,10,Web\nA,3,2024-02-10,10,Mill\nA,4,2024-02-10,10,Mill
B,5,2024-01-15,20,Mill\nB,6,2024-03-15,20,Web
C,7,2024-02-01,30,Web
D,8,2024-02-20,5,Mill\nD,9,2024-02-20,5,Web
E,10,2024-03-01,8,Web\nE,11,2024-03-11,-8,Web\nE,12,2024-04-10,8,Web"
columns <- column_map(
  customer = "customer", order = "receipt", date = "day", sales = "amount", channel = "shop"
)
paper_ledger <- function(..., columns_ = columns) {
  small_ledger(paper, as_of = "2024-04-30", history_start = "2024-01-01", ..., columns = columns_)
}

test_that("gaps on paper: days between purchases, 0 within a day, a return is no visit (trap)", {
  x <- purchase_gaps(paper_ledger())
  expect_identical(x$customer, c("A", "B", "C", "D", "E"))
  expect_identical(x$gaps, c(3L, 1L, 0L, 1L, 1L))
  expect_identical(x$mean_gap, c(40 / 3, 60, NA, 0, 40))
  expect_identical(x$median_gap, c(10, 60, NA, 0, 40))
  expect_identical(x$longest_gap, c(30L, 60L, NA, 0L, 40L))
  expect_equal(x$spread[[1L]], stats::sd(c(10, 30, 0)))
  expect_identical(x$visits_per_year, c(3 * 365.25 / 40, 365.25 / 60, NA, NA, 365.25 / 40))
  expect_identical(x$open_gap, c(80L, 46L, 89L, 70L, 20L))
  # trap: same-day orders read as coming back
  expect_identical(x$same_day_only, c(FALSE, FALSE, FALSE, TRUE, FALSE))
  expect_identical(all_gaps(paper_ledger())$gap, c(10L, 30L, 0L, 60L, 0L, 40L))
  expect_identical(attr(x, "basis")$median_of_gaps, 20)
  by_day <- purchase_gaps(paper_ledger(purchase_unit = "day"))
  expect_identical(by_day$gaps, c(2L, 1L, 0L, 0L, 1L))
})

test_that("the expected gap is the shrunk mean of logs, computed by an analysis of variance", {
  x <- purchase_gaps(paper_ledger())
  gaps <- all_gaps(paper_ledger())
  y <- log(gaps$gap + 1)
  table <- stats::anova(stats::lm(y ~ gaps$customer))
  n <- as.vector(table(gaps$customer))
  within <- table[["Mean Sq"]][[2L]]
  between <- (table[["Mean Sq"]][[1L]] - within) / ((sum(n) - sum(n^2) / sum(n)) / (length(n) - 1))
  m <- if (between > 0) within / between else Inf
  own <- tapply(y, gaps$customer, mean)
  w <- if (is.finite(m)) n / (n + m) else n
  grand <- sum(w * own) / sum(w)
  expected <- exp(if (is.finite(m)) (n * own + m * grand) / (n + m) else rep(grand, 4L)) - 1
  expect_equal(x$expected_gap, c(expected[1:2], exp(grand) - 1, expected[3:4]), ignore_attr = TRUE)
  expect_equal(x$overdue, x$open_gap / x$expected_gap)
  apart <- purchase_gaps(small_ledger(paste0(
    "customer,receipt,day,amount\nA,1,2024-01-01,1\nA,2,2024-01-03,1\nA,3,2024-01-05,1\nB,4,",
    "2024-01-01,1\nB,5,2024-04-01,1\nB,6,2024-07-01,1"
  )))
  # nothing varies within: everybody has a rhythm of their own
  expect_equal(apart$expected_gap, c(2, 91))
  one_each <- purchase_gaps(small_ledger(paste0(
    "customer,receipt,day,amount\nA,1,2024-01-01,1\nA,2,2024-01-03,1\nB,4,2024-01-01,1\nB,5,",
    "2024-04-01,1"
  )))
  expect_equal(one_each$expected_gap, rep(exp(mean(log(c(3, 92)))) - 1, 2L))
  nobody <- purchase_gaps(small_ledger("customer,receipt,day,amount\nA,1,2024-01-01,1"))
  expect_identical(c(nobody$expected_gap, nobody$overdue), c(NA_real_, NA_real_))
})

test_that("tails take ties along, and a slow rhythm is not a long silence", {
  x <- purchase_gaps(paper_ledger())
  expect_identical(gap_tail(x, "open_gap", 0.2)$customer, "C")
  # A visits most; of three, those with none or one slower: 0 and 33.3 %
  expect_identical(gap_tail(x, "visits_per_year", 0.34)$customer, c("B", "E"))
  expect_identical(gap_tail(x, "visits_per_year", 0.33)$customer, "B")
  expect_identical(gap_tail(x, "mean_gap", 1, least_gaps = 2)$customer, "A")
  tied <- purchase_gaps(small_ledger(paste0("customer,receipt,day,amount\n", paste0(
    LETTERS[1:6], ",", 1:6, ",2024-0", c(1, 1, 1, 2, 2, 3), "-01,1", collapse = "\n"
  ))))
  expect_identical(gap_tail(tied, "open_gap", 0.1)$customer, c("A", "B", "C"))
  worth <- gap_tail(x, "open_gap", 1, margin_rate = 0.5)
  expect_equal(attr(worth, "basis")$worth, 0.5 * 5 / 10 * mean(c(10, 20, 30, 5, 8)))
  expect_error(gap_tail(x, "gaps"), class = "nubrek_error_argument")
})

test_that(
  paste0(
    "waits on paper: periods, not yet, and customers at risk (trap: has not come back when there ",
    "was no time to)"
  ),
  {
    x <- next_purchase(paper_ledger())
    at <- function(month, wait) {
      as.data.frame(x)[
        format(x$cohort) == paste0("2024-", month, "-01") & x$waited %in% wait,
        c("customers", "at_risk")
      ]
    }
    # A in January, B in March
    expect_identical(unlist(at("01", 0)), c(customers = 1L, at_risk = 2L))
    expect_identical(unlist(at("01", 2)), c(customers = 1L, at_risk = 1L))
    expect_identical(unlist(at("03", 1)), c(customers = 1L, at_risk = 1L))
    # C, and D whose two orders fell on one day
    expect_identical(unlist(at("02", NA)), c(customers = 2L, at_risk = NA))
    expect_equal(sum(x$share_of_table), 1)
    expect_equal(as.vector(tapply(x$share_of_row, x$cohort, sum)), rep(1, 3L))
    totals <- waiting_totals(x)
    expect_identical(
      tapply(totals$customers, totals$total_of == "cohort", sum),
      tapply(rep(5L, 2L), c(FALSE, TRUE), sum)
    )
    third <- next_purchase(paper_ledger(), nth = 3L, clock = "quarter")
    expect_identical(third$customers, c(1L, 0L, 4L)[c(1, 2, 3)])
    partial <- next_purchase(small_ledger(paper, as_of = "2024-04-12", columns = columns))
    expect_true(all(is.na(
      partial$at_risk[partial$cohort == as.Date("2024-03-01") & partial$waited %in% 1L]
    )))
  }
)

test_that(
  paste0(
    "the curve is Kaplan and Meier's, its interval Greenwood's on the log-log scale, and the ",
    "log-rank test by hand"
  ),
  {
    x <- waiting_curve(paper_ledger())
    # days to the second day: A 10, B 60, E 40; C seen 89 days, D 70
    expect_identical(x$days, c(10L, 40L, 60L))
    expect_equal(x$share, 1 - c(4 / 5, 4 / 5 * 3 / 4, 4 / 5 * 3 / 4 * 2 / 3))
    expect_identical(x$at_risk, c(5L, 4L, 3L))
    stay <- 1 - x$share
    se <- sqrt(cumsum(1 / (c(5, 4, 3) * c(4, 3, 2)))) / abs(log(stay))
    expect_equal(x$lower, 1 - stay^exp(-stats::qnorm(0.975) * se))
    expect_equal(x$upper, 1 - stay^exp(stats::qnorm(0.975) * se))
    many <- kaplan_meier(1:2, c(60000L, 50000L), c(200000L, 140000L), 0.95) # beyond whole numbers
    expect_equal(many$share, 1 - c(0.7, 0.7 * 9 / 14))
    expect_false(anyNA(c(many$lower, many$upper)))
    groups <- waiting_curve(paper_ledger(), by = "first_channel")
    test <- attr(groups, "logrank")
    # Web: A 10, C 89+, E 40; Mill: B 60, D 70+. At 10: 5 at risk, 3 Web; at 40: 4, 2 Web; at 60: 3,
    # 1 Web
    expected <- 3 / 5 + 2 / 4 + 1 / 3
    variance <- 3 / 5 * 2 / 5 + 2 / 4 * 2 / 4 + 1 / 3 * 2 / 3
    expect_equal(test$chi_square, (2 - expected)^2 / variance)
    expect_equal(test$p, stats::pchisq((2 - expected)^2 / variance, 1, lower.tail = FALSE))
  }
)

test_that("purchases known from before leave a customer out of the waits", {
  people <- attribute_table(data.frame(id = "A", since = "2020-01-01"), "id", "since")
  ledger <- open_ledger(
    utils::read.csv(text = paper, colClasses = "character"),
    columns,
    meanings(first_purchase_known = "since"),
    customers = people
  )
  expect_identical(sum(next_purchase(ledger)$customers), 4L)
  expect_true(all(prove_totals(ledger)$exact))
})

test_that(
  paste0(
    "who has one purchase has no rhythm: finding and tail speak of those with two or more, and ",
    "say what they did"
  ),
  {
    ledger <- small_ledger(paste(c(
      "customer,receipt,day,amount",
      "A,1,2024-01-01,10",
      "A,2,2024-01-11,10",
      "A,3,2024-01-21,10",
      "B,4,2024-01-01,20",
      "B,5,2024-02-10,20",
      sprintf("C%02d,%d,2024-01-02,5", 1:30, 11:40),
      "D,50,2024-12-31,5"
    ), collapse = "\n"))
    gaps <- purchase_gaps(ledger)
    expect_match(
      describe(gaps)$finding,
      "Of 2\u00a0customers with two or more purchases 2 are silent",
      fixed = TRUE
    )
    expect_match(
      describe(gaps)$after[[2L]], "31\u00a0customers with one purchase have no rhythm", fixed = TRUE
    )
    expect_true(all(gap_tail(gaps, "overdue", 1)$gaps > 0L))
    silent <- gap_tail(gaps, "open_gap", 1)
    expect_match(describe(silent)$heading, "of 33.customers: inactive for longest$")
    expect_match(describe(silent)$finding, "the 2 with two purchase days or more", fixed = TRUE)
    expect_match(describe(silent)$finding, "last came 364\u00a0days ago", fixed = TRUE)
    # A comes 36.5 times a year, B 9.1
    expect_identical(gap_tail(gaps, "open_gap", 1, visits = c(5, 12))$customer, "B")
    worth <- gap_tail(gaps, "overdue", 1, margin_rate = 0.5, more = 2L, basket = 30, cost = 0.75)
    expect_equal(basis_of(worth, "worth"), 2 * 30 * 2 / 10 * 0.5 - 2 * 0.75)
    expect_identical(all_gaps(ledger)$visit, c(2L, 3L, 2L))
  }
)

test_that("waits show counts and percents with totals both ways, by customer and by day", {
  ledger <- random_ledger(4L)
  waits <- next_purchase(ledger, clock = "quarter")
  for (measure in names(wait_measures)) {
    triangle <- waiting_triangle(waits, measure)
    expect_identical(utils::tail(triangle$cohort, 1L), "all")
    figure <- ggplot2::autoplot(waits, measure = measure)
    expect_true(any(figure$data$sum))
  }
  counts <- waiting_triangle(waits, "customers")
  cells <- suppressWarnings(sapply(counts[-(1:2)], \(column) as.numeric(gsub("[ *]", "", column))))
  n <- nrow(cells)
  expect_equal(unname(colSums(cells[-n, , drop = FALSE], na.rm = TRUE)), unname(cells[n, ]))
  expect_equal(rowSums(cells, na.rm = TRUE), as.numeric(gsub(" ", "", counts$size)))
  people <- waiting_customers(ledger, clock = "quarter")
  expect_identical(sum(people$state == "not yet"), sum(waits$customers[is.na(waits$waited)]))
  expect_identical(
    as.integer(people$back - people$first)[people$state == "back"],
    as.integer(people$days[people$state == "back"])
  )
  curve <- waiting_curve(ledger)
  by_day <- shares_by_day(curve, c(0, 30, 60))
  expect_equal(by_day$share, vapply(by_day$by_day, \(d) max(c(0, curve$share[curve$days <= d])), 0))
})

test_that("the last place of a triangle of waits is that of the last cohort, on paper", {
  # A waits a month, B none, C is not back; D of February waits a month, E is not back
  ledger <- small_ledger(
    "customer,receipt,day,amount
    A,1,2024-01-05,10
    A,2,2024-02-06,10
    B,3,2024-01-05,10
    B,4,2024-01-09,10
    C,5,2024-01-05,10
    D,6,2024-02-05,10
    D,7,2024-03-20,10
    E,8,2024-02-07,10"
  )
  waits <- next_purchase(ledger, clock = "month")
  expect_identical(as.data.frame(waiting_triangle(waits, "customers")), as.data.frame(as_cells(list(
    cohort = c("2024-01", "2024-02", "all"), size = c("3", "2", "5"),
    `not yet` = c("1", "1", "2"), `0` = c("1", "0", "1"), `1` = c("1", "1*", "2"),
    `2` = c("0*", "", "0")
  ))))
  column <- waiting_triangle(waits, "share_of_column")
  expect_identical(column$`not yet`, c("50", "50", "100"))
  expect_identical(column$`1`, c("50", "50*", "100"))
})

test_that("where nobody's first purchase lies in the data, waits are empty tables and not errors", {
  ledger <- small_ledger(
    "customer,receipt,day,amount\nA,1,2024-01-05,10\nA,2,2024-03-05,10",
    history_start = "2024-02-01"
  )
  expect_identical(nrow(next_purchase(ledger)), 0L)
  expect_identical(nrow(waiting_totals(next_purchase(ledger))), 0L)
  expect_no_warning(curve <- waiting_curve(ledger))
  expect_identical(
    names(shares_by_day(curve)), c("group", "by_day", "share", "lower", "upper", "at_risk")
  )
})
