# A ledger in parts says what one ledger says, to the cent and the row.

# The same ledger with its customers dealt into so many parts, some of them without anybody.
in_parts <- function(ledger, n) {
  place <- (seq_along(ledger$ids) * 7919L) %% n + 1L
  parts <- lapply(seq_len(n), \(k) {
    codes <- which(place == k)
    own <- match(seq_along(ledger$ids), codes)
    mine <- which(!is.na(own[ledger$orders$customer]))
    lines <- ledger$lines[ledger$lines$number %in% mine]
    lines$number <- match(lines$number, mine)
    orders <- lapply(ledger$orders, `[`, mine)
    orders$customer <- own[orders$customer]
    before <- lapply(ledger$before, `[`, !is.na(own[ledger$before$customer]))
    before$customer <- own[before$customer]
    rows <- list(orders = orders, lines = lines, before = before)
    list(open = \() lapply(rows, data.table::copy), codes = codes)
  })
  new_parts(ledger, parts, names(ledger$lines))
}

# Everything that is asked of a ledger, as far as it has an answer.
answers <- function(ledger) {
  asked <- list(
    customers = \(l) customers(l, everybody = TRUE),
    rates = \(l) repeat_rate(l),
    rates_by = \(l) repeat_rate(l, by = "first_channel"),
    counts = \(l) order_counts(l),
    gaps = \(l) all_gaps(l),
    gaps_of = \(l) purchase_gaps(l),
    tail = \(l) gap_tail(purchase_gaps(l)),
    next_one = \(l) next_purchase(l),
    curve = \(l) waiting_curve(l),
    waiting = \(l) waiting_customers(l),
    new = \(l) new_returning(l, "month", lookback = 3),
    new_of = \(l) new_returning(l, "quarter", by = "channel"),
    periods = \(l) customer_periods(l, "quarter"),
    sales = \(l) sales_by(l, "channel"),
    sales_of = \(l) sales_by(l, c("first_channel", "channel")),
    grid = \(l) cohort_grid(l, "month", margin = 0.4),
    grid_by = \(l) cohort_grid(l, "quarter", by = "first_channel"),
    elapsed = \(l) cohort_grid(l, "month", ages = "elapsed"),
    payback = \(l) cohort_payback(cohort_grid(l, "quarter", margin = 0.5), cost = 10),
    scores = \(l) score_rfm(l),
    profile = \(l) rfm_profile(score_rfm(l)),
    tiers = \(l) assign_tiers(l),
    map = \(l) map_profile(order_map(l)),
    ranks = \(l) rank_customers(l, within = "first_channel"),
    slice = \(l) repeat_rate(ledger_slice(l, lines = list(channel = "Mill"))),
    during = \(l) customers(ledger_during(l, "2024")),
    history = \(l) purchase_history(l),
    behind = \(l) rows_behind(cohort_grid(l), l, age = 1),
    behind_sales = \(l) rows_behind(sales_by(l, "channel"), l, channel = "Quay"),
    moves = \(l) tier_moves(l, c("2024", "2025")),
    audience = \(l) audience(l, purchases >= 2, sales(channel == "Quay") > 20, unless(open_gap < 9)),
    suspects = \(l) identity_suspects(l),
    audit = \(l) audit(l),
    proof = \(l) prove_totals(l)
  )
  lapply(asked, \(ask) tryCatch(ask(ledger), nubrek_error = \(e) class(e)[[1L]]))
}

test_that("a ledger in parts gives the same answers as in one piece, whatever the parts", {
  for (seed in 1:6) {
    set.seed(seed)
    ledger <- random_ledger(
      seed,
      purchase_unit = sample(meaning_choices$purchase_unit, 1L),
      history_start = if (seed %% 3L == 0L) "2024-05-05",
      as_of = if (seed %% 5L == 0L) "2025-03-03"
    )
    whole <- answers(ledger)
    expect_lt(mean(vapply(whole, is.character, NA)), 0.2)
    found <- answers(in_parts(ledger, c(1L, 2L, 7L)[seed %% 3L + 1L]))
    for (name in names(whole)) {
      expect_identical(found[[name]], whole[[name]], label = paste(name, "seed", seed))
    }
  }
})
