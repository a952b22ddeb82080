test_that("the grid on paper", {
  grid <- cohort_grid(paper(), older_within = 1L)
  wide <- as.matrix(grid_measure(grid, "customers"))
  expect_identical(unname(wide["2024-01-01", ]), c(2, 1, 0, 0, 1))
  # trap: future cells are missing, not zero
  expect_identical(unname(wide["2024-02-01", ]), c(1, 0, 1, 0, NA))
  expect_identical(unname(wide["2024-04-01", ]), c(1, 1, NA, NA, NA))
  expect_identical(nrow(wide), 3L) # nobody came first in March
  cell <- grid[format(grid$cohort) == "2024-01-01" & grid$age == 2L, ]
  expect_identical(c(cell$customers, cell$purchases, cell$orders), c(0L, 0L, 1L))
  expect_identical(cell$sales, -5)
  # trap: a partial period
  expect_identical(unique(format(grid$period[!grid$complete])), "2024-05-01")
  expect_identical(unique(format(grid$cohort[grid$older])), "2024-01-01") # trap: first cohorts
  expect_true(all(
    c("partial period", "older cohorts", "returns only", "no cohort") %in% remarks(grid)$about
  ))
  expect_identical(basis_of(grid, "no_cohort"), -7)
})

test_that(
  paste0(
    "bottom lines are weighted, complete, and with and without older cohorts (trap: mean of ",
    "percentages)"
  ),
  {
    lines <- bottom_lines(grid_measure(cohort_grid(paper(), older_within = 1L), "retention"))
    young <- lines[lines$line == "without older cohorts", ]
    # age 0: C and D, 2 of 2; age 1: C 0 of 1 (D's May is partial); age 2: C 1 of 1; age 3 is
    # partial for C
    expect_identical(young$value, c(1, 0, 1))
    every <- lines[lines$line == "all cohorts", ]
    # age 1: A of A, B, C; age 2: C of A, B, C; age 3: of A, B
    expect_equal(every$value, c(1, 1 / 3, 1 / 3, 0))
    expect_identical(every$size, c(4L, 3L, 3L, 2L))
  }
)

test_that("a grid of one customer, or of partial periods only, prints and draws", {
  one <- cohort_grid(small_ledger("customer,receipt,day,amount\nA,1,2024-01-05,10"))
  expect_match(capture.output(print(one)), "100\\*", all = FALSE)
  for (view in c("age", "calendar")) {
    expect_s3_class(ggplot2::ggplot_build(ggplot2::autoplot(one, view = view)), "ggplot_built")
    expect_match(
      capture.output(print(one, measure = "sales", view = view)), "10.00\\*", all = FALSE
    )
  }
  for (nothing in list(grid_measure(one), against_usual(one), cohort_payback(one, 5))) {
    expect_error(
      if (inherits(nothing, "nubrek_measure")) {
        ggplot2::autoplot(nothing, shape = "curves")
      } else {
        ggplot2::autoplot(nothing)
      },
      class = "nubrek_error_no_purchases"
    )
  }
})

test_that("older cohorts: the window is the first one within which 90 % of gaps had ended", {
  # gaps in months: A 1, 3; C 2; D 1. Sorted 1 1 2 3; the 90th percent of four is the fourth: 3
  expect_identical(usual_gap(paper(), "month"), 3L)
  expect_identical(sum(!duplicated(cohort_grid(paper())$cohort[cohort_grid(paper())$older])), 2L)
})

test_both("retention is at most one, one at age 0, in every clock", {
  for (seed in worlds(1:2, 1:12)) {
    for (clock in c("week", "month", "quarter", "year")) {
      grid <- cohort_grid(random_ledger(seed), clock)
      retention <- grid_measure(grid, "retention")
      expect_true(all(retention$value >= 0 & retention$value <= 1), label = paste(seed, clock))
      expect_true(all(retention$value[retention$age == 0L] == 1), label = paste(seed, clock))
      expect_identical(
        sum(grid$size[grid$age == 0L]),
        sum(repeat_rate(random_ledger(seed))$customers),
        label = paste(seed, clock)
      )
    }
  }
})

