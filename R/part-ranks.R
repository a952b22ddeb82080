# Parts that score and rank customers.

rank_parts <- list(
  study_part(
    "ranks",
    "the best and the last customers",
    "rfm",
    make = \(study, ledger) do.call(rank_customers, c(list(ledger), ranks_arguments(study))),
    figure = ranks_height,
    lists = list("ranks.csv" = \(run) contact_list(run, run$ranks)),
    page = \(run) page_ranks(run)
  ),
  study_part(
    "rfm",
    "recency, frequency and monetary bands of each customer",
    "rfm",
    make = \(study, ledger) do.call(score_rfm, c(list(ledger), rfm_arguments(study))),
    figure = 6.5,
    lists = list("rfm.csv" = \(run) contact_list(run, run$rfm)),
    page = \(run) page_rfm(run)
  ),
  study_part(
    "rfm_groups",
    "groups of customers by their bands",
    "rfm",
    make = \(study, ledger, rfm) rfm_profile(rfm),
    wanted = asks_never
  ),
  study_part(
    "map",
    "order size against frequency: four regions",
    "rfm",
    make = \(study, ledger) do.call(order_map, c(list(ledger), study$map)),
    figure = 6.5,
    lists = list("map.csv" = \(run) contact_list(run, run$map)),
    page = \(run) page_map(run),
    findings = \(run) findings_map(run)
  ),
  study_part(
    "map_regions",
    "the regions of the map, with what they bring",
    "rfm",
    make = \(study, ledger, map) map_profile(map),
    wanted = asks_never
  )
)
