year <- function() {
  small_ledger(
    "customer,receipt,day,amount
  A,1,2024-01-05,600
  A,2,2024-02-05,100
  B,3,2024-01-06,450
  C,4,2024-01-07,90
  C,5,2024-01-08,90
  C,6,2024-01-09,90
  D,7,2024-01-10,40",
    currency = "EUR"
  )
}

test_that("several measures with and or or, on paper", {
  limits <- list(
    cashmere = c(sales = 400, purchases = 2), merino = c(sales = 200, purchases = 3), base = NULL
  )
  tier <- \(...) {
    t <- assign_tiers(year(), thresholds = limits, ...)
    stats::setNames(as.character(t$tier), t$customer)[c("A", "B", "C", "D")]
  }
  expect_identical(unname(tier()), c("cashmere", "base", "merino", "base"))
  expect_identical(unname(tier(match = "any")), c("cashmere", "cashmere", "cashmere", "base"))
  t <- assign_tiers(year(), thresholds = limits)
  expect_identical(t$to_next_sales[match(c("A", "B", "C", "D"), t$customer)], c(NA, 0, 130, 160))
  expect_identical(t$to_next_purchases[match(c("A", "B", "C", "D"), t$customer)], c(NA, 2, 0, 2))
  for (wrong in list(list(
    cashmere = c(profit = 1), base = NULL
  ), list(cashmere = c(sales = 1)), list(cashmere = NULL, base = NULL))) {
    expect_error(assign_tiers(year(), thresholds = wrong), class = "nubrek_error_tiers")
  }
})

test_that("a tier is kept until the measure is clearly below its limit", {
  limits <- c(cashmere = 500, merino = 200, base = -Inf)
  # A and B cashmere, C merino, D base
  before <- assign_tiers(year(), thresholds = c(cashmere = 400, merino = 80, base = -Inf))
  now <- assign_tiers(year(), thresholds = limits, keep = before, slack = 0.1)
  expect_identical(
    as.character(now$tier[match(c("A", "B", "C", "D"), now$customer)]),
    c("cashmere", "cashmere", "merino", "base")
  )
  expect_identical(
    now$kept[match(c("A", "B", "C", "D"), now$customer)], c(FALSE, TRUE, FALSE, FALSE)
  ) # B has 450, not below 500 by more than a tenth
  strict <- assign_tiers(year(), thresholds = limits, keep = before, slack = 0.05)
  expect_identical(as.character(strict$tier[match("B", strict$customer)]), "merino")
  expect_error(assign_tiers(year(), c(a = 50, b = 50), keep = before), class = "nubrek_error_tiers")
})

test_that("a benefit pays for itself from cost / (margin x uplift) on", {
  benefits <- tier_benefits(c(cashmere = 20, merino = 5, base = 0), margin_rate = 0.5, uplift = 0.1)
  expect_identical(benefits$break_even, c(400, 100, -Inf))
  tiers <- assign_tiers(year(), benefits = benefits)
  # A 700, B 450, C 270, D 40
  expect_identical(as.character(tiers$tier), c("cashmere", "cashmere", "merino", "base"))
  pay <- tier_payoff(tiers, benefits)
  expect_identical(pay$cost, c(40, 5, 0))
  expect_equal(pay$extra_margin, c(0.05 * 1150, 0.05 * 270, 0))
  expect_identical(pay$below_break_even, c(0L, 0L, 0L))
  shares <- tier_payoff(assign_tiers(year(), c(cashmere = 75, merino = 25, base = 0)), benefits)
  expect_identical(shares$below_break_even, c(1L, 1L, 0L)) # C in cashmere, D in merino
  for (wrong in list(c(cashmere = 20, base = 1), c(20, 0))) {
    expect_error(tier_benefits(wrong, 0.5), class = "nubrek_error_tiers")
  }
  expect_error(
    assign_tiers(year(), benefits = tier_benefits(c(cashmere = 1, merino = 5, base = 0), 0.5)),
    class = "nubrek_error_tiers"
  )
})

test_that("the distance says by when, and periods that are not over are told", {
  tiers <- assign_tiers(year(), thresholds = c(cashmere = 500, base = -Inf), during = "2024")
  expect_match(
    describe(tiers)$finding, "one customer lacks 50.00.EUR until 31 Dec 2024"
  )
  expect_match(remarks(tiers)$remark, "as far as the data go", all = FALSE)
})

moves_paper <- function() {
  small_ledger(
    "customer,receipt,day,amount
  A,1,2023-05-05,100
  A,2,2024-06-05,10
  B,3,2023-02-05,20
  C,4,2023-02-06,10
  C,5,2024-02-06,80
  D,6,2024-03-01,50
  E,7,2022-12-30,30
  F,8,2022-12-31,30
  F,9,2024-01-31,5
  G,10,2025-01-01,99
  H,11,2023-09-09,-4",
    currency = "EUR"
  )
}

