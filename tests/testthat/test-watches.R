test_that("the evidence is that of its definition, by densities and integrals", {
  at <- c(-60, -30.5, -8, -0.5, 0.5, 3, 9)
  n <- c(40, 50, 45, 60, 50, 52, 48)
  k <- c(11, 20, 12, 21, 9, 8, 4)
  share <- 53 / 155
  y <- (asin(sqrt((k + 0.25) / (n + 0.5))) - asin(sqrt(share))) * 2 / sqrt(share * (1 - share))
  log_density <- \(x, cover) {
    -as.vector(determinant(cover)$modulus) / 2 - sum(x * solve(cover, x)) / 2
  }
  fit <- \(i) {
    s <- watch_spreads[i, ]
    cover <- outer(1:7, 1:7, Vectorize(\(a, b) {
      gap <- 7 * abs(at[a] - at[b])
      of_year <- min(gap %% 365.25, 365.25 - gap %% 365.25)
      4 + (a == 1 && b == 1) + s$season^2 * exp(-of_year / 42) +
        s$stretch^2 * exp(-gap / 21) + (a == b) * (s$week^2 + 1 / (n[a] * share * (1 - share)))
    }))
    lapply(5:7, \(t) {
      seen <- 1:t
      now <- log_density(y[seen], cover[seen, seen])
      change <- mean(vapply(5:7, \(from) {
        mean(vapply(watch_changes, \(size) {
          stats::integrate(Vectorize(\(d) {
            moved <- y[seen] - d * (seen >= from)
            exp(log_density(moved, cover[seen, seen]) - now) * 2 * stats::dnorm(d, 0, size)
          }), -8 * size, 0)$value
        }, 0))
      }, 0))
      past <- log_density(y[1:4], cover[1:4, 1:4])
      mean <- cover[5:7, 1:4] %*% solve(cover[1:4, 1:4], y[1:4])
      list(now = now, change = change, past = past, mean = as.vector(mean))
    })
  }
  fits <- lapply(seq_len(nrow(watch_spreads)), fit)
  of <- \(t, what) vapply(fits, \(f) f[[t]][[what]], 0)
  slow <- vapply(1:3, \(t) stats::weighted.mean(of(t, "change"), exp(of(t, "now"))), 0)
  found <- watch_evidence(at, n, k, "falls")
  expect_equal(found$evidence, slow, tolerance = 1e-5)
  means <- vapply(fits, \(f) f[[1L]]$mean, numeric(3))
  shares <- sin(means * sqrt(share * (1 - share)) / 2 + asin(sqrt(share)))^2
  expect_equal(found$expected, as.vector(shares %*% exp(of(1, "past"))) / sum(exp(of(1, "past"))))
  # up and down together, each with half of the weight
  either <- (found$evidence + watch_evidence(at, n, k, "rises")$evidence) / 2
  expect_equal(watch_evidence(at, n, k)$evidence, either)
  expect_identical(watch_evidence(at[1:4], n[1:4], k[1:4])$evidence, numeric())
})

# Weekly counts of four years, of which the last is watched.
noisy_weeks <- function(rate = 0.25, season = 0, scatter = 0, growth = 0, change = 0, weekly = 46) {
  at <- -156:51
  p <- rate * (1 + season * sin(2 * pi * at / 52.18 + runif(1L, 0, 7)))
  if (scatter > 0) p <- p * rgamma(208L, 1 / scatter^2, 1 / scatter^2)
  p <- pmin(0.95, ifelse(at >= 20L, p * (1 + change), p))
  n <- rpois(208L, weekly * (1 + growth)^(at / 52))
  watch_evidence(at + 0.5, n, rbinom(208L, n, p))$evidence >= 1 / 0.2
}

test_long("false alarms keep to their rate in seasons, scatter and growth; a halving is seen", {
  set.seed(3)
  alarms <- replicate(100L, any(noisy_weeks(
    runif(1L, 0.08, 0.5), 0.25, 0.15, sample(c(0, 0.5), 1L)
  )))
  # 20 allowed for; more than 28 with probability 0.02 at that rate
  expect_lte(sum(alarms), 28L)
  seen <- replicate(40L, {
    fires <- noisy_weeks(season = 0.25, scatter = 0.1, change = -0.5)
    !any(fires[1:20]) && any(fires[21:36])
  })
  expect_gt(mean(seen), 0.9)
})

