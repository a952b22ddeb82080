return_rows <- function(seed) {
  set.seed(seed)
  n <- 300L
  receipt <- rep(seq_len(150L), each = 2L)
  who <- sprintf("C%02d", sample(40L, 150L, TRUE))[receipt]
  day <- (as.Date("2024-01-01") + sample(0:600, 150L, TRUE))[receipt]
  rows <- data.frame(
    who, day, receipt = sprintf("R%03d", receipt), paid = sample(1:60, n, TRUE),
    off = sample(c(0, 0, 0, 1, 8), n, TRUE), goods = sample(c("Yarn", "Kit", NA), n, TRUE)
  )
  rows$paid[sample(n, 40L)] <- -sample(1:30, 40L, TRUE)
  rows[order(rows$day, rows$receipt), ]
}

return_ledger <- function(rows) {
  open_ledger(
    rows,
    column_map("who", "day", "receipt", "paid", discount = "off", category = "goods"),
    meanings(currency = "EUR")
  )
}

test_both("gross, returned and net add up by customer and by group, in every store", {
  for (seed in worlds(1:2, 1:10)) {
    rows <- return_rows(seed)
    ledger <- return_ledger(rows)
    x <- customer_returns(ledger, best = 0.2, margin = 0.4)
    gross <- tapply(pmax(rows$paid, 0), rows$who, sum)
    back <- tapply(pmax(-rows$paid, 0), rows$who, sum)
    expect_equal(x$gross, as.vector(gross[x$customer]))
    expect_equal(x$returned, as.vector(back[x$customer]))
    expect_equal(x$net, x$gross - x$returned)
    expect_equal(x$margin, x$net * 0.4)
    rank <- rank(-gross, ties.method = "min")[x$customer]
    expect_identical(x$best_before, as.vector((rank - 1) < 0.2 * nrow(x)))
    expect_equal(sum(x$net), sum(customers(ledger, everybody = TRUE)$sales))
    for (by in c("category", "first_category", "cohort")) {
      groups <- returns_by(ledger, by, 0.4)
      expect_equal(sum(groups$gross), sum(x$gross))
      expect_equal(sum(groups$returned), sum(x$returned))
      expect_equal(sum(groups$share_of_returned), 1)
      expect_equal(groups$margin, groups$net * 0.4)
      expect_identical(groups, returns_by(in_parts(ledger, 3L), by, 0.4))
    }
    yarn <- rows[rows$goods %in% "Yarn", ]
    mine <- returns_by(ledger, "category")
    mine <- mine[mine$category == "Yarn", ]
    expect_equal(
      unlist(mine[c("gross", "returned", "customers")], use.names = FALSE),
      c(sum(pmax(yarn$paid, 0)), sum(pmax(-yarn$paid, 0)), length(unique(yarn$who[yarn$paid > 0])))
    )
    expect_identical(x, customer_returns(in_parts(ledger, 3L), best = 0.2, margin = 0.4))
  }
  expect_setequal(rows_behind(x, ledger, customer = "C01")$customer, "C01")
  expect_true(all(rows_behind(returns_by(ledger, "category"), ledger, category = "Yarn")$order %in%
    yarn$receipt))
})

test_both("customers by their first discount, order by order", {
  for (seed in worlds(1:2, 1:6)) {
    rows <- return_rows(seed)
    ledger <- return_ledger(rows)
    x <- discount_starts(ledger, c(0.1, 0.4), within = 90L)
    orders <- stats::aggregate(cbind(paid, off) ~ who + day + receipt, rows, sum)
    bought <- orders[orders$paid > 0, ]
    bought <- bought[order(bought$day, bought$receipt), ]
    bought$share <- bought$off / (bought$paid + bought$off)
    bought$first <- !duplicated(bought$who)
    began <- bought[bought$first, ]
    called <- c("below 10 %", "10 % to 40 %", "40 % or more")
    place <- called[findInterval(began$share, c(0.1, 0.4)) + 1L]
    for (group in x$first_discount) {
      mine <- x[x$first_discount == group, ]
      who <- began$who[place == group]
      later <- bought[!bought$first & bought$who %in% who, ]
      expect_identical(mine$customers, length(who))
      expect_identical(mine$later_purchases, nrow(later))
      expect_equal(mine$full_price, if (nrow(later) > 0L) mean(later$share < 0.1) else NA_real_)
      expect_equal(mine$mean_first, mean(began$paid[place == group]))
      expect_equal(mine$mean_later, if (nrow(later) > 0L) mean(later$paid) else NA_real_)
      expect_equal(mine$sales_per_customer, sum(orders$paid[orders$who %in% who]) / length(who))
    }
    expect_equal(attr(x, "basis")$on_discount, mean(bought$share >= 0.1))
    expect_identical(x, discount_starts(in_parts(ledger, 4L), c(0.1, 0.4), within = 90L))
  }
  behind <- rows_behind(x, ledger, first_discount = "below 10 %")
  expect_setequal(behind$customer, began$who[place == "below 10 %"])
  expect_error(discount_starts(example_ledger()), class = "nubrek_error_attribute")
})

