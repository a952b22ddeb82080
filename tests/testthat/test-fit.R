truths <- list(
  "pareto-nbd" = c(r = 0.8, alpha = 9, s = 0.7, beta = 18),
  "bg-nbd" = c(r = 0.9, alpha = 8, a = 0.9, b = 2.4),
  "mbg-nbd" = c(r = 0.9, alpha = 8, a = 0.9, b = 2.4),
  "bg-bb" = c(alpha = 1.2, beta = 0.8, gamma = 0.7, delta = 2.8)
)
draw <- function(name, n, seed, span = 40:80) {
  simulate(purchase_model(name, truths[[name]]), seed = seed, history = data.frame(
    span = rep_len(if (name == "bg-bb") 12 else span, n)
  ))
}

test_that("the history of the example by hand; purchases are days, occasions are units of time", {
  history <- purchase_history(example_ledger(), unit = "day")
  p01 <- history[history$customer == "P01", ]
  # 3 Jan 2024, 2 Nov 2024, 1 Feb 2025
  expect_identical(c(p01$repeats, p01$last, p01$span), c(3, 304, 395))
  expect_equal(p01$spend, (35.50 + 12 + 48) / 3)
  expect_equal(p01$log_spend, mean(log(c(35.50, 12, 48))))
  expect_equal(p01$log_spread, 2 * stats::var(log(c(35.50, 12, 48))))
  expect_identical(history$repeats[history$customer == "P03"], 0L)
  # by whole months of 30.4375 days after the first purchase
  one <- data.frame(
    customer = "A",
    day = c("2024-01-01", "2024-01-02", "2024-01-20", "2024-03-05", "2024-05-30"),
    order = 1:5,
    sales = c(5, 10, 20, 40, 80)
  )
  ledger <- open_ledger(
    one,
    column_map("customer", "day", order = "order", sales = "sales"),
    meanings(currency = "EUR", as_of = "2024-06-15")
  )
  got <- purchase_history(ledger, "month", occasions = TRUE)
  # days 1 and 19: month 1; day 64: 3; day 150: 5; seen for 166 days
  expect_identical(c(got$repeats, got$last, got$span), c(3, 5, 5))
  expect_equal(got$spend, (30 + 40 + 80) / 3)
})

test_long(
  paste0(
    "fits of every model recover the parameters they were drawn from, and their covariance holds ",
    "them"
  ),
  {
    for (name in names(truths)) {
      off <- vapply(
        1:6,
        \(seed) {
          fit <- fit_purchases(draw(name, 4000, seed), name)
          expect_true(fit$converged, label = name)
          (log(coef(fit)) - log(truths[[name]])) / sqrt(diag(vcov(fit)))
        },
        numeric(4)
      )
      expect_lt(max(abs(off)), 5, label = name)
      expect_gt(sd(off), 0.4, label = name)
    }
    for (name in c("gamma-gamma", "log-normal")) {
      truth <- if (name == "gamma-gamma") {
        c(p = 4, q = 5, gamma = 30)
      } else {
        c(mu = -1, sigma = 0.5, tau = 0.8)
      }
      fit <- fit_spend(simulate(spend_model(name, truth), seed = 2, repeats = rep(1:5, 800)), name)
      scale <- working_scale(fit)
      expect_lt(
        max(abs(scale$at - ifelse(scale$logs, log(abs(truth)), truth)) / sqrt(diag(vcov(fit)))),
        4,
        label = name
      )
      expect_true(all(confint(fit)[, 1] < coef(fit) & coef(fit) < confint(fit)[, 2]))
    }
  }
)

test_that("equal histories weigh as often as they occur, and a fit is the top of its likelihood", {
  histories <- draw("bg-nbd", 600, 5, 30)
  histories$last <- ceiling(histories$last)
  packed <- aggregate(count ~ repeats + last + span, cbind(histories, count = 1), sum)
  fit <- fit_purchases(histories, "bg-nbd")
  expect_equal(coef(fit_purchases(packed, "bg-nbd")), coef(fit), tolerance = 1e-7)
  expect_identical(nobs(fit_purchases(packed, "bg-nbd")), 600)
  slow <- stats::optim(
    log(c(1, 8, 1, 3)),
    \(u) -sum(log_density(
      purchase_model("bg-nbd", stats::setNames(exp(u), c("r", "alpha", "a", "b"))), histories
    )),
    method = "BFGS",
    control = list(reltol = 1e-12)
  )
  expect_equal(as.numeric(logLik(fit)), -slow$value, tolerance = 1e-8)
  expect_equal(unname(log(coef(fit))), slow$par, tolerance = 1e-3)
  expect_equal(AIC(fit), 2 * 4 + 2 * slow$value)
})

