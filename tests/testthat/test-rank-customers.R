ten <- function() {
  open_ledger(
    data.frame(
      c = letters[1:10],
      o = as.character(1:10),
      d = rep(c("2024-01-05", "2024-03-09"), 5),
      s = c("10", "9", "8", "8", "8", "6", "5", "4", "3", "2"),
      shop = c("M", "Q", "M", "Q", "", "M", "Q", "M", "Q", "M")
    ),
    column_map(customer = "c", order = "o", date = "d", sales = "s", channel = "shop"),
    meanings(currency = "EUR")
  )
}

test_that(
  paste0(
    "top and bottom on paper: ties at the edge come along and are told (trap: top 10 cut through ",
    "ties)"
  ),
  {
    top <- rank_customers(ten(), top = 3)
    expect_identical(top$customer, c("a", "b", "c", "d", "e"))
    expect_identical(top$rank, c(1L, 2L, 3L, 3L, 3L))
    expect_true("ties" %in% remarks(top)$about)
    expect_identical(rank_customers(ten(), top = 3, ties = "dense")$rank, c(1L, 2L, 3L, 3L, 3L))
    expect_identical(rank_customers(ten(), top = 4, ties = "dense")$customer[[6L]], "f")
    hard <- rank_customers(ten(), top = 3, ties = "row")
    expect_identical(hard$customer, c("a", "b", "c"))
    expect_match(remarks(hard)$remark[remarks(hard)$about == "ties"], "by their id")
    both <- rank_customers(ten(), top = 1, bottom = 2)
    expect_identical(
      paste(both$end, both$rank, both$customer), c("top 1 a", "bottom 1 j", "bottom 2 i")
    )
    # the third place is shared by three
    expect_identical(nrow(rank_customers(ten(), top = 30, unit = "percent")), 5L)
    expect_identical(nrow(rank_customers(ten(), top = 20, unit = "percent")), 2L)
    expect_identical(rank_customers(ten(), best = "low", top = 1)$customer, "j")
    # fewer days are better (trap: rank direction)
    expect_identical(rank_customers(ten(), "recency", top = 1)$rank, rep(1L, 5L))
    expect_match(remarks(rank_customers(ten(), "recency"))$remark, "lowest recency", all = FALSE)
    groups <- rank_customers(ten(), within = "first_channel", top = 1)
    expect_identical(paste(groups$first_channel, groups$customer), c("M a", "Q b", "(missing) e"))
    expect_identical(groups$customers_of_group, c(5L, 4L, 1L))
    expect_identical(groups$sales_of_group, c(30, 25, 8))
    expect_equal(groups$share_of_group, c(1 / 3, 9 / 25, 1))
    expect_identical(rank_customers(ten(), at_least = c(sales = 9))$customer, c("a", "b"))
    scores <- data.frame(customer = c("a", "b", "c"), points = c(1, 3, NA))
    scored <- rank_customers(ten(), "points", scores = scores)
    expect_identical(scored$customer, c("b", "a"))
    expect_true("no value" %in% remarks(scored)$about)
    for (wrong in list(
      list("point", scores = scores), list("profit"), list(top = -1), list(ties = "olympic")
    )) {
      expect_error(do.call(rank_customers, c(list(ten()), wrong)), class = "nubrek_error")
    }
  }
)

test_that(
  paste0(
    "during a part of time counts those with a purchase in it, by their net sales in it, also ",
    "below 0"
  ),
  {
    ledger <- small_ledger(paste0(
      "customer,receipt,day,amount\nA,1,2024-01-05,50\nA,2,2024-02-05,5\nA,3,2024-02-20,-30\nB,",
      "4,2024-02-07,1\nC,5,2024-01-09,9\nC,6,2024-02-01,-9"
    ), currency = "EUR")
    ranked <- rank_customers(ledger, during = "2024-02")
    expect_identical(paste(ranked$customer, ranked$sales), c("B 1", "A -25"))
    expect_identical(
      assign_tiers(ledger, c(x = 50, y = 50), during = "2024-02")$customer, c("B", "A")
    )
    # to the 20th, the last day
    expect_identical(score_rfm(ledger, during = "2024-02")$recency, c(15L, 13L))
    expect_error(rank_customers(ledger, during = "2025"), class = "nubrek_error_argument")
  }
)