test_that("every measure on paper, with its bottom lines", {
  grid <- cohort_grid(paper(), older_within = 1L, margin = 0.5)
  wide <- \(measure, view = "age") unname(as.matrix(grid_measure(grid, measure, view)))
  expect_equal(
    wide("still_active"), rbind(c(1, .5, .5, .5, .5), c(1, 1, 1, 0, NA), c(1, 1, NA, NA, NA))
  )
  expect_equal(wide("net_revenue_retention"), rbind(
    c(1, 1 / 3, -1 / 6, 0, 1 / 3), c(1, 0, 1, 0, NA), c(1, 0.0625, NA, NA, NA)
  ))
  expect_identical(wide("cumulative_sales"), rbind(
    c(30, 40, 35, 35, 45), c(30, 30, 60, 60, NA), c(40, 42.5, NA, NA, NA)
  ))
  # by all acquired, not by the active
  expect_identical(wide("cumulative_sales_per_customer")[1L, ], c(15, 20, 17.5, 17.5, 22.5))
  expect_identical(wide("value_to_date"), wide("cumulative_sales_per_customer") / 2)
  # nobody bought: missing, not zero
  expect_identical(wide("mean_sales")[1L, ], c(15, 10, NA, NA, 10))
  expect_identical(wide("purchases_per_active")[2L, ], c(1, NA, 1, NA, NA))
  expect_identical(wide("sales", "calendar"), rbind(
    c(30, 10, -5, 0, 10), c(NA, 30, 0, 30, 0), c(NA, NA, NA, 40, 2.5)
  ))
  line <- \(measure, which, view = "age") {
    l <- bottom_lines(grid_measure(grid, measure, view))
    l$value[l$line == which]
  }
  expect_identical(line("net_revenue_retention", "without older cohorts"), c(1, 0, 1))
  expect_equal(line("net_revenue_retention", "all cohorts"), c(1, 10 / 60, 25 / 60, 0))
  expect_equal(line("cumulative_sales_per_customer", "without older cohorts"), c(35, 30, 60))
  expect_equal(
    line("cumulative_sales_per_customer", "chained, without older cohorts"), c(35, 35, 65)
  )
  expect_equal(line("value_to_date", "all cohorts"), c(25, 70 / 3, 95 / 3, 17.5) / 2)
  expect_identical(line("sales", "all cohorts", "calendar"), c(30, 40, -5, 70, 12.5))
  calendar <- bottom_lines(grid_measure(grid, "sales", "calendar"))
  expect_identical(calendar$complete, c(2:5 < 5, 1:5 < 5)) # May is incomplete, and marked
  expect_output(print(grid, measure = "sales", view = "calendar"), "all cohorts .* 12.50[*]")
  months <- diagonal_totals(grid)
  expect_identical(months$customers, c(2L, 2L, 0L, 2L, 2L))
  expect_identical(months$sales_later, c(0, 10, -5, 30, 12.5))
  expect_identical(months$margin, months$sales / 2)
  expect_identical(months$partial, c(FALSE, FALSE, FALSE, FALSE, TRUE))
  expect_true("still active" %in% remarks(grid_measure(grid, "still_active"))$about)
})

test_that(
  "elapsed ages run from each customer's own day; the last of February is a month after 31 January",
  {
    grid <- cohort_grid(paper(), ages = "elapsed", older_within = 1L)
    expect_identical(
      unname(as.matrix(grid_measure(grid, "sales"))),
      rbind(c(30, 5, 0, 0, 10), c(30, 0, 30, NA, NA), c(40, 2.5, NA, NA, NA))
    )
    # complete once the youngest has completed the age: B of 31 January its third month on 29 April,
    # C its second on 28 April
    expect_identical(split(grid$complete, format(grid$cohort)), list(
      `2024-01-01` = c(TRUE, TRUE, TRUE, FALSE, FALSE),
      `2024-02-01` = c(TRUE, TRUE, FALSE),
      `2024-04-01` = c(TRUE, FALSE)
    ))
    expect_error(grid_measure(grid, "sales", "calendar"), class = "nubrek_error_argument")
    expect_error(diagonal_totals(grid), class = "nubrek_error_argument")
  }
)

