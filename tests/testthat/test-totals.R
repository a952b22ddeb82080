# Cohorts whose customers leave and pause by known chances, one by one.
simulated_totals <- function(seed, cohorts = 10L, size = 1500, alpha = 1.2, beta = 1.5, p = 0.6) {
  set.seed(seed)
  rows <- lapply(seq_len(cohorts), \(c) {
    n <- round(size * runif(1, 0.7, 1.3))
    leaves <- rgeom(n, rbeta(n, alpha, beta)) # whole periods stayed
    ages <- 0:(cohorts - c)
    active <- vapply(ages, \(a) if (a == 0L) n else sum(leaves >= a & runif(n) < p), 0)
    data.frame(
      cohort = c, period = c + ages, acquired = n, active,
      sales = round(rnorm(length(ages), 30 * active, 20 * sqrt(active)))
    )
  })
  do.call(rbind, rows)
}

test_that("the quarterly table worked by hand", {
  # half of every 100 leave at first: 1000, 500, 400, 350; the next cohort the same
  table <- data.frame(
    cohort = c(rep("2024 Q1", 4), rep("2024 Q2", 3)),
    period = c("2024 Q1", "2024 Q2", "2024 Q3", "2024 Q4", "2024 Q2", "2024 Q3", "2024 Q4"),
    acquired = c(rep(1000, 4), rep(2000, 3)),
    active = c(1000, 500, 375, 312, 2000, 1000, 750),
    sales = c(30000, 10000, 7500, 6240, 60000, 20000, 15000)
  )
  totals <- cohort_totals(table[c(7, 3, 1, 2, 6, 5, 4), ])
  expect_identical(totals$age, c(0L, 1L, 2L, 3L, 0L, 1L, 2L))
  expect_equal(totals$active, table$active)
  model <- fit_totals(totals, "final")
  # these counts are the staying of alpha 1/2, beta 1/2 but for a rounded customer:
  # 1/2, then 3/4 of those, then 5/6 of those
  expect_equal(model$value, c(0.5, 0.5), tolerance = 0.01)
  forecast <- forecast_totals(model, 1L, margin_rate = 0.5, cost = 10, draws = 100L)
  # 7/8 of 312 and 5/6 of 750
  expect_equal(forecast$active, 312 * 7 / 8 + 750 * 5 / 6, tolerance = 0.005)
  # 20 a customer
  expect_equal(forecast$sales, 20 * forecast$active)
  each <- cohort_economics(forecast)
  expect_equal(each$so_far, c(53740, 95000) / 2)
  expect_equal(each$to_come, c(312 * 7 / 8, 750 * 5 / 6) * 20 / 2, tolerance = 0.005)
  # side by side up to period 3: the first cohort is seen so long, the second is not
  expect_identical(each$horizon, c(3L, 3L))
  expect_equal(each$per_acquired[[1L]], 53740 / 2 / 1000)
  expect_equal(
    each$per_acquired[[2L]], (95000 / 2 + each$to_come[[2L]]) / 2000
  )
  expect_equal(each$after_cost, each$per_acquired - 10)
  # money is discounted from the first period of each cohort, past and to come alike
  later <- cohort_economics(forecast_totals(
    model, 2L, margin_rate = 0.5, discount = 0.25, draws = 20L
  ))
  old <- table[table$cohort == table$cohort[[1L]], ]
  expect_equal(later$so_far[[1L]], sum(old$sales / 2 / 1.25^seq(0, 3)))
  expect_equal(
    later$to_come[[1L]], sum(312 * 7 / 8 * c(1, 9 / 10) * 20 / 2 / 1.25^(4:5)), tolerance = 0.005
  )
  expect_identical(later$horizon, c(4L, 4L))
  expect_match(describe(each)$finding, "Up to 3.periods after the first, a customer brings")
})

test_long("known chances are found, and intervals hold what comes as often as they say", {
  inside <- matrix(NA, 20L, 2L)
  values <- matrix(NA, 20L, 3L)
  for (seed in 1:20) {
    rows <- simulated_totals(seed)
    before <- rows[rows$period <= 8, ]
    model <- fit_totals(cohort_totals(before))
    values[seed, ] <- model$value
    told <- forecast_totals(model, 2L, level = 0.8, draws = 40L)
    later <- rows[rows$period == 10 & rows$cohort <= 8, ]
    inside[seed, ] <- c(
      sum(later$active) >= told$lower[[2L]] && sum(later$active) <= told$upper[[2L]],
      sum(later$sales) >= told$sales_lower[[2L]] && sum(later$sales) <= told$sales_upper[[2L]]
    )
  }
  expect_equal(apply(values, 2L, stats::median), c(1.2, 1.5, 0.6), tolerance = 0.2)
  # 16 of 20 are expected; 10 or fewer with probability 0.003
  expect_true(all(colSums(inside) >= 11))
})