test_that("what the rates did is told apart, on paper", {
  orders <- data.frame(
    who = c("A", "B", "A", "B", "C", "B"), receipt = 1:6, paid = c(10, 100, 10, 110, 50, 40),
    day = as.Date(c(
      "2024-03-01", "2024-03-02", "2025-03-01", "2025-03-02", "2025-03-02", "2024-08-01"
    )),
    paid_in = c("EUR", "DKK", "", "DKK", "SEK", "DKK")
  )
  rates <- currency_rates(data.frame(
    date = c("2024-01-01", "2024-07-01", "2025-01-01", "2025-01-01"),
    currency = c("DKK", "DKK", "DKK", "SEK"), rate = c("0.130", "0.135", "0.140", "0.09")
  ))
  ledger <- open_ledger(orders, column_map(
    "who", "day", "receipt", "paid", currency = "paid_in", attributes = c(paid_in = "paid_in")
  ), meanings(currency = "EUR"), rates = rates)
  x <- constant_currency(ledger, "paid_in", "2025", c("2024-01-01", "2024-12-31"))
  # until 2 March of the earlier year too, as the later one goes no further
  expect_equal(x$sales_before, c(13, 10, 0, 23))
  expect_identical(x$currency, c("DKK", "EUR", "SEK", "(all)"))
  expect_equal(x$sales, c(15.4, 10, 4.5, 29.9))
  expect_equal(x$sales_constant, c(110 * 0.13, 10, 4.5, 28.8))
  expect_equal(x$from_rates, c(1.1, 0, 0, 1.1))
  expect_equal(x$change, x$change_constant + x$from_rates)
  whole <- constant_currency(ledger, "paid_in", c("2025-03-01", "2025-03-02"), "2024")
  # 18.40 for 140 kroner
  expect_equal(whole$rate_before[[1L]], 18.4 / 140)
  expect_error(constant_currency(ledger, "paid", "2025", "2024"), class = "nubrek_error_attribute")
  expect_error(
    constant_currency(example_ledger(), "channel", "2025", "2024"), class = "nubrek_error_currency"
  )
})

test_that("the demo study says what comes back and what discounts bring", {
  run <- pellmere()
  expect_named(run$returns_by, c("category", "first_channel"))
  expect_equal(sum(run$returns$net), sum(customers(run$ledger, everybody = TRUE)$sales))
  expect_s3_class(ggplot2::autoplot(run$returns_by$category), "ggplot")
  expect_s3_class(ggplot2::autoplot(run$discounts), "ggplot")
})

test_that("first discounts are held against the same month and channel, and told beyond chance", {
  set.seed(4)
  # the web gives discounts and its customers come back less; the discount itself does nothing
  n <- 3000L
  web <- stats::runif(n) < 0.5
  off <- ifelse(stats::runif(n) < ifelse(web, 0.6, 0.1), 20, 0)
  start <- as.Date("2024-01-01") + sample(0:300, n, TRUE)
  shop <- function(chance) {
    back <- stats::runif(n) < chance
    open_ledger(
      data.frame(
        who = c(seq_len(n), which(back)), no = seq_len(n + sum(back)), paid = 80,
        off = c(off, rep(0, sum(back))),
        day = c(start, start[back] + 1L + sample(0:200, sum(back), TRUE)),
        place = c("Mill", "Web")[1L + c(web, web[back])]
      ),
      column_map("who", "day", order = "no", sales = "paid", discount = "off", channel = "place"),
      meanings(currency = "EUR")
    )
  }
  nothing <- discount_starts(shop(ifelse(web, 0.3, 0.5)))
  worst <- nothing[nothing$first_discount == "15 % or more", ]
  expect_lt(worst$upper, nothing$lower[[1L]]) # far apart, by the channel alone
  expect_gt(worst$adjusted_p, 0.05)
  expect_match(describe(nothing)$finding, "come back like all who began in the same month and ch")
  # a planted one is found, with its size: odds of the hazard about halved
  planted <- discount_starts(shop(ifelse(web, 0.3, 0.5) * ifelse(off > 0, 0.5, 1)))
  expect_lt(planted$adjusted_p[[2L]], 1e-6)
  expect_lt(planted$ratio_upper[[2L]], 0.9)
  expect_match(describe(planted)$finding, "times as fast as all")
  # the same as first_products of a label that is the discount
  expect_equal(names(planted)[[6L]], "rate_ratio")
})