test_both("ranks agree with R's own on random ledgers, whatever the order of rows", {
  for (seed in worlds(1:2, 1:10)) {
    orders <- random_orders(seed)
    ledger <- random_ledger(seed, orders)
    people <- customers(ledger)
    people <- people[people$purchases > 0L, ]
    for (by in c("sales", "purchases", "mean_sales")) {
      ranked <- rank_customers(ledger, by, within = "first_channel")
      people$group <- ifelse(is.na(people$first_channel), "(missing)", people$first_channel)
      slow <- ave(-people[[by]], people$group, FUN = \(v) rank(v, ties.method = "min"))
      expect_equal(
        ranked$rank[match(people$customer, ranked$customer)], slow, label = paste(seed, by)
      )
      dense <- rank_customers(ledger, by, ties = "dense")
      expect_equal(
        dense$rank[match(people$customer, dense$customer)],
        match(people[[by]], sort(unique(people[[by]]), decreasing = TRUE)),
        label = paste(seed, by)
      )
    }
    shuffled <- random_ledger(seed, orders[sample(nrow(orders)), ])
    for (what in list(
      \(l) rank_customers(l, top = 3, bottom = 3),
      order_map,
      \(l) score_rfm(l, 4L),
      \(l) tier_moves(l, c("2024", "2025"), same_days = FALSE)
    )) {
      expect_identical(
        as.data.frame(what(shuffled)), as.data.frame(what(ledger)), label = paste("seed", seed)
      )
    }
  }
})

test_both("own limits, those of an earlier scoring, groups of one's own", {
  scored <- score_rfm(ten(), cuts = list(recency = 30, frequency = 2, monetary = c(5, 8)))
  expect_identical(scored$recency_band, rep(1:2, 5L)) # at most 30 days reaches the better band
  expect_identical(scored$frequency_band, rep(1L, 10L))
  expect_identical(scored$monetary_band, c(3L, 3L, 3L, 3L, 3L, 2L, 2L, 1L, 1L, 1L))
  # a: 1 of 2, 1 of 2, 3 of 3; j: 2, 1, 1
  expect_identical(scored$index[c(1L, 10L)], c(100 / 3, 100 / 3))
  expect_identical(
    score_rfm(
      ten(), cuts = list(recency = 30, frequency = 2, monetary = c(5, 8)), weights = c(0, 0, 1)
    )$index[[6L]],
    50
  )
  for (seed in worlds(1:2, 1:8)) {
    ledger <- random_ledger(seed)
    once <- score_rfm(ledger, 4L)
    again <- score_rfm(ledger, like = once)
    expect_identical(again$code, once$code, label = paste("seed", seed))
    later <- score_rfm(ledger, like = once, during = "2024")
    expect_match(remarks(later)$remark, "of unequal length", all = FALSE)
    limit <- basis_of(once, "cuts")$monetary
    expect_identical(
      later$monetary_band,
      as.integer(1L + findInterval(later$monetary, limit)),
      label = paste("seed", seed)
    )
  }
  mine <- data.frame(
    group = c("good", "rest", "gone"),
    recency = c("2", "2", "1"),
    frequency = "any",
    monetary = c("3", "1 to 2", "any")
  )
  grouped <- score_rfm(
    ten(), cuts = list(recency = 30, frequency = 2, monetary = c(5, 8)), groups = mine
  )
  expect_identical(grouped$group[c(1L, 2L, 7L, 10L)], c("gone", "good", "gone", "rest"))
  gap <- transform(mine, monetary = c("3", "1", "any"))
  twice <- transform(mine, monetary = c("3", "any", "any"))
  expect_match(
    conditionMessage(expect_error(
      score_rfm(ten(), cuts = basis_of(grouped, "cuts"), groups = gap),
      class = "nubrek_error_groups"
    )),
    "no group"
  )
  expect_match(
    conditionMessage(expect_error(
      score_rfm(ten(), cuts = basis_of(grouped, "cuts"), groups = twice),
      class = "nubrek_error_groups"
    )),
    "several"
  )
  expect_error(
    score_rfm(ten(), groups = transform(mine, recency = "best")), class = "nubrek_error_groups"
  )
  expect_error(score_rfm(ten(), cuts = list(monetary = c(8, 5))), class = "nubrek_error_argument")
  profile <- rfm_profile(score_rfm(ten(), 3L))
  expect_identical(sum(profile$customers), 10L)
  expect_equal(sum(profile$sales), 63)
})

