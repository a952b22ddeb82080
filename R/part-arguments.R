# From the words of a study to the arguments of the functions that make its parts.

# The season of the whole history and the fits, where they are made already, need not be made again.
study_models <- function(study, season = NULL, fits = NULL) {
  said <- study$forecast
  if (is.null(said$season) || identical(said$season, "auto")) said$season <- season
  # names from the file become symbols without ever being parsed
  by <- lapply(
    said$covariates,
    \(names) rlang::new_formula(
      NULL, Reduce(\(a, b) call("+", a, b), lapply(names, as.name)), globalenv()
    )
  )
  models <- do.call(forecast_models, c(
    said[intersect(names(said), c("purchases", "spend", "penalty", "season"))],
    if (length(by) > 0L) list(covariates = by)
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
  said <- study$rfm
  if (is.null(said$groups)) return(said)
  whole <- lapply(
    said$groups,
    \(group) as.data.frame(utils::modifyList(
      list(recency = "any", frequency = "any", monetary = "any"), group
    ))
  )
  said$groups <- data.frame(group = names(said$groups), do.call(rbind, whole), row.names = NULL)
  said
}

study_benefits <- function(study) {
  said <- study$tiers$benefits
  if (is.null(said$cost)) wanted_key(study, "tiers", "benefits")
  margin <- study$economics$margin_rate
  if (is.null(margin)) wanted_key(study, "economics", "margin_rate")
  tier_benefits(said$cost, margin, said$uplift %||% 0.1)
}

# The rule of the tiers; benefits make it only where neither shares nor limits do.
tier_arguments <- function(study) {
  said <- study$tiers
  out <- settings_of(study, "tiers", c("measure", "shares", "thresholds", "match"))
  if (!is.null(said$limits)) out$thresholds <- lapply(said$limits, \(x) if (length(x) > 0L) x)
  if (!is.null(said$benefits) && is.null(out$shares) && is.null(out$thresholds)) {
    out$benefits <- study_benefits(study)
  }
  out
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
  by <- if (!is.null(study$payback$spend)) names(study$payback$spend$by) else study$payback$costs$by
  if (length(by) == 0L || identical(by, "cohort")) NULL else by
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
  by <- payback_groups(study)
  cohort_payback(
    study_grid(study, ledger, by),
    cost,
    together = together && !is.null(by),
    within = part$within,
    yearly_discount = part$yearly_discount %||% 0
  )
}
