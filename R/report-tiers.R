# What the report says of loyalty tiers.

page_tiers <- function(run) {
  shares <- tier_control(run$tiers)
  list(
    page_block("ladder", say("Who is in which tier?"), figures = page_figure(run$tiers, 2.6)),
    if (!is.null(shares)) {
      page_block(
        "tier-shares",
        say("What if the shares were others?"),
        sentence = say("Each tier by its share of customers, the best first."),
        control = shares
      )
    },
    page_block(
      "concentration",
      say("How much do the best bring?"),
      figures = page_figure(run$tiers, 4, shape = "curve"),
      tables = page_table(
        run$tiers, 15L, say("The best customers; all of them in tiers.csv")
      )
    )
  )
}

page_payoff <- function(run) {
  page_block(
    "payoff",
    describe(run$payoff)$heading,
    sentence = describe(run$payoff)$finding,
    tables = page_table(run$payoff, 20L, say(paste0(
      "Uplift needed: from which the benefit of the tier pays; below break even: customers ",
      "whose own sales do not carry it"
    )))
  )
}

page_moves <- function(run) {
  words <- basis_of(run$moves, "labels")
  top <- moved_customers(run$moves, from = words[[1L]], to = c(words[-1L], "absent"))
  page_block(
    "moves",
    say("Who moved?"),
    sentence = describe(run$moves)$finding,
    figures = page_figure(run$moves, 3.8, noise = run$chance),
    tables = if (nrow(top) > 0L) {
      page_table(
        with_basis(page_columns(top, c("purchases_before", "purchases_after")), top),
        12L,
        say(
          "Who left \u201c%s\u201d, the largest loss first; all who moved in moved.csv",
          words[[1L]]
        )
      )
    }
  )
}

page_outlook <- function(run) {
  unsure <- run$outlook[order(abs(run$outlook$stays - 0.5)), ]
  unsure <- unsure[unsure$tier == basis_of(run$outlook, "labels")[[1L]], ]
  page_block(
    "outlook",
    say("Who will stay?"),
    figures = page_figure(run$outlook, 2.8),
    tables = page_table(
      with_basis(unsure, run$outlook),
      10L,
      say("Customers of the best tier about whom it is least sure; all of them in outlook.csv")
    )
  )
}

tier_terms <- function() {
  list(
    tier = say(paste0(
      "Customers ranked by the measure, cut at shares or thresholds; tied customers share the ",
      "better tier."
    )),
    `to next` = say("What is missing to the next better tier.")
  )
}
