# From the words of a study to the arguments of the functions that make its parts.

# The season of the whole history and the fits, where they are made already, need not be made again.
study_models <- function(study, season = NULL, fits = NULL) {
  section <- as.list(study$forecast)
  if (is.null(section$season) || identical(section$season, "auto")) section$season <- season
  # names from the file become symbols without ever being parsed
  formulas <- lapply(
    section$covariates,
    \(names) rlang::new_formula(
      NULL, Reduce(\(a, b) call("+", a, b), lapply(names, as.name)), globalenv()
    )
  )
  models <- do.call(forecast_models, c(
    section[intersect(names(section), c("purchases", "spend", "penalty", "season"))],
    if (length(formulas) > 0L) list(covariates = formulas)
  ))
  models$fits <- fits
  models
}

# The fit of amounts; an error where they cannot be modelled.
spend_fit <- function(study, ledger, fits) {
  fit_models(ledger, study_models(study, fits = fits))$spend
}

study_margin <- function(study) {
  rates <- study$economics$margin_rates
  if (is.null(rates)) return(study$economics$margin_rate)
  margin_rates(rates$rates, rates$by, rates$otherwise)
}

study_economics <- function(study) {
  do.call(economics, c(list(margin_rate = study_margin(study)), settings_of(
    study, "economics", c("yearly_discount", "shares_by")
  )))
}

study_grid <- function(study, ledger, by = NULL) {
  do.call(cohort_grid, c(
    list(ledger, by = by, margin = study_margin(study)),
    settings_of(study, "cohorts", c("clock", "ages", "older_within"))
  ))
}

# Bands that a group does not name may be any.
rfm_arguments <- function(study) {
  section <- study$rfm
  if (is.null(section$groups)) return(section)
  whole <- lapply(
    section$groups,
    \(group) as.data.frame(utils::modifyList(
      list(recency = "any", frequency = "any", monetary = "any"), group
    ))
  )
  section$groups <- data.frame(
    group = names(section$groups), do.call(rbind, whole), row.names = NULL
  )
  section
}

# Ten from above, where the study says neither how many from above nor from below.
ranks_arguments <- function(study) {
  said <- as.list(study$ranks)
  if (any(c("top", "bottom") %in% names(said))) said else with_fields(said, list(top = 10))
}

study_benefits <- function(study) {
  told <- study$tiers$benefits
  if (is.null(told$cost)) wanted_key(study, "tiers", "benefits")
  margin <- study$economics$margin_rate
  if (is.null(margin)) wanted_key(study, "economics", "margin_rate")
  tier_benefits(told$cost, margin, told$uplift %||% 0.1)
}

# The rule of the tiers; benefits make it only where neither shares nor limits do.
tier_arguments <- function(study) {
  section <- study$tiers
  result <- settings_of(study, "tiers", c("measure", "shares", "thresholds", "match"))
  if (!is.null(section$limits)) {
    result$thresholds <- lapply(section$limits, \(x) if (length(x) > 0L) x)
  }
  if (!is.null(section$benefits) && is.null(result$shares) && is.null(result$thresholds)) {
    result$benefits <- study_benefits(study)
  }
  result
}

study_moves <- function(study, ledger) {
  do.call(tier_moves, c(
    list(ledger, wanted_key(study, "moves", "periods")),
    tier_arguments(study),
    settings_of(study, "moves", c("same_days", "least_base"))
  ))
}

# What the acquisition cost is given by, which the grid must be by as well.
payback_groups <- function(study) {
  payback <- study$payback
  cost_by <- if (!is.null(payback$spend)) names(payback$spend$by) else payback$costs$by
  if (length(cost_by) == 0L || identical(cost_by, "cohort")) NULL else cost_by
}

# What winning customers cost, as the section payback says.
study_cost <- function(study) {
  part <- study$payback
  if (is.null(part)) wanted_key(study, "payback", "cost")
  given <- intersect(c("cost", "costs", "spend"), names(part))
  if (length(given) != 1L) {
    abort_study(
      study$source,
      "payback",
      "Here belongs one of {.field cost}, {.field costs} and {.field spend}."
    )
  }
  for (key in list(
    cost = character(), costs = c("by", "per_customer"), spend = c("files", "period", "amount")
  )[[given]]) {
    if (is.null(part[[given]][[key]])) {
      abort_study(
        study$source, c("payback", given), "The key {.field {key}} is missing here.", key = key
      )
    }
  }
  switch(given,
    cost = acquisition_cost(part$cost),
    costs = acquisition_cost(part$costs$per_customer, part$costs$by),
    spend = acquisition_spend(
      study_files(study, part$spend$files),
      part$spend$period,
      part$spend$amount,
      part$spend$by,
      isTRUE(part$spend$carry_over)
    )
  )
}

study_continued <- function(study, ledger, season, fits, by = NULL) {
  do.call(forecast_grid, c(
    list(
      ledger, by = by, money = study_economics(study), models = study_models(study, season, fits)
    ),
    settings_of(study, "cohorts", c("clock", "older_within")),
    settings_of(study, "forecast", c("periods", "level", "seed"))
  ))
}

# Economics of the continued cohorts; the cost by channel asks for a grid by channel.
study_worth <- function(study, grid, together) {
  cohort_value(
    grid,
    if (!is.null(study$payback)) study_cost(study),
    study_economics(study)$yearly_discount,
    together = together && !is.null(payback_groups(study))
  )
}

study_value_by <- function(study, ledger, by, season) {
  do.call(value_by, c(
    list(
      ledger,
      by,
      within = study$forecast$within %||% 12,
      money = study_economics(study),
      models = study_models(study, season)
    ),
    settings_of(study, "forecast", c("years", "level", "seed"))
  ))
}

study_payback <- function(study, ledger, together) {
  cost <- study_cost(study)
  part <- study$payback
  grouped_by <- payback_groups(study)
  cohort_payback(
    study_grid(study, ledger, grouped_by),
    cost,
    together = together && !is.null(grouped_by),
    within = part$within,
    yearly_discount = part$yearly_discount %||% 0
  )
}
