# What the report says of ranks, scores and the order map.

report_ranks <- function(run) {
  shown <- report_columns(with_contact(run, run$ranks), c("customers_of_group", "sales_of_group"))
  html_table(with_basis(shown, run$ranks), 12L, paste0(
    describe(run$ranks)$heading, "; all of them stand in ranks.csv"
  ))
}

report_rfm <- function(run) {
  profile <- report_columns(rfm_profile(run$rfm, run$forecast), "sales_per_customer")
  htmltools::tagList(
    html_subject("Recency, frequency, monetary value", NULL),
    html_figure(run$rfm),
    html_table(
      with_basis(profile, run$rfm),
      10L,
      "Groups of customers by their bands; all of them stand in rfm.csv"
    )
  )
}

report_map <- function(run) {
  profile <- report_columns(map_profile(run$map, run$forecast), "sales_per_customer")
  htmltools::tagList(html_subject("The order map", NULL), html_figure(run$map), html_table(
    with_basis(profile, run$map), 4L, "Regions of the map; all customers stand in map.csv"
  ))
}

rank_terms <- function() {
  list(
    recency = "Days from the last purchase to the as-of day; fewer is better.",
    frequency = "Purchases.",
    monetary = "Net sales.",
    band = "From 1 (worst) up. Equal customers share the lower band.",
    groups = htmltools::tagList(
      "A band is high above 60 % of the bands, low up to 40 %.", html_table(rfm_groups(), 10L)
    )
  )
}
