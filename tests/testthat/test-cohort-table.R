test_long("a grid through a ready table and back gives the same measures", {
  for (seed in 1:4) {
    for (clock in c("month", "quarter", "week")) {
      ledger <- random_ledger(seed)
      grid <- cohort_grid(ledger, clock, by = "first_channel", older_within = 0L, margin = 0.375)
      busy <- as.data.frame(grid)
      # as a query would give it: without empty cells
      busy <- busy[busy$customers > 0L | busy$sales != 0, ]
      if (seed %% 2 == 0) busy$age <- NULL
      again <- as_cohort_grid(
        busy,
        age = if (seed %% 2 == 1) "age",
        sales = "sales",
        orders = "orders",
        purchases = "purchases",
        size = "size",
        by = "first_channel",
        margin_rate = 0.375,
        meaning = meanings(
          currency = "EUR",
          clock = clock,
          as_of = ledger$as_of,
          history_start = ledger$history_start
        )
      )
      same <- \(read) isTRUE(all.equal(read(again), read(grid)))
      for (measure in setdiff(names(grid_measures), "still_active")) {
        one <- grid_measure(again, measure)
        two <- grid_measure(grid, measure)
        expect_true(
          isTRUE(all.equal(as.matrix(one), as.matrix(two))) &&
            isTRUE(all.equal(plain_table(bottom_lines(one)), plain_table(bottom_lines(two)))),
          label = paste(seed, clock, measure)
        )
      }
      expect_true(same(\(g) diagonal_totals(g)$sales), label = paste(seed, clock))
    }
  }
})

test_that(
  "trailing zeros are not observed yet, blanks before them are nobody (trap: future cells as zero)",
  {
    table <- data.frame(
      c = c("2024-01", "2024-01", "2024-01", "2024-02", "2024-02"),
      p = c("2024-01", "2024-02", "2024-04", "2024-02", "2024-04"),
      n = c("4", "", "0", "5", "0"),
      money = c("1.200,50", "", "0", "80,00", "0")
    )
    grid <- as_cohort_grid(table, "c", "p", customers = "n", sales = "money")
    expect_identical(unname(as.matrix(grid_measure(grid, "customers"))), rbind(c(4, 0), c(5, NA)))
    expect_identical(grid$sales, c(1200.5, 0, 80))
    expect_true(all(c("not observed", "filled") %in% remarks(grid)$about))
    # the table does not tell purchases
    expect_true(all(is.na(grid_measure(grid, "mean_sales")$value)))
    usual <- against_usual(grid, least_cohorts = 1L, least_customers = 1L)
    expect_identical(nrow(usual), 0L)
  }
)

test_that("a ready table that contradicts itself is refused with the row", {
  good <- data.frame(
    cohort = c("2024-01", "2024-01", "2024-02"),
    period = c("2024-01", "2024-02", "2024-02"),
    customers = c("4", "2", "5"),
    sales = c("10", "5", "8")
  )
  edit <- function(name, row, value) {
    good[[name]][[row]] <- value
    good
  }
  cases <- list(
    list(edit("customers", 2L, "2.5"), 2L),
    list(edit("customers", 3L, "-1"), 3L),
    list(edit("sales", 2L, "much"), 2L),
    list(edit("cohort", 3L, "soon"), 3L),
    list(edit("period", 3L, "2024-01"), 3L),
    list(edit("period", 2L, "2024-01"), 2L)
  )
  for (case in cases) {
    expect_identical(
      expect_error(as_cohort_grid(case[[1L]], sales = "sales"), class = "nubrek_error_table")$rows,
      case[[2L]]
    )
  }
  expect_error(
    as_cohort_grid(edit("customers", 2L, "9"), sales = "sales"), class = "nubrek_error_table"
  ) # more than the cohort has
  expect_error(as_cohort_grid(good[-1L, ]), class = "nubrek_error_table") # no size
  expect_error(
    as_cohort_grid(good, meaning = meanings(as_of = "2024-01-31")), class = "nubrek_error_table"
  )
  expect_error(as_cohort_grid(good, customers = "clients"), class = "nubrek_error_columns")
})
