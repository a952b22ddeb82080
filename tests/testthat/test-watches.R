test_that("the evidence is that of its definition, integrated by hand", {
  n <- c(4, 0, 7, 9)
  k <- c(1, 0, 0, 2)
  at <- c(0, 3, 8, 20)
  found <- watch_evidence(50, 20, at, n, k, 0.2)
  limits <- stats::binom.test(20, 50, conf.level = 1 - 0.2 / 10)$conf.int
  odds <- stats::qlogis(as.vector(limits))
  rates <- stats::plogis(seq(odds[[1L]], odds[[2L]], length.out = 41))
  prior <- \(q) 1 / (pi * sqrt(q * (1 - q)))
  slow <- vapply(seq_along(at), \(t) {
    each <- vapply(rates, \(p) mean(vapply(0:52, \(week) {
      inside <- seq_along(at) <= t & at >= 7 * week
      hits <- sum(k[inside])
      all <- sum(n[inside])
      if (all == 0) return(1)
      stats::integrate(\(q) (q / p)^hits * ((1 - q) / (1 - p))^(all - hits) * prior(q), 0, 1)$value
    }, 0)), 0)
    min(each)
  }, 0)
  expect_equal(found, slow, tolerance = 1e-4)
})

test_long("in 1,000 years of weekly looks false alarms keep to their rate, a halving is seen", {
  set.seed(3)
  year <- function(rate, after, change, weekly = 75L) {
    n <- rpois(52L, weekly)
    k <- rbinom(52L, n, ifelse(seq_len(52L) > change, after, rate))
    before <- rpois(1L, 52 * weekly)
    watch_evidence(before, rbinom(1L, before, rate), 7 * 0:51, n, k, 0.2) >= 1 / (0.9 * 0.2)
  }
  alarms <- replicate(1000L, any(year(runif(1L, 0.05, 0.6), NA, 99L)))
  expect_lte(mean(alarms), 0.2)
  seen <- replicate(100L, {
    fires <- year(0.25, 0.125, 20L)
    !any(fires[1:20]) && any(fires[21:28])
  })
  expect_gt(mean(seen), 0.9)
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
  expect_false(watch_returns(ledger, direction = "rises")$fired)
  both <- watch_returns(ledger, by = "first_channel")
  expect_identical(both$group, c("Mill", "Quay"))
  expect_equal(both$needed, c(2, 2) / (0.9 * 0.2))
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
