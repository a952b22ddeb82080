paper <- "customer,receipt,day,amount,shop,good
A,1,2024-01-05,10,Web,Yarn\nA,2,2024-02-05,10,Mill,Kits\nA,3,2024-05-05,10,Web,Yarn
B,4,2024-02-10,20,Web,Kits\nB,5,2024-03-10,20,Web,Yarn\nB,6,2024-03-20,-5,Web,Yarn
C,7,2024-03-01,30,Mill,Yarn\nC,8,2024-04-15,-4,Mill,Yarn
D,9,2024-03-02,6,Web,Yarn\nD,9,2024-03-02,-7,Web,Kits\nD,10,2024-05-02,9,Web,Yarn"
columns <- column_map(
  customer = "customer", order = "receipt", date = "day", sales = "amount", channel = "shop",
  category = "good"
)
paper_ledger <- function(...) {
  small_ledger(paper, as_of = "2024-05-31", history_start = "2024-01-01", ..., columns = columns)
}
counts_of <- function(x) as.data.frame(x)[c("new", "returning", "reactivated")]

test_that("new, returning and reactivated on paper, with look-backs in periods and in days", {
  x <- new_returning(paper_ledger())
  expect_identical(x$new, c(1L, 1L, 1L, 0L, 1L)) # D's first order is worth nothing
  expect_identical(x$returning, c(0L, 1L, 1L, 0L, 1L))
  expect_identical(x$sales_new, c(10, 20, 30, 0, 9))
  # B's return is of a month with a purchase
  expect_identical(x$sales_returning, c(0, 10, 15, 0, 10))
  expect_identical(x$sales_not_active, c(0, 0, -1, -4, 0))
  expect_false(any(x$reactivation_possible))
  one <- new_returning(paper_ledger(), lookback = 1)
  expect_identical(counts_of(one)$reactivated, c(0L, 0L, 0L, 0L, 1L))
  expect_identical(one$reactivation_possible, c(FALSE, FALSE, TRUE, TRUE, TRUE))
  expect_identical(
    new_returning(paper_ledger(), lookback = 1, new_again = TRUE)$new_again, c(1L, 1L, 1L, 0L, 2L)
  )
  expect_identical(
    new_returning(paper_ledger(), lookback = 90, unit = "days")$reactivated, c(0L, 0L, 0L, 0L, 0L)
  ) # 5 Feb to 5 May is 90 days
  expect_identical(
    new_returning(paper_ledger(), lookback = 89, unit = "days")$reactivated, c(0L, 0L, 0L, 0L, 1L)
  )
})

test_that(
  paste0(
    "a filter says what counts as history (trap: a product filter silently changes what returning ",
    "means)"
  ),
  {
    within <- new_returning(paper_ledger(), lines = list(category = "Yarn"))
    expect_identical(counts_of(within), data.frame(
      new = c(1L, 0L, 3L, 0L, 0L), returning = c(0L, 0L, 0L, 0L, 2L), reactivated = rep(0L, 5L)
    )) # D's yarn in March counts inside
    any <- new_returning(paper_ledger(), lines = list(category = "Yarn"), scope = "any")
    # B bought kits before; D's order was worth nothing in all, so D is new again in May
    expect_identical(any$new, c(1L, 0L, 2L, 0L, 1L))
    expect_identical(any$returning, c(0L, 0L, 1L, 0L, 1L))
    expect_match(paste(remarks(within)$remark, collapse = " "), "inside the filter")
    beside <- new_returning(paper_ledger(), by = "channel")
    expect_identical(unique(beside$channel), c("Mill", "Web"))
    expect_identical(beside$new[beside$channel == "Mill"], c(0L, 1L, 1L, 0L, 0L))
    expect_identical(sum(beside$sales_new, beside$sales_returning, beside$sales_not_active), 99)
    expect_error(
      new_returning(paper_ledger(), lines = list(category = "Felt")), class = "nubrek_error_value"
    )
    expect_error(new_returning(paper_ledger(), by = "colour"), class = "nubrek_error_columns")
  }
)

