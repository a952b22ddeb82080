reference <- function(name) {
  table <- utils::read.csv(
    test_path("reference", paste0(gsub("-", "_", name), ".csv")), colClasses = "character"
  )
  data.frame(lapply(table, \(x) if (all(grepl("^[-0-9.eE+]*$", x))) as.numeric(x) else x))
}
models <- c("pareto-nbd", "bg-nbd", "mbg-nbd", "bg-bb")
truths <- list(
  "pareto-nbd" = c(r = 0.8, alpha = 9, s = 0.7, beta = 18),
  "bg-nbd" = c(r = 0.9, alpha = 8, a = 0.9, b = 2.4),
  "mbg-nbd" = c(r = 0.9, alpha = 8, a = 0.9, b = 2.4),
  "bg-bb" = c(alpha = 1.2, beta = 0.8, gamma = 0.7, delta = 2.8)
)

test_that("all models agree with 25-digit values on the whole grid", {
  for (name in models) {
    table <- reference(name)
    for (i in seq_len(nrow(table))) {
      row <- as.list(table[i, ])
      model <- purchase_model(name, unlist(row[names(truths[[name]])]))
      span <- if (name == "bg-bb") row$n else row$T
      history <- data.frame(repeats = row$x, last = row$t_x, span = span)
      got <- switch(row$quantity,
        log_lik = log_density(model, history),
        p_alive = ,
        p_alive_next = predict(model, history, "active"),
        cond_exp_purchases = predict(
          model, history, horizon = if (name == "bg-bb") row$n_star else row$h
        ),
        exp_purchases = predict(model, horizon = row$t),
        disc_residual = predict(model, history, "discounted", Inf, row$delta),
        disc_residual_h = predict(model, history, "discounted", row$h, row$delta),
        pmf = predict(
          model,
          what = "distribution",
          horizon = if (name == "bg-bb") row$n else row$t,
          up_to = row$k
        )[[row$k + 1]]
      )
      off <- abs(got - row$value) / abs(row$value)
      if (row$quantity == "log_lik") off <- min(off, abs(got - row$value))
      expect_lt(off, 1e-10, label = paste(name, row$quantity, "in row", i))
    }
  }
})

test_that("gamma-gamma agrees with 25-digit values", {
  table <- reference("gamma-gamma")
  for (i in seq_len(nrow(table))) {
    row <- table[i, ]
    model <- spend_model("gamma-gamma", c(p = row$p, q = row$q, gamma = row$gamma))
    history <- data.frame(repeats = row$x, spend = row$zbar)
    got <- if (row$quantity == "log_lik") log_density(model, history) else predict(model, history)
    expect_lt(
      min(abs(got - row$value), abs(got / row$value - 1)),
      1e-10,
      label = paste(row$quantity, "in row", i)
    )
  }
})

test_that("log-normal spend is the integral over the customer's level", {
  model <- spend_model("log-normal", c(mu = 3, sigma = 0.5, tau = 0.8))
  amounts <- c(12, 30, 18)
  joint <- \(level, power = 0) vapply(
    level, \(m) prod(stats::dlnorm(amounts, m, 0.5)) * exp(power * m), 0
  ) *
    stats::dnorm(level, 3, 0.8)
  all <- stats::integrate(joint, -3, 9, rel.tol = 1e-12)$value
  history <- data.frame(repeats = 3, log_spend = mean(log(amounts)), log_spread = sum(
    (log(amounts) - mean(log(amounts)))^2
  ))
  expect_equal(log_density(model, history), log(all), tolerance = 1e-10)
  expect_equal(
    predict(model, history),
    stats::integrate(joint, -3, 9, power = 1, rel.tol = 1e-12)$value / all * exp(0.5^2 / 2),
    tolerance = 1e-10
  )
  expect_equal(predict(model), exp(3 + (0.25 + 0.64) / 2))
})

richardson <- function(f, at, k) {
  slope <- \(h) {
    d <- replace(at * 0, k, h)
    (f(at + d) - f(at - d)) / (2 * h)
  }
  (64 * slope(1e-3) - 20 * slope(2e-3) + slope(4e-3)) / 45
}
expect_slopes <- function(f, at, label) {
  got <- f(at)
  numeric <- vapply(seq_along(at), \(k) richardson(\(u) f(u)$log_lik, at, k), 0)
  curved <- vapply(seq_along(at), \(k) richardson(\(u) f(u)$gradient, at, k), at)
  expect_lt(
    max(abs(numeric - got$gradient) / pmax(1, abs(got$gradient))),
    1e-7,
    label = paste("gradient,", label)
  )
  expect_lt(
    max(abs(curved - got$hessian) / pmax(1, abs(got$hessian))),
    1e-7,
    label = paste("second derivatives,", label)
  )
}

