test_that(
  paste0(
    "money of today is not discounted, value is margin, sales without margin are called sales ",
    "(traps)"
  ),
  {
    ledger <- example_ledger()
    plain <- forecast_value(ledger, money = economics(margin_rate = 0.5, yearly_discount = 0))
    expect_equal(plain$value, plain$margin)
    expect_equal(plain$margin, plain$sales * 0.5)
    expect_equal(plain$lifetime_value, plain$value_to_date + plain$value)
    half <- forecast_value(ledger, money = economics(margin_rate = 0.5, yearly_discount = 0.2))
    ratio <- half$value / half$margin
    expect_true(all(ratio < 1 & ratio > 1 / 1.2)) # within the year, each after its own time
    bare <- forecast_value(ledger)
    expect_true(all(is.na(bare$value)) && "margin" %in% remarks(bare)$about && all(bare$sales > 0))
  }
)

test_that(
  "intervals are repeatable, leave the caller's random numbers alone, and hold their mean",
  {
    ledger <- pellmere()$ledger
    history <- purchase_history(ledger)[1:300, ]
    fit <- purchase_model("pareto-nbd", c(r = 0.8, alpha = 9, s = 0.6, beta = 14))
    spend <- spend_model("gamma-gamma", c(p = 4, q = 4.6, gamma = 34))
    withr::local_seed(5)
    before <- .Random.seed
    draw <- function(seed, threads = 2L) {
      withr::with_options(list(nubrek.threads = threads), draw_values(
        drawn_worlds(history, fit, spend, 4L, seed), 52, 0.002, c(0.1, 0.9), 500L, seed
      ))
    }
    one <- draw(1)
    expect_identical(draw(1, 1L), one)
    expect_identical(.Random.seed, before)
    expect_false(identical(draw(2)$totals, one$totals))
    # the mean of the drawn totals is the analytic discounted value
    analytic <- sum(predict(fit, history, "discounted", 52, 0.002) * predict(spend, history))
    expect_lt(abs(mean(one$totals) - analytic) / (sd(one$totals) / sqrt(2000)), 4)
  }
)

test_that("the backtest looks at the right period and never ahead", {
  ledger <- pellmere()$ledger
  test <- pellmere()$backtest
  expect_identical(test$actual[[1L]], as.double(sum(attr(test, "customers")$actual)))
  cut <- basis_of(test, "cut")
  seen <- ledger
  late <- ledger$days$day > as.integer(cut)
  first <- ledger$days$customer[!late & !duplicated(ledger$days$customer)]
  expect_identical(sum(ledger$days$customer[late] %in% first), as.integer(test$actual[[1L]]))
  expect_lt(test$error[[1L]], min(test$error[-1L])) # beats every naive rule here
  expect_gt(test$captured[[1L]], max(test$captured[-1L]))
  expect_equal(
    captured_by_top(c(2, 1, 1, 1, 1, 1, 1, 1, 1, 0), c(0, 1, 1, 1, 1, 1, 1, 1, 1, 2), 0.2),
    1 / 8 / 10 * 8
  )
  expect_error(backtest(ledger, cut = "2020-01-01"), class = "nubrek_error_argument")
})

test_that("the forecast of the demo world stands beside the truth it was drawn from", {
  truth <- utils::read.csv(
    gzfile(system.file("pellmere", "truth-customers.csv.gz", package = "nubrek")),
    colClasses = c(customer_no = "character")
  )
  both <- merge(as.data.frame(pellmere()$forecast), truth, by.x = "customer", by.y = "customer_no")
  expect_lt(abs(sum(both$purchases) / sum(both$purchases_next_52_weeks) - 1), 0.15)
  expect_lt(abs(mean(both$active.x) - mean(both$active.y)), 0.06)
  tenth <- cut(rank(both$purchases, ties.method = "first"), 10, labels = FALSE)
  expect_true(all(diff(tapply(both$purchases_next_52_weeks, tenth, mean)[4:10]) > 0))
})

