# Value as money: economics of cohorts, sales to come, who brings value.

truth_customers <- function() {
  utils::read.csv(
    gzfile(system.file("pellmere", "truth-customers.csv.gz", package = "nubrek")),
    colClasses = c(customer_no = "character")
  )
}
half <- function() economics(margin_rate = 0.48)

test_that("three cohorts on paper: margin, discount, cost, payback, worked by hand", {
  table <- data.frame(
    cohort = c("2024 Q1", "2024 Q1", "2024 Q1", "2024 Q2", "2024 Q2", "2024 Q3"),
    age = c(0, 1, 2, 0, 1, 0),
    customers = c(100, 40, 30, 80, 32, 50),
    sales = c("5000.00", "1600.00", "1200.00", "4400.00", "1500.00", "2600.00")
  )
  grid <- as_cohort_grid(
    table,
    "cohort",
    age = "age",
    customers = "customers",
    sales = "sales",
    margin_rate = 0.4,
    meaning = meanings(currency = "EUR", clock = "quarter", as_of = "2024-09-30")
  )
  worth <- cohort_value(grid, cost = 22, yearly_discount = 1.02^4 - 1) # 2 % a quarter
  # 0.4 x 5000 / 100 = 20 at once, 6.4 and 4.8 later: 20 + 6.4 / 1.02 + 4.8 / 1.0404 = 30.888; the
  # cost of 22 is reached at age 1 (26.4, undiscounted) 0.4 x 4400 / 80 = 22 at once: just the cost;
  # 0.4 x 2600 / 50 = 20.8: not there
  expect_equal(worth$value, c(20 + 6.4 / 1.02 + 4.8 / 1.0404, 22 + 7.5 / 1.02, 20.8))
  expect_equal(worth$value_after_cost, worth$value - 22)
  expect_equal(worth$value_to_cost[[1L]], 30.88812 / 22, tolerance = 1e-6)
  expect_equal(worth$return_on_cost, worth$value_to_cost - 1)
  expect_identical(worth$payback_age, c(1L, 0L, NA))
  expect_identical(worth$payback, c("observed", "observed", "beyond"))
  expect_identical(worth$to_age, c(2L, 1L, 0L))
  expect_equal(worth$sales, c(78, 73.75, 52))
  # money at age 0 is not discounted (trap), whatever the rate; pooled lines weigh by size
  first <- cohort_value(grid, cost = 22, yearly_discount = 0.9, age = 0L)
  expect_equal(first$value, c(20, 22, 20.8))
  summary <- worth_summary(first)
  expect_equal(summary$value, (20 * 100 + 22 * 80 + 20.8 * 50) / 230)
  expect_equal(summary$return_on_cost, summary$value / 22 - 1)
  expect_identical(worth_course(worth)$age, 0L) # as far as all cohorts reach
  # where only some cohorts have a cost, value and cost are of the same ones
  some <- cohort_value(grid, acquisition_cost(c("2024 Q2" = 22), by = "cohort"), age = 0L)
  expect_equal(
    unlist(worth_summary(some)[c("size", "value_with_cost", "cost", "payback_age")]),
    c(size = 230, value_with_cost = 22, cost = 22, payback_age = 0)
  )
  expect_identical(worth_course(some)$size[[1L]], 80L)
  # sales are not value without a margin (trap); a cost by cohort; a cohort without one
  bare <- as_cohort_grid(
    table,
    "cohort",
    age = "age",
    customers = "customers",
    sales = "sales",
    meaning = meanings(currency = "EUR", clock = "quarter", as_of = "2024-09-30")
  )
  bare <- cohort_value(bare, acquisition_cost(c("2024 Q1" = 22, "2024 Q2" = 30), by = "cohort"))
  expect_true(all(is.na(bare$value)) && all(is.na(bare$payback_age)))
  expect_identical(bare$payback, c("margin unknown", "margin unknown", "no cost"))
  expect_error(cohort_value(data.frame(1)), class = "nubrek_error_argument")
})

