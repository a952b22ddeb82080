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
    beside <- setdiff(c(min(days) - 28:1, max(days) + 1:28), busy)
    beside <- beside[beside <= as.integer(max(rows$day))]
    sold <- vapply(beside, \(d) sum(rows$paid[as.integer(rows$day) == d]), 0)
    usual <- sum(vapply(days, \(d) mean(sold[beside %% 7 == d %% 7]), 0))
    expect_equal(x$usual[[i]], usual, tolerance = 1e-4)
    model <- stats::lm(sold ~ 0 + factor(beside %% 7))
    n <- table(beside %% 7)
    asked <- table(factor(days %% 7, names(n)))
    off <- stats::qt(0.975, model$df.residual) * stats::sigma(model) *
      sqrt(length(days) + sum(asked^2 / n))
    expect_equal(x$usual_upper[[i]], usual + off, tolerance = 1e-4)
  }
  expect_identical(x$last_sales, c(NA, NA, x$sales[[1L]]))
  expect_equal(x$change_percent[[3L]], x$sales[[3L]] / x$sales[[1L]] - 1)
  expect_gt(x$sales[[2L]], x$usual_upper[[2L]])
  expect_identical(event_sales(ledger, around = 2L)$days, x$days + 4L)
  behind <- rows_behind(x, ledger, event = "Sale")
  expect_equal(sum(behind$sales), x$sales[[2L]])
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
