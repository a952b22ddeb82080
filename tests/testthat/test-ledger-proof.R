test_that("totals are exact on random ledgers, whatever the order of rows", {
  for (seed in seq_len(60L)) {
    ledger <- random_ledger(seed, purchase_unit = c("order", "day")[[1L + seed %% 2L]])
    for (clock in c("month", "week")) {
      proof <- prove_totals(ledger, clock)
      expect_true(all(proof$exact), label = paste("seed", seed, clock, paste(proof$check[!proof$exact], collapse = "; ")))
    }
    orders <- random_orders(seed)
    shuffled <- random_ledger(seed, orders[rev(seq_len(nrow(orders))), ], purchase_unit = ledger$meaning$purchase_unit)
    expect_identical(shuffled$orders, ledger$orders, label = paste("seed", seed))
  }
})

test_that("a proof can fail", {
  ledger <- example_ledger()
  ledger$orders$sales[[3L]] <- ledger$orders$sales[[3L]] + 1
  proof <- prove_totals(ledger)
  expect_identical(proof$difference[proof$check == "ledger = its lines"], 0.01)
  expect_false(all(proof$exact))
})

test_that("the C++ passes agree with slow ones", {
  for (seed in 1:8) {
    ledger <- random_ledger(seed)
    slow <- slow_customers(ledger)
    fast <- customers(ledger)
    for (name in names(slow)) expect_equal(fast[[name]], slow[[name]], label = paste("seed", seed, name))
    grid <- cohort_grid(ledger)
    for (i in sample(nrow(grid), min(25L, nrow(grid)))) {
      slow <- slow_cell(ledger, grid$cohort[[i]], grid$period[[i]])
      expect_equal(as.list(plain_table(grid)[i, names(slow)]), slow, label = paste("seed", seed, "row", i))
    }
  }
})

test_that("history before the start decides who is not new, and its money has a line of its own", {
  ledger <- example_ledger(history_start = "2024-03-01")
  expect_true(all(prove_totals(ledger)$exact))
  grid <- cohort_grid(ledger)
  expect_identical(format(min(grid$cohort)), "2024-01-01")                  # P01 first came in January
  expect_identical(min(grid$age[format(grid$cohort) == "2024-01-01"]), 2L)  # ages not observed are not there
  expect_identical(sum(ledger$before$sales), sum(2000, 3550, 1525, 6000, 500, 2200, 7510))
})

test_that("rows behind a number add up to it", {
  ledger <- random_ledger(3L)
  grid <- cohort_grid(ledger)
  for (i in c(1L, 5L, nrow(grid))) {
    behind <- rows_behind(grid, ledger, cohort = grid$cohort[[i]], age = grid$age[[i]])
    expect_identical(length(unique(behind$customer[behind$purchase])), grid$customers[[i]])
  }
  behind <- rows_behind(order_counts(ledger), ledger, purchases = 2L)
  expect_true(all(table(behind$customer[behind$purchase]) == 2L))
})