test_long(
  paste0(
    "log scores are those of each customer, worked slowly; groups and captured sales add up to ",
    "the backtest"
  ),
  {
    ledger <- pellmere()$ledger
    test <- pellmere()$backtest
    each <- attr(test, "customers")
    fit <- attr(test, "fit")
    cut <- basis_of(test, "cut")
    history <- purchase_history(ledger, until = cut, season = season_index(ledger, cut))
    weeks <- as.numeric(ledger$as_of - cut) / 7
    ahead <- sum(
      season_index(ledger, cut)$index[as.POSIXlt(seq(cut + 1, ledger$as_of, by = "day"))$mon + 1L]
    ) /
      7
    for (i in c(which.max(each$actual), 1L, 2L, 500L)) {
      expect_equal(each$log_score[[i]], log(
        predict(fit, history[i, ], "distribution", ahead, up_to = each$actual[[i]])[[
          each$actual[[i]] + 1L
        ]]
      ))
    }
    expect_equal(test$log_score[[1L]], mean(each$log_score))
    # a Poisson customer seen for `span` with n purchases and a Jeffreys prior: Gamma(n + 1/2, span)
    # mixed over Poisson, by integration
    one <- c(n = history$repeats[[1L]], span = history$span[[1L]], came = each$actual[[1L]])
    mixed <- stats::integrate(
      \(rate) stats::dpois(one[["came"]], rate * weeks) *
        stats::dgamma(rate, one[["n"]] + 0.5, one[["span"]]),
      0,
      Inf,
      rel.tol = 1e-10
    )$value
    expect_equal(
      stats::dnbinom(one[["came"]], one[["n"]] + 0.5, one[["span"]] / (one[["span"]] + weeks)),
      mixed,
      tolerance = 1e-8
    )
    groups <- calibration(test)
    expect_equal(
      c(sum(groups$expected), sum(groups$actual)), c(test$expected[[1L]], test$actual[[1L]])
    )
    expect_true(
      all(diff(groups$expected) < 0) && max(groups$customers) - min(groups$customers) <= 1L
    )
    found <- captured_sales(test, c(0.1, 1))
    expect_equal(
      c(found[["pareto-nbd"]][[1L]], found[["nobody returns"]][[1L]]), test$captured[c(1L, 4L)]
    )
    expect_equal(unlist(plain_table(found)[2L, ], use.names = FALSE), rep(1, 6))
    expect_true(found$best[[1L]] > found[["pareto-nbd"]][[1L]])
    rolling <- rolling_backtest(ledger, cuts = "2025-06-15", weeks = 26)
    alone <- backtest(ledger, "2025-06-15", weeks = 26)
    expect_equal(rolling$gain, 1 - alone$error[[1L]] / min(alone$error[-1L]))
    expect_error(rolling_backtest(example_ledger()), class = "nubrek_error_unidentified")
    sides <- compare_models(ledger, c("bg-nbd", "pareto-nbd"))
    expect_identical(sides$recommended, c(FALSE, TRUE))
    expect_equal(sides$log_score[[2L]], test$log_score[[1L]])
    expect_equal(sides$aic[[2L]], AIC(attr(pellmere()$forecast, "purchase_fit")))
    expect_match(describe(sides)$finding, "pareto-nbd")
  }
)

