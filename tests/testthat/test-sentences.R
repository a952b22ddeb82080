# Sentences about few, none or many.

small <- function(who, day, paid = "10", ...) {
  rows <- data.frame(who = who, day = day, no = as.character(seq_along(who)), paid = paid, ...)
  open_ledger(rows, column_map(
    customer = "who", date = "day", order = "no", sales = "paid",
    attributes = setdiff(names(rows), c("who", "day", "no", "paid"))
  ), meanings(currency = "EUR", history_start = as.Date("2023-01-01")))
}
finding_of <- function(x) gsub("[\u00a0\u202f]", " ", describe(x)$finding)

test_that("a few are not none, and one in a thousand is not under one in a hundred", {
  expect_identical(
    present_share(c(0, 0.0004, 0.004, 0.005, 0.5, NA)),
    gsub("_", "\u00a0", c("0_%", "under 1_%", "under 1_%", "under 1_%", "50_%", "-"))
  )
  expect_identical(present_share(c(0, 0.0004, 0.0006), 1L), gsub(
    "_", "\u00a0", c("0.0_%", "under 0.1_%", "0.1_%")
  ))
})

test_that("where all are in the best tier, nobody is nearest to it", {
  ledger <- small(c("A", "B"), c("2024-02-01", "2024-03-01"))
  tiers <- assign_tiers(ledger, c(best = 100))
  expect_no_match(finding_of(tiers), "lacks -")
})

test_that("of groups that have not paid back, none is named first or last", {
  ledger <- small(
    rep(c("A", "B", "C"), 2L), sprintf("2024-0%d-05", 1:6), shop = rep(c("x", "y", "z"), 2L)
  )
  grid <- cohort_grid(ledger, by = "first_shop", margin = 0.5)
  expect_match(finding_of(cohort_payback(grid, 900)), "^None of 3 groups has paid back yet")
})

test_that("the groups of a cohort table are named where their shares differ by more than noise", {
  shops <- \(back) {
    first <- sprintf("%s%02d", rep(c("x", "y"), each = 40L), 1:40)
    again <- c(head(first, back[[1L]]), first[40L + seq_len(back[[2L]])])
    small(
      c(first, again, "z"),
      c(rep("2024-01-10", 80L), rep("2024-02-10", length(again)), "2024-02-29"),
      shop = c(substr(first, 1L, 1L), substr(again, 1L, 1L), "z")
    )
  }
  finding <- \(ledger) finding_of(grid_measure(cohort_grid(ledger, by = "first_shop")))
  expect_match(finding(shops(c(20L, 17L))), "do not differ clearly")
  expect_match(finding(shops(c(35L, 5L))), "highest for .x. \\(88 %\\), lowest for .y. \\(12 %\\)")
})

test_that("long names are shortened, and stay apart", {
  names <- c("Mill Lane", "The old weaving school, north", "The old weaving school, south", NA)
  short <- shortened(c(names, names[[2L]]), 20L)
  expect_identical(short, c(
    "Mill Lane", "The old we\u2026ol, north", "The old we\u2026ol, south", NA,
    "The old we\u2026ol, north"
  ))
  expect_identical(shortened(names[1:2], 12L), c("Mill Lane", "The old wea\u2026"))
  expect_identical(shortened("just so", 7L), "just so")
})

test_that("what is unknown is a dash, what is said of nobody is blank", {
  rows <- new_result(list(
    shop = c("x", "y", NA), customers = c(3L, 0L, 2L), share = c(0.5, NA, NA)
  ), "rate")
  expect_identical(present(rows)$share, c(present_share(0.5, 1L), "", "-"))
  expect_identical(present(rows)$shop, c("x", "y", "-"))
})
