# Months of `n` new customers, who come back at rates of their own and leave; one cohort may be
# planted as better.
made_world <- function(seed, months = 14L, n = 250L, planted = 0L, times = 1) {
  set.seed(seed)
  cohort <- rep(seq_len(months), each = n)
  rate <- rgamma(months * n, 1, 1 / 0.35) * ifelse(cohort == planted, times, 1)
  life <- rgeom(months * n, 0.08)
  rows <- do.call(
    rbind,
    lapply(seq_len(months) - 1L, \(age) {
      k <- if (age == 0L) {
        rep(1L, months * n)
      } else {
        ifelse(life >= age & cohort + age <= months, rpois(months * n, rate), 0L)
      }
      who <- rep(seq_along(k), k)
      data.frame(customer = who, month = cohort[who] + age)
    })
  )
  day <- as.Date(sprintf(
    "%d-%02d-%02d",
    2024L + (rows$month - 1L) %/% 12L,
    (rows$month - 1L) %% 12L + 1L,
    sample(28L, nrow(rows), TRUE)
  ))
  open_ledger(
    data.frame(
      customer = rows$customer,
      order = seq_len(nrow(rows)),
      day = day,
      sales = round(exp(rnorm(nrow(rows), 3, 0.7)), 2)
    ),
    column_map("customer", "day", order = "order", sales = "sales"),
    meanings(currency = "EUR", history_start = "2024-01-01", as_of = "2025-02-28")
  )
}

test_that(
  paste0(
    "where nothing differs almost nothing is called better or worse, and 95 % intervals miss ",
    "about 5 %"
  ),
  {
    grids <- lapply(1:10, \(seed) cohort_grid(made_world(seed), older_within = 0L, margin = 0.5))
    for (measure in names(usual_measures)) {
      found <- do.call(rbind, lapply(grids, \(g) as.data.frame(against_usual(g, measure))))
      missed <- mean(found$lower > 0 | found$upper < 0)
      expect_lt(missed, 0.10, label = measure)
      expect_gt(missed, 0.005, label = measure)
      expect_lt(mean(found$verdict %in% c("better", "worse")), 0.02, label = measure)
    }
  }
)

test_that("a cohort planted as better is found, in shares and in money", {
  found <- lapply(
    11:16,
    \(seed) against_usual(cohort_grid(made_world(seed, planted = 9L, times = 2), older_within = 0L))
  )
  hit <- \(x) x$verdict[format(x$cohort) == "2024-09-01" & x$age == 1L]
  expect_gte(sum(vapply(found, hit, "") == "better"), 5L)
  money <- against_usual(
    cohort_grid(made_world(11, planted = 9L, times = 3), older_within = 0L),
    "cumulative_sales_per_customer"
  )
  expect_identical(money$verdict[format(money$cohort) == "2024-09-01" & money$age == 5L], "better")
  expect_match(describe(money)$finding, "beyond noise; most clearly 2024-09")
})

test_that("p-values and intervals are those of two shares", {
  table <- data.frame(
    cohort = rep(c("2024-01", "2024-02", "2024-03"), c(4, 3, 2)),
    age = c(0:3, 0:2, 0:1),
    n = c(200, 60, 50, 40, 100, 30, 20, 150, 60)
  )
  usual <- against_usual(
    as_cohort_grid(table, period = NULL, age = "age", customers = "n"), least_cohorts = 1L
  )
  expect_identical(unique(usual$scatter), 1) # January and February do not differ
  newest <- usual[format(usual$cohort) == "2024-03-01", ]
  expect_equal(newest$usual, 90 / 300)
  expect_equal(newest$p, stats::prop.test(c(60, 90), c(150, 300), correct = FALSE)$p.value)
  # Newcombe's interval: the roots of Wilson's, joined
  roots <- \(k, n) {
    z <- qnorm(0.975)
    sort(Re(polyroot(c((k / n)^2, -(2 * k / n + z^2 / n), 1 + z^2 / n))))
  }
  mine <- roots(60, 150)
  theirs <- roots(90, 300)
  expect_equal(newest$lower, 0.1 - sqrt((0.4 - mine[[1L]])^2 + (theirs[[2L]] - 0.3)^2))
  expect_equal(newest$upper, 0.1 + sqrt((mine[[2L]] - 0.4)^2 + (0.3 - theirs[[1L]])^2))
  expect_identical(usual$verdict[usual$age == 2L], "as usual")
  expect_identical(
    unique(
      against_usual(
        as_cohort_grid(table, period = NULL, age = "age", customers = "n"),
        least_cohorts = 1L,
        least_customers = 120L
      )$verdict[1:2]
    ),
    "too few"
  )
})