test_that("moves on paper: new, absent, absent to absent, and the money", {
  moves <- tier_moves(moves_paper(), c("2023", "2024"), thresholds = c(top = 50, rest = -Inf))
  n <- stats::setNames(moves$customers, paste(moves$from, moves$to))
  expect_identical(n[n > 0L], c(
    `top rest` = 1L, `rest top` = 1L, `rest absent` = 1L, `absent rest` = 1L, `absent absent` = 1L,
    `new top` = 1L
  ))
  expect_identical(sum(n), 6L) # G came later, H never bought
  expect_identical(moves$sales_before[moves$from == "top" & moves$to == "rest"], 100)
  expect_identical(moves$change[moves$from == "rest" & moves$to == "top"], 70)
  expect_true(all(is.na(moves$change_percent))) # trap: percent on a tiny base
  with_base <- tier_moves(
    moves_paper(), c("2023", "2024"), thresholds = c(top = 50, rest = -Inf), least_base = 1L
  )
  expect_equal(with_base$change_percent[with_base$from == "top" & with_base$to == "rest"], -0.9)
  expect_identical(moved_customers(moves, from = "rest")$customer, c("C", "B"))
  expect_identical(rows_behind(moves, moves_paper(), from = "rest", to = "top")$order, c("4", "5"))
  said <- remarks(moves)$remark[remarks(moves)$about == "compared"]
  expect_match(said, "365.days.*366.days")
  later <- tier_moves(
    moves_paper(), c("2022", "2023", "2024"), thresholds = c(top = 50, rest = -Inf)
  )
  expect_identical(unique(later$step), c("2022 to 2023", "2023 to 2024"))
  expect_error(tier_moves(moves_paper(), c("2024", "2023")), class = "nubrek_error_argument")
  expect_error(tier_moves(moves_paper(), "2024"), class = "nubrek_error_argument")
})

test_that("this year so far is compared with the last up to the same day (trap)", {
  ledger <- small_ledger(paste0(
    "customer,receipt,day,amount\nA,1,2023-02-05,10\nA,2,2023-11-05,90\nA,3,2024-02-05,10\nB,4,",
    "2023-12-01,5\nC,5,2024-03-15,1"
  ), currency = "EUR", history_start = "2023-01-01")
  moves <- tier_moves(ledger, c("2023", "2024"), thresholds = c(top = 50, rest = -Inf))
  # A had 10 by 15 March
  expect_identical(moves$customers[moves$from == "rest" & moves$to == "rest"], 1L)
  # B came after that day and is absent, C is new
  expect_identical(moves$customers[moves$from == "new"], c(0L, 1L, 1L))
  expect_match(remarks(moves)$remark, "the earlier up to the same day", all = FALSE)
  whole <- tier_moves(
    ledger, c("2023", "2024"), thresholds = c(top = 50, rest = -Inf), same_days = FALSE
  )
  expect_identical(whole$customers[whole$from == "top" & whole$to == "rest"], 1L)
  expect_match(remarks(whole)$remark, "of unequal length", all = FALSE)
})

test_long("moves partition customers and money on random ledgers", {
  for (seed in 1:12) {
    ledger <- random_ledger(seed)
    for (rule in list(
      list(shares = c(a = 20, b = 80)),
      list(thresholds = c(a = 60, b = -Inf)),
      list(thresholds = list(a = c(sales = 50, purchases = 2), b = NULL))
    )) {
      moves <- do.call(tier_moves, c(list(ledger, c("2024 Q1", "2024 Q2", "2024 Q3")), rule))
      people <- orders_of(ledger, seq_along(ledger$ids))
      for (step in unique(moves$step)) {
        end <- if (step == "2024 Q1 to 2024 Q2") as.Date("2024-06-30") else as.Date("2024-09-30")
        expect_identical(
          sum(moves$customers[moves$step == step]),
          length(unique(people$customer[people$purchase & people$day <= end])),
          label = paste(seed, step)
        )
      }
      last <- moves[moves$step == "2024 Q2 to 2024 Q3", ]
      bought <- unique(people$customer[people$purchase & people$day <= as.Date("2024-09-30")])
      in_third <- people$customer %in% bought &
        people$day >= as.Date("2024-07-01") &
        people$day <= as.Date("2024-09-30")
      expect_equal(sum(last$sales_after), sum(people$sales[in_third]), label = paste("seed", seed))
      expect_identical(
        sum(last$customers[last$from != "new" & last$to != "absent"]) +
          sum(last$customers[last$from == "new" & last$to != "absent"]),
        length(unique(people$customer[people$purchase & in_third]))
      )
    }
  }
})

