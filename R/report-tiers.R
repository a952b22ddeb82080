# What the report says of loyalty tiers.

report_tiers <- function(run) {
  htmltools::tagList(
    html_figure(run$tiers, height = 4.6),
    html_figure(run$tiers, height = 5.4, shape = "curve"),
    html_table(
      with_contact(run, run$tiers), 15L, "The best customers; all of them stand in tiers.csv"
    )
  )
}

report_payoff <- function(run) {
  htmltools::tagList(
    html_subject(describe(run$payoff)$heading, describe(run$payoff)$finding),
    html_table(run$payoff, 20L, paste0(
      "Uplift needed: from which the benefit of the tier pays; below break even: customers ",
      "whose own sales do not carry it"
    ))
  )
}

report_moves <- function(run) {
  words <- basis_of(run$moves, "labels")
  top <- moved_customers(run$moves, from = words[[1L]], to = c(words[-1L], "absent"))
  htmltools::tagList(
    html_subject("Who moved?", describe(run$moves)$finding),
    html_figure(run$moves, noise = run$chance),
    if (nrow(top) > 0L) {
      html_table(
        with_basis(
          report_columns(with_contact(run, top), c("purchases_before", "purchases_after")), top
        ),
        12L,
        sprintf(paste0(
          "Who left \u201c%s\u201d, the largest loss first; everybody who moved stands in ",
          "moved.csv"
        ), words[[1L]])
      )
    }
  )
}

report_outlook <- function(run) {
  unsure <- run$outlook[order(abs(run$outlook$stays - 0.5)), ]
  unsure <- unsure[unsure$tier == basis_of(run$outlook, "labels")[[1L]], ]
  htmltools::tagList(
    html_subject("Who will stay?", NULL),
    html_figure(run$outlook, height = 4.6),
    html_table(
      structure(with_contact(run, unsure), basis = attr(run$outlook, "basis")),
      10L,
      "Customers of the best tier about whom it is least sure; all of them stand in outlook.csv"
    )
  )
}

tier_terms <- function() {
  list(
    tier = paste0(
      "Customers ranked by the measure, cut at shares or thresholds; tied customers share the ",
      "better tier."
    ),
    `to next` = "What is missing to the next better tier."
  )
}