test_long(
  paste0(
    "observed cells stand as they were, forecast cells add up to the sales to come, paybacks are ",
    "those of the observed grid"
  ),
  {
    ledger <- pellmere()$ledger
    grid <- forecast_grid(
      ledger, "quarter", by = "first_channel", money = half(), draws = c(10L, 5L)
    )
    seen <- merge(
      as.data.frame(grid),
      as.data.frame(cohort_grid(ledger, "quarter", by = "first_channel", margin = 0.48)),
      by = c("first_channel", "cohort", "age")
    )
    expect_identical(nrow(seen), nrow(cohort_grid(ledger, "quarter", by = "first_channel")))
    whole <- seen$what == "observed"
    expect_identical(seen$sales.x[whole], seen$sales.y[whole])
    expect_identical(
      unique(seen$what[!seen$complete]),
      c("partly", "observed")[seq_along(unique(seen$what[!seen$complete]))]
    )
    sales <- forecast_sales(ledger, "quarter", acquisitions = 0, money = half(), draws = c(10L, 5L))
    ahead <- tapply(
      grid$sales[grid$what == "forecast"], format(grid$period[grid$what == "forecast"]), sum
    )
    expect_equal(as.double(ahead), sales$sales[!sales$partial])
    margin <- tapply(
      grid$margin[grid$what == "forecast"], format(grid$period[grid$what == "forecast"]), sum
    )
    expect_equal(as.double(margin), sales$margin[!sales$partial])
    last <- !is.na(grid$per_customer_lower)
    expect_true(
      all((grid$per_customer_lower <= grid$per_customer_upper)[last]) &&
        all(last == (grid$what != "observed" & !is.na(grid$per_customer)))
    )
    spend <- acquisition_spend(
      system.file("pellmere", "acquisition-costs.csv", package = "nubrek"),
      "month",
      "spend",
      c(first_channel = "channel")
    )
    worth <- cohort_value(grid, spend)
    both <- merge(
      as.data.frame(worth),
      as.data.frame(cohort_payback(
        cohort_grid(ledger, "quarter", by = "first_channel", margin = 0.48), spend
      )),
      by = c("first_channel", "cohort")
    )
    paid <- both$status == "paid back"
    expect_identical(both$payback_age.x[paid], both$payback_age.y[paid])
    expect_true(
      all(both$payback[paid] == "observed") &&
        all(both$payback[!paid] != "observed") &&
        sum(!paid) > 0
    )
    # the value of one cohort by hand from its cells
    one <- grid[
      grid$first_channel == "Web store" & format(grid$cohort) == "2025-04-01" & grid$age <= 4L,
    ]
    mine <- worth[worth$first_channel == "Web store" & format(worth$cohort) == "2025-04-01", ]
    expect_equal(mine$value, sum(one$margin / 1.1^(one$age / 4)) / one$size[[1L]])
    expect_true(mine$value_lower < mine$value && mine$value < mine$value_upper)
    together <- cohort_value(grid, spend, together = TRUE)
    expect_equal(sum(together$value * together$size), sum(worth$value * worth$size))
    expect_equal(sum(together$cost * together$size), sum(worth$cost * worth$size, na.rm = TRUE))
  }
)

test_that("the sum by weeks and continuous discounting agree, and periods add up to the horizon", {
  ledger <- pellmere()$ledger
  models <- forecast_models(season = FALSE)
  weeks <- forecast_sales(
    ledger,
    "week",
    periods = 52L,
    acquisitions = 0,
    money = half(),
    draws = c(2L, 2L),
    models = models
  )
  days <- as.numeric(weeks$period + 6 - ledger$as_of)
  value <- forecast_value(
    ledger, years = max(days) / 365.25, money = half(), draws = c(2L, 2L), models = models
  )
  expect_equal(sum(weeks$purchases_today), sum(value$purchases))
  expect_equal(sum(weeks$margin), sum(value$margin))
  middle <- (days + pmax(0, c(0, days[-length(days)]))) / 2
  expect_equal(sum(weeks$margin * 1.1^(-middle / 365.25)), sum(value$value), tolerance = 1e-5)
})

test_long(
  paste0(
    "customers still to be won: expected as a slow simulation does, drawn with the same mean, a ",
    "plan taken as it is"
  ),
  {
    fit <- purchase_model("pareto-nbd", c(r = 0.9, alpha = 8, s = 0.6, beta = 12))
    fit$packed <- list()
    edges <- c(0, 3, 8, 20)
    wanted <- c(40, 0, 100)
    expected <- newcomers_by_period(fit, NULL, edges, wanted)
    came <- withr::with_seed(1, c(runif(40 * 500, 0, 3), runif(100 * 500, 8, 20)))
    drawn <- simulate(fit, seed = 4, history = data.frame(span = 20 - came), times = TRUE)
    at <- came[drawn$customer] + drawn$time
    slow <- tabulate(findInterval(at, edges, left.open = TRUE), 3L) / 500
    expect_lt(max(abs(slow - expected) / sqrt(expected / 500)), 6)
    ledger <- pellmere()$ledger
    plan <- forecast_sales(
      ledger, "quarter", periods = 2L, acquisitions = c(500, 900), draws = c(10L, 10L)
    )
    expect_equal(plan$new[-1L], c(500, 900))
    expect_equal(plan$new[[1L]], 500 * 17 / 92) # the rest of the quarter
    alone <- forecast_sales(ledger, "quarter", periods = 2L, acquisitions = 0, draws = c(10L, 10L))
    expect_equal(plan$sales_today, alone$sales)
    expect_true(all(plan$sales_upper > alone$sales_upper) && all(plan$active > alone$active))
    expect_error(
      forecast_sales(ledger, "quarter", periods = 2L, acquisitions = 1:5),
      "2 whole periods",
      class = "nubrek_error_argument"
    )
    # a year before: the same days
    before <- ledger$orders$day >= as.integer(as.Date("2024-12-15")) &
      ledger$orders$day <= as.integer(as.Date("2024-12-31"))
    expect_equal(plan$sales_before[[1L]], sum(ledger$orders$sales[before]) / 100)
    expect_identical(
      forecast_sales(ledger, "quarter", periods = 1L, draws = c(5L, 5L), seed = 3L),
      forecast_sales(ledger, "quarter", periods = 1L, draws = c(5L, 5L), seed = 3L)
    )
  }
)