test_both("a season is no change, and before it is known twice the alert says so", {
  shop <- function(years, change = 1) {
    set.seed(5)
    first <- sort(sample(0:(365 * years + 300), 250 * years, TRUE))
    first <- rep(first, each = 8L)
    rate <- 0.3 * (1 + 0.4 * sin(2 * pi * first / 365))
    rate <- ifelse(first > 365 * years + 60, change, 1) * rate
    again <- which(runif(length(first)) < rate)
    day <- as.Date("2025-01-01") - 365 * years + c(first, first[again] + 5L)
    rows <- data.frame(who = sprintf("C%05d", c(seq_along(first), again)), day = day, paid = 5)
    open_ledger(
      rows[day <= as.Date("2025-12-31"), ], column_map("who", "day", sales = "paid"),
      meanings(currency = "EUR", history_start = min(day), as_of = "2025-12-31")
    )
  }
  three <- watch_returns(shop(3L))
  expect_false(three$fired)
  expect_false("short history" %in% remarks(three)$about)
  one <- watch_returns(shop(1L, 0.3))
  expect_true(one$fired)
  expect_true("short history" %in% remarks(one)$about)
  expect_match(describe(one)$finding, "time of year")
  fallen <- watch_returns(shop(3L, 0.5), direction = "falls")
  expect_true(fallen$fired)
  expect_gt(fallen$expected, fallen$rate)
  expect_no_match(describe(fallen)$finding, "time of year")
})

watched_shop <- function() {
  set.seed(8)
  n <- 900L
  first <- as.Date("2024-01-01") + sort(sample(0:600, n, TRUE))
  # from May 2025 on half as many come back
  again <- runif(n) < ifelse(first < as.Date("2025-05-01"), 0.5, 0.08)
  rows <- rbind(
    data.frame(who = sprintf("C%03d", 1:n), day = first, shop = c("Mill", "Quay")),
    data.frame(
      who = sprintf("C%03d", which(again)), day = first[again] + sample(1:20, sum(again), TRUE),
      shop = "Mill"
    )
  )
  cbind(rows, paid = 5)
}

test_both("the size of purchases is watched by one purchase of each customer", {
  shop <- function(seed, factor = 1, n = 1500L) {
    set.seed(seed)
    rows <- data.frame(
      who = sprintf("C%03d", sample(400L, n, TRUE)),
      day = as.Date("2024-01-01") + sort(sample(0:729, n, TRUE)), receipt = seq_len(n)
    )
    # some always buy more than others
    rows$paid <- round(rlnorm(n, 3 + (as.integer(factor(rows$who)) %% 5L) / 5, 0.6), 2)
    rows$paid[rows$day >= "2025-04-01"] <- rows$paid[rows$day >= "2025-04-01"] * factor
    rows
  }
  open <- \(rows) open_ledger(rows, column_map("who", "day", "receipt", "paid"), meanings(
    currency = "EUR", history_start = "2024-01-01"
  ))
  alarms <- vapply(worlds(1:5, 1:60), \(seed) watch_baskets(open(shop(seed)))$fired, NA)
  # 12 of 60 are allowed for; more than 18 with probability 0.02 at that rate
  expect_lte(sum(alarms), worlds(4L, 18L))
  rows <- shop(3, 0.6)
  x <- watch_baskets(open(rows), direction = "falls")
  expect_true(x$fired)
  expect_gt(x$day, as.Date("2025-04-01"))
  late <- rows$day >= as.Date("2025-01-01")
  late <- ifelse(late, "late", ifelse(rows$day >= as.Date("2025-01-01") - 365, "early", NA))
  once <- rows[!is.na(late) & !duplicated(paste(rows$who, late)), ]
  now <- once$day >= as.Date("2025-01-01")
  middle <- stats::median(once$paid[!now])
  expect_identical(x$customers, sum(now))
  expect_equal(x$rate, mean(once$paid[now] > middle))
  expect_equal(x$rate_before, mean(once$paid[!now] > middle))
  expect_match(describe(x)$finding, "bought for more than")
  expect_false(watch_baskets(open(rows), direction = "rises")$fired)
})

