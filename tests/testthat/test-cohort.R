# Four cohorts on paper, months, as of 15 May 2024; the data begin on 1 Jan. Customer E only ever returned something.
paper <- function(...) small_ledger("customer,receipt,day,amount
  A,1,2024-01-01,10
  A,2,2024-02-10,10
  A,3,2024-05-03,10
  B,4,2024-01-31,20
  B,5,2024-03-05,-5
  C,6,2024-02-29,30
  C,7,2024-04-30,30
  D,8,2024-04-10,40
  D,9,2024-05-15,2.50
  E,10,2024-03-03,-7", ...)

test_that("the grid on paper", {
  grid <- cohort_grid(paper(), older_within = 1L)
  wide <- as.matrix(grid_measure(grid, "customers"))
  expect_identical(unname(wide["2024-01-01", ]), c(2, 1, 0, 0, 1))
  expect_identical(unname(wide["2024-02-01", ]), c(1, 0, 1, 0, NA))          # trap: future cells are missing, not zero
  expect_identical(unname(wide["2024-04-01", ]), c(1, 1, NA, NA, NA))
  expect_identical(nrow(wide), 3L)                                           # nobody came first in March
  cell <- grid[format(grid$cohort) == "2024-01-01" & grid$age == 2L, ]
  expect_identical(c(cell$customers, cell$purchases, cell$orders), c(0L, 0L, 1L))
  expect_identical(cell$sales, -5)
  expect_identical(unique(format(grid$period[!grid$complete])), "2024-05-01")  # trap: a partial period
  expect_identical(unique(format(grid$cohort[grid$older])), "2024-01-01")      # trap: first cohorts
  expect_true(all(c("partial period", "older cohorts", "returns only", "no cohort") %in% remarks(grid)$about))
  expect_identical(basis_of(grid, "no_cohort"), -7)
})

test_that("bottom lines are weighted, complete, and with and without older cohorts (trap: mean of percentages)", {
  lines <- bottom_lines(grid_measure(cohort_grid(paper(), older_within = 1L), "retention"))
  young <- lines[lines$line == "without older cohorts", ]
  # age 0: C and D, 2 of 2; age 1: C 0 of 1 (D's May is partial); age 2: C 1 of 1; age 3 is partial for C
  expect_identical(young$value, c(1, 0, 1))
  every <- lines[lines$line == "all cohorts", ]
  expect_equal(every$value, c(1, 1 / 3, 1 / 3, 0))                           # age 1: A of A, B, C; age 2: C of A, B, C; age 3: of A, B
  expect_identical(every$size, c(4L, 3L, 3L, 2L))
})

test_that("a grid of one customer, or of partial periods only, prints and draws", {
  one <- cohort_grid(small_ledger("customer,receipt,day,amount\nA,1,2024-01-05,10"))
  expect_match(capture.output(print(one)), "100\\*", all = FALSE)
  expect_s3_class(ggplot2::ggplot_build(ggplot2::autoplot(one)), "ggplot_built")
})

test_that("older cohorts: the window is the first one within which 90 % of gaps had ended", {
  # gaps in months: A 1, 3; C 2; D 1. Sorted 1 1 2 3; the 90th percent of four is the fourth: 3
  expect_identical(usual_gap(paper(), "month"), 3L)
  expect_identical(sum(!duplicated(cohort_grid(paper())$cohort[cohort_grid(paper())$older])), 2L)
})

test_that("retention is at most one, one at age 0, in every clock", {
  for (seed in 1:12) for (clock in c("week", "month", "quarter", "year")) {
    grid <- cohort_grid(random_ledger(seed), clock)
    retention <- grid_measure(grid, "retention")
    expect_true(all(retention$value >= 0 & retention$value <= 1), label = paste(seed, clock))
    expect_true(all(retention$value[retention$age == 0L] == 1), label = paste(seed, clock))
    expect_identical(sum(grid$size[grid$age == 0L]), sum(repeat_rate(random_ledger(seed))$customers), label = paste(seed, clock))
  }
})
