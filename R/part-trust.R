# Parts that say how far the forecasts can be trusted.

trust_parts <- list(
  study_part(
    "backtest",
    "purchases expected after a cut, against what came",
    "trust",
    make = \(study, ledger) backtest(
      ledger, cut = study$forecast$cut, models = study_models(study)
    ),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_backtest(run),
    findings = \(run) findings_backtest(run)
  ),
  study_part(
    "calibration",
    "groups by what was expected of them, and what they bought",
    "trust",
    make = \(study, ledger, backtest) calibration(backtest),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_drawn(run$calibration, "calibration", "Are the groups right?", 3.6),
    remarks = character()
  ),
  study_part(
    "captured",
    "how much of the sales came from those put first",
    "trust",
    make = \(study, ledger, backtest) captured_sales(backtest),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_drawn(run$captured, "captured", "Does it put the right customers first?",
      4.2),
    remarks = character()
  ),
  study_part(
    "rolling",
    "the backtest at several days",
    "trust",
    make = \(study, ledger) rolling_backtest(ledger, models = study_models(study)),
    wanted = asks_forecast,
    may_lack = TRUE,
    figure = 4,
    page = \(run) page_rolling(run),
    remarks = character()
  ),
  study_part(
    "comparison",
    "the purchase models against each other",
    "trust",
    make = \(study, ledger) do.call(compare_models, c(
      list(ledger, cut = study$forecast$cut),
      study_models(study)[c("covariates", "penalty", "season")]
    )),
    wanted = asks_forecast,
    figure = 4,
    page = \(run) page_comparison(run)
  ),
  study_part(
    "season",
    "the season of the business, month by month",
    "trust",
    make = \(study, ledger) season_index(ledger),
    wanted = asks_forecast,
    may_lack = TRUE,
    figure = 6.5,
    page = \(run) page_drawn(run$season, "season", "What is the season of the business?", 3.2),
    remarks = character()
  ),
  study_part(
    "tracking",
    "purchases week by week, expected and counted",
    "trust",
    make = \(study, ledger, backtest) track_repeats(attr(backtest, "fit"), ledger),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_drawn(run$tracking, "tracking", "Do the models hold week by week?", 4.4),
    remarks = character()
  ),
  study_part(
    "expected_counts",
    "customers by number of repeats, expected and counted",
    "trust",
    make = \(study, ledger, fits) expected_counts(fits$purchases),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_drawn(run$expected_counts, "expected-counts",
      "Does the model fit the counts?", 3.6),
    remarks = character()
  ),
  study_part(
    "expected_spend",
    "customers by mean purchase, expected and counted",
    "trust",
    make = \(study, ledger, fits) expected_spend(spend_fit(study, ledger, fits)),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_drawn(run$expected_spend, "expected-spend",
      "Does the model fit the amounts?", 3.6),
    remarks = character()
  ),
  study_part(
    "spend_frequency",
    "does the size of a purchase go with their number?",
    "trust",
    make = \(study, ledger) spend_frequency(ledger),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_drawn(run$spend_frequency, "spend-frequency",
      "Do frequent customers spend more each time?", 3.4),
    remarks = character()
  ),
  study_part(
    "spread",
    "how customers differ in rate and in staying",
    "trust",
    make = \(study, ledger, fits) customer_spread(fits$purchases),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_drawn(run$spread, "spread", "What do the models say of customers?", 3.6),
    remarks = character()
  ),
  study_part(
    "model",
    "the purchase model: parameters with intervals",
    "trust",
    make = \(study, ledger, fits) summary(fits$purchases),
    wanted = asks_forecast,
    page = \(run) page_fit(run$model, "model", "What are the parameters of the purchase model?")
  ),
  study_part(
    "spend_model",
    "the model of amounts: parameters with intervals",
    "trust",
    make = \(study, ledger, fits) summary(spend_fit(study, ledger, fits)),
    wanted = asks_forecast,
    page = \(run) page_fit(run$spend_model, "spend-model", "And of the model of amounts?")
  ),
  study_part(
    "fits",
    "both models fitted to all customers, once for all parts",
    "trust",
    make = \(study, ledger, season = NULL) fit_models(
      ledger, study_models(study, season), need_spend = FALSE
    ),
    wanted = asks_forecast,
    shown = FALSE,
    in_run = FALSE # they hold every customer's history
  )
)