test_long(
  "a year ago the sales that came were within the intervals, and today's are near the truth",
  {
    study <- read_study(system.file("pellmere", "study.yaml", package = "nubrek"))
    study$meanings$as_of <- as.Date("2024-12-14")
    then <- forecast_sales(open_study_ledger(study))
    came <- attr(pellmere()$coming, "history")
    whole <- merge(as.data.frame(then)[!then$partial, ], came[!came$partial, ], by = "period")
    expect_identical(nrow(whole), 11L)
    expect_gte(sum(whole$sales.y >= whole$sales_lower & whole$sales.y <= whole$sales_upper), 9L)
    expect_lt(abs(sum(whole$sales.x) / sum(whole$sales.y) - 1), 0.06)
    truth <- truth_customers()
    year <- pellmere()$forecast
    expect_lt(abs(sum(year$sales) / 0.979 / sum(truth$sales_next_52_weeks) - 1), 0.05)
  }
)

test_that("groups are near the truth they were drawn from, and their parts add up", {
  value <- pellmere()$value_by
  truth <- truth_customers()
  truth <- truth[truth$first >= "2023-05-01", ]
  delta <- log(1.1) / 365.25 * 7
  later <- truth$lambda / (truth$mu + delta) * (1 - exp(-(truth$mu + delta) * 365.25 / 7))
  real <- tapply(
    0.48 * (1 - basis_of(pellmere()$forecast, "return_share")) * truth$mean_order * (1 + later),
    truth$channel,
    mean
  )[value$first_channel]
  # of 7 intervals of 95 %
  expect_gte(sum(real >= value$value_lower & real <= value$value_upper), 6L)
  expect_gt(cor(real, value$value), 0.97)
  expect_equal(value$from_staying + value$from_cadence + value$from_order, value$difference)
  expect_equal(value$value - value$difference, rep(attr(value, "everybody")$value, nrow(value)))
  expect_false(is.unsorted(-value$value))
  # the towns and the discounts of the demo world do nothing: nothing is found
  expect_false(any(value_by(pellmere()$ledger, "town", money = half())$clear))
  expect_false(any(pellmere()$value_groups$first_discount$clear))
})

test_that(
  "Shapley values of a product, by hand; few customers are drawn towards everybody and marked",
  {
    # everybody 2 x 3 x 5, the group 4 x 3 x 10: the first factor alone adds 30, the third alone 30,
    # both 90
    parts <- shapley(\(a, b, c) (if (a) 4 else 2) * 3 * (if (c) 10 else 5))
    expect_equal(parts, list(45, 0, 45))
    withr::local_seed(3)
    group <- rep(c("a", "b", "c"), c(500, 480, 4))
    top <- rexp(984) * ifelse(group == "b", 2, 1) + ifelse(group == "c", 30, 0)
    found <- shrunk_ratios(top, rep(1, 984), group)
    # DerSimonian and Laird, slowly
    v <- sum((top - mean(top))^2) / 984 / c(500, 480, 4)
    w <- 1 / v
    q <- sum(w * (found$own - sum(w * found$own) / sum(w))^2)
    between <- max(0, (q - 2) / (sum(w) - sum(w^2) / sum(w)))
    expect_equal(found$ratio, mean(top) + between / (between + v) * (found$own - mean(top)))
    expect_equal(found$error, sqrt(between / (between + v) * v))
    history <- simulate(
      purchase_model("pareto-nbd", c(r = 0.9, alpha = 8, s = 0.6, beta = 12)),
      seed = 2,
      history = data.frame(span = rep(60, 4005))
    )
    rates <- group_rates(history, rep(c("many", "more", "few"), c(2000, 2000, 5)), "pareto-nbd")
    expect_lt(max(abs(rates$effect)), 0.1) # all alike: nothing but noise
    expect_error(value_by(pellmere()$ledger, "nothing"), class = "nubrek_error_attribute")
  }
)

