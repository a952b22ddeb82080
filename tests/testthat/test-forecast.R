reference <- function(name) {
  table <- utils::read.csv(test_path("reference", name), colClasses = "character")
  data.frame(lapply(table, \(x) if (all(grepl("^[-0-9.eE+]*$", x))) as.numeric(x) else x))
}

test_that("Pareto/NBD agrees with 25-digit values on the whole grid", {
  table <- reference("pareto_nbd.csv")
  table <- table[table$quantity != "pmf", ]
  for (i in seq_len(nrow(table))) {
    row <- table[i, ]
    model <- purchase_model("pareto-nbd", c(r = row$r, alpha = row$alpha, s = row$s, beta = row$beta))
    history <- data.frame(repeats = row$x, last = row$t_x, span = row$T)
    got <- switch(row$quantity, log_lik = log_density(model, history), p_alive = predict(model, history, "active"),
      cond_exp_purchases = predict(model, history, horizon = row$h), exp_purchases = predict(model, horizon = row$t),
      disc_residual = predict(model, history, "discounted", Inf, row$delta), disc_residual_h = predict(model, history, "discounted", row$h, row$delta))
    off <- abs(got - row$value) / abs(row$value)
    if (row$quantity == "log_lik") off <- min(off, abs(got - row$value))
    expect_lt(off, 1e-10, label = paste(row$quantity, "in row", i))
  }
})

test_that("BG/NBD and its variant agree with 25-digit values on the whole grid", {
  for (name in c("bg-nbd", "mbg-nbd")) {
    table <- reference(paste0(sub("-", "_", name), ".csv"))
    table <- table[table$quantity != "pmf", ]
    for (i in seq_len(nrow(table))) {
      row <- table[i, ]
      model <- purchase_model(name, c(r = row$r, alpha = row$alpha, a = row$a, b = row$b))
      history <- data.frame(repeats = row$x, last = row$t_x, span = row$T)
      got <- switch(row$quantity, log_lik = log_density(model, history), p_alive = predict(model, history, "active"), cond_exp_purchases = predict(model, history, horizon = row$h),
                    exp_purchases = predict(model, horizon = row$t))
      off <- abs(got - row$value) / abs(row$value)
      if (row$quantity == "log_lik") off <- min(off, abs(got - row$value))
      expect_lt(off, 1e-10, label = paste(name, row$quantity, "in row", i))
    }
  }
})

test_that("gamma-gamma agrees with 25-digit values", {
  table <- reference("gamma_gamma.csv")
  for (i in seq_len(nrow(table))) {
    row <- table[i, ]
    model <- spend_model("gamma-gamma", c(p = row$p, q = row$q, gamma = row$gamma))
    history <- data.frame(repeats = row$x, spend = row$zbar)
    got <- if (row$quantity == "log_lik") log_density(model, history) else predict(model, history)
    expect_lt(min(abs(got - row$value), abs(got / row$value - 1)), 1e-10, label = paste(row$quantity, "in row", i))
  }
})

test_that("gradients agree with high-order differences of the density", {
  richardson <- function(f, at, i) {
    slope <- \(h) { d <- replace(at * 0, i, h * at[[i]]); (f(at + d) - f(at - d)) / (2 * h * at[[i]]) }
    (64 * slope(1e-3) - 20 * slope(2e-3) + slope(4e-3)) / 45
  }
  grid <- unique(reference("pareto_nbd.csv")[c("r", "alpha", "s", "beta", "x", "t_x", "T")])
  grid <- grid[stats::complete.cases(grid) & grid$T > 0, ]
  for (i in seq_len(nrow(grid))) {
    at <- unlist(grid[i, c("r", "alpha", "s", "beta")])
    h <- data.frame(repeats = grid$x[[i]], last = grid$t_x[[i]], span = grid$T[[i]])
    analytic <- cpp_pareto_sum(at, h$repeats, h$last, h$span, 1)$gradient * at
    numeric <- vapply(1:4, \(k) richardson(\(p) cpp_pareto_density(p, h$repeats, h$last, h$span)$log_lik, at, k), 0) * at
    expect_lt(max(abs(analytic - numeric) / pmax(1, abs(analytic))), 1e-7, label = paste("point", i))
  }
  for (name in c("bg-nbd", "mbg-nbd")) {
    engine <- purchase_models[[name]]
    grid <- unique(reference(paste0(sub("-", "_", name), ".csv"))[c("r", "alpha", "a", "b", "x", "t_x", "T")])
    grid <- grid[stats::complete.cases(grid) & grid$T > 0, ]
    for (i in seq_len(nrow(grid))) {
      at <- unlist(grid[i, c("r", "alpha", "a", "b")])
      h <- data.frame(repeats = grid$x[[i]], last = grid$t_x[[i]], span = grid$T[[i]])
      analytic <- engine$total(at, h, 1)$gradient * at
      numeric <- vapply(1:4, \(k) richardson(\(p) engine$density(p, h), at, k), 0) * at
      expect_lt(max(abs(analytic - numeric) / pmax(1, abs(analytic))), 1e-7, label = paste(name, "point", i))
    }
  }
  at <- c(p = 4, q = 3, gamma = 20)
  analytic <- cpp_gamma_gamma_sum(at, c(1, 7), c(30, 3), c(1, 2))$gradient
  numeric <- vapply(1:3, \(k) richardson(\(p) sum(cpp_gamma_gamma_density(p, c(1, 7), c(30, 3)) * c(1, 2)), at, k), 0)
  expect_equal(analytic, numeric, tolerance = 1e-8)
})

