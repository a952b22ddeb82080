some_events <- data.frame(
  event = c("Fair", "Fair", "Sale"),
  from = c("2024-03-29", "2025-04-18", "2025-01-10"),
  until = c("2024-04-01", "2025-04-21", "2025-01-12"),
  kind = c("holiday", "holiday", "sale")
)

event_rows <- function(seed = 1L) {
  set.seed(seed)
  n <- 900L
  day <- as.Date("2024-01-01") + sample(0:520, n, TRUE)
  # the sale sells five times as much
  day <- c(day, rep(as.Date("2025-01-10") + 0:2, each = 12L))
  day <- sort(day)
  n <- length(day)
  data.frame(
    who = sprintf("C%03d", sample(200L, n, TRUE)), day, receipt = sprintf("R%04d", seq_len(n)),
    paid = round(runif(n, 1, 40), 2)
  )
}

event_ledger <- function(rows, events = some_events) {
  open_ledger(rows, column_map("who", "day", "receipt", "paid"), meanings(currency = "EUR")) |>
    with_events(events)
}

days_of <- function(from, until) {
  unlist(Map(\(a, b) as.integer(as.Date(a):as.Date(b)), from, until))
}

test_that("sales of events and what is usual are those of a slow count", {
  rows <- event_rows()
  ledger <- event_ledger(rows)
  x <- event_sales(ledger)
  expect_identical(x$from, as.Date(c("2024-03-29", "2025-01-10", "2025-04-18")))
  busy <- days_of(some_events$from, some_events$until)
  first <- tapply(as.integer(rows$day), rows$who, min)
  for (i in seq_len(nrow(x))) {
    days <- as.integer(x$from[[i]]):as.integer(x$until[[i]])
    inside <- as.integer(rows$day) %in% days
    expect_equal(x$sales[[i]], sum(rows$paid[inside]))
    expect_identical(x$purchases[[i]], sum(inside))
    expect_identical(x$customers[[i]], length(unique(rows$who[inside])))
    expect_identical(x$new_customers[[i]], sum(first %in% days))
    # in a shop without seasons, near the mean of all other days
    others <- !as.integer(rows$day) %in% busy
    usual <- sum(rows$paid[others]) / (520 - length(busy)) * length(days)
    expect_gt(x$usual[[i]], usual * 0.6)
    expect_lt(x$usual[[i]], usual * 1.6)
    expect_lt(x$usual_lower[[i]], usual)
    expect_gt(x$usual_upper[[i]], usual)
  }
  # a holiday that moves leaves its days free in the other year
  expect_identical(x$other_years, c(1L, 0L, 1L))
  unseen <- remarks(x)$about == "season unseen"
  expect_match(remarks(x)$remark[unseen], "what .Sale. would sell without")
  expect_identical(x$last_sales, c(NA, NA, x$sales[[1L]]))
  expect_equal(x$change_percent[[3L]], x$sales[[3L]] / x$sales[[1L]] - 1)
  expect_gt(x$sales[[2L]], x$usual_upper[[2L]])
  expect_identical(event_sales(ledger, around = 2L)$days, x$days + 4L)
  behind <- rows_behind(x, ledger, event = "Sale")
  expect_equal(sum(behind$sales), x$sales[[2L]])
})

test_that("what is usual is a mean and spread given all other days", {
  set.seed(2)
  root <- matrix(rnorm(81), 9)
  cover <- crossprod(root)
  known <- c(TRUE, TRUE, FALSE, TRUE, TRUE, FALSE, TRUE, TRUE, TRUE)
  start <- list(z = rnorm(7), mean = runif(7, 50, 90), centre = 4)
  gain <- cover[known, known] + diag(30 / start$mean)
  to <- cover[!known, known] %*% solve(gain)
  spread <- cover[!known, !known] - to %*% cover[known, !known]
  mean <- exp(4 + as.vector(to %*% start$z) + diag(spread) / 2)
  # the variance of a sum of two log-normal means, and of the days about them
  both <- outer(mean, mean) * (exp(spread) - 1)
  found <- usual_fit(cover, known, start, 30)
  expect_equal(found[[2L]], sum(mean))
  expect_equal(found[[3L]], sum(both) + 30 * sum(mean))
  expect_equal(
    found[[1L]],
    -as.vector(determinant(gain)$modulus) / 2 - sum(start$z * solve(gain, start$z)) / 2
  )
})