test_that(
  paste0(
    "margin and returns of the coming time are those so far, by group, drawn together; margin so ",
    "far is exact"
  ),
  {
    ledger <- pellmere()$ledger
    rates <- c(Yarn = 0.48, Kits = 0.53, Needles = 0.45, Patterns = 0.85, Tools = 0.42)
    value <- forecast_value(
      ledger, money = economics(margin_rates(rates, by = "category")), draws = c(2L, 2L)
    )
    lines <- data.frame(
      customer = ledger$ids[ledger$orders$customer[ledger$lines$number]],
      margin = ledger$lines$sales * rates[as.character(ledger$lines$category)] / 100
    )
    slow <- tapply(lines$margin, lines$customer, sum)
    expect_equal(value$value_to_date, as.double(slow[value$customer]))
    shares <- value$margin / value$sales
    channel <- customers(ledger)$first_channel[match(value$customer, customers(ledger)$customer)]
    expect_identical(length(unique(round(shares, 10))), length(unique(channel)))
    expect_lt(max(abs(shares - sum(slow) / sum(major(ledger, ledger$orders$sales)))), 0.02)
    # rates of an attribute of the customer are exact
    own <- stats::setNames(seq(0.3, 0.6, length.out = 7L), unique(channel))
    exact <- forecast_value(
      ledger, money = economics(margin_rates(own, by = "first_channel")), draws = c(2L, 2L)
    )
    expect_equal(exact$margin / exact$sales, as.double(own[channel]))
    # the ledger's own cost
    bought <- open_ledger(
      transform(example_orders(), cost = sprintf("%.2f", as.numeric(amount) * 0.6)),
      column_map("customer", "day", order = "receipt", sales = "amount", cost = "cost"),
      meanings(currency = "EUR")
    )
    both <- forecast_value(bought, draws = c(2L, 2L))
    expect_equal(both$margin / both$sales, rep(0.4, nrow(both)), tolerance = 0.002)
  }
)

test_that(
  "the cost of a customer is that of his cohort and channel, and who holds how much adds up",
  {
    ledger <- pellmere()$ledger
    spend <- acquisition_spend(
      system.file("pellmere", "acquisition-costs.csv", package = "nubrek"),
      "month",
      "spend",
      c(first_channel = "channel")
    )
    value <- forecast_value(ledger, money = half(), draws = c(2L, 2L), cost = spend)
    cohorts <- cohort_payback(cohort_grid(ledger, by = "first_channel", margin = 0.48), spend)
    expect_equal(sum(value$cost, na.rm = TRUE), sum(cohorts$cost * cohorts$size, na.rm = TRUE))
    expect_equal(value$value_after_cost, value$lifetime_value - value$cost)
    shares <- value_shares(value, groups = 4L)
    expect_equal(
      colSums(as.data.frame(shares)[c("value_to_date", "value", "lifetime_value")]),
      colSums(as.data.frame(value)[c("value_to_date", "value", "lifetime_value")])
    )
    expect_identical(sum(shares$customers), nrow(value))
    expect_equal(shares$running_share[[4L]], 1)
    expect_identical(
      basis_of(value_shares(forecast_value(ledger, draws = c(2L, 2L))), "measure"), "sales"
    )
  }
)

test_that(
  "an offer pays where it wins more than it costs in staying; conversion is of the registered",
  {
    value <- pellmere()$value_by
    trade <- offer_trade(value, base = "Mill Lane")
    row <- trade[trade$first_channel == "Fern Street", ]
    base <- value$value[value$first_channel == "Mill Lane"]
    expect_equal(row$more_needed, base / value$value[value$first_channel == "Fern Street"] - 1)
    expect_true(is.na(row$pays)) # nobody knows the channel of those who never bought
    town <- value_by(pellmere()$ledger, "town", money = half())
    people <- customers(pellmere()$ledger)
    known <- known_attributes(pellmere()$ledger)
    registered <- !is.na(known$registered) & known$registered != "" & known$town %in% "Ostwick"
    expect_equal(
      town$conversion[town$town == "Ostwick"],
      sum(people$town %in% "Ostwick" & people$purchases > 0 & !is.na(people$registered)) /
        sum(registered)
    )
    trade <- offer_trade(town, base = "Ostwick")
    expect_equal(trade$pays, trade$more_won > trade$more_needed)
  }
)