test_that("the likelihood's top is no lower than its neighbours, and where leaving is final", {
  for (leaving in c("silent", "final")) {
    rows <- simulated_totals(3L, p = if (leaving == "final") 1 else 0.5)
    if (leaving == "final") rows$active <- stats::ave(rows$active, rows$cohort, FUN = cummin)
    model <- fit_totals(cohort_totals(rows), leaving)
    fit <- attr(model, "basis")$fit
    cells <- totals_cells(cohort_totals(rows), leaving)
    at <- c(log(model$value[1:2]), stats::qlogis(model$value[-(1:2)]))
    height <- \(at) {
      sum(dbinom(cells$x, cells$n, expected_cells(cells, at, leaving) / cells$n, log = TRUE))
    }
    for (k in seq_along(at)) for (step in c(-0.02, 0.02)) {
      expect_gte(height(at) + 1e-6, height(replace(at, k, at[[k]] + step)))
    }
    expect_equal(sum(fit$expected), sum(fit$active), tolerance = 0.02)
  }
})

test_that("totals of a grid, a test on the past, and what is wrong with a table", {
  run <- pellmere()
  totals <- cohort_totals(cohort_grid(run$ledger, "quarter"))
  test <- backtest_totals(totals, 3L, draws = 60L)
  expect_identical(test$ahead, 1:3)
  grid <- plain_table(cohort_grid(run$ledger, "quarter"))
  grid <- grid[grid$complete, ]
  last <- max(grid$period)
  known <- unique(grid$cohort[grid$period < sort(unique(grid$period), decreasing = TRUE)[[3L]]])
  expect_equal(test$came[[3L]], sum(grid$customers[grid$period == last & grid$cohort %in% known]))
  expect_lt(sum(abs(test$came - test$expected)), sum(abs(test$came - test$naive)))
  table <- simulated_totals(1L, 4L)
  wrong <- list(
    replace(table, "active", list(table$acquired + 1)), rbind(table, table[3L, ]),
    replace(table, "acquired", list(c(9999, table$acquired[-1L]))),
    replace(table, "sales", list("x")), replace(table, "period", list(0L))
  )
  for (one in wrong) expect_error(cohort_totals(one), class = "nubrek_error_totals")
  expect_error(cohort_totals(table[-4L]), "active", class = "nubrek_error")
  rising <- table
  rising$active[2:3] <- c(10, 20)
  expect_error(fit_totals(cohort_totals(rising), "final"), class = "nubrek_error_totals")
  expect_error(fit_totals(cohort_totals(table[1:3, ])), class = "nubrek_error_totals")
})

test_that("the command tells totals from a file", {
  path <- withr::local_tempfile(fileext = ".csv")
  rows <- simulated_totals(2L)
  names(rows)[[3L]] <- "won"
  utils::write.csv(rows, path, row.names = FALSE)
  asked <- c("totals", path, "--acquired", "won", "--ahead", "3")
  out <- capture.output(status <- command_main(asked))
  expect_identical(status, 0L)
  expect_match(paste(out, collapse = "\n"), "In the next 3 periods")
  expect_match(paste(out, collapse = "\n"), "Would the totals have told the last", fixed = TRUE)
  told <- capture.output(status <- command_main(c("totals", path)), type = "message")
  expect_match(paste(told, collapse = " "), "acquired")
  expect_identical(status, 1L)
})

test_that("a period that no row names keeps its place and is told; ages are of the calendar", {
  ages <- function(periods, cohort = periods[[1L]]) {
    cohort_totals(data.frame(
      cohort = cohort, period = periods, acquired = 100, active = rev(seq_along(periods)) * 10
    ))
  }
  cases <- list(
    list(c("2024-11", "2024-12", "2025-02"), c(0L, 1L, 3L), "2025-01"),
    list(c("202411", "202412", "202502"), c(0L, 1L, 3L), "202501"),
    list(c("2024 Q2", "2024 Q4", "2025 Q1"), c(0L, 2L, 3L), "2024 Q3"),
    # 2020 has 53 weeks
    list(c("2020-W52", "2020-W53", "2021-W02"), c(0L, 1L, 3L), "2021-W01"),
    list(c("2024-01-31", "2024-02-29", "2024-04-30"), c(0L, 1L, 3L), "2024-03-31"),
    list(c("2024-01-01", "2024-04-01", "2024-07-01"), c(0L, 1L, 2L), NULL), # quarters
    list(as.Date(c("2024-01-01", "2024-01-08", "2024-01-22")), c(0L, 1L, 3L), "2024-01-15"),
    list(c(2021, 2022, 2024), c(0L, 1L, 3L), "2023"),
    list(c(10, 20, 40), c(0L, 1L, 3L), "30"),
    list(c("a winter", "b spring", "d autumn"), c(0L, 1L, 2L), NULL)
  )
  for (case in cases) {
    totals <- ages(case[[1L]])
    expect_identical(totals$age, case[[2L]], label = paste(case[[1L]], collapse = " "))
    said <- remarks(totals)$remark
    if (is.null(case[[3L]])) {
      expect_length(said, 0L)
    } else {
      expect_match(said, paste0("No row is of ", case[[3L]], ";"), fixed = TRUE)
      expect_true(case[[3L]] %in% basis_of(totals, "periods"))
    }
  }
  # a missing month moves no later age: the fit is that of the table with the month
  rows <- simulated_totals(4L)
  whole <- fit_totals(cohort_totals(rows))
  month <- sort(unique(rows$period))[[5L]]
  some <- rows[rows$period != month & rows$cohort != month, ]
  expect_equal(fit_totals(cohort_totals(some))$value, whole$value, tolerance = 0.15)
})