test_that("covariates multiply the rates of their groups, and are found again", {
  p <- truths[["pareto-nbd"]]
  web <- draw("pareto-nbd", 3000, 1)
  shop <- simulate(
    purchase_model("pareto-nbd", p * c(1, exp(-0.5), 1, exp(-0.7))),
    seed = 2,
    history = data.frame(span = rep_len(40:80, 2000))
  )
  histories <- rbind(
    cbind(web, channel = "web", age = 30), cbind(shop, channel = "shop", age = rep(c(30, 50), 1000))
  )
  fit <- fit_purchases(histories, covariates = ~channel)
  expect_identical(
    names(coef(fit)), c("r", "alpha", "s", "beta", "rate: channel shop", "dropout: channel shop")
  )
  expect_lt(max(abs(coef(fit)[5:6] - c(0.5, 0.7)) / sqrt(diag(vcov(fit))[5:6])), 3.5)
  own <- purchase_model(
    "pareto-nbd", coef(fit)[1:4] * exp(-c(0, coef(fit)[[5]], 0, coef(fit)[[6]]))
  )
  expect_equal(log_density(fit, histories)[histories$channel == "shop"], log_density(own, shop))
  expect_equal(sum(log_density(fit, histories)), as.numeric(logLik(fit)))
  # a level nobody has seen stands at the mean; a missing one is a group
  expect_equal(
    predict(fit, data.frame(channel = c("web", "shop")), horizon = 52)[[2]],
    predict(own, horizon = 52)
  )
  expect_warning(
    strange <- predict(fit, data.frame(channel = "fair"), horizon = 52),
    "has not seen channel",
    class = "nubrek_warning_level"
  )
  expect_true(
    strange > min(predict(fit, data.frame(channel = c("web", "shop")), horizon = 52)) &&
      strange < max(predict(fit, data.frame(channel = c("web", "shop")), horizon = 52))
  )
  # covariates of buying alone, the likelihood ratio, and a penalty that shrinks
  smaller <- update(fit, x = histories, covariates = list(rate = ~channel))
  test <- anova(fit, update(fit, covariates = NULL), smaller)
  expect_identical(test$parameters, 4:6)
  expect_equal(test$chi_squared[3], 2 * as.numeric(logLik(fit) - logLik(smaller)))
  expect_true(all(test$p[2:3] < 0.01))
  ridge <- fit_purchases(histories, covariates = ~channel, penalty = 1e4)
  expect_true(all(abs(coef(ridge)[5:6]) < abs(coef(fit)[5:6]) / 2) && attr(logLik(ridge), "df") < 6)
  noise <- fit_purchases(
    transform(web[1:600, ], group = rep_len(letters[1:6], 600)),
    "bg-nbd",
    ~group,
    penalty = "cross-validated"
  )
  expect_gt(noise$penalty, 10)
  expect_lt(max(abs(coef(noise)[-(1:4)])), 0.2)
  for (bad in list(histories$channel, list(leaving = ~channel), y ~ channel)) {
    expect_error(fit_purchases(histories, covariates = bad), class = "nubrek_error_argument")
  }
  expect_error(
    fit_purchases(transform(histories, twin = channel), covariates = ~channel + twin),
    "same thing twice",
    class = "nubrek_error_history"
  )
  expect_error(
    anova(fit, fit_purchases(histories, "bg-nbd")),
    "different models",
    class = "nubrek_error_argument"
  )
})

test_that("a penalty takes its half times the squared effects, with slope and curvature", {
  history <- draw("bg-nbd", 300, 7)
  packed <- pack_histories(
    transform(history, group = rep(c("a", "b"), 150L)), covariate_formulas(~group)
  )
  u <- unname(c(log(truths[["bg-nbd"]]), 0.3, -0.2))
  plain <- purchase_likelihood("bg-nbd", packed)(u)
  drawn <- purchase_likelihood("bg-nbd", packed, 8)(u)
  expect_equal(plain$log_lik - drawn$log_lik, 8 / 2 * (0.3^2 + 0.2^2))
  expect_equal(plain$gradient - drawn$gradient, c(0, 0, 0, 0, 8 * 0.3, 8 * -0.2))
  expect_equal(plain$hessian - drawn$hessian, diag(c(0, 0, 0, 0, 8, 8)))
})

test_that("a fit speaks R: summary, intervals, bootstrap, residuals, update, tidy and glance", {
  histories <- draw("mbg-nbd", 1500, 8)
  fit <- fit_purchases(histories, "mbg-nbd")
  expect_equal(
    unname(confint(fit)[, 2]), unname(coef(fit) * exp(stats::qnorm(0.975) * sqrt(diag(vcov(fit)))))
  )
  boot <- bootstrap_fit(fit, draws = 40)
  expect_true(all(boot$lower < boot$estimate & boot$estimate < boot$upper))
  # curvature and bootstrap tell about the same
  expect_true(all(abs(log(boot$error / (coef(fit) * sqrt(diag(vcov(fit)))))) < log(2)))
  off <- residuals(fit, "quantile")
  expect_lt(abs(mean(off)), 4 / sqrt(1500))
  expect_lt(abs(sd(off) - 1), 0.08)
  expect_equal(
    sum(residuals(fit)),
    sum(histories$repeats) -
      sum(predict(
        fit, data.frame(repeats = 0, last = 0, span = 0)[rep(1, 1500), ], horizon = histories$span
      ))
  )
  expect_identical(update(fit, model = "bg-nbd")$name, "bg-nbd")
  expect_equal(generics::tidy(fit)$std.error, unname(coef(fit) * sqrt(diag(vcov(fit)))))
  expect_equal(generics::glance(fit)$BIC, BIC(fit))
  expect_match(
    paste(capture.output(print(summary(fit))), collapse = " "), "of purchases are a customer"
  )
  fit$parameters[["r"]] <- 5
  expect_gt(abs(mean(residuals(fit, "quantile"))), 0.2)
})