test_that("who came back is counted as by hand, and a change is told with its day", {
  rows <- watched_shop()
  ledger <- open_ledger(
    rows, column_map("who", "day", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", history_start = "2024-01-01")
  )
  x <- watch_returns(ledger)
  each <- split(rows$day, rows$who)
  first <- vapply(each, \(d) as.integer(min(d)), 0L)
  gap <- vapply(each, \(d) if (length(d) > 1L) as.integer(diff(range(d))) else NA_integer_, 0L)
  aged <- first + 30L
  start <- as.integer(as.Date("2025-01-01"))
  since <- aged >= start & aged <= as.integer(ledger$as_of)
  before <- aged < start & aged >= start - 365L
  expect_identical(x$customers, sum(since))
  expect_equal(x$rate, mean(gap[since] %in% 1:30))
  expect_equal(x$rate_before, mean(gap[before] %in% 1:30))
  expect_true(x$fired)
  expect_gt(x$day, as.Date("2025-05-15"))
  expect_lt(x$day, as.Date("2025-08-15"))
  expect_identical(as.integer(x$day - as.Date("2024-12-31")) %% (7L * x$steps), 0L)
  expect_false(watch_returns(ledger, direction = "rises")$fired)
  # begun a year earlier, it has begun anew
  expect_identical(watch_returns(ledger, from = "2024-01-02")$day, x$day)
  both <- watch_returns(ledger, by = "first_channel")
  expect_identical(both$group, c("Mill", "Quay"))
  expect_equal(both$needed, c(2, 2) / 0.2)
  expect_error(
    watch_returns(ledger_slice(ledger, until = "2024-06-01")), class = "nubrek_error_unidentified"
  )
})

test_that("a number at its limit is neither below nor above it", {
  folder <- withr::local_tempdir()
  rows <- watched_shop()
  data.table::fwrite(rows, file.path(folder, "orders.csv"))
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "data: {orders: {files: orders.csv, columns: {customer: who, date: day, sales: paid}}}",
    "meanings: {currency: EUR}"
  ), path)
  study <- read_study(path)
  ledger <- study_ledger(study)
  found <- \(...) watched_limit("w", list(number = "customers", ...), study, ledger)
  n <- length(unique(rows$who))
  expect_false(found(above = n)$fired)
  expect_false(found(below = n)$fired)
  expect_true(found(above = n - 1)$fired)
  expect_true(found(below = n + 1)$fired)
  expect_identical(found(above = n - 1)$day, ledger$as_of)
})

test_both("a watch fires once: the run ends with status 3, says why, and writes it", {
  folder <- withr::local_tempdir()
  rows <- watched_shop()
  path <- file.path(folder, "study.yaml")
  run <- function(until) {
    data.table::fwrite(rows[rows$day <= as.Date(until), ], file.path(folder, "orders.csv"))
    status <- NULL
    told <- capture.output(status <- command_main(c("run", path)))
    list(status = status, told = paste(told, collapse = "\n"))
  }
  writeLines(c(
    "data:", "  orders:", "    files: orders.csv",
    "    columns: {customer: who, date: day, sales: paid, channel: shop}",
    "meanings: {currency: EUR, history_start: 2024-01-01}", "outputs: {report: no}",
    "watches:", "  back: {number: again, direction: falls}",
    "  buyers: {number: customers, above: 10000}"
  ), path)
  expect_identical(run("2025-04-20")$status, 0L)
  fires <- run("2025-08-20")
  expect_identical(fires$status, 3L)
  expect_match(fires$told, "Watch fires: back: Of [0-9]+.customers [0-9.]+.% came back within 30")
  written <- utils::read.csv(file.path(folder, "nubrek-results", "watches.csv"))
  expect_identical(written$fired, c(TRUE, FALSE))
  # the script of the vignette, as cron runs it
  page <- test_path("../../vignettes/the-next-run.Rmd")
  if (file.exists(page)) {
    text <- sub("^    ", "", grep("^    ", readLines(page), value = TRUE))
    script <- text[seq(which(text == "#!/bin/sh"), which(text == "exit $status"))]
    writeLines(script, file.path(folder, "monday.sh"))
    unlink(file.path(folder, "nubrek-results"), recursive = TRUE)
    bin <- system.file("exec", package = "nubrek")
    mail <- suppressWarnings(system(sprintf(
      "cd %s && PATH=%s:$PATH sh monday.sh", shQuote(folder), shQuote(bin)
    ), intern = TRUE))
    expect_identical(attr(mail, "status"), 3L)
    expect_match(mail, "Watch fires", all = FALSE)
  }
  # it has been said
  expect_identical(run("2025-08-24")$status, 0L)
  for (wrong in list(
    "{number: agian}", "{number: rate}", "{below: 3}", "{number: rate, below: 1, above: 2}",
    "{number: active, below: 3, by: first_channel}"
  )[worlds(2:3, 1:5)]) {
    writeLines(sub("{number: customers, above: 10000}", wrong, readLines(path), fixed = TRUE), path)
    expect_identical(suppressMessages(run("2025-08-24"))$status, 1L, label = wrong)
    writeLines(sub(wrong, "{number: customers, above: 10000}", readLines(path), fixed = TRUE), path)
  }
})
