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