# Anniversaries one by one.
slow_age <- function(start, day, clock) {
  step <- switch(clock, week = 7L, month = 1L, quarter = 3L, year = 12L)
  one <- \(s, d) {
    reached <- \(k) {
      if (clock == "week") return(s + 7L * k)
      month <- seq(
        as.Date(format(s, "%Y-%m-01")), by = paste(k * step, "months"), length.out = 2L
      )[[2L]]
      end <- seq(month, by = "1 month", length.out = 2L)[[2L]] - 1
      min(end, month + as.integer(format(s, "%d")) - 1)
    }
    k <- 0L
    while (reached(k + 1L) <= d) {
      k <- k + 1L
    }
    k
  }
  mapply(one, start, day)
}

test_long(
  "elapsed cells agree with anniversaries counted one by one, and all grids with the ledger",
  {
    for (seed in 1:6) {
      for (clock in c("week", "month", "quarter", "year")) {
        ledger <- random_ledger(seed)
        orders <- orders_of(ledger, seq_along(ledger$ids))
        first <- tapply(
          as.integer(orders$day[orders$purchase]), orders$customer[orders$purchase], min
        )
        orders$first <- as.Date(first[orders$customer], origin = "1970-01-01")
        orders <- orders[!is.na(orders$first) & orders$day >= orders$first, ]
        age <- slow_age(orders$first, orders$day, clock)
        grid <- cohort_grid(ledger, clock, ages = "elapsed", by = "first_channel")
        label <- paste(seed, clock)
        expect_equal(
          as.vector(tapply(grid$sales, grid$age, sum))[sort(unique(age)) + 1L],
          as.vector(tapply(orders$sales, age, sum)),
          label = label
        )
        expect_identical(
          as.integer(tapply(grid$orders, grid$age, sum))[sort(unique(age)) + 1L],
          as.integer(table(age)),
          label = label
        )
        whole <- cohort_grid(ledger, clock)
        apart <- cohort_grid(ledger, clock, by = "first_channel")
        for (name in c("customers", "purchases", "orders", "still_active")) {
          expect_identical(sum(apart[[name]]), sum(whole[[name]]), label = paste(label, name))
        }
        # trap: customers with a missing attribute vanish from a breakdown
        expect_true("(missing)" %in% apart$first_channel, label = label)
        expect_equal(
          sum(whole$sales) + basis_of(whole, "no_cohort"),
          sum(ledger$orders$sales) / 100,
          label = label
        )
        expect_identical(nrow(rows_behind(grid, ledger)), sum(grid$orders), label = label)
        cell <- grid[which.max(grid$orders), ]
        expect_equal(
          sum(
            rows_behind(
              grid, ledger, first_channel = cell$first_channel, cohort = cell$cohort, age = cell$age
            )$sales
          ),
          cell$sales,
          label = label
        )
      }
    }
  }
)

test_that("customers known from before the history have no ages that were not observed", {
  people <- attribute_table(
    data.frame(id = c("A", "B"), since = c("2023-11-20", "")), "id", "since"
  )
  ledger <- open_ledger(
    data.frame(
      customer = c("A", "A", "B"),
      receipt = 1:3,
      day = c("2024-01-05", "2024-03-09", "2024-02-11"),
      amount = 10
    ),
    column_map("customer", "day", order = "receipt", sales = "amount"),
    meanings(
      currency = "EUR", history_start = "2024-01-01", as_of = "2024-03-31",
      first_purchase_known = "since"
    ),
    customers = people
  )
  grid <- cohort_grid(ledger)
  expect_identical(grid$age[format(grid$cohort) == "2023-11-01"], 2:4)
  expect_true(all(is.na(grid_measure(grid, "cumulative_sales")$value[grid$age > 1L])))
  # the cohort of February alone
  expect_identical(bottom_lines(grid_measure(grid, "net_revenue_retention"))$cohorts, rep(1L, 4L))
  expect_false(any(grid$older))
  elapsed <- cohort_grid(ledger, ages = "elapsed")
  # 20 December to 19 January was seen in part
  expect_identical(elapsed$age[format(elapsed$cohort) == "2023-11-01"], 1:4)
  expect_identical(
    elapsed$complete[format(elapsed$cohort) == "2023-11-01"], c(FALSE, TRUE, TRUE, FALSE)
  )
})