test_that("gradients and second derivatives agree with high-order differences", {
  for (name in models) {
    grid <- reference(name)
    grid <- unique(
      grid[
        grid$quantity == "log_lik",
        c(names(truths[[name]]), "x", "t_x", if (name == "bg-bb") "n" else "T")
      ]
    )
    alone <- list(effects = numeric(), columns = matrix(0, 0, 1), buying = 0L, set = integer())
    for (i in which(grid[[7]] > 0)) {
      history <- list(repeats = grid$x[[i]], last = grid$t_x[[i]], span = grid[[7]][[i]])
      expect_slopes(
        \(u) cpp_purchase_sum(name, exp(u), alone, history, 1, 1L),
        log(unlist(grid[i, 1:4])),
        paste(name, "point", i)
      )
    }
    # two customers with covariates: one on buying, two on leaving
    history <- list(repeats = c(2, 0), last = c(5, 0), span = c(20, 12))
    design <- list(columns = cbind(c(1, 0.5, -1), c(-0.3, 2, 0.4)), buying = 1L, set = 1:2)
    expect_slopes(
      \(u) {
        design$effects <- u[5:7]
        cpp_purchase_sum(name, exp(u[1:4]), design, history, c(1, 3), 1L)
      },
      c(log(unname(truths[[name]])), 0.2, -0.3, 0.1),
      paste(name, "with covariates")
    )
  }
  spends <- list(repeats = c(1, 7), spend = c(30, 3), log_spend = c(3.4, 1), log_spread = c(0, 2))
  expect_slopes(
    \(u) cpp_spend_sum("gamma-gamma", exp(u), spends, c(1, 2), 1L), log(c(4, 3, 20)), "gamma-gamma"
  )
  expect_slopes(
    \(u) cpp_spend_sum("log-normal", c(u[[1]], exp(u[2:3])), spends, c(1, 2), 1L),
    c(2, -0.5, -1),
    "log-normal"
  )
})

test_that("nothing overflows: 5,000 repeats, spans of 2,000, shapes from 0.01 to 50", {
  withr::local_seed(4)
  log_uniform <- \(low, high) exp(runif(1, log(low), log(high)))
  for (name in models) {
    for (i in 1:60) {
      p <- stats::setNames(replicate(4, log_uniform(0.01, 50)), names(truths[[name]]))
      if ("r" %in% names(p)) p[["alpha"]] <- log_uniform(0.01, 1000)
      span <- ceiling(log_uniform(1, 2000))
      x <- sample(c(0, 1, ceiling(log_uniform(1, if (name == "bg-bb") span else 5000))), 1)
      last <- if (x == 0) {
        0
      } else if (name == "bg-bb") {
        x + floor(runif(1) * (span - x))
      } else {
        span * runif(1)
      }
      history <- data.frame(repeats = x, last = last, span = span)
      model <- purchase_model(name, p)
      expect_no_warning({
        got <- c(
          log_density(model, history),
          predict(model, history, "active"),
          predict(model, history, horizon = 52),
          predict(model, history, "discounted", Inf, 0.002),
          predict(model, history, "distribution", 52)
        )
      })
      expect_true(
        all(is.finite(got)) && all(got[-1] >= 0) && got[[2]] <= 1 && sum(got[-(1:4)]) <= 1 + 1e-9,
        label = paste(name, paste(signif(c(p, unlist(history)), 4), collapse = " "))
      )
    }
  }
})