test_long(
  "in a world drawn from the model what comes lies uniformly in its predicted distributions",
  {
    n <- 4000L
    start <- as.integer(as.Date("2022-01-03")) + rep_len(0:363, n)
    bought <- simulate(
      purchase_model("bg-nbd", c(r = 1, alpha = 9, a = 0.8, b = 3)),
      seed = 6,
      history = data.frame(span = rep(150, n)),
      times = TRUE
    )
    day <- c(start, start[bought$customer] + ceiling(7 * bought$time))
    lines <- data.frame(
      who = sprintf("c%04d", c(seq_len(n), bought$customer)),
      day = as.Date(day, origin = "1970-01-01"),
      sales = 20 + (seq_along(day) * 7919) %% 31
    )
    lines <- lines[lines$day <= as.Date("2024-06-30"), ]
    ledger <- open_ledger(lines, column_map("who", "day", sales = "sales"), meanings(
      currency = "EUR", history_start = "2021-01-01", as_of = "2024-06-30"
    ))
    test <- backtest(ledger, "2023-07-02", forecast_models("bg-nbd"))
    expect_gt(stats::ks.test(attr(test, "customers")$uniform, "punif")$p.value, 0.001)
    # of worlds like this one the ratio has a standard deviation of 0.04
    expect_lt(abs(test$expected[[1L]] / test$actual[[1L]] - 1), 0.12)
    expect_true(basis_of(test, "inside_80") >= 0.8 && basis_of(test, "inside_95") >= 0.95)
    expect_gt(test$log_score[[1L]], max(test$log_score[-1L], na.rm = TRUE))
  }
)

# Orders of customers drawn from a model in business time, three years and a half.
seasonal_world <- function(index, n = 6000L) {
  calendar <- seq(as.Date("2021-07-01"), as.Date("2024-12-31"), by = "day")
  clock <- cumsum(index[as.POSIXlt(calendar)$mon + 1L])
  start <- 1L + (seq_len(n) * 577L) %% (length(calendar) - 30L)
  bought <- simulate(
    purchase_model("mbg-nbd", c(r = 1, alpha = 9, a = 0.6, b = 3)),
    seed = 2,
    history = data.frame(span = rep(200, n)),
    times = TRUE
  )
  at <- c(start, findInterval(clock[start[bought$customer]] + 7 * bought$time, clock) + 1L)
  lines <- data.frame(
    who = sprintf("c%05d", c(seq_len(n), bought$customer)),
    day = calendar[pmin(at, length(calendar))],
    sales = 25 + (seq_along(at) * 7919) %% 40
  )[at <= length(calendar), ]
  open_ledger(lines, column_map("who", "day", sales = "sales"), meanings(
    currency = "EUR", history_start = "2021-07-01", as_of = "2024-12-31"
  ))
}

test_long(
  "a planted season is found, none is not made up, and forecasts in business time follow it",
  {
    planted <- c(1.3, 1.1, 1, 0.9, 0.8, 0.75, 0.75, 0.85, 0.95, 1.1, 1.2, 1.3)
    ledger <- seasonal_world(planted)
    found <- season_index(ledger)
    expect_lt(max(abs(log(found$index / planted))), 0.1)
    expect_gte(sum(found$lower < planted & planted < found$upper), 9L)
    expect_equal(sum(found$index * month_days) / sum(month_days), 1)
    expect_match(describe(found)$finding, "more than in an average month")
    flat <- season_index(seasonal_world(rep(1, 12)))
    expect_lt(max(abs(log(flat$index))), 0.06)
    expect_error(season_index(example_ledger()), class = "nubrek_error_unidentified")
    # business time by hand: a customer of 15 January seen to 10 March is seen for 16 days of
    # January, 28 or 29 of February, 10 of March
    history <- purchase_history(ledger, "day", until = "2024-03-10", season = found)
    first <- reduce_first(ledger)[match(history$customer, ledger$ids)]
    one <- which(first == as.integer(as.Date("2024-01-15")))[[1L]]
    expect_equal(history$span[[one]], sum(found$index[1:3] * c(16, 29, 10)))
    expect_identical(business_days(NULL, 5:7), 5:7)
    # cut in the low months, so that the half year that follows is the high one
    off <- vapply(
      c(TRUE, FALSE),
      \(season) {
        test <- backtest(ledger, "2024-06-30", forecast_models("mbg-nbd", season = season))
        test$expected[[1L]] / test$actual[[1L]] - 1
      },
      0
    )
    expect_lt(abs(off[[1L]]), 0.05)
    expect_gt(abs(off[[2L]]), abs(off[[1L]]) + 0.02)
  }
)

