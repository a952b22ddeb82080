# The keys of the study file about the forecast.

forecast_section <- function() {
  keys_of_section(
    "what customers will bring",
    years = study_key(leaf_number(0.02, 50), "how far the value looks ahead", "1", "2"),
    periods = study_key(leaf_whole(1, 1000), "whole periods of sales to come", "a year", "24"),
    acquisitions = study_key(
      leaf_amounts(),
      "new customers in each coming period",
      "as many as in the last 365 days",
      "[250]"
    ),
    by = study_key(
      leaf_texts(), "attributes whose groups are valued", "none", "[first_channel, first_category]"
    ),
    within = study_key(leaf_number(0, 600), "months by which a customer must pay back", "12", "18"),
    level = study_key(leaf_share(0.5, 0.999), "level of intervals", "0.95", "0.8"),
    seed = study_key(leaf_whole(0, 1e9), "of the draws", "1", "7"),
    cut = study_key(
      leaf_day(), "day up to which the backtest learns", "a year before the end", "2024-12-31"
    ),
    purchases = study_key(
      leaf_choice(names(Filter(\(m) !m$discrete, purchase_models()))),
      "purchase model",
      "pareto-nbd",
      "mbg-nbd"
    ),
    spend = study_key(
      leaf_choice(names(spend_models())), "spend model", "gamma-gamma", "log-normal"
    ),
    covariates = keys_of_section(
      "attributes that the models know",
      rate = study_key(leaf_texts(), "of the rate of buying", "none", "[first_channel]"),
      dropout = study_key(leaf_texts(), "of the rate of leaving", "none", "[first_channel]")
    ),
    penalty = study_key(
      leaf_penalty(), "draws the effects of covariates in", "0", "cross-validated"
    ),
    season = study_key(
      leaf_season(), "do the models follow the season of the business", "auto", "no"
    )
  )
}
