# What the report says of ranks, scores and the order map.

page_rfm <- function(run) {
  profile <- page_columns(rfm_profile(run$rfm, run$forecast), "sales_per_customer")
  list(
    page_block("bands", say("Recency, frequency, monetary value"),
      figures = page_figure(run$rfm, 4)),
    page_block(
      "band-groups",
      say("Which groups do the bands make?"),
      sentence = describe(run$rfm)$finding,
      tables = page_table(with_basis(profile, run$rfm), 10L, say("Everybody stands in rfm.csv"))
    )
  )
}

page_map <- function(run) {
  profile <- page_columns(map_profile(run$map, run$forecast), "sales_per_customer")
  page_block(
    "map",
    say("Order size against frequency?"),
    figures = page_figure(run$map, 4.4),
    control = map_control(run$map),
    tables = page_table(with_basis(profile, run$map), 4L, say("Everybody stands in map.csv"))
  )
}

page_ranks <- function(run) {
  shown <- page_columns(run$ranks, c("customers_of_group", "sales_of_group"))
  page_block(
    "ranks",
    say("Who are the best, one by one?"),
    sentence = describe(run$ranks)$heading,
    figures = page_figure(
      run$ranks, ranks_height(run$ranks), people = people_shown(run$study) == "yes"
    ),
    tables = page_table(
      with_basis(shown, run$ranks), 12L, say("The best, group by group; all of them in ranks.csv")
    )
  )
}

rank_terms <- function() {
  list(
    recency = say("Days from the last purchase to the as-of day; fewer is better."),
    frequency = "Purchases.",
    monetary = say("Net sales."),
    band = say("From 1 (worst) up. Equal customers share the lower band."),
    groups = say("A band is high above 60 % of the bands, low up to 40 %."),
    `their names` = page_table(rfm_groups(), 10L)
  )
}