test_that(
  paste0(
    "the order map on paper: reaching a cut is high, regions are a partition, the top is marked ",
    "with its ties"
  ),
  {
    ledger <- small_ledger(paste0(
      "customer,receipt,day,amount\nA,1,2024-01-05,50\nA,2,2024-02-05,30\nB,3,2024-01-05,10\nB,",
      "4,2024-02-05,10\nC,5,2024-01-09,40\nD,6,2024-01-09,5\nE,7,2024-03-01,40"
    ), currency = "EUR")
    map <- order_map(ledger, cut = c(2, 40), top = 2)
    expect_identical(map$region, c(
      "often & large", "often & small", "seldom & large", "seldom & small", "seldom & large"
    ))
    expect_identical(map$customer[map$top], c("A", "C", "E"))
    expect_true("ties" %in% remarks(map)$about)
    middle <- order_map(ledger)
    expect_identical(basis_of(middle, "cut"), c(purchases = 1, mean_sales = 40))
    # half bought once: nobody is seldom
    expect_match(remarks(middle)$remark[remarks(middle)$about == "cut"], "often")
    expect_identical(
      basis_of(order_map(ledger, cut = 0.9), "cut")[["purchases"]],
      stats::quantile(c(2, 2, 1, 1, 1), 0.9, names = FALSE)
    )
    profile <- map_profile(map)
    expect_identical(profile$customers, c(1L, 1L, 2L, 1L))
    expect_identical(profile$sales, c(80, 20, 80, 5))
    for (wrong in list("mean", c(1, 2, 3), c(often = 1, large = 2), 1.5)) {
      expect_error(order_map(ledger, cut = wrong), class = "nubrek_error_argument")
    }
    figure <- ggplot2::autoplot(pellmere()$map)
    expect_identical(
      sum(ggplot2::ggplot_build(figure)$plot$layers[[1L]]$data$n),
      sum(pellmere()$map$mean_sales > 0)
    ) # every customer is in the density
    expect_identical(
      nrow(ggplot2::ggplot_build(figure)$plot$layers[[4L]]$data), sum(pellmere()$map$top)
    )
  }
)

test_that("thresholds come before ranks: the best ten of those who reach them are ten", {
  ledger <- pellmere()$ledger
  ten <- rank_customers(ledger, by = "mean_sales", top = 10, at_least = c(purchases = 3))
  expect_identical(nrow(ten), 10L)
  people <- customers(ledger)
  reach <- people[people$purchases >= 3L, ]
  best <- reach[order(-reach$sales / reach$purchases), ][1:10, ]
  expect_identical(ten$customer, best$customer)
  expect_identical(ten$rank, 1:10)
  expect_match(paste(remarks(ten)$remark, collapse = " "), "with at least 3 purchases")
  fifth <- rank_customers(ledger, top = 20, unit = "percent", at_least = c(purchases = 3))
  expect_identical(nrow(fifth), as.integer(ceiling(nrow(reach) * 0.2)))
})

test_both("per customer and per purchase have names of their own (one word, one meaning)", {
  ledger <- example_ledger()
  profile <- map_profile(order_map(ledger))
  expect_equal(profile$sales_per_customer, profile$sales / profile$customers)
  for (table in list(profile, rfm_profile(score_rfm(ledger)), tier_profile(assign_tiers(ledger)))) {
    expect_false("mean_sales" %in% names(table))
  }
  # customers are those with a purchase, in sales by an attribute too
  for (seed in worlds(1:3, 1:12)) {
    ledger <- random_ledger(seed, purchase_unit = if (seed %% 2) "day" else "order")
    sales <- sales_by(ledger, "first_channel")
    rate <- repeat_rate(ledger, by = "first_channel")
    at <- match(sales$first_channel, rate$first_channel)
    expect_identical(sales$customers, rate$customers[at], label = paste("seed", seed))
    people <- customers(ledger)
    bought <- tapply(people$purchases, with_missing(people$first_channel), sum)
    expect_identical(sales$purchases, as.integer(bought[sales$first_channel]), label = paste(
      "purchases, seed", seed
    ))
    expect_equal(
      sales$mean_sales,
      ifelse(sales$purchases > 0L, sales$sales / sales$purchases, NA),
      label = paste("seed", seed)
    )
  }
})
