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

report_plans <- function(run) {
  plans <- attr(run$plans, "plans")
  lapply(names(plans), \(name) {
    htmltools::tagList(
      html_subject(paste("Planned:", name), describe(plans[[name]])$finding),
      html_figure(plans[[name]], height = 5)
    )
  })
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