test_that("the interval holds its share of all that the spreads allow, by their likelihood", {
  set.seed(4)
  days <- 0:69
  beside <- data.frame(day = days, shift = 0L, sold = round(rgamma(70, 4, 0.02)))
  beside <- beside[!days %in% 30:33, ]
  x <- usual_sales(beside, 30L, 33L)
  # no other year is known: only the season of middling size
  all <- rbind(beside, data.frame(day = 30:33, shift = 0L, sold = NA))
  all$place <- all$day - 30L
  known <- !is.na(all$sold)
  noise <- day_noise(beside$day, beside$sold)
  cover_of <- usual_cover(all)
  start <- work_logs(beside$sold, cover_of(usual_first)[known, known], noise)
  spreads <- usual_spreads[usual_spreads$season == 0.5, ]
  expect_identical(nrow(spreads), 15L)
  fits <- lapply(seq_len(15L), \(i) {
    usual_fit(cover_of(spreads[i, ]), known, start, noise * spreads$noise[[i]])
  })
  weight <- exp(vapply(fits, `[[`, 0, 1L))
  below <- \(q) {
    each <- vapply(fits, \(f) stats::pgamma(q, f[[2L]]^2 / f[[3L]], scale = f[[3L]] / f[[2L]]), 0)
    stats::weighted.mean(each, weight)
  }
  expect_equal(below(x$lower), 0.025, tolerance = 1e-3)
  expect_equal(below(x$upper), 0.975, tolerance = 1e-3)
  expect_equal(x$usual, stats::weighted.mean(vapply(fits, `[[`, 0, 2L), weight))
})

# Daily sales of `years` with days of the week, an Advent, dependent days and skewed baskets, and
# what is usual for days in December in which nothing happened.
quiet_event <- function(seed, years, span, buyers = 30) {
  set.seed(seed)
  day <- 0:(365 * years + 29)
  left <- (day - 365 * years) %% 365
  season <- 1 + 0.15 * sin(2 * pi * left / 365) + 0.8 * exp(-((left - 345) / 14)^2)
  shock <- as.numeric(stats::arima.sim(list(ar = 0.6), length(day))) * 0.8
  mean <- buyers * 1.2^(day / 365) * season * c(0.3, 0.8, 0.9, 1, 1.2, 1.6, 1.2)[day %% 7 + 1]
  sold <- vapply(rpois(length(day), mean * exp(0.15 * shock)), \(n) sum(rlnorm(n, 3, 1)), 0)
  from <- 365L * years - 31L + sample(0:14, 1L)
  until <- from + span - 1L
  around <- lapply(c(0L, usual_shifts(from, until, 0L, max(day))), \(shift) {
    at <- intersect(setdiff((from - 28L):(until + 28L) + shift, from:until), day)
    data.frame(day = at, shift, sold = sold[at + 1L])
  })
  x <- usual_sales(do.call(rbind, around), from, until)
  c(sum(sold[from:until + 1L]), unlist(x))
}

test_long("days in December in which nothing happened sell what is usual in December", {
  for (years in c(1L, 3L)) {
    found <- vapply(1:60, \(seed) {
      quiet_event(seed, years, c(1L, 5L, 14L)[seed %% 3L + 1L])
    }, numeric(5))
    inside <- found[1L, ] >= found["lower", ] & found[1L, ] <= found["upper", ]
    # 95 %: fewer than 52 of 60 with probability 0.006
    expect_gte(sum(inside), 52L)
    expect_true(all(found["years", ] == years - 1L))
  }
})

test_that("a shop closed on some days, and one that sells nothing, have their usual", {
  days <- 0:90
  sold <- ifelse(days %% 7L == 3L, 0, 100)
  beside <- data.frame(day = days, shift = 0L, sold = sold)[!days %in% 42:48, ]
  x <- usual_sales(beside, 42L, 48L)
  expect_equal(x$usual, 600, tolerance = 0.05)
  expect_identical(usual_sales(beside, 45L, 45L)$usual, 0)
  beside$sold <- 0
  expect_identical(usual_sales(beside, 42L, 48L)$usual, NA_real_)
})