test_that("a group is told as the one from which most comes back beyond chance alone", {
  # 60 customers in each of two goods, 10 each; who returns how much
  ledger_of <- \(yarn, kit) return_ledger(data.frame(
    who = sprintf("C%03d", c(1:120, 1:120)), day = "2024-03-01",
    receipt = sprintf("R%03d", 1:240), paid = c(rep(10, 120), -yarn, -kit), off = 0,
    goods = rep(rep(c("Yarn", "Kit"), each = 60L), 2L)
  ) |> subset(paid != 0))
  said <- \(x) describe(x)$finding
  none <- rep(0, 60)
  some <- returns_by(ledger_of(replace(none, 1:20, 4), replace(none, 1:6, 4)), "category")
  expect_identical(basis_of(some, "highest"), "Yarn")
  expect_match(said(some), "Of .Yarn. 13.3.% of gross sales came back, of all 8.7.%")
  # by hand: of each customer what he returned less the share of all of what he bought
  share <- 104 / 1200
  spread <- c(20 * (4 - 10 * share)^2 + 40 * (10 * share)^2, 6 * (4 - 10 * share)^2 +
    54 * (10 * share)^2) / 600^2
  off <- c(80, 24) / 600
  average <- sum(off / spread) / sum(1 / spread)
  p <- stats::pchisq(sum((off - average)^2 / spread), 1, lower.tail = FALSE)
  expect_lt(p, 0.05)
  # as much money, but of two customers: no sign of anything
  two <- returns_by(ledger_of(replace(none, 1:8, 10), replace(none, 1:2, 12)), "category")
  expect_null(basis_of(two, "highest"))
  expect_match(said(two), "By category, .* does not differ significantly .8.7.% in all")
})

test_that("extremes are told of groups that differ, each drawn towards all as far as chance goes", {
  hits <- c(30, 45, 60)
  n <- c(100, 100, 100)
  expect_identical(clear_share_extremes(hits, n), list(high = 3L, low = 1L))
  # at the edge of the plain chi-square test of shares
  edge <- \(k) suppressWarnings(stats::prop.test(c(30, k), c(100, 100), correct = FALSE)$p.value)
  for (k in 40:46) {
    expect_identical(is.null(clear_share_extremes(c(30, k), c(100, 100))), edge(k) >= 0.05)
  }
  # a small group far out tells less than a large one not so far
  few <- clear_extremes(c(0.5, 0.5, 0.3, 0.8), c(0.01, 0.01, 0.01, 0.4))
  expect_identical(few$low, 3L)
  expect_true(few$high %in% 1:2)
  # a test of its own decides; repeat rates of 30 and 45 of 100 within 90 days
  expect_null(clear_extremes(c(0, 9), c(1, 1), p = 0.06))
  expect_identical(clear_extremes(c(0, 1), c(1, 1), p = 0.04), list(high = 2L, low = 1L))
  rates <- repeat_rate(open_ledger(
    data.frame(
      who = c(1:200, 1:30, 101:145), day = rep(c("2024-01-05", "2024-02-05"), c(200, 75)), paid = 5,
      shop = ifelse(c(1:200, 1:30, 101:145) <= 100, "Mill", "Web")
    ),
    column_map("who", "day", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", as_of = "2024-12-31")
  ), by = "first_channel")
  expect_match(describe(rates)$finding, "45.% of .Web. .* and 30.% of .Mill.")
  expect_null(clear_extremes(c(1, NA), c(1, 1)))
  expect_null(clear_extremes(1, 1))
})