test_that(
  paste0(
    "what the data cannot support is said: a trend against the model, amounts that go with ",
    "frequency, no season"
  ),
  {
    withr::local_seed(8)
    n <- 1500
    came <- sort(sample.int(900, n, TRUE))
    later <- simulate(
      purchase_model("pareto-nbd", c(r = 1.5, alpha = 8, s = 0.3, beta = 60)),
      seed = 8,
      history = data.frame(span = (900 - came) / 7),
      times = TRUE
    )
    day <- came[later$customer] + ceiling(7 * later$time)
    kept <- runif(length(day)) < exp(-day / 700) # fewer and fewer come back
    count <- tabulate(later$customer[kept], n)
    amount <- function(who) round(exp(3 + 0.4 * log1p(count[who]) + rnorm(length(who), 0, 0.3)), 2)
    orders <- data.frame(
      customer = sprintf("C%04d", c(seq_len(n), later$customer[kept])),
      day = format(as.Date("2023-01-01") + c(came, day[kept])),
      amount = amount(c(seq_len(n), later$customer[kept]))
    )
    ledger <- open_ledger(
      orders,
      column_map("customer", "day", sales = "amount"),
      meanings(currency = "EUR", history_start = "2023-01-01", first_purchase_known = NULL)
    )
    value <- forecast_value(ledger, draws = c(2L, 2L), models = forecast_models(season = FALSE))
    said <- remarks(value)
    expect_match(said$remark[said$about == "trend"], "fell by")
    expect_match(
      said$remark[said$about == "spend"], "expected sales would be [0-9.]+ % (higher|lower)"
    )
    expect_match(said$remark[said$about == "season"], "know no season")
    expect_false("trend" %in% remarks(pellmere()$forecast)$about)
  }
)

test_that("the stream draws what it says, shapes below one and tails with it", {
  one <- simulate(
    spend_model("gamma-gamma", c(p = 0.3, q = 2.5, gamma = 10)), seed = 3, repeats = rep(1, 20000)
  )$spend
  # the amount is a beta prime
  expect_gt(stats::ks.test(one / (one + 10), "pbeta", 0.3, 2.5)$p.value, 1e-4)
  logs <- log(
    simulate(
      spend_model("log-normal", c(mu = 1, sigma = 0.6, tau = 0.8)),
      seed = 3,
      repeats = rep(1, 200000)
    )$spend
  )
  expect_gt(stats::ks.test(logs, "pnorm", 1, 1)$p.value, 1e-4)
  expect_equal(mean(abs(logs - 1) > 3.5) / (2 * pnorm(-3.5)), 1, tolerance = 0.4)
  # the quick probability of still being a customer, by the mean of what is drawn
  fit <- purchase_model("pareto-nbd", c(r = 0.08, alpha = 0.6, s = 0.4, beta = 20))
  history <- data.frame(
    repeats = c(0, 3, 40), last = c(0, 50, 99), span = c(200, 120, 100), spend = c(NA, 1, 1)
  )
  fixed <- list(name = "gamma-gamma", parameters = c(p = 1e4, q = 1e4, gamma = 1))
  class(fixed) <- c("nubrek_spend", "nubrek_spend_model")
  drawn <- draw_values(drawn_worlds(history, fit, fixed, 1L, 1), 30, 0, 0.5, 40000L, 1, 1:3, 3L)
  expect_lt(
    max(abs(
      colMeans(drawn$totals) / (predict(fit, history, horizon = 30) * predict(fixed, history)) - 1
    )),
    0.05
  )
})

test_that("faces of the money to come say what was found", {
  run <- pellmere()
  expect_match(describe(run$coming)$finding, "from customers still to be won")
  expect_match(ggplot2::autoplot(run$coming)$labels$caption, "Assumed: as many new customers")
  expect_match(describe(run$worth_by)$finding, "Web store. least")
  expect_match(
    ggplot2::autoplot(run$value_by)$labels$title, "Harbour Row.*mainly by buying more often"
  )
  expect_identical(nrow(ggplot2::autoplot(run$shares)$data), 20L)
  expect_match(ggplot2::autoplot(run$continued)$labels$title, "won in 2025-11")
  for (part in c("coming", "continued", "worth", "worth_by", "value_by", "shares")) {
    lines <- withr::with_options(list(width = 100), capture.output(print(run[[part]])))
    expect_lte(max(nchar(lines, "width")), 100, label = part)
    expect_s3_class(ggplot2::autoplot(run[[part]]), "ggplot")
  }
})
