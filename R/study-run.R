# The parts of a study, in the order an analyst works. Each is a function of the study and its ledger.
study_parts <- list(
  audit = \(study, ledger) audit(ledger),
  identified = \(study, ledger) identified_share(ledger),
  suspects = \(study, ledger) do.call(identity_suspects, c(list(ledger), study$suspects)),
  `repeat` = \(study, ledger) repeat_rate(ledger),
  counts = \(study, ledger) order_counts(ledger),
  gaps = \(study, ledger) purchase_gaps(ledger),
  waits = \(study, ledger) do.call(next_purchase, c(list(ledger), study$waits[names(study$waits) != "by"])),
  waiters = \(study, ledger) do.call(waiting_customers, c(list(ledger), study$waits[names(study$waits) != "by"])),
  curve = \(study, ledger) waiting_curve(ledger, study$waits$nth %||% 2L, study$waits$by),
  new = \(study, ledger) do.call(new_returning, c(list(ledger), study$new)),
  sales = \(study, ledger) do.call(sales_by, c(list(ledger), study$sales %||% list(by = "cohort"))),
  cohorts = \(study, ledger) study_grid(study, ledger),
  cohorts_by = \(study, ledger) study_grid(study, ledger, wanted_key(study, "cohorts", "by")),
  usual = \(study, ledger) against_usual(study_grid(study, ledger), study$cohorts$usual %||% "retention"),
  payback = \(study, ledger) study_payback(study, ledger, together = TRUE),
  payback_by = \(study, ledger) study_payback(study, ledger, together = FALSE),
  ranks = \(study, ledger) do.call(rank_customers, c(list(ledger), study$ranks %||% list(top = 10))),
  rfm = \(study, ledger) study_rfm(study, ledger),
  rfm_groups = \(study, ledger) rfm_profile(study_rfm(study, ledger)),
  map = \(study, ledger) do.call(order_map, c(list(ledger), study$map)),
  map_regions = \(study, ledger) map_profile(study_parts$map(study, ledger)),
  tiers = \(study, ledger) do.call(assign_tiers, c(list(ledger), tier_arguments(study), list(during = study$tiers$during))),
  tier_sizes = \(study, ledger) tier_profile(study_parts$tiers(study, ledger)),
  payoff = \(study, ledger) tier_payoff(study_parts$tiers(study, ledger), study_benefits(study)),
  moves = \(study, ledger) study_moves(study, ledger),
  chance = \(study, ledger) move_noise(study_moves(study, ledger), ledger, draws = study$moves$draws %||% 200L),
  season = \(study, ledger) season_index(ledger),
  outlook = \(study, ledger, done = NULL) tier_outlook(done$tiers %||% study_parts$tiers(study, ledger), ledger, seed = study$forecast$seed %||% 1L, models = study_models(study, done)),
  forecast = \(study, ledger, done = NULL) do.call(forecast_value, c(list(ledger, money = study_economics(study), models = study_models(study, done)),
                                                        study$forecast[intersect(names(study$forecast), c("years", "level", "seed"))])),
  shares = \(study, ledger, done = NULL) value_shares(done$forecast %||% study_parts$forecast(study, ledger)),
  coming = \(study, ledger, done = NULL) do.call(forecast_sales, c(list(ledger, money = study_economics(study), models = study_models(study, done), clock = study$cohorts$clock),
                                                     study$forecast[intersect(names(study$forecast), c("periods", "acquisitions", "level", "seed"))])),
  continued = \(study, ledger, done = NULL) study_continued(study, ledger, done),
  continued_by = \(study, ledger, done = NULL) study_continued(study, ledger, done, payback_groups(study) %||% wanted_key(study, "payback", "spend")),
  worth = \(study, ledger, done = NULL) study_worth(study, ledger, done, together = TRUE),
  worth_by = \(study, ledger, done = NULL) study_worth(study, ledger, done, together = FALSE),
  value_by = \(study, ledger, done = NULL) study_value_by(study, ledger, wanted_key(study, "forecast", "by")[[1L]], done),
  backtest = \(study, ledger) backtest(ledger, cut = study$forecast$cut, models = study_models(study)),
  calibration = \(study, ledger, done = NULL) calibration(done$backtest %||% study_parts$backtest(study, ledger)),
  captured = \(study, ledger, done = NULL) captured_sales(done$backtest %||% study_parts$backtest(study, ledger)),
  rolling = \(study, ledger) rolling_backtest(ledger, models = study_models(study)),
  comparison = \(study, ledger) do.call(compare_models, c(list(ledger, cut = study$forecast$cut), study_models(study)[c("covariates", "penalty", "season")])),
  model = \(study, ledger, done = NULL) summary(study_fit(study, ledger, done, "purchases")),
  spend_model = \(study, ledger, done = NULL) summary(study_fit(study, ledger, done, "spend")),
  tracking = \(study, ledger, done = NULL) track_repeats(attr(done$backtest %||% study_parts$backtest(study, ledger), "fit"), ledger),
  expected_counts = \(study, ledger, done = NULL) expected_counts(study_fit(study, ledger, done, "purchases")),
  spread = \(study, ledger, done = NULL) customer_spread(study_fit(study, ledger, done, "purchases")),
  expected_spend = \(study, ledger, done = NULL) expected_spend(study_fit(study, ledger, done, "spend")),
  spend_frequency = \(study, ledger) spend_frequency(ledger),
  proof = \(study, ledger) prove_totals(ledger))