# Everybody buys at a rate of their own for two years; in the second the best may buy less.
steady_world <- function(seed, n = 400L, planted = 1) {
  set.seed(seed)
  rate <- rgamma(n, 1.2, 1.2 / 6)
  size <- exp(rnorm(n, 3, 0.5))
  rows <- do.call(
    rbind,
    lapply(2023:2024, \(y) {
      k <- rpois(n, rate * ifelse(y == 2024 & rate > quantile(rate, 0.7), planted, 1))
      who <- rep(seq_len(n), k)
      data.frame(
        who,
        day = as.Date(paste0(y, "-01-01")) + sample(0:364, length(who), TRUE),
        sales = round(size[who] * exp(rnorm(length(who), 0, 0.4)), 2)
      )
    })
  )
  first <- data.frame(who = seq_len(n), day = as.Date("2022-12-31"), sales = 1)
  rows <- rbind(first, rows)
  open_ledger(
    cbind(rows, order = seq_len(nrow(rows))),
    column_map("who", "day", order = "order", sales = "sales"),
    meanings(currency = "EUR", as_of = "2024-12-31")
  )
}

test_long("in a stationary world moves are told to be chance, and a planted shift is found", {
  judge <- \(seed, planted, ...) {
    ledger <- steady_world(seed, planted = planted)
    move_noise(tier_moves(ledger, c("2023", "2024"), ...), ledger, draws = 100L)
  }
  limits <- c(top = 180, middle = 60, base = -Inf)
  still <- c(
    lapply(1:10, judge, 1, shares = c(top = 15, middle = 35, base = 50)),
    lapply(11:20, judge, 1, thresholds = limits)
  )
  # about 5 % of worlds may err
  expect_lte(sum(vapply(still, \(x) any(x$verdict != "as by chance"), NA)), 2L)
  inside <- unlist(lapply(still, \(x) x$customers >= x$lower & x$customers <= x$upper))
  expect_gt(mean(inside), 0.88)
  shifted <- lapply(21:24, judge, 0.5, thresholds = limits)
  for (x in shifted) {
    expect_true(any(x$verdict[x$from == "top"] != "as by chance"))
    expect_gt(attr(x, "net")$customers[[2L]], attr(x, "net")$upper[[2L]])
  }
  again <- judge(21, 0.5, thresholds = limits)
  # the same seed, the same draws
  expect_identical(as.data.frame(again), as.data.frame(shifted[[1L]]))
})

test_long("probabilities of tiers are calibrated where the model is true", {
  withr::local_seed(5)
  n <- 2500L
  lambda <- rgamma(n, 0.9, 0.9 / 5)
  life <- rexp(n, rgamma(n, 1.5, 1.5 / 0.35))
  nu <- rgamma(n, 6, 6 / 0.15)
  came <- runif(n)
  day <- lapply(seq_len(n), \(i) {
    t <- cumsum(c(came[[i]], rexp(60, lambda[[i]])))
    t[t <= pmin(3, came[[i]] + life[[i]]) | seq_along(t) == 1L]
  })
  who <- rep(seq_len(n), lengths(day))
  orders <- data.frame(
    who,
    day = as.Date("2022-01-01") + floor(unlist(day) * 365),
    sales = round(pmax(0.01, rgamma(length(who), 4, nu[who])), 2),
    order = seq_along(who)
  )
  map <- column_map("who", "day", order = "order", sales = "sales")
  ledger <- open_ledger(orders, map, meanings(
    currency = "EUR", history_start = "2022-01-01", as_of = "2023-12-31",
    first_purchase_known = NULL
  ))
  tiers <- assign_tiers(
    ledger, thresholds = c(cashmere = 150, merino = 60, base = -Inf), during = "2023"
  )
  outlook <- tier_outlook(tiers, ledger, years = 1, draws = c(10L, 40L))
  expect_equal(
    outlook$cashmere + outlook$merino + outlook$base + outlook$absent, rep(1, nrow(outlook))
  )
  next_year <- orders[orders$day > as.Date("2023-12-31"), ]
  sales <- tapply(next_year$sales, factor(next_year$who, outlook$customer), sum)
  came_true <- ifelse(
    is.na(sales), "absent", ifelse(sales >= 150, "cashmere", ifelse(sales >= 60, "merino", "base"))
  )
  for (tier in c("cashmere", "merino", "absent")) {
    bin <- cut(outlook[[tier]], c(-0.01, 0.1, 0.3, 0.5, 0.7, 0.9, 1))
    said <- tapply(outlook[[tier]], bin, mean)
    seen <- tapply(came_true == tier, bin, mean)
    size <- tapply(came_true == tier, bin, length)
    off <- abs(said - seen) / sqrt(pmax(said * (1 - said), 0.01) / size)
    expect_lt(max(off[which(size >= 30)]), 4, label = tier)
  }
  expect_error(
    tier_outlook(assign_tiers(ledger, measure = "purchases"), ledger), class = "nubrek_error_tiers"
  )
})
