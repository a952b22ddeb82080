# The view of what customers are worth.

# Expected values need no draws; the models are fitted once for all horizons.
explore_value <- function() {
  explore_view(
    "shares",
    say("Value"),
    knobs = \(study, ledger) list(
      knob_number("years", say("years ahead"), study$forecast$years %||% 1, 0.25, 20, 0.25, 10),
      margin_knob(study)
    ),
    section = \(values, study) list(
      economics = with_margin(study, values$margin),
      forecast = utils::modifyList(study$forecast %||% list(), list(years = values$years))
    ),
    call = \(values, study) sprintf(
      "value_shares(forecast_value(ledger, years = %s, money = economics(%s%s)%s))",
      call_value(values$years), call_value(values$margin / 100),
      call_option("yearly_discount", study$economics$yearly_discount), call_models(study)
    ),
    show = \(x, values) plain_rows(x),
    pick = "group",
    drawn = drawn_value,
    result = \(study, ledger, kept) {
      fits <- kept(
        list("fits", study_key_of_models(study)), \() fit_models(ledger, study_models(study))
      )
      value_shares(forecast_value(
        ledger, study$forecast$years, study_economics(study), draws = NULL,
        models = study_models(study, fits = fits)
      ))
    }
  )
}

study_key_of_models <- function(study) {
  settings_of(study, "forecast", c("purchases", "spend", "covariates", "penalty", "season"))
}

# How the models of a study stand in a call.
call_models <- function(study) {
  told <- study_key_of_models(study)
  if (length(told) == 0L) return("")
  if (!is.null(told$covariates)) {
    formulas <- vapply(told$covariates, \(names) paste("~", paste0(
      "`", names, "`", collapse = " + "
    )), "")
    told$covariates <- as.call(c(quote(list), lapply(formulas, str2lang)))
  }
  call_option("models", as.call(c(quote(forecast_models), told)))
}

margin_knob <- function(study) {
  knob_number(
    "margin", say("margin, percent of sales"),
    round(100 * (study$economics$margin_rate %||% 0.45)), 1, 100
  )
}

with_margin <- function(study, percent) {
  utils::modifyList(
    study$economics %||% list(), list(margin_rate = percent / 100, margin_rates = NULL)
  )
}