test_that("customers by period add up, and thresholds leave the totals alone", {
  x <- customer_periods(paper_ledger())
  expect_identical(sum(x$sales), 99)
  expect_identical(x$purchases[x$customer == "B"], c(1L, 1L))
  expect_identical(x$sales[x$customer == "D"], c(-1, 9))
  some <- customer_periods(paper_ledger(), at_least = c(sales = 15))
  expect_identical(some$customer, c("B", "B", "C"))
  expect_identical(some$sales_of_customer, c(35, 35, 26))
  expect_identical(some$sales_of_period, c(30, 44, 44))
  expect_error(
    customer_periods(paper_ledger(), at_least = c(money = 3)), class = "nubrek_error_argument"
  )
  people <- customers(paper_ledger(), at_least = c(purchases = 2), within = "first_channel")
  expect_identical(people$customer, c("A", "B")) # of D's two orders one is worth nothing
  expect_identical(people$sales_of_group, c(73, 73))
  expect_identical(people$customers_of_group, c(3L, 3L))
  expect_equal(people$share_of_group, c(30, 35) / 73)
})

test_that(
  paste0(
    "sales by attribute, and against an earlier time (traps: growth on a tiny base, this year so ",
    "far against the whole last year)"
  ),
  {
    x <- sales_by(paper_ledger(), "category")
    expect_identical(x$category, c("Yarn", "Kits"))
    expect_identical(x$sales, c(76, 23))
    expect_identical(x$customers, c(4L, 2L)) # D only brought kits back (definition 16)
    expect_identical(x$purchases, c(6L, 2L)) # returns and D's kits are none
    expect_equal(x$mean_sales, c(76 / 6, 23 / 2))
    expect_equal(x$running_share, c(76, 99) / 99)
    y <- sales_by(
      paper_ledger(),
      "first_channel",
      during = c("2024-03-01", "2024-05-31"),
      against = c("2024-01-01", "2024-02-29"),
      least_base = 2L
    )
    expect_identical(y$first_channel, c("Web", "Mill"))
    expect_identical(y$sales, c(33, 26))
    expect_identical(y$sales_before, c(40, 0))
    expect_identical(y$change, c(-7, 26))
    expect_equal(y$change_percent, c(-7 / 40, NA))
    expect_equal(y$share_of_growth, c(-7, 26) / 19)
    expect_true(all(is.na(
      sales_by(paper_ledger(), "channel", during = "2024-03", against = "2024-02")$change_percent
    )))
    years <- small_ledger(paste0(
      "customer,receipt,day,amount\nA,1,2023-02-01,5\nA,2,2023-11-01,50\nA,3,2024-02-01,6\nA,4,",
      "2024-03-10,7"
    ), as_of = "2024-03-10")
    so_far <- sales_by(years, "cohort", during = "2024", against = "2023", least_base = 0L)
    expect_identical(c(so_far$sales, so_far$sales_before), c(13, 5))
    expect_match(paste(remarks(so_far)$remark, collapse = " "), "10 Mar 2023, to the same day")
    expect_identical(
      sales_by(
        years, "cohort", during = c("2024-02-01", "2024-02-29"), against = "year before"
      )$sales_before,
      5
    )
    for (wrong in list("soon", "2024 Q5", c("2024-03-01", "2024-01-01"), "2031")) {
      expect_error(
        sales_by(paper_ledger(), "channel", during = wrong), class = "nubrek_error_argument"
      )
    }
    expect_error(
      sales_by(paper_ledger(), "channel", during = "2024-01", against = "2024-03"),
      class = "nubrek_error_argument"
    )
  }
)

test_that("a part of time counts only what is in it", {
  x <- repeat_rate(paper_ledger(), during = "2024 Q1")
  expect_identical(c(x$customers, x$repeat_customers), c(3L, 2L))
  expect_identical(
    order_counts(paper_ledger(), during = c("2024-04-01", "2024-05-31"))$customers, 2L
  )
  by <- repeat_rate(paper_ledger(), by = "first_channel", during = "2024-05")
  expect_identical(by$customers[by$first_channel == "Web"], 2L)
  all <- repeat_rate(paper_ledger())
  expect_equal(
    c(all$mean_repeat, all$mean_one_time, all$mean_later),
    c((30 + 35) / 5, (26 + 8) / 2, (10 + 10 + 20) / 3)
  )
})

