test_that("bands on paper: equal customers share the lower band", {
  expect_identical(band_of(c(1, 1, 1, 1, 5), 5L), c(1L, 1L, 1L, 1L, 5L))
  expect_identical(band_of(c(1, 2, 2, 2, 2), 5L), c(1L, 2L, 2L, 2L, 2L)) # the top band stays empty
  expect_identical(band_of(1:10, 5L), rep(1:5, each = 2L))
})

test_that(
  paste0(
    "recency counts fewer days as better, codes are in order, groups cover everybody (trap: rank ",
    "direction)"
  ),
  {
    scores <- score_rfm(example_ledger(), 3L)
    expect_identical(scores$recency_band[scores$recency == 0L], 3L)
    expect_identical(
      scores$code, paste0(scores$recency_band, scores$frequency_band, scores$monetary_band)
    )
    for (k in 2:10) {
      bands <- expand.grid(r = seq_len(k), f = seq_len(k), m = seq_len(k))
      groups <- group_combinations(bands, rfm_groups(), c(k, k, k))
      expect_true(all(groups %in% rfm_groups()$group), label = paste("bands", k))
    }
    expect_identical(groups[bands$r == k & bands$f == 1L & bands$m == 1L], "recent, seldom")
  }
)

test_that(
  "tiers on paper: tied customers get the better tier, edges neither overlap nor leave gaps (trap)",
  {
    # ten customers, sales 10, 9, 8, 8, 8, 6, 5, 4, 3, 2; shares 30 / 70: rank 3 is shared by three
    ledger <- open_ledger(
      data.frame(
        c = letters[1:10],
        o = as.character(1:10),
        d = "2024-01-05",
        s = c("10", "9", "8", "8", "8", "6", "5", "4", "3", "2")
      ),
      column_map(customer = "c", order = "o", date = "d", sales = "s")
    )
    tiers <- assign_tiers(ledger, c(top = 30, rest = 70))
    expect_identical(as.integer(table(tiers$tier)), c(5L, 5L))
    expect_identical(tiers$rank, c(1L, 2L, 3L, 3L, 3L, 6:10))
    expect_identical(tiers$to_next, c(rep(NA, 5), 2, 3, 4, 5, 6))
    expect_true("ties" %in% remarks(tiers)$about)
    exact <- assign_tiers(ledger, c(top = 10, second = 10, third = 0, rest = 80))
    expect_identical(as.integer(table(exact$tier)), c(1L, 1L, 0L, 8L))
    expect_identical(exact$to_next[[3L]], 1) # over the empty tier to the lowest of the second
    limits <- assign_tiers(ledger, thresholds = c(cashmere = 8, base = -Inf))
    expect_identical(as.integer(table(limits$tier)), c(5L, 5L)) # reaching 8 reaches the tier
    expect_identical(limits$to_next[[6L]], 2)
    expect_error(
      assign_tiers(ledger, thresholds = c(cashmere = 8, base = 3)), class = "nubrek_error_tiers"
    )
    climbed <- small_ledger(
      "customer,receipt,day,amount\na,1,2024-01-01,3\nb,2,2024-01-01,2", currency = "EUR"
    )
    expect_identical(assign_tiers(climbed, c(x = 50, y = 50))$to_next, c(NA, 1))
  }
)

test_both("scores and tiers do not depend on row order or the scale of money", {
  for (seed in worlds(1:2, 1:10)) {
    orders <- random_orders(seed)
    scaled <- orders
    plain <- grepl("^-?[0-9.]+$", orders$amount) & orders$amount != "12.345"
    orders <- orders[plain, ]
    scaled <- transform(orders, amount = paste0(amount, "0"))
    scaled$amount <- sub("[.](..)0$", "\\1.00", scaled$amount) # a hundredfold
    one <- score_rfm(random_ledger(seed, orders[sample(nrow(orders)), ]))
    two <- score_rfm(random_ledger(seed, scaled))
    expect_identical(one$code, two$code, label = paste("seed", seed))
    expect_equal(two$monetary, one$monetary * 100, label = paste("seed", seed))
    expect_identical(
      as.character(assign_tiers(random_ledger(seed, orders))$tier),
      as.character(assign_tiers(random_ledger(seed, scaled))$tier)
    )
  }
})
