# A ledger in parts says what one ledger says, to the cent and the row.

test_long("a ledger in parts gives the same answers as in one piece, whatever the parts", {
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