test_that("discounted purchases of BG/NBD and its variant are those of direct integration", {
  p <- c(r = 0.8, alpha = 6, a = 1.5, b = 2.5)
  direct <- \(r, alpha, a, b, h, d) stats::integrate(\(q) vapply(q, \(one) stats::dbeta(one, a, b) * stats::integrate(\(u) exp(-d * u) * r / alpha * (1 + one * u / alpha)^(-r - 1), 0, h,
      rel.tol = 1e-11)$value, 0),
                                                0, 1, rel.tol = 1e-9)$value
  history <- data.frame(repeats = 3, last = 20, span = 30)
  for (name in c("bg-nbd", "mbg-nbd")) {
    model <- purchase_model(name, p)
    more <- name == "mbg-nbd"
    expect_equal(predict(model, history, "discounted", 40, 0.02), predict(model, history, "active") * direct(3.8, 36, 1.5, 5.5 + more, 40, 0.02), tolerance = 1e-8, label = name)
    expect_equal(predict(model, what = "discounted", horizon = 40, rate = 0.02), (if (more) 2.5 / 4 else 1) * direct(0.8, 6, 1.5, 2.5 + more, 40, 0.02), tolerance = 1e-8, label = name)
    expect_equal(predict(model, history, "discounted", 1e5, 0.02), predict(model, history, "discounted", Inf, 0.02), tolerance = 1e-9, label = name)
    expect_equal(predict(model, history, "discounted", 40, 1e-12), predict(model, history, horizon = 40), tolerance = 1e-9, label = name)
  }
})

test_that("a fit of BG/NBD and its variant recovers the parameters it was drawn from", {
  withr::local_seed(3)
  truth <- c(r = 0.9, alpha = 8, a = 0.9, b = 2.4)
  draw <- \(after_first, n = 6000L) {
    span <- runif(n, 40, 80)
    lambda <- rgamma(n, truth[["r"]], truth[["alpha"]])
    p <- rbeta(n, truth[["a"]], truth[["b"]])
    stays <- if (after_first) runif(n) > p else rep(TRUE, n)
    repeats <- last <- numeric(n)
    while (any(stays)) {
      at <- last + rexp(n, lambda)
      bought <- stays & at <= span
      repeats <- repeats + bought
      last[bought] <- at[bought]
      stays <- bought & runif(n) > p
    }
    data.frame(repeats, last, span)
  }
  for (name in c("bg-nbd", "mbg-nbd")) {
    fit <- fit_purchases(draw(name == "mbg-nbd"), name)
    expect_true(fit$converged, label = name)
    expect_lt(max(abs(log(coef(fit) / truth)) / sqrt(diag(vcov(fit)))), 3.5, label = name)
    expect_identical(names(coef(fit)), names(truth))
  }
})

simulate_histories <- function(n, p, weeks) {
  span <- runif(n, weeks / 2, weeks)
  lambda <- rgamma(n, p[["r"]], p[["alpha"]])
  end <- pmin(rexp(n, rgamma(n, p[["s"]], p[["beta"]])), span)
  repeats <- rpois(n, lambda * end)
  data.frame(repeats, last = ifelse(repeats > 0, end * runif(n)^(1 / pmax(repeats, 1)), 0), span)
}

test_that("the fit recovers known parameters and its covariance holds them", {
  withr::local_seed(11)
  truth <- c(r = 0.8, alpha = 9, s = 0.7, beta = 18)
  off <- replicate(6, {
    fit <- fit_purchases(simulate_histories(3000, truth, 120))
    expect_true(fit$converged)
    (log(coef(fit)) - log(truth)) / sqrt(diag(vcov(fit)))
  })
  expect_lt(max(abs(off)), 4)
  expect_gt(sd(off), 0.4)
  fit <- fit_purchases(simulate_histories(500, truth, 120))
  expect_equal(AIC(fit), 2 * 4 - 2 * as.numeric(logLik(fit)))
  expect_identical(nobs(fit), 500L)
})