forecast_parts <- c("forecast", "shares", "coming", "continued", "continued_by", "worth", "worth_by", "value_by", "backtest", "season", "calibration", "captured", "rolling", "comparison", "model",
  "spend_model", "tracking", "expected_counts", "spread", "expected_spend",
    "spend_frequency")

# Parts that are shown and listed, and of which the report needs no copy.
shown_only <- c("waiters", "rfm_groups", "map_regions", "tier_sizes")

# Some parts are made only where the study asks for them.
wanted_parts <- function(study) {
  setdiff(names(study_parts), c(shown_only, if (!"forecast" %in% names(study)) forecast_parts, if (is.null(study$cohorts$by)) "cohorts_by", if (!"payback" %in% names(study)) "payback",
                                if (is.null(payback_groups(study))) c("payback_by", "continued_by", "worth_by"), if (is.null(study$forecast$by)) "value_by",
                                  if (is.null(study$moves)) c("moves", "chance"),
                                  if (is.null(study$tiers$benefits)) "payoff",
                                if (!"forecast" %in% names(study) || !identical(study$tiers$measure %||% "sales", "sales") || !is.null(study$tiers$limits)) "outlook"))
}

wanted_key <- function(study, section, key) {
  study[[section]][[key]] %||% abort_study(study$source, if (!is.null(study[[section]])) section, "This part needs {.field {key}} in the section {.field {section}}.", key = key, section = section)
}

# Parts that a short history or a small group cannot have.
perhaps_parts <- c("rolling", "season", "continued", "continued_by", "worth", "worth_by", "value_by")

# A part is made of the study and its ledger; some can use what is `done` already.
make_part <- function(part, study, ledger, done) {
  make <- study_parts[[part]]
  if ("done" %in% names(formals(make))) make(study, ledger, done) else make(study, ledger)
}

study_fit <- function(study, ledger, done, which) {
  fit_models(ledger, study_models(study, done), need_spend = which == "spend")[[which]]
}

# The season of the whole history and the fits, where they are `done` already, need not be made again.
study_models <- function(study, done = NULL) {
  said <- study$forecast
  if (is.null(said$season) || identical(said$season, "auto")) said$season <- done$season
  # names from the file become symbols without ever being parsed
  by <- lapply(said$covariates, \(names) rlang::new_formula(NULL, Reduce(\(a, b) call("+", a, b), lapply(names, as.name)), globalenv()))
  models <- do.call(forecast_models, c(said[intersect(names(said), c("purchases", "spend", "penalty", "season"))], if (length(by) > 0L) list(covariates = by)))
  models$fits <- done$fits
  models
}

study_margin <- function(study) {
  rates <- study$economics$margin_rates
  if (is.null(rates)) return(study$economics$margin_rate)
  margin_rates(rates$rates, rates$by, rates$otherwise)
}

study_economics <- function(study) do.call(economics, c(list(margin_rate = study_margin(study)), study$economics[intersect(names(study$economics), c("yearly_discount", "shares_by"))]))

study_grid <- function(study, ledger, by = NULL) {
  said <- study$cohorts[intersect(names(study$cohorts), c("clock", "ages", "older_within"))]
  do.call(cohort_grid, c(list(ledger, by = by, margin = study_margin(study)), said))
}

study_rfm <- function(study, ledger) do.call(score_rfm, c(list(ledger), rfm_arguments(study)))