test_both("the passes agree with slow ones on random ledgers", {
  for (seed in worlds(1:4, 1:25)) {
    ledger <- random_ledger(
      seed,
      purchase_unit = c("order", "day")[[1L + seed %% 2L]],
      history_start = if (seed %% 5L == 0L) "2024-05-05"
    )
    bought <- data.frame(customer = ledger$purchases$customer, day = ledger$purchases$day)
    month <- \(day) format(as.Date(day, origin = "1970-01-01"), "%Y-%m-01")
    lookback <- seed %% 4L
    x <- new_returning(ledger, lookback = lookback)
    for (i in sample(nrow(x), min(6L, nrow(x)))) {
      here <- unique(bought$customer[month(bought$day) == format(x$period[[i]])])
      kind <- vapply(
        here,
        \(id) {
          days <- bought$day[bought$customer == id & month(bought$day) < format(x$period[[i]])]
          known <- ledger$known_first[[id]]
          if (length(days) == 0L && is.na(known)) return("new")
          # known from before: as if of the first day
          last <- month(if (length(days) > 0L) max(days) else ledger$history_start)
          if (length(seq(as.Date(last), x$period[[i]], "month")) - 1L <= lookback) {
            "returning"
          } else {
            "reactivated"
          }
        },
        ""
      )
      expect_identical(
        c(x$new[[i]], x$returning[[i]], x$reactivated[[i]]),
        as.vector(table(factor(kind, c("new", "returning", "reactivated")))),
        label = paste("seed", seed, i)
      )
    }
    g <- purchase_gaps(ledger)
    mine <- split(bought$day, ledger$ids[bought$customer])
    expect_equal(
      g$mean_gap,
      vapply(mine[g$customer], \(d) if (length(d) > 1L) mean(diff(d)) else NA_real_, 0),
      ignore_attr = TRUE
    )
    expect_equal(
      g$median_gap,
      vapply(mine[g$customer], \(d) if (length(d) > 1L) stats::median(diff(d)) else NA_real_, 0),
      ignore_attr = TRUE
    )
  }
})

test_both("the orders behind waits and sales add up to them", {
  ledger <- paper_ledger()
  waits <- next_purchase(ledger)
  for (i in which(waits$customers > 0L)) {
    rows <- rows_behind(waits, ledger, cohort = waits$cohort[[i]], waited = waits$waited[[i]])
    expect_identical(length(unique(rows$customer)), waits$customers[[i]])
  }
  sales <- sales_by(ledger, "first_channel", during = c("2024-02-01", "2024-05-31"))
  for (i in seq_len(nrow(sales))) {
    expect_identical(
      sum(rows_behind(sales, ledger, first_channel = sales$first_channel[[i]])$sales),
      sales$sales[[i]]
    )
  }
  expect_identical(nrow(rows_behind(sales_by(ledger, "category"), ledger, category = "Kits")), 3L)
  for (seed in worlds(1:3, 1:12)) {
    random <- random_ledger(seed, history_start = if (seed %% 3L == 0L) "2024-05-05")
    filter <- if (seed %% 2L) list() else list(channel = "Mill")
    new <- new_returning(
      random,
      "quarter",
      lookback = if (seed %% 4L) seed %% 4L,
      unit = if (seed %% 5L) "periods" else "days",
      lines = filter,
      scope = if (seed %% 3L) "any" else "within"
    )
    for (kind in c("new", "returning", "reactivated")) {
      for (i in seq_len(nrow(new))) {
        rows <- rows_behind(new, random, period = new$period[[i]], kind = kind)
        expect_identical(
          length(unique(rows$customer)), new[[kind]][[i]], label = paste("seed", seed, kind, i)
        )
        expect_equal(
          sum(rows$sales), new[[paste0("sales_", kind)]][[i]], label = paste("seed", seed, kind, i)
        )
      }
    }
  }
  gaps <- purchase_gaps(ledger)
  expect_identical(unique(rows_behind(gap_tail(gaps, "open_gap", 0.2), ledger)$customer), "C")
})
