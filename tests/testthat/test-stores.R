# Definition 59, customer by customer.
slow_home <- function(rows) {
  each <- lapply(split(rows, rows$who), \(x) {
    n <- table(x$shop)
    best <- names(n)[n == max(n)]
    newest <- max(which(x$shop %in% best))
    data.frame(
      customer = x$who[[1L]], store = x$shop[[newest]], purchases_there = max(n),
      purchases = nrow(x)
    )
  })
  do.call(rbind, unname(each))
}

store_rows <- function(seed) {
  set.seed(seed)
  n <- 120L
  rows <- data.frame(
    who = sprintf("C%02d", sample(25L, n, TRUE)),
    day = as.Date("2024-01-01") + sort(sample(0:720, n)),
    paid = sample(1:90, n, TRUE),
    shop = sample(c("Mill", "Quay", "Web"), n, TRUE)
  )
  transform(rows, receipt = sprintf("R%03d", seq_len(n)))
}

test_both("home stores and the fates of a store's customers are those of the definition", {
  map <- column_map("who", "day", "receipt", "paid", channel = "shop")
  for (seed in worlds(1:4, 1:20)) {
    rows <- store_rows(seed)
    ledger <- open_ledger(rows, map, meanings(currency = "EUR"))
    home <- home_store(ledger)
    expect_equal(
      plain_table(home)[c("customer", "store", "purchases_there", "purchases")], slow_home(rows)
    )
    late <- rows[rows$day > ledger$as_of - 200, ]
    expect_identical(home_store(ledger, last = 200)$store, slow_home(late)$store)
    now <- c("2025-01-01", format(ledger$as_of))
    x <- plain_table(store_losses(ledger, c("2024-01-01", "2024-12-31"), now))
    a <- rows[rows$day <= as.Date("2024-12-31"), ]
    b <- rows[rows$day >= as.Date("2025-01-01"), ]
    for (i in seq_len(nrow(x))) {
      was <- unique(a$who[a$shop == x$store[[i]]])
      is <- unique(b$who[b$shop == x$store[[i]]])
      lost <- was[!was %in% is]
      won <- is[!is %in% was]
      expect_identical(unlist(x[i, 2:8], use.names = FALSE), c(
        length(was), length(is), sum(was %in% is), sum(lost %in% b$who), sum(!lost %in% b$who),
        sum(won %in% a$who), sum(!won %in% a$who)
      ))
    }
    expect_identical(home, home_store(in_parts(ledger, 3L)))
  }
  behind <- rows_behind(store_losses(ledger, "2024", "2025"), ledger, store = "Quay")
  expect_setequal(behind$customer, rows$who[rows$shop == "Quay"])
  expect_error(home_store(ledger, "chanel"), "channel", class = "nubrek_error_attribute")
})

test_that("a purchase that is a day counts once, whatever its orders", {
  ledger <- open_ledger(
    data.frame(
      who = "A", day = as.Date("2024-03-01") + c(0, 0, 0, 5), receipt = 1:4, paid = 5,
      shop = c("Mill", "Mill", "Mill", "Quay")
    ),
    column_map("who", "day", "receipt", "paid", channel = "shop"),
    meanings(currency = "EUR", purchase_unit = "day")
  )
  home <- home_store(ledger)
  # one day in each: the newest decides
  expect_identical(home$store, "Quay")
  expect_identical(home$purchases, 2L)
})

test_that("the stores on the clock add up, and say which opened and which closed", {
  rows <- store_rows(4L)
  rows <- rows[!(rows$shop == "Quay" & rows$day > as.Date("2024-11-01")), ]
  rows <- rows[!(rows$shop == "Mill" & rows$day < as.Date("2024-06-01")), ]
  map <- column_map("who", "day", "receipt", "paid", channel = "shop")
  ledger <- open_ledger(rows, map, meanings(currency = "EUR"))
  x <- store_clock(ledger, clock = "quarter")
  quarter <- paste0(format(rows$day, "%Y "), quarters(rows$day))
  mine <- paste0(format(x$period, "%Y "), quarters(x$period))
  for (i in seq_len(nrow(x))) {
    here <- rows[rows$shop == x$store[[i]] & quarter == mine[[i]], ]
    expect_equal(x$sales[[i]], sum(here$paid))
    expect_identical(x$purchases[[i]], nrow(here))
    expect_identical(x$customers[[i]], length(unique(here$who)))
    expect_equal(x$share[[i]], sum(here$paid) / sum(rows$paid[quarter == mine[[i]]]))
  }
  expect_equal(sum(x$sales), sum(rows$paid))
  stores <- attr(x, "basis")$stores
  expect_identical(stores$closed, stores$store == "Quay")
  expect_identical(stores$opened, stores$store == "Mill")
  expect_identical(stores$last[stores$store == "Quay"], max(rows$day[rows$shop == "Quay"]))
  expect_match(paste(capture.output(print(x)), collapse = " "), "Closed: .Quay")
  behind <- rows_behind(x, ledger, store = "Quay", period = "2024 Q1")
  expect_identical(nrow(behind), sum(rows$shop == "Quay" & quarter == "2024 Q1"))
  expect_identical(x, store_clock(in_parts(ledger, 3L), clock = "quarter"))
})

test_that("the demo study says where the customers of its stores have gone", {
  run <- pellmere()
  expect_identical(
    run$stores$active_before, run$stores$stayed + run$stores$elsewhere + run$stores$gone
  )
  expect_identical(
    run$stores$active_now, run$stores$stayed + run$stores$from_elsewhere + run$stores$new
  )
  expect_s3_class(ggplot2::autoplot(run$stores), "ggplot")
  expect_identical(nrow(run$home), sum(run[["repeat"]]$customers))
})