# Bands that a group does not name may be any.
rfm_arguments <- function(study) {
  said <- study$rfm
  if (is.null(said$groups)) return(said)
  whole <- lapply(said$groups, \(group) as.data.frame(utils::modifyList(list(recency = "any", frequency = "any", monetary = "any"), group)))
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
  out <- said[intersect(names(said), c("measure", "shares", "thresholds", "match"))]
  if (!is.null(said$limits)) out$thresholds <- lapply(said$limits, \(x) if (length(x) > 0L) x)
  if (!is.null(said$benefits) && is.null(out$shares) && is.null(out$thresholds)) out$benefits <- study_benefits(study)
  out
}

study_moves <- function(study, ledger) {
  said <- study$moves[intersect(names(study$moves), c("same_days", "least_base"))]
  do.call(tier_moves, c(list(ledger, wanted_key(study, "moves", "periods")), tier_arguments(study), said))
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
  if (length(given) != 1L) abort_study(study$source, "payback", "Here belongs one of {.field cost}, {.field costs} and {.field spend}.")
  for (key in list(cost = character(), costs = c("by", "per_customer"), spend = c("files", "period", "amount"))[[given]]) if (is.null(part[[given]][[key]]))
    abort_study(study$source, c("payback", given), "The key {.field {key}} is missing here.", key = key)
  switch(given, cost = acquisition_cost(part$cost), costs = acquisition_cost(part$costs$per_customer, part$costs$by),
         spend = acquisition_spend(study_files(study, part$spend$files), part$spend$period, part$spend$amount, part$spend$by, isTRUE(part$spend$carry_over)))
}

study_continued <- function(study, ledger, done = NULL, by = NULL) {
  said <- c(study$cohorts[intersect(names(study$cohorts), c("clock", "older_within"))], study$forecast[intersect(names(study$forecast), c("periods", "level", "seed"))])
  do.call(forecast_grid, c(list(ledger, by = by, money = study_economics(study), models = study_models(study, done)), said))
}

# Economics of the continued cohorts; the cost by channel asks for a grid by channel.
study_worth <- function(study, ledger, done, together) {
  by <- payback_groups(study)
  if (!together && is.null(by)) wanted_key(study, "payback", "spend")
  grid <- done[[if (is.null(by)) "continued" else "continued_by"]] %||% study_continued(study, ledger, done, by)
  cohort_value(grid, if (!is.null(study$payback)) study_cost(study), study_economics(study)$yearly_discount, together = together && !is.null(by))
}

study_value_by <- function(study, ledger, by, done = NULL) {
  said <- study$forecast[intersect(names(study$forecast), c("years", "level", "seed"))]
  do.call(value_by, c(list(ledger, by, within = study$forecast$within %||% 12, money = study_economics(study), models = study_models(study, done)), said))
}

study_payback <- function(study, ledger, together) {
  cost <- study_cost(study)
  part <- study$payback
  by <- payback_groups(study)
  cohort_payback(study_grid(study, ledger, by), cost, together = together && !is.null(by), within = part$within, yearly_discount = part$yearly_discount %||% 0)
}