test_that("discounted purchases are those of direct integration", {
  p <- c(r = 0.8, alpha = 6, a = 1.5, b = 2.5)
  direct <- \(r, alpha, a, b, h, d) stats::integrate(
    \(q) vapply(
      q,
      \(one) stats::dbeta(one, a, b) *
        stats::integrate(
          \(u) exp(-d * u) * r / alpha * (1 + one * u / alpha)^(-r - 1), 0, h, rel.tol = 1e-12
        )$value,
      0
    ),
    0,
    1,
    rel.tol = 1e-11
  )$value
  history <- data.frame(repeats = 3, last = 20, span = 30)
  for (name in c("bg-nbd", "mbg-nbd")) {
    model <- purchase_model(name, p)
    more <- name == "mbg-nbd"
    expect_equal(
      predict(model, history, "discounted", 40, 0.02),
      predict(model, history, "active") * direct(3.8, 36, 1.5, 5.5 + more, 40, 0.02),
      tolerance = 1e-10,
      label = name
    )
    expect_equal(
      predict(model, what = "discounted", horizon = 40, rate = 0.02),
      (if (more) 2.5 / 4 else 1) * direct(0.8, 6, 1.5, 2.5 + more, 40, 0.02),
      tolerance = 1e-10,
      label = name
    )
    expect_equal(
      predict(model, history, "discounted", 1e5, 0.02),
      predict(model, history, "discounted", Inf, 0.02),
      tolerance = 1e-10,
      label = name
    )
    expect_equal(
      predict(model, history, "discounted", 40, 1e-13),
      predict(model, history, horizon = 40),
      tolerance = 1e-10,
      label = name
    )
  }
  # everybody leaves with the same probability: a and b without end
  same <- purchase_model("bg-nbd", c(r = 0.8, alpha = 6, a = 2e6, b = 1e7))
  expect_equal(predict(same, horizon = 40), 6 * (1 - (1 + 40 / 6 / 6)^-0.8), tolerance = 1e-6)
  expect_equal(
    predict(same, what = "discounted", horizon = 40, rate = 0.02),
    stats::integrate(\(u) exp(-0.02 * u) * 0.8 / 6 * (1 + u / 36)^-1.8, 0, 40)$value,
    tolerance = 1e-6
  )
  # BG/BB by its sum over occasions: there at j with probability B(gamma, delta + n + j) / B(gamma,
  # delta + n + 1) if there at the next one
  model <- purchase_model("bg-bb", truths[["bg-bb"]])
  history <- data.frame(repeats = 3, last = 6, span = 10)
  by_sum <- \(h, d) predict(model, history, "active") *
    4.2 /
    12 *
    sum(exp(lbeta(0.7, 2.8 + 10 + seq_len(h)) - lbeta(0.7, 13.8) - d * seq_len(h)))
  expect_equal(predict(model, history, "discounted", 40, 0.02), by_sum(40, 0.02), tolerance = 1e-12)
  expect_equal(
    predict(model, history, "discounted", Inf, 0.02), by_sum(5000, 0.02), tolerance = 1e-10
  )
  expect_equal(predict(model, history, horizon = 3000), by_sum(3000, 0), tolerance = 1e-10)
})

test_long("distributions, expectations and drawn histories tell the same story", {
  for (name in models) {
    model <- purchase_model(name, truths[[name]])
    history <- data.frame(repeats = c(0, 4), last = c(0, 9), span = c(30, 10))
    p <- predict(model, history, "distribution", 30, up_to = 400)
    expect_equal(rowSums(p), c(1, 1), tolerance = 1e-6, label = name)
    expect_equal(
      drop(p %*% 0:400), predict(model, history, horizon = 30), tolerance = 1e-3, label = name
    )
    drawn <- simulate(model, seed = 1, history = data.frame(span = rep(30, 20000)))
    expected <- predict(model, what = "distribution", horizon = 30, up_to = 4)
    off <- (tabulate(drawn$repeats + 1, 5) / 20000 - expected) /
      sqrt(expected * (1 - expected) / 20000)
    expect_lt(max(abs(off)), 4, label = name)
    expect_identical(simulate(model, seed = 1, history = data.frame(span = rep(30, 20000))), drawn)
    bought <- simulate(model, seed = 1, history = data.frame(span = rep(30, 20000)), times = TRUE)
    expect_equal(
      as.vector(tapply(bought$time, bought$customer, max)), drawn$last[drawn$repeats > 0]
    )
  }
  # one horizon each, the number of threads does not matter
  model <- purchase_model("pareto-nbd", truths[["pareto-nbd"]])
  history <- data.frame(repeats = c(0, 4), last = c(0, 9), span = c(30, 10))
  expect_equal(predict(model, history, horizon = c(5, 20)), c(
    predict(model, history[1, ], horizon = 5), predict(model, history[2, ], horizon = 20)
  ))
  many <- simulate(model, seed = 3, history = data.frame(span = rep(c(20, 50), 5000)))
  fits <- lapply(
    c(1, 3), \(threads) withr::with_options(list(nubrek.threads = threads), fit_purchases(many))
  )
  expect_identical(coef(fits[[1]]), coef(fits[[2]]))
})
