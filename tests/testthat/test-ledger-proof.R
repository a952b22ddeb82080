test_both("totals are exact on random ledgers, whatever the order of rows", {
  folder <- withr::local_tempdir()
  for (seed in worlds(1:15, 1:200)) {
    set.seed(seed)
    said <- list(
      purchase_unit = sample(meaning_choices$purchase_unit, 1L),
      returns = sample(meaning_choices$returns, 1L),
      minimum_sales = sample(c(0, 5), 1L),
      history_start = if (seed %% 3L == 0L) "2024-05-05",
      as_of = if (seed %% 5L == 0L) "2025-03-03"
    )
    open <- \(source, ...) do.call(random_ledger, c(list(seed, source), said, list(...)))
    orders <- random_orders(seed)
    ledger <- open(orders)
    proof <- prove_totals(ledger, sample(names(clocks)[-1L], 1L))
    expect_true(all(proof$exact), label = paste(
      "seed", seed, paste(proof$check[!proof$exact], collapse = "; ")
    ))
    # shuffled, and split at an order into two files, one of them packed, the other in UTF-16
    half <- orders$receipt < sort(orders$receipt)[[nrow(orders) %/% 2L]]
    mixed <- sample(nrow(orders))
    orders <- orders[mixed, ]
    half <- half[mixed]
    paths <- file.path(folder, paste0(seed, c("a.csv.gz", "b.csv")))
    data.table::fwrite(orders[half, ], paths[[1L]])
    text <- c(paste(names(orders), collapse = ","), do.call(paste, c(orders[!half, ], sep = ",")))
    writeBin(
      iconv(paste0("\ufeff", paste(text, collapse = "\n")), "UTF-8", "UTF-16BE", toRaw = TRUE)[[
        1L
      ]],
      paths[[2L]]
    )
    expect_identical(
      open(paths)$orders, ledger$orders, label = paste("shuffled and split, seed", seed)
    )
  }
})

test_that(
  "a ledger without any purchase proves its totals, and measures of purchases say why they cannot",
  {
    for (amount in c("-10", "0")) {
      ledger <- small_ledger(paste0("customer,receipt,day,amount\nA,1,2024-01-05,", amount))
      expect_true(all(prove_totals(ledger)$exact))
      expect_identical(repeat_rate(ledger)$sales_no_purchase, as.double(amount))
      for (measure in list(order_counts, cohort_grid, score_rfm, assign_tiers)) {
        expect_error(measure(ledger), class = "nubrek_error_no_purchases")
      }
      expect_error(forecast_value(ledger), class = "nubrek_error_unidentified")
    }
  }
)

test_that("a proof can fail", {
  ledger <- example_ledger()
  ledger$orders$sales[[3L]] <- ledger$orders$sales[[3L]] + 1
  proof <- prove_totals(ledger)
  expect_identical(proof$difference[proof$check == "ledger = its lines"], 0.01)
  expect_false(all(proof$exact))
})

test_both("the C++ passes agree with slow ones", {
  for (seed in worlds(1:2, 1:8)) {
    ledger <- random_ledger(seed)
    slow <- slow_customers(ledger)
    fast <- customers(ledger)
    for (name in names(slow)) {
      expect_equal(fast[[name]], slow[[name]], label = paste("seed", seed, name))
    }
    grid <- cohort_grid(ledger)
    for (i in sample(nrow(grid), min(25L, nrow(grid)))) {
      slow <- slow_cell(ledger, grid$cohort[[i]], grid$period[[i]])
      expect_equal(
        as.list(plain_table(grid)[i, names(slow)]), slow, label = paste("seed", seed, "row", i)
      )
    }
  }
})

test_that("history before the start decides who is not new, and its money has a line of its own", {
  ledger <- example_ledger(history_start = "2024-03-01")
  expect_true(all(prove_totals(ledger)$exact))
  grid <- cohort_grid(ledger)
  expect_identical(format(min(grid$cohort)), "2024-01-01") # P01 first came in January
  # ages not observed are not there
  expect_identical(min(grid$age[format(grid$cohort) == "2024-01-01"]), 2L)
  expect_identical(sum(ledger$before$sales), sum(2000, 3550, 1525, 6000, 500, 2200, 7510))
})

test_that("rows behind a number add up to it", {
  ledger <- random_ledger(3L)
  grid <- cohort_grid(ledger)
  for (i in c(1L, 5L, nrow(grid))) {
    behind <- rows_behind(grid, ledger, cohort = grid$cohort[[i]], age = grid$age[[i]])
    expect_identical(length(unique(behind$customer[behind$purchase])), grid$customers[[i]])
  }
  some <- order_counts(ledger)$purchases[[2L]]
  behind <- rows_behind(order_counts(ledger), ledger, purchases = some)
  expect_true(all(table(behind$customer[behind$purchase]) == some))
})