test_that("the backtest says when a naive rule wins in any of the three", {
  table <- \(error, log_score, captured) list(
    method = c("model", "own rate carried on", "same as the time before"),
    error = error,
    log_score = log_score,
    captured = captured,
    expected = c(100, 1, 1),
    actual = rep(100, 3L)
  )
  all <- backtest_finding(table(c(1, 2, 3), c(-1, -2, -3), c(0.5, 0.4, 0.3)))
  expect_no_match(all, "does better|ahead too")
  expect_match(
    backtest_finding(table(c(1, 2, 3), c(-2, -1, -3), c(0.5, 0.4, 0.3))),
    "in log score a naive rule does better (own rate carried on)",
    fixed = TRUE
  )
  expect_match(
    backtest_finding(table(c(1, 2, 3), c(-1, -2, NA), c(0.3, 0.4, 0.5))),
    "in sales captured a naive rule does better (same as the time before)",
    fixed = TRUE
  )
  expect_match(
    backtest_finding(table(c(2, 1, 3), c(-2, -1, -3), c(0.5, 0.4, 0.3))),
    "^A naive rule .own rate carried on. does better.*log score a naive rule is ahead too"
  )
})

test_that("the season is told once, with its reason, and not known inside its own noise", {
  ledger <- pellmere()$ledger
  told <- season_of("auto", ledger)
  expect_match(told$words, "^The models know the season \\(seen up to 14 Dec 2025\\)")
  noise <- season_index(ledger)
  attr(noise, "basis")$known <- FALSE
  attr(noise, "basis")$p <- 0.4
  expect_null(season_of(noise, ledger)$season)
  expect_match(season_of(noise, ledger)$words, "no more than chance (p = 0.40)", fixed = TRUE)
  expect_match(season_of(FALSE, ledger)$words, "left out as asked")
  expect_match(
    season_of("auto", example_ledger())$words, "not every month of the year has been seen twice"
  )
  run <- pellmere()
  for (part in c("forecast", "coming", "continued")) {
    expect_identical(sum(remarks(run[[part]])$about == "season"), 1L, label = part)
  }
  # the backtest says something only where it knows none
  expect_identical(sum(remarks(run$backtest)$about == "season"), 0L)
})

test_that("a refit keeps its season, and cross-validates when asked", {
  ledger <- pellmere()$ledger
  season <- season_index(ledger)
  fit <- fit_purchases(ledger, "mbg-nbd", list(rate = ~first_channel), season = season)
  again <- update(fit, penalty = 30)
  expect_identical(again$season, fit$season)
  expect_identical(update(fit, x = ledger)$season, fit$season)
  expect_equal(coef(update(fit, x = ledger)), coef(fit))
  chosen <- update(fit, penalty = "cross-validated")
  expect_false(is.null(chosen$cross_validation))
  expect_true(chosen$penalty %in% penalty_grid)
})

test_that("purchases without end are given where they have an expectation", {
  cases <- list(
    list("pareto-nbd", c(r = 0.8, alpha = 9, s = 1.4, beta = 20)),
    list("bg-nbd", c(r = 0.8, alpha = 9, a = 1.6, b = 3)),
    list("mbg-nbd", c(r = 0.8, alpha = 9, a = 1.6, b = 3)),
    list("bg-bb", c(alpha = 1.2, beta = 3, gamma = 1.5, delta = 8))
  )
  history <- data.frame(repeats = c(0, 2), last = c(0, 12), span = c(20, 30))
  for (case in cases) {
    model <- purchase_model(case[[1L]], case[[2L]])
    for (what in c("purchases", "discounted")) {
      endless <- predict(model, history, what, horizon = Inf)
      far <- vapply(c(1e6, 1e8), \(t) predict(model, history, what, horizon = t), endless)
      expect_true(
        all(far[, 1L] < far[, 2L] & far[, 2L] < endless & endless < far[, 2L] * 1.02),
        label = paste(case[[1L]], what)
      )
    }
    diverges <- case[[2L]]
    diverges[[3L]] <- 0.9
    expect_error(
      predict(purchase_model(case[[1L]], diverges), history, horizon = Inf),
      class = "nubrek_error_argument"
    )
  }
})

