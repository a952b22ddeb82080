map <- column_map(
  customer = "customer",
  order = "receipt",
  date = "day",
  sales = "amount",
  channel = "shop",
  line = "line",
  attributes = c(state = "state")
)
parts_of <- \(ledger) ledger[setdiff(names(ledger), "source")]
same_ledger <- function(a, b, label) {
  expect_equal(
    parts_of(a),
    parts_of(b),
    ignore_attr = c("row.names", "index", "sorted", ".internal.selfref"),
    label = label
  )
}

test_long("a ledger with exports added equals one ledger from all exports, also over a save", {
  skip_if_not(requireNamespace("nanoparquet", quietly = TRUE), "no Parquet package")
  folder <- withr::local_tempdir()
  for (seed in 1:16) {
    set.seed(seed)
    orders <- random_orders(seed)
    orders$line <- seq_len(nrow(orders))
    cut <- 9L + sort(sample(nrow(orders) - 9L, 2L))
    exports <- list(
      orders[1:cut[[1L]], ],
      orders[max(1L, cut[[1L]] - 5L):cut[[2L]], ],
      orders[max(1L, cut[[2L]] - 9L):nrow(orders), ]
    ) # they overlap
    exports[[3L]]$amount[[1L]] <- "77.70" # one order comes in another state
    files <- file.path(folder, sprintf("%d-%d.csv", seed, 1:3))
    for (i in 1:3) {
      data.table::fwrite(exports[[i]], files[[i]])
    }
    policy <- c("newer replaces", "first stays")[[1L + seed %% 2L]]
    said <- meanings(
      currency = "EUR",
      conflicts = policy,
      returns = if (seed %% 3L) "net" else "with original order"
    )
    people <- attribute_table(
      data.frame(id = c("C01", "C99"), town = c("Carrow", "Pell")), "id", "town"
    )
    source <- if (seed %% 4L) as.list(files) else exports
    one <- open_ledger(source, map, said, customers = people)
    step <- append_orders(open_ledger(source[[1L]], map, said, customers = people), source[[2L]])
    kept <- file.path(folder, paste0("ledger", seed %% 3L))
    save_ledger(step, kept)
    grown <- append_orders(open_ledger(kept), source[[3L]])
    same_ledger(grown, one, paste("seed", seed))
    save_ledger(grown, kept)
    same_ledger(open_ledger(kept), one, paste("seed", seed, "saved"))
    expect_length(list.files(file.path(kept, "exports")), 3L)
  }
})

test_that("what came before must be there and unchanged; slices take nothing", {
  skip_if_not(requireNamespace("nanoparquet", quietly = TRUE), "no Parquet package")
  folder <- withr::local_tempdir()
  file <- file.path(folder, "march.csv")
  map <- column_map(customer = "customer", order = "receipt", date = "day", sales = "amount")
  march <- example_orders()
  data.table::fwrite(march, file)
  april <- data.frame(
    customer = "P12", receipt = "99", day = "2025-03-01", amount = "5", shop = "Web", state = "paid"
  )
  ledger <- open_ledger(file, map)
  grown <- append_orders(ledger, april)
  expect_identical(sum(customers(grown)$sales) - sum(customers(ledger)$sales), 5)
  expect_error(
    append_orders(ledger_slice(ledger, until = "2024-12-31"), april), class = "nubrek_error_source"
  )
  expect_error(
    append_orders(ledger, transform(april, receipt = "1", customer = "P01")),
    class = "nubrek_error_conflict"
  )
  expect_error(append_orders(ledger, april[-1L]), class = "nubrek_error_columns")
  save_ledger(ledger, file.path(folder, "small"), exports = FALSE)
  expect_error(
    append_orders(open_ledger(file.path(folder, "small")), april), class = "nubrek_error_source"
  )
  data.table::fwrite(march[-1L, ], file)
  expect_error(append_orders(ledger, april), "march.csv", class = "nubrek_error_file")
  expect_error(save_ledger(ledger, file.path(folder, "other")), class = "nubrek_error_file")
  expect_identical(nrow(customers(grown)), 12L)
})