test_that("what cannot be identified is said, and impossible histories are refused", {
  once <- data.frame(repeats = 0, last = 0, span = 1:20)
  expect_error(fit_purchases(once), "bought once", class = "nubrek_error_unidentified")
  expect_error(
    fit_purchases(data.frame(repeats = 2, last = 1, span = 3)),
    "1 customer",
    class = "nubrek_error_unidentified"
  )
  expect_error(
    fit_spend(data.frame(repeats = c(1, 2, 3), spend = 5)),
    "worth 5",
    class = "nubrek_error_unidentified"
  )
  expect_error(
    fit_spend(data.frame(repeats = c(1, 2, 3), spend = 5), "log-normal"),
    "log_spend",
    class = "nubrek_error_history"
  )
  withr::local_seed(1)
  loyal <- data.frame(repeats = rpois(300, 20), last = 51.9, span = 52)
  stays <- fit_purchases(loyal)
  expect_false(stays$converged)
  expect_match(
    remarks(stays)$remark[remarks(stays)$about == "convergence"],
    "how long customers stay cannot be told"
  )
  # everybody leaves in the same way: what is on the edge is held there, the rest keeps its
  # intervals
  alike <- simulate(
    purchase_model("mbg-nbd", c(r = 1, alpha = 6, a = 2e5, b = 1e6)),
    seed = 1,
    history = data.frame(span = rep(60, 200))
  )
  fit <- fit_purchases(alike, "mbg-nbd")
  expect_false(fit$converged)
  expect_identical(is.na(confint(fit)[, 1]), names(coef(fit)) %in% fit$edge, ignore_attr = TRUE)
  drawn <- draw_parameters(fit, 50L, 1L)
  expect_true(
    all(is.finite(drawn)) &&
      sd(drawn[, 1]) > 0 &&
      all(drawn[, match(fit$edge, names(coef(fit)))] == coef(fit)[fit$edge])
  )
  for (bad in list(
    list(1, 5, 3),
    list(-1, 0, 3),
    list(1.5, 1, 3),
    list(0, 1, 3),
    list(NA, 0, 3),
    list(2, 0, 3),
    list(1, Inf, 3)
  )) {
    expect_error(
      log_density(
        purchase_model("pareto-nbd", c(r = 1, alpha = 1, s = 1, beta = 1)),
        data.frame(repeats = bad[[1]], last = bad[[2]], span = bad[[3]])
      ),
      class = "nubrek_error_history"
    )
  }
  for (bad in list(list(3, 2, 5), list(1, 1.5, 3))) {
    expect_error(
      log_density(purchase_model("bg-bb", truths[["bg-bb"]]), data.frame(
        repeats = bad[[1]], last = bad[[2]], span = bad[[3]]
      )),
      class = "nubrek_error_history"
    )
  }
  expect_error(
    purchase_model("pareto-nbd", c(r = 1, alpha = -1, s = 1, beta = 1)),
    class = "nubrek_error_argument"
  )
  # times in days called weeks
  days <- transform(draw("bg-nbd", 300, 1, 300:900), last = ceiling(last))
  expect_warning(fit_purchases(days, "bg-nbd"), "in days", class = "nubrek_warning_unit")
  expect_warning(
    fit_purchases(transform(draw("bg-nbd", 300, 1), last = last / 7), "bg-nbd"),
    "same unit",
    class = "nubrek_warning_unit"
  )
})

test_that("a fit that a session has made is not climbed again, of anything else it is another", {
  rm(list = ls(climbed), envir = climbed)
  history <- purchase_history(example_ledger())
  first <- fit_purchases(history, "bg-nbd")
  packed <- length(climbed)
  expect_identical(fit_purchases(history, "bg-nbd"), first)
  expect_length(climbed, packed)
  key <- ls(climbed)
  fit_purchases(history, "pareto-nbd")
  fewer <- fit_purchases(history[-1L, ], "bg-nbd")
  expect_length(climbed, packed + 2L)
  expect_false(identical(coef(fewer), coef(first)))
  # it is that one which is given
  climbed[[key]]$log_lik <- 0
  expect_identical(fit_purchases(history, "bg-nbd")$log_lik, 0)
  rm(list = ls(climbed), envir = climbed)
  expect_identical(fit_purchases(history, "bg-nbd"), first)
})