test_that("who was won in an event is held against who was won beside it", {
  rows <- event_rows(2L)
  ledger <- event_ledger(rows)
  x <- event_cohorts(ledger, within = 60L)
  sale <- x[x$event == "Fair", ]
  first <- tapply(as.integer(rows$day), rows$who, min)
  # the fair is a holiday: its latest time against the one before
  in_fair <- \(k) names(first)[first %in% days_of(some_events$from[k], some_events$until[k])]
  latest <- which.max(as.Date(some_events$from[1:2]))
  won <- in_fair(3L - latest)
  expect_identical(sale$won, c("inside", "years before"))
  expect_identical(sale$customers, c(length(in_fair(latest)), length(won)))
  mine <- rows[rows$who %in% won, ]
  expect_equal(sale$mean_first[[2L]], mean(mine$paid[as.integer(mine$day) == first[mine$who]]))
  expect_equal(sale$mean_later[[2L]], mean(mine$paid[as.integer(mine$day) > first[mine$who]]))
  behind <- rows_behind(x, ledger, event = "Fair", won = "years before")
  expect_setequal(behind$customer, won)
  waits <- waiting_customers(ledger)
  waits <- waits[waits$customer %in% won, ]
  share <- 1
  for (day in sort(unique(waits$days[waits$state == "back" & waits$days <= 60]))) {
    share <- share * (1 - sum(waits$days == day & waits$state == "back") / sum(waits$days >= day))
  }
  expect_equal(sale$share[[2L]], 1 - share)
})

test_that("an event too recent to judge says so", {
  rows <- event_rows(2L)
  last <- as.Date(max(as.character(rows$day)))
  new <- data.frame(who = c("N1", "N2"), day = last - 1L, receipt = c("RX", "RY"), paid = 5)
  x <- event_cohorts(event_ledger(rbind(rows, new), data.frame(
    event = "Now", from = format(last - 2L), until = format(last), kind = "sale"
  )))
  expect_true(is.na(x$share[[1L]]))
  expect_match(describe(x)$finding, "Now.* observed for 180.days yet")
})

test_that("an event in which nobody was won has rows without shares", {
  x <- event_cohorts(event_ledger(event_rows(2L)[1:2, ], data.frame(
    event = "Empty", from = "2023-02-01", until = "2023-02-03", kind = "sale"
  )))
  expect_identical(x$customers, c(0L, 0L))
  expect_identical(x$share, c(NA_real_, NA_real_))
  expect_identical(x$p, c(NA_real_, NA_real_))
})

test_that("figures by the calendar mark events, and comparisons say where a holiday lies", {
  ledger <- event_ledger(event_rows())
  figure <- ggplot2::autoplot(new_returning(ledger, "month"))
  kinds <- vapply(figure$layers, \(layer) class(layer$geom)[[1L]], "")
  expect_true("GeomRect" %in% kinds)
  expect_match(figure$labels$caption, "Events: A Fair, B Sale", fixed = TRUE)
  x <- sales_by(ledger, "cohort", "2025-04", "2024-04")
  expect_false(any(remarks(x)$about == "holiday"))
  x <- sales_by(ledger, "cohort", "2025-03", "2024-03")
  expect_match(remarks(x)$remark[remarks(x)$about == "holiday"], "Fair lies in the earlier time")
  for (odd in list(
    list(event = "Fair"), list(event = "Fair", from = "x"),
    list(event = "Fair", from = "2025-02-02", until = "2025-02-01"),
    list(event = "Fair", from = "2025-02-02", kind = "sail")
  )) {
    expect_error(with_events(ledger, as.data.frame(odd)), class = "nubrek_error")
  }
  expect_error(with_events(ledger, data.frame(event = "A", from = "2025-01-01", kind = "sail")),
    "sale", class = "nubrek_error_argument"
  )
})

test_that("a study tells events, and what is wrong with them where it stands", {
  run <- pellmere()
  expect_identical(unique(run$events$event), "Midsummer fair")
  expect_identical(nrow(run$events), 3L)
  text <- readLines(demo_run()$study)
  at <- grep("Winter sale:", text)
  text[at] <- "  Winter sale: {from: [2025-01-02, 2025-12-20], until: 2025-12-28}"
  path <- file.path(dirname(demo_run()$study), "events.yaml")
  writeLines(text, path)
  error <- expect_error(study_ledger(path), "2 days", class = "nubrek_error_study")
  expect_match(conditionMessage(error), "Winter\\s+sale")
})