#' Run a study
#'
#' Opens the ledger, computes every part, and writes the report (unless `outputs: report: no`) and the lists. Files are written beside each other at the end, all or
#' none.
#'
#' @param study `[character(1) | nubrek_study]` A study file, or one read by [read_study()].
#' @param folder `[character(1)]` Where to write; default the study's `outputs: folder`, beside the study file. `NA` writes nothing.
#' @return A `nubrek_run`: a list with `ledger`, the results by name (`audit`, `identified`, `suspects`, `repeat`, `by`, `counts`, `gaps`, `waits`, `curve`, `new`, `sales`, `cohorts`, `usual`,
#'   `rfm`, `tiers`; where the study
#'   asks for them `cohorts_by`, `payback`, `payback_by`, `payoff`, `moves`, `chance`, `outlook`,
#'   `forecast`, `shares`, `coming`, `continued`, `continued_by`, `worth`, `worth_by`, `value_by` (with `value_groups`, one for each attribute), `backtest`, `season`, `calibration`, `captured`,
#'   `rolling`,
#'   `comparison`, `model`, `spend_model`, `tracking`, `expected_counts`, `spread`, `expected_spend`, `spend_frequency`,
#'   `proof`) and
#'   `files`, the paths written.
#' @examples
#' \donttest{
#' run_study(system.file("pellmere", "study.yaml", package = "nubrek"), folder = NA)
#' }
#' @export
run_study <- function(study, folder = NULL) {
  if (!inherits(study, "nubrek_study")) study <- read_study(study)
  writes <- is.null(folder) || !is.na(folder)
  folder <- if (writes) results_folder(study, folder)
  if (writes) check_results(study, folder)
  ledger <- open_study_ledger(study)
  run <- list(study = study, ledger = ledger)
  for (part in wanted_parts(study)) {
    signal_progress(paste("computing", part))
    run[[part]] <- if (part %in% perhaps_parts) tryCatch(make_part(part, study, ledger, run), nubrek_error_unidentified = \(e) NULL, nubrek_error_no_purchases = \(e) NULL)
      else make_part(part, study, ledger, run)
    if (part == "season") run$fits <- fit_models(ledger, study_models(study, run))     # once for all parts that follow
  }
  run$by <- lapply(stats::setNames(nm = study[["repeat"]]$by %||% character()), \(name) repeat_rate(ledger, by = name))
  if (!is.null(run$value_by)) run$value_groups <- c(stats::setNames(list(run$value_by), study$forecast$by[[1L]]), Filter(Negate(is.null),
    lapply(stats::setNames(nm = study$forecast$by[-1L]), \(name) tryCatch(study_value_by(study, ledger, name, run), nubrek_error_unidentified = \(e) NULL))))
  run$fits <- NULL                                                     # they hold every customer's history
  run <- structure(run, class = "nubrek_run")
  if (writes) run$files <- write_results(run, folder)
  run
}

study_lists <- function(run) {
  contact <- run$study$outputs$contact
  people <- customers(run$ledger)
  if (!is.null(contact)) check_columns_exist(contact, names(people), "the customer attributes")
  carry <- function(x) if (is.null(contact)) plain_table(x) else carry_contact(plain_table(x), run$ledger, contact)
  c(list("tiers.csv" = carry(run$tiers), "rfm.csv" = carry(run$rfm), "ranks.csv" = carry(run$ranks), "map.csv" = carry(run$map)),
    if (!is.null(run$moves)) list("moved.csv" = { movers <- moved_customers(run$moves); carry(movers[movers$from != "new", ]) }),
    if (!is.null(run$outlook)) list("outlook.csv" = carry(run$outlook)),
    if (!is.null(run$forecast)) list("value.csv" = carry(run$forecast)),
    if (!is.null(run$coming)) list("coming.csv" = plain_table(run$coming)),
    if (!is.null(run$worth)) list("worth.csv" = plain_table(run$worth_by %||% run$worth)),
    if (!is.null(run$payback)) list("payback.csv" = plain_table(run$payback_by %||% run$payback)),
    list("customers.csv" = plain_table(people), "cohorts.csv" = plain_table(run$cohorts), "set-aside.csv" = plain_table(set_aside(run$ledger)),
         "suspects.csv" = plain_table(run$suspects), "overdue.csv" = carry(overdue_tail(run))))
}

overdue_tail <- function(run) gap_tail(run$gaps, "overdue", 0.1, margin_rate = run$study$economics$margin_rate)

#' @export
print.nubrek_run <- function(x, ...) {
  rate <- x[["repeat"]]
  writeLines(gsub("\u202f|\u00a0", " ", c(cli::style_bold(seen_text(x$study$study %||% "Study")),
    paste0("Customers:      ", format_count(sum(rate$customers))),
    paste0("Repeat rate:    ", present_share(rate$rate, 1L), " (95 % interval ", present_share(rate$lower, 1L), " to ", present_share(rate$upper, 1L), ")"),
    expected_words(x),
    describe(x$proof)$finding)))
  invisible(x)
}

# What today's customers are expected to bring: discounted margin, or sales where no margin is known.
expected_words <- function(run) {
  label <- "Expected from today's customers: "
  if (is.null(run$forecast)) return(paste0(label, "the study asks for no forecast"))
  total <- attr(run$forecast, "total")
  money <- \(x) format_money(x, run$ledger$currency)
  years <- n_of(basis_of(run$forecast, "years"), "year")
  if (is.na(total$value)) return(paste0(label, money(sum(run$forecast$sales)), " of sales over ", years, "; no margin is known"))
  paste0(label, money(total$value), " (", money(total$lower), " to ", money(total$upper), ") of margin, discounted, over ", years)
}
