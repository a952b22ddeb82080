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

test_long(
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

test_that("the scatter of earlier cohorts is chi-squared over its degrees of freedom, by hand", {
  n <- c(100, 150, 120, 200)
  active <- cbind(c(20, 60, 18, 50), c(10, 40, 30, NA))
  table <- do.call(rbind, lapply(1:4, \(i) data.frame(
    cohort = sprintf("2024-%02d", i), age = 0:2, n = c(n[[i]], active[i, ])
  )))
  table <- table[!is.na(table$n), ]
  usual <- against_usual(as_cohort_grid(table, period = NULL, age = "age", customers = "n"),
    least_cohorts = 1L
  )
  # seen from cohort c: at each age those before it, two at least, against what they share
  slow <- function(c) {
    excess <- freedom <- 0
    for (age in 1:2) {
      before <- seq_len(c - 1L)
      if (is.na(active[c, age]) || length(before) < 2L) next
      share <- sum(active[before, age]) / sum(n[before])
      each <- active[before, age] / n[before]
      excess <- excess + sum(n[before] * (each - share)^2) / (share * (1 - share))
      freedom <- freedom + length(before) - 1
    }
    max(1, excess / freedom)
  }
  for (c in 3:4) {
    mine <- usual$scatter[format(usual$cohort) == sprintf("2024-%02d-01", c)]
    expect_equal(unique(mine), slow(c))
    expect_gt(unique(mine), 2)
  }
})
