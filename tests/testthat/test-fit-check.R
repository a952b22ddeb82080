test_that("tracking is the slow sum over customers, before and after what the fit has seen", {
  ledger <- pellmere()$ledger
  fit <- fit_purchases(purchase_history(ledger, until = "2024-12-15")[1:60, ], "bg-nbd")
  got <- track_repeats(fit, ledger)
  expect_identical(diff(as.integer(got$week_end)), rep(7L, nrow(got) - 1L))
  codes <- match(fit$customers, ledger$ids)
  first <- vapply(codes, \(code) min(ledger$days$day[ledger$days$customer == code]), 0L)
  for (i in c(nrow(got) - 60L, nrow(got))) {
    end <- as.integer(got$week_end[[i]])
    expect_identical(got$actual_so_far[[i]], sum(vapply(
      seq_along(codes),
      \(k) sum(
        ledger$days$customer == codes[[k]] & ledger$days$day > first[[k]] & ledger$days$day <= end
      ),
      0L
    )))
    expect_equal(got$expected_so_far[[i]], sum(vapply(
      first[first < end], \(day) predict(fit, horizon = (end - day) / 7), 0
    )))
  }
  expect_identical(got$part == "after it", got$week_end > as.Date("2024-12-15"))
  expect_equal(cumsum(got$expected), got$expected_so_far)
  expect_identical(track_repeats(update(fit, model = "mbg-nbd"), ledger)$actual, got$actual)
  expect_error(
    track_repeats(
      fit_purchases(data.frame(repeats = c(0, 2, 1), last = c(0, 3, 4), span = 9)), ledger
    ),
    class = "nubrek_error_argument"
  )
  expect_s3_class(ggplot2::ggplot_build(ggplot2::autoplot(got)), "ggplot_built")
})

test_that("expected counts are those of each customer, and a wrong model shows", {
  withr::local_seed(2)
  histories <- simulate(
    purchase_model("pareto-nbd", c(r = 0.8, alpha = 9, s = 0.7, beta = 18)),
    seed = 4,
    history = data.frame(span = rep_len(c(20, 60, 90), 3000))
  )
  fit <- fit_purchases(histories)
  got <- expected_counts(fit, up_to = 5)
  p <- Reduce(
    `+`,
    lapply(c(20, 60, 90), \(t) 1000 * predict(fit, what = "distribution", horizon = t, up_to = 4))
  )
  expect_equal(got$expected, c(p, 3000 - sum(p)))
  expect_identical(got$observed, c(tabulate(histories$repeats + 1, 5), sum(histories$repeats >= 5)))
  expect_gt(basis_of(expected_counts(fit), "p"), 0.001)
  poisson <- transform(histories, repeats = rpois(3000, span / 20), last = span)
  poisson$last[poisson$repeats == 0] <- 0
  fit$packed <- pack_histories(poisson, NULL)
  expect_lt(basis_of(expected_counts(fit), "p"), 1e-6)
  expect_match(describe(expected_counts(fit))$finding, "did not come back")
})

test_that("the spread of customers is that of drawn ones; what is drawn are shares", {
  spread <- customer_spread(purchase_model("pareto-nbd", c(r = 0.8, alpha = 9, s = 0.7, beta = 18)))
  withr::local_seed(1)
  expect_equal(
    spread$purchases_a_year,
    unname(quantile(rgamma(4e5, 0.8, 9) * 365.25 / 7, spread$share_of_customers)),
    tolerance = 0.02
  )
  expect_equal(
    spread$stay_years[1:4],
    unname(quantile(1 / rgamma(4e5, 0.7, 18) * 7 / 365.25, spread$share_of_customers))[1:4],
    tolerance = 0.03
  )
  bands <- attr(
    customer_spread(purchase_model("bg-bb", c(alpha = 1.2, beta = 0.8, gamma = 0.7, delta = 2.8))),
    "bands"
  )
  expect_equal(as.vector(tapply(bands$share, bands$of, sum)), c(1, 1))
  expect_equal(
    bands$share[bands$of == "leaving_chance"][[1]],
    mean(rbeta(4e5, 0.7, 2.8) < 0.05),
    tolerance = 0.02
  )
})

test_that("amounts are held against the model, and a tie of spend and frequency is found", {
  amounts <- simulate(
    spend_model("gamma-gamma", c(p = 4, q = 5, gamma = 30)), seed = 3, repeats = rep_len(1:6, 3000)
  )
  check <- expected_spend(fit_spend(amounts))
  expect_identical(sum(check$observed), 3000L)
  expect_equal(sum(check$expected), 3000)
  expect_match(describe(check)$finding, "it fits")
  expect_false(basis_of(spend_frequency(amounts), "tied"))
  tied <- spend_frequency(transform(amounts, spend = spend * repeats^0.3))
  expect_true(basis_of(tied, "tied") && basis_of(tied, "correlation_lower") > 0)
  expect_equal(basis_of(tied, "correlation"), cor(
    amounts$repeats, amounts$spend * amounts$repeats^0.3, method = "spearman"
  ))
  expect_equal(tied$mean_spend[[2]], mean(amounts$spend[amounts$repeats == 2]) * 2^0.3)
  expect_identical(tied$repeats, c("1", "2", "3", "4", "5 to 9"))
  for (x in list(check, tied)) {
    expect_s3_class(ggplot2::ggplot_build(ggplot2::autoplot(x)), "ggplot_built")
  }
})