test_that(
  paste0(
    "margin is told by rates of lines, of customers, or the ledger's own cost; without it sales ",
    "are not called value (trap)"
  ),
  {
    text <- "customer,receipt,day,amount,cost,kind
    A,1,2024-01-01,10.00,4,yarn
    A,1,2024-01-01,5.00,1,kit
    A,2,2024-02-03,-2.50,0,kit
    B,3,2024-01-09,20.00,8,"
    map <- column_map(
      "customer", "day", order = "receipt", sales = "amount", cost = "cost", category = "kind"
    )
    with_cost <- small_ledger(text, columns = map, currency = "EUR", as_of = "2024-02-29")
    expect_identical(cohort_grid(with_cost)$margin, c(22, -2.5))
    expect_identical(
      cohort_grid(
        with_cost, margin = margin_rates(c(yarn = 0.5, kit = 0.4), "category", otherwise = 0.125)
      )$margin,
      c(5 + 2 + 2.5, -1)
    )
    expect_identical(
      cohort_grid(
        with_cost, margin = margin_rates(c(yarn = 0.5), "first_category", otherwise = 0.1)
      )$margin,
      c(7.5 + 2, -1.25)
    )
    error <- expect_error(
      cohort_grid(with_cost, margin = margin_rates(c(yarn = 0.5, kit = 0.4), "category")),
      class = "nubrek_error_margin"
    )
    expect_identical(error$values, "(missing)")
    proof <- prove_totals(with_cost)
    expect_true(all(proof$exact[grep("margin", proof$check)]))
    expect_identical(proof$left[grep("margin", proof$check)], 19.5)
    plain <- cohort_grid(paper())
    expect_null(plain$margin)
    for (measure in c("margin", "value_to_date")) {
      expect_error(grid_measure(plain, measure), class = "nubrek_error_margin")
    }
  }
)

test_long("a sum over cohorts stands only where the same cohorts are in it", {
  for (seed in 1:10) {
    grid <- cohort_grid(random_ledger(seed), "quarter")
    for (measure in c("sales", "cumulative_sales", "customers")) {
      lines <- plain_table(bottom_lines(grid_measure(grid, measure)))
      for (line in split(lines, lines$line)) {
        shown <- line[!is.na(line$value), ]
        expect_identical(
          length(unique(shown$cohorts)), min(1L, nrow(shown)), label = paste("seed", seed, measure)
        )
        if (measure == "cumulative_sales" && nrow(shown) > 1L) {
          expect_true(shown$age[[1L]] == min(line$age))
        }
      }
    }
    # a cohort is in where each of its cells up to that age is complete
    for (through in 0:3) {
      cells <- plain_table(grid_measure(grid, "sales", through = through))
      inside <- Filter(\(one) {
        all(0:through %in% one$age[one$complete])
      }, split(cells, cells$cohort))
      whole <- do.call(rbind, inside)
      line <- bottom_lines(grid_measure(grid, "sales", through = through))
      line <- line[line$line == "all cohorts", ]
      expect_equal(line$age, if (is.null(whole)) integer() else 0:through)
      expect_equal(line$value, vapply(
        line$age, \(age) sum(whole$value[whole$age == age]), 0
      ), label = paste("seed", seed, "through", through))
    }
    # what a period brought in all is no such sum
    calendar <- bottom_lines(grid_measure(grid, "sales", "calendar"))
    expect_false(anyNA(calendar$value), label = paste("seed", seed))
    expect_false(
      anyNA(bottom_lines(grid_measure(grid, "retention"))$value), label = paste("seed", seed)
    )
  }
  for (no_sum in list(
    grid_measure(grid, "retention", through = 2), grid_measure(grid, "sales", "calendar", 2)
  )) {
    expect_match(remarks(no_sum)$remark, "through = 2 changes nothing here", all = FALSE)
  }
})
