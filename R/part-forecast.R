# Parts that look ahead: what customers will bring, and what one is worth.

forecast_parts <- list(
  study_part(
    "forecast",
    "what each customer will buy and is worth",
    "forecast",
    make = \(study, ledger, fits, season = NULL) do.call(forecast_value, c(
      list(ledger, money = study_economics(study), models = study_models(study, season, fits)),
      settings_of(study, "forecast", c("years", "level", "seed"))
    )),
    wanted = asks_forecast,
    figure = 6.5,
    lists = list("value.csv" = \(run) contact_list(run, run$forecast)),
    page = \(run) page_forecast(run)
  ),
  study_part(
    "shares",
    "how much of the value the best customers hold",
    "forecast",
    make = \(study, ledger, forecast) value_shares(forecast),
    wanted = asks_forecast,
    figure = 6.5,
    page = \(run) page_shares(run),
    remarks = character()
  ),
  study_part(
    "coming",
    "sales of the coming periods",
    "forecast",
    make = \(study, ledger, fits, season = NULL) do.call(forecast_sales, c(
      list(
        ledger,
        money = study_economics(study),
        models = study_models(study, season, fits),
        clock = study$cohorts$clock
      ),
      settings_of(study, "forecast", c("periods", "acquisitions", "level", "seed"))
    )),
    wanted = asks_forecast,
    figure = 6.5,
    lists = list("coming.csv" = \(run) plain_table(run$coming)),
    page = \(run) page_coming(run),
    findings = \(run) findings_coming(run)
  )
)

worth_parts <- list(
  study_part(
    "continued",
    "the cohorts, continued by the forecast",
    "worth",
    make = \(study, ledger, fits, season = NULL) study_continued(study, ledger, season, fits),
    wanted = asks_forecast,
    may_lack = TRUE,
    figure = 6.5,
    page = \(run) page_continued(run),
    remarks = character()
  ),
  study_part(
    "continued_by",
    "the same for the groups whose cost is known",
    "worth",
    make = \(study, ledger, fits, season = NULL) study_continued(
      study, ledger, season, fits, payback_groups(study) %||% wanted_key(study, "payback", "spend")
    ),
    wanted = \(study) asks_forecast(study) && !is.null(payback_groups(study)),
    may_lack = TRUE
  ),
  study_part(
    "worth",
    "what a customer of each cohort is worth against the cost",
    "worth",
    make = \(study, ledger, continued, continued_by = NULL) study_worth(
      study, if (is.null(payback_groups(study))) continued else continued_by, together = TRUE
    ),
    wanted = asks_forecast,
    may_lack = TRUE,
    figure = 6.5,
    lists = list("worth.csv" = \(run) plain_table(run$worth_by %||% run$worth)),
    page = \(run) page_worth(run),
    findings = \(run) findings_worth(run)
  ),
  study_part(
    "worth_by",
    "the same by group",
    "worth",
    make = \(study, ledger, continued_by) study_worth(study, continued_by, together = FALSE),
    wanted = \(study) asks_forecast(study) && !is.null(payback_groups(study)),
    may_lack = TRUE,
    figure = 6.5
  ),
  study_part(
    "value_by",
    "what a customer won today is worth, by group",
    "worth",
    make = \(study, ledger, season = NULL) study_value_by(
      study, ledger, wanted_key(study, "forecast", "by")[[1L]], season
    ),
    wanted = \(study) asks_forecast(study) && !is.null(study$forecast$by),
    may_lack = TRUE,
    figure = \(x) max(4, 2.6 + 0.36 * min(14L, nrow(x))),
    options = "by"
  ),
  study_part(
    "value_groups",
    "the same for every attribute that the study names",
    "worth",
    make = \(study, ledger, value_by, season = NULL) {
      names <- stats::setNames(nm = study$forecast$by[-1L])
      more <- lapply(
        names,
        \(name) tryCatch(
          study_value_by(study, ledger, name, season), nubrek_error_unidentified = \(e) NULL
        )
      )
      c(stats::setNames(list(value_by), study$forecast$by[[1L]]), Filter(Negate(is.null), more))
    },
    wanted = \(study) asks_forecast(study) && !is.null(study$forecast$by),
    may_lack = TRUE,
    shown = FALSE,
    page = \(run) page_value_groups(run),
    remarks = character()
  )
)