test_that("the ends of an interval of sums are those of many draws, whatever few draws say", {
  withr::local_seed(1)
  many <- rgamma(2e5, 40, 2)
  few <- matrix(mean(many) + sd(many) * standardised(matrix(rnorm(50 * 30), 50))[, 1:30], 50)
  ends <- rowMeans(draw_interval(few, 0.95))
  expect_equal(ends, unname(quantile(many, c(0.025, 0.975))), tolerance = 0.02)
  mixed <- matrix(rnorm(4000, 0.1), 2000)
  expect_equal(
    draw_interval(mixed, 0.9)[, 1L],
    mean(mixed[, 1L]) + c(-1, 1) * 1.645 * sd(mixed[, 1L]),
    tolerance = 1e-3
  )
  expect_identical(draw_interval(matrix(0, 10, 2), 0.9), matrix(0, 2, 2))
})

test_long(
  "not knowing the season exactly widens the intervals of single months, hardly those of a year",
  {
    ledger <- pellmere()$ledger
    fitted <- fit_models(ledger, forecast_models())
    ends <- as.Date(c("2025-12-31", "2026-01-31", "2026-02-28"))
    slopes <- season_slopes(ledger, fitted, ends)
    # a month as long as it is
    expect_equal(diag(slopes[, c(12L, 1L, 2L)]), c(1, 1, 1), tolerance = 0.35)
    months <- apply(season_factors(ledger, fitted, ends, 200L, 1L), 2L, sd)
    year <- sd(season_factors(ledger, fitted, as.Date("2026-12-14"), 200L, 1L))
    expect_true(all(months > 2 * year))
    expect_identical(
      season_factors(ledger, utils::modifyList(fitted, list(season = NULL)), ends, 5L, 1L),
      matrix(1, 5L, 3L)
    )
  }
)

test_that("a forecast that its notes disqualify says so, and is not on the first screen", {
  doubtful <- forecast_value(example_ledger())
  expect_identical(forecast_trust(doubtful)$trust, "none")
  expect_match(describe(doubtful)$finding, "Not to be relied on: the fit of the model is not")
  good <- pellmere()$forecast
  expect_identical(forecast_trust(good)$trust, "good")
  expect_no_match(describe(good)$finding, "care|relied")
  weak <- structure(good, remarks = all_remarks(
    remarks(good), remark_table("trend", "Purchases fell."), remark_table("spend", "Tied.")
  ))
  expect_identical(forecast_trust(weak)$trust, c("weak", "weak"))
  expect_match(describe(weak)$finding, "care: purchases move away .*; the size of a purchase goes")
  # the first screen
  of_forecast <- \(run) vapply(run_findings(run), \(one) one$section == "forecast", NA)
  run <- pellmere()
  expect_true(any(of_forecast(run)))
  attr(run$coming, "remarks") <- remarks(doubtful)
  expect_false(any(of_forecast(run)))
  expect_match(as.character(page_band(run)), "of margin are expected")
  attr(run$forecast, "remarks") <- remarks(doubtful)
  expect_no_match(as.character(page_band(run)), "are expected over")
  # its totals: what is a part of all is said
  expect_match(as.character(page_band(run)), "sales with a customer id, 96.% of 2.249.155.EUR")
  expect_match(as.character(page_band(run)), "640 more people have orders but no purchase")
})
