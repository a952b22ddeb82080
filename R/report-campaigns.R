# What the report says of campaigns.

report_effects <- function(run) {
  effects <- attr(run$effects, "effects")
  lapply(effects, \(one) {
    htmltools::tagList(
      html_subject(paste("Measured:", basis_of(one, "name")), describe(one)$finding),
      html_table(effect_face(one), 12L, "Per contacted customer, with 95 % intervals"),
      html_figure(one, height = 6)
    )
  })
}

report_targets <- function(run) {
  htmltools::tagList(
    html_subject("Targets that are ready", describe(run$targets)$finding),
    html_figure(run$targets, height = 2 + 0.6 * nrow(run$targets)),
    html_table(run$targets, 12L, "Targets; their members stand in targets.csv")
  )
}

report_history <- function(run) {
  htmltools::tagList(
    html_subject("All campaigns", describe(run$history)$finding),
    html_figure(run$history, height = 2 + 0.5 * nrow(run$history)),
    html_table(history_face(run$history), 20L, "All campaigns with what came of them")
  )
}

report_plans <- function(run) {
  plans <- attr(run$plans, "plans")
  lapply(names(plans), \(name) {
    htmltools::tagList(
      html_subject(paste("Planned:", name), describe(plans[[name]])$finding),
      html_figure(plans[[name]], height = 5)
    )
  })
}

report_wallet <- function(run) {
  htmltools::tagList(
    html_subject("Our share of each customer", describe(run$wallet)$finding),
    html_figure(run$wallet, height = 5),
    html_table(wallet_sellers(run$wallet), 8L, "Everybody's share beside ours"),
    if (!is.null(attr(run$wallet, "groups"))) {
      html_table(wallet_groups(run$wallet), 12L, "Our share by attribute")
    },
    html_table(
      run$wallet, 8L, "The largest spenders to hold; everybody stands in wallet.csv"
    )
  )
}

campaign_terms <- function() {
  list(
    `held back` = paste0(
      "Customers of the audience, drawn by lot, who are not contacted: what they do is what would ",
      "have happened anyway."
    ),
    detectable = "The smallest effect that is seen with a chance of 80 % if it is there.",
    effect = paste0(
      "What a contacted customer did more than one held back, adjusted for what both did before."
    )
  )
}
