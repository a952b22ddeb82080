# What a part of a result may say, filters that name nothing, and how numbers stand.

test_that("a part of a result says no finding and no total of the whole", {
  ledger <- example_ledger()
  moves <- tier_moves(ledger, c("2024-01", "2024-02"))
  whole <- list(
    order_counts(ledger),
    moves,
    assign_tiers(ledger),
    sales_by(ledger, "channel"),
    cohort_grid(ledger),
    grid_measure(cohort_grid(ledger))
  )
  for (x in whole) {
    part <- utils::head(x, 2L)
    expect_match(describe(part)$heading, "2\u00a0rows of", fixed = TRUE)
    expect_null(describe(part)$finding)
    expect_false(identical(describe(x)$heading, describe(part)$heading))
    shown <- capture.output(print(part))
    expect_false(any(grepl(
      substr(describe(x)$finding %||% "no such words", 1L, 25L), shown, fixed = TRUE
    )))
  }
  expect_false(any(grepl(
    "all cohorts", capture.output(print(utils::head(cohort_grid(ledger), 3L)))
  )))
  expect_match(ggplot2::autoplot(order_counts(ledger)[1:2, ])$labels$title, "rows of")
  again <- assign_tiers(ledger)
  # another order is no part
  expect_identical(describe(again[order(again$customer), ])$finding, describe(again)$finding)
})

test_that("the folded class is 'or more', and never the most common", {
  counts <- order_counts(example_ledger(), fold_from = 2L)
  expect_identical(counts$customers, c(5L, 7L))
  expect_match(describe(counts)$finding, "is one: 42", fixed = TRUE)
  expect_match(capture.output(print(counts)), "^2 or more", all = FALSE)
  expect_identical(
    length(unique(rows_behind(counts, example_ledger(), purchases = 2L)$customer)), 7L
  )
})

test_that("a filter that names nothing is an error with the nearest word", {
  ledger <- example_ledger()
  grid <- cohort_grid(ledger)
  moves <- tier_moves(ledger, c("2024-01", "2024-02"))
  cases <- list(
    value = \() ledger_slice(ledger, lines = list(channel = "web")),
    value = \() ledger_slice(ledger, lines = list(channel = c("Web", "Wbe"))),
    value = \() ledger_slice(ledger, customers = list(first_channel = "Quai")),
    value = \() new_returning(ledger, lines = list(channel = "Mil")),
    value = \() rows_behind(grid, ledger, cohort = "2017-05"),
    value = \() rows_behind(grid, ledger, age = 99),
    value = \() rows_behind(grid, ledger, cohort = "2024-08", age = 7L),
    argument = \() rows_behind(grid, ledger, cohorts = "2024-01"),
    argument = \() moved_customers(moves, from = "tp"),
    argument = \() customers(ledger, at_least = c(margin = 2)),
    argument = \() rank_customers(ledger, at_least = c(margin = 2)),
    argument = \() gap_tail(purchase_gaps(ledger), share = 5),
    argument = \() forecast_value(ledger, level = 95),
    argument = \() economics(margin_rate = 48),
    argument = \() gap_tail(purchase_gaps(ledger), cost = 2)
  )
  for (i in seq_along(cases)) {
    expect_error(
      cases[[i]](), class = paste0("nubrek_error_", names(cases)[[i]]), label = paste("case", i)
    )
  }
  expect_match(conditionMessage(expect_error(cases[[1L]]())), "Did you mean \"Web\"")
  expect_match(conditionMessage(expect_error(cases[[14L]]())), "0.48", fixed = TRUE)
  # the label that the print shows works, and so does the day
  expect_identical(rows_behind(grid, ledger, cohort = "2024-01"), rows_behind(
    grid, ledger, cohort = as.Date("2024-01-01")
  ))
  quarters <- cohort_grid(ledger, "quarter")
  expect_gt(nrow(rows_behind(quarters, ledger, cohort = "2024 Q1", age = 0L)), 0L)
})

test_that("words come near, and time zones by their town", {
  expect_match(nearest_hint("Stockholm", OlsonNames()), "Europe/Stockholm", fixed = TRUE)
  expect_match(nearest_hint("revenue", names(grid_measures)), "\"sales\"", fixed = TRUE)
  expect_null(nearest_hint("?", OlsonNames()))
  expect_match(
    conditionMessage(expect_error(score_rfm(example_ledger(), bands = -3))), "at least 2"
  )
})