test_that("what cannot be identified is said, and impossible histories are refused", {
  once <- data.frame(repeats = 0, last = 0, span = 1:20)
  expect_error(fit_purchases(once), "bought once", class = "nubrek_error_unidentified")
  expect_error(fit_purchases(data.frame(repeats = 2, last = 1, span = 3)), class = "nubrek_error_unidentified")
  expect_error(fit_spend(data.frame(repeats = c(1, 2, 3), spend = 5)), class = "nubrek_error_unidentified")
  for (bad in list(list(1, 5, 3), list(-1, 0, 3), list(1.5, 1, 3), list(0, 1, 3), list(NA, 0, 3)))
    expect_error(log_density(purchase_model("pareto-nbd", c(r = 1, alpha = 1, s = 1, beta = 1)), data.frame(repeats = bad[[1]], last = bad[[2]], span = bad[[3]])), class = "nubrek_error_history")
  expect_error(purchase_model("pareto-nbd", c(r = 1, alpha = -1, s = 1, beta = 1)), class = "nubrek_error_argument")
})

test_that("the history of the example by hand; purchases are days", {
  history <- purchase_history(example_ledger(), unit = "day")
  p01 <- history[history$customer == "P01", ]
  expect_identical(c(p01$repeats, p01$last, p01$span), c(3, 304, 395))       # 3 Jan 2024, 2 Nov 2024, 1 Feb 2025
  expect_equal(p01$spend, (35.50 + 12 + 48) / 3)
  expect_identical(history$repeats[history$customer == "P03"], 0L)
})

test_that("money of today is not discounted, value is margin, sales without margin are called sales (traps)", {
  ledger <- example_ledger()
  plain <- forecast_value(ledger, money = economics(margin_rate = 0.5, yearly_discount = 0))
  expect_equal(plain$value, plain$margin)
  expect_equal(plain$margin, plain$sales * 0.5)
  expect_equal(plain$lifetime_value, plain$value_to_date + plain$value)
  half <- forecast_value(ledger, money = economics(margin_rate = 0.5, yearly_discount = 0.2))
  ratio <- half$value / half$margin
  expect_true(all(ratio < 1 & ratio > 1 / 1.2))                              # within the year, each after its own time
  bare <- forecast_value(ledger)
  expect_true(all(is.na(bare$value)) && "margin" %in% remarks(bare)$about && all(bare$sales > 0))
})

test_that("intervals are repeatable, leave the caller's random numbers alone, and hold their mean", {
  ledger <- pellmere()$ledger
  history <- purchase_history(ledger)[1:300, ]
  fit <- purchase_model("pareto-nbd", c(r = 0.8, alpha = 9, s = 0.6, beta = 14))
  spend <- spend_model("gamma-gamma", c(p = 4, q = 4.6, gamma = 34))
  set.seed(5); before <- .Random.seed
  draw <- function(seed) draw_values(history, fit, spend, 52, 0.002, 0.8, c(4L, 500L), seed)
  one <- draw(1)
  expect_identical(draw(1), one)
  expect_identical(.Random.seed, before)
  expect_false(identical(draw(2)$totals, one$totals))
  # the mean of the drawn totals is the analytic discounted value
  analytic <- sum(predict(fit, history, "discounted", 52, 0.002) * predict(spend, history))
  expect_lt(abs(mean(one$totals) - analytic) / (sd(one$totals) / sqrt(2000)), 4)
})

test_that("the backtest looks at the right period and never ahead", {
  ledger <- pellmere()$ledger
  test <- pellmere()$backtest
  expect_identical(test$actual[[1L]], as.double(sum(attr(test, "customers")$actual)))
  cut <- basis_of(test, "cut")
  seen <- ledger
  late <- ledger$days$day > as.integer(cut)
  first <- ledger$days$customer[!late & !duplicated(ledger$days$customer)]
  expect_identical(sum(ledger$days$customer[late] %in% first), as.integer(test$actual[[1L]]))
  expect_lt(test$error[[1L]], min(test$error[-1L]))                          # beats every naive rule here
  expect_gt(test$captured[[1L]], max(test$captured[-1L]))
  expect_equal(captured_by_top(c(2, 1, 1, 1, 1, 1, 1, 1, 1, 0), c(0, 1, 1, 1, 1, 1, 1, 1, 1, 2), 0.2), 1 / 8 / 10 * 8)
  expect_error(backtest(ledger, cut = "2020-01-01"), class = "nubrek_error_argument")
})

test_that("the forecast of the demo world stands beside the truth it was drawn from", {
  truth <- utils::read.csv(gzfile(system.file("pellmere", "truth-customers.csv.gz", package = "nubrek")), colClasses = c(customer_no = "character"))
  both <- merge(as.data.frame(pellmere()$forecast), truth, by.x = "customer", by.y = "customer_no")
  expect_lt(abs(sum(both$purchases) / sum(both$purchases_next_52_weeks) - 1), 0.15)
  expect_lt(abs(mean(both$active.x) - mean(both$active.y)), 0.06)
  tenth <- cut(rank(both$purchases, ties.method = "first"), 10, labels = FALSE)
  expect_true(all(diff(tapply(both$purchases_next_52_weeks, tenth, mean)[4:10]) > 0))
})