test_that(
  "an attribute named like a column of the result becomes <name>_group, only where it clashes",
  {
    orders <- transform(example_orders(), share = shop, rank = shop)
    people <- data.frame(
      id = sprintf("P%02d", 1:12), purchase_days = "x", age = "y", rate = "z", size = "w"
    )
    ledger <- open_ledger(
      orders,
      column_map("customer", "day", "receipt", "amount", attributes = c("share", "rank")),
      customers = attribute_table(people, "id", c("purchase_days", "age", "rate", "size"))
    )
    expect_true(all(c("purchase_days", "purchase_days_group") %in% names(customers(ledger))))
    expect_identical(names(cohort_grid(ledger, by = "size"))[[1L]], "size_group")
    expect_false(anyDuplicated(names(cohort_grid(ledger, by = "size"))) > 0L)
    expect_identical(names(rank_customers(ledger, within = "age"))[[1L]], "age")
    expect_identical(names(rank_customers(ledger, within = "rank"))[[1L]], "rank_group")
    expect_identical(names(repeat_rate(ledger, by = "rate"))[[1L]], "rate_group")
    sales <- sales_by(ledger, "share")
    expect_identical(names(sales)[[1L]], "share_group")
    expect_identical(
      sum(rows_behind(sales, ledger, share_group = "Web")$sales),
      sales$sales[sales$share_group == "Web"]
    )
    for (measure in c("retention", "sales")) {
      expect_s3_class(
        bottom_lines(grid_measure(cohort_grid(ledger, by = "size"), measure)), "data.frame"
      )
    }
  }
)

test_that("numbers stand as people write them", {
  expect_identical(n_of(1e5, "line"), "100\u202f000\u00a0lines")
  expect_identical(fixed(c(-0.04, 0.04, -1.25), 1L), c("0.0", "0.0", "-1.2"))
  best <- rank_customers(example_ledger(), top = 1)
  expect_match(describe(best)$finding, "^This\u00a0customer brings")
  expect_match(
    paste(capture.output(print(order_counts(example_ledger()), rows = 3L)), collapse = " "),
    "and 1 more row:",
    fixed = TRUE
  )
  long <- strrep("word ", 18L)
  expect_false(any(grepl("12$", wrap_lines(paste0(long, "123456 12\u202f663 customers")))))
  newest <- capture.output(print(new_returning(example_ledger()), rows = 3L))
  expect_match(newest, "before them 11 earlier rows", all = FALSE)
  expect_match(newest, "^2025-02-01", all = FALSE)
  tied <- small_ledger(paste(
    c("customer,receipt,day,amount", sprintf("C%02d,%d,2024-01-05,5", 1:14, 1:14)), collapse = "\n"
  ))
  expect_length(grep("^ +1 +C", capture.output(print(rank_customers(tied, top = 10)))), 14L)
})

test_that("every result that counts people or orders gives the orders behind it", {
  ledger <- example_ledger()
  bought <- \(x) length(unique(x$customer[x$purchase]))
  rate <- repeat_rate(ledger, by = "first_channel")
  for (i in seq_len(nrow(rate))) {
    expect_identical(
      bought(rows_behind(rate, ledger, first_channel = rate$first_channel[[i]])),
      rate$customers[[i]]
    )
    if (rate$repeat_customers[[i]] > 0L) {
      expect_identical(
        bought(rows_behind(rate, ledger, first_channel = rate$first_channel[[i]], kind = "repeat")),
        rate$repeat_customers[[i]]
      )
    }
  }
  curve <- waiting_curve(ledger)
  back <- rows_behind(curve, ledger, days = curve$days[[1L]])
  expect_gte(length(unique(back$customer)), 1L)
  for (profile in list(rfm_profile(score_rfm(ledger)), map_profile(order_map(ledger)), tier_profile(
    assign_tiers(ledger)
  ))) {
    behind <- do.call(rows_behind, c(
      list(profile, ledger), stats::setNames(list(profile[[1L]][[1L]]), names(profile)[[1L]])
    ))
    expect_identical(length(unique(behind$customer)), profile$customers[[1L]])
    expect_equal(sum(behind$sales), profile$sales[[1L]])
  }
  months <- diagonal_totals(cohort_grid(ledger))
  for (i in c(1L, 5L, 14L)) {
    expect_equal(
      sum(rows_behind(months, ledger, period = months$period[[i]])$sales), months$sales[[i]]
    )
  }
  periods <- customer_periods(ledger)
  expect_equal(sum(rows_behind(periods, ledger, customer = "P01", period = "2024-02")$sales), 35.5)
  share <- identified_share(ledger)
  expect_equal(
    sum(rows_behind(share, ledger, period = "2024-02")$sales),
    share$sales[format(share$period) == "2024-02-01"]
  )
  expect_match(capture.output(print(rows_behind(rate, ledger))), "orders of", all = FALSE)
})

test_that("what a result has not declared is our mistake and never silently nothing", {
  ledger <- example_ledger()
  counts <- order_counts(ledger)
  expect_error(basis_of(counts, "purchase_unti"), class = "nubrek_error_internal")
  expect_null(basis_of(counts, "purchase_unti", NULL))
  expect_null(basis_of(repeat_rate(ledger), "by")) # declared, and nothing was asked
  columns <- list(a = 1, a = 2)
  expect_error(new_result(columns, "counts"), class = "nubrek_error_internal")
  expect_error(
    new_result(list(a = 1), "counts", basis = list(kinds = c(a = "mony"))),
    class = "nubrek_error_internal"
  )
  expect_setequal(names(column_kinds), intersect(names(column_kinds), known_kinds))
})
