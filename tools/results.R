# Every answer in a folder, for the proof that a redesign changes none: the parts of the demo study
# with their tables in full precision, remarks, basis, print and figure; lists and report; the
# command's words; and every exported function on three random ledgers. Run before and after, then
# compare with `diff -r`. Usage: Rscript tools/results.R FOLDER
library(nubrek)
args <- commandArgs(TRUE)
if (length(args) != 1L || dir.exists(args[[1L]])) {
  stop("Usage: Rscript tools/results.R FOLDER, which is not there yet.")
}
to <- args[[1L]]
dir.create(to, recursive = TRUE)
to <- normalizePath(to)
options(width = 100L, cli.num_colors = 1L, nubrek.rows = 20L)
helper <- new.env(parent = asNamespace("nubrek"))
sys.source("tests/testthat/helper-simulate.R", helper)
seen <- character()

write_lines <- function(lines, name) {
  path <- file.path(to, name)
  dir.create(dirname(path), recursive = TRUE, showWarnings = FALSE)
  if (file.exists(path)) stop("Two answers are called ", name)
  writeLines(lines, path, useBytes = TRUE)
}

write_table <- function(x, name) {
  table <- as.data.frame(
    lapply(as.list(x), \(column) {
      if (is.double(column) && !inherits(column, "Date")) {
        sprintf("%.17g", column)
      } else {
        as.character(column)
      }
    }),
    optional = TRUE
  )
  lines <- if (nrow(table) == 0L) character() else do.call(paste, c(table, sep = "\t"))
  write_lines(c(paste(names(table), collapse = "\t"), lines), name)
}

basis_lines <- function(x) {
  basis <- Filter(Negate(is.null), attr(x, "basis"))
  if (length(basis) == 0L) return("empty")
  basis <- basis[order(names(basis))]
  unlist(Map(
    \(name, value) c(paste0(name, ":"), utils::capture.output(utils::str(value, digits.d = 15))),
    names(basis),
    basis
  ))
}

figure_lines <- function(x) {
  plot <- tryCatch(ggplot2::autoplot(x), error = identity)
  built <- tryCatch(ggplot2::ggplot_build(plot), error = identity)
  for (one in list(plot, built)) {
    if (inherits(one, "error")) return(paste("no figure:", conditionMessage(one)))
  }
  c(
    utils::capture.output(utils::str(plot$labels)),
    unlist(lapply(
      built$data,
      \(d) utils::capture.output(print(summary(d)), print(utils::head(d, 60L), digits = 12))
    ))
  )
}

has_figure <- function(x) {
  any(vapply(
    class(x), \(one) !is.null(utils::getS3method("autoplot", one, TRUE, asNamespace("ggplot2"))), NA
  ))
}

# One answer: its table, remarks, basis, print and figure.
keep <- function(x, name, figure = FALSE) {
  if (is.data.frame(x)) write_table(x, paste0(name, ".tsv"))
  remarks <- attr(x, "remarks")
  if (!is.null(remarks)) write_table(remarks, paste0(name, ".remarks.tsv"))
  if (!is.null(attr(x, "basis"))) write_lines(basis_lines(x), paste0(name, ".basis.txt"))
  write_lines(
    utils::capture.output(
      if (is.data.frame(x) || inherits(x, "nubrek_ledger")) print(x) else print(x, digits = 12)
    ),
    paste0(name, ".print.txt")
  )
  if (figure && has_figure(x)) write_lines(figure_lines(x), paste0(name, ".figure.txt"))
}

# 1. The demo study.
study <- file.path(tempdir(), "world", "study.yaml")
invisible(utils::capture.output(command_main(c("demo", "--folder", dirname(study)))))
run <- run_study(study)
for (name in setdiff(names(run), c("study", "files", "by", "value_groups"))) {
  keep(run[[name]], file.path("study", name), figure = TRUE)
}
for (group in c("by", "value_groups")) {
  for (name in names(run[[group]])) {
    keep(run[[group]][[name]], file.path("study", group, name), TRUE)
  }
}
write_lines(utils::capture.output(print(run)), "study/run.print.txt")
for (file in run$files) {
  dir.create(file.path(to, "files"), showWarnings = FALSE)
  invisible(file.copy(file, file.path(to, "files", basename(file))))
}
message("the study is written")

# 2. The command: every part as it is shown, those that no run makes among them.
say <- function(name, ...) {
  write_lines(utils::capture.output(command_main(c(...))), file.path("command", name))
}
say("help", "--help")
say("keys", "keys")
for (verb in c("show", "draw", "list", "run")) {
  say(paste0("help-", verb), verb, "--help")
}
text <- readLines(study, encoding = "UTF-8")
writeLines(sub("# keep: ledger ", "keep: ledger ", text, fixed = TRUE), study, useBytes = TRUE)
for (part in c(
  "waiters", "rfm_groups", "map_regions", "tier_sizes", "moves", "waits", "cohorts", "audit"
)) {
  say(file.path("show", part), "show", part, study)
  say(file.path("csv", part), "show", part, study, "--format", "csv")
}
say("show/where", "show", "tiers", study, "--where", "tier=merino; sales>=100", "--format", "json")
message("the command is written")

# 3. Every exported function on three random ledgers.
on_ledger <- expression(
  audit = audit(l),
  set_aside = set_aside(l),
  remarks = remarks(l),
  customers = customers(l),
  customer_periods = customer_periods(l, "quarter"),
  identified_share = identified_share(l, "month"),
  identity_suspects = identity_suspects(l, orders_a_day = 2),
  ledger_slice = ledger_slice(l, lines = list(channel = "Mill"), from = "2024-03-01"),
  slice_customers = customers(ledger_slice(l, lines = list(channel = "Mill"), first = "any")),
  prove_totals = prove_totals(l, "quarter"),
  repeat_rate = repeat_rate(l, by = "first_channel"),
  order_counts = order_counts(l, fold_from = 5),
  purchase_gaps = purchase_gaps(l),
  all_gaps = all_gaps(l),
  gap_tail = gap_tail(purchase_gaps(l), "overdue", 0.3),
  next_purchase = next_purchase(l, nth = 2),
  waiting_totals = waiting_totals(next_purchase(l)),
  waiting_customers = waiting_customers(l),
  waiting_curve = waiting_curve(l, 2, "first_channel"),
  new_returning = new_returning(l, "quarter", lookback = 60, unit = "days"),
  new_lines = new_returning(l, "quarter", lines = list(channel = "Mill"), scope = "any"),
  new_by = new_returning(l, "quarter", by = "channel"),
  sales_by = sales_by(l, "channel"),
  sales_against = sales_by(l, "first_channel", during = 2025, against = 2024, least_base = 1),
  cohort_grid = cohort_grid(l, "quarter"),
  cohort_elapsed = cohort_grid(l, "quarter", ages = "elapsed", by = "first_channel", margin = 0.4),
  grid_measure = grid_measure(cohort_grid(l, "quarter"), "retention"),
  bottom_lines = bottom_lines(grid_measure(cohort_grid(l, "quarter"), "sales")),
  diagonal_totals = diagonal_totals(cohort_grid(l, "quarter")),
  against_usual = against_usual(cohort_grid(l, "month")),
  as_cohort_grid = as_cohort_grid(
    as.data.frame(cohort_grid(l, "quarter"))[c(
      "cohort", "period", "size", "customers", "orders", "sales"
    )],
    sales = "sales",
    size = "size",
    meaning = meanings(clock = "quarter")
  ),
  cohort_payback = cohort_payback(cohort_grid(l, "quarter", margin = 0.4), acquisition_cost(20)),
  payback_by = cohort_payback(
    cohort_grid(l, "quarter", by = "first_channel", margin = 0.4),
    acquisition_cost(c(Mill = 9, Quay = 20, `(missing)` = 3), "first_channel"),
    within = 2
  ),
  payback_course = payback_course(cohort_payback(
    cohort_grid(l, "quarter", margin = 0.4), acquisition_cost(20)
  )),
  payback_pool = payback_pool(cohort_payback(
    cohort_grid(l, "quarter", margin = 0.4), acquisition_cost(20)
  )),
  payback_summary = payback_summary(cohort_payback(
    cohort_grid(l, "quarter", margin = 0.4), acquisition_cost(20)
  )),
  unused_spend = unused_spend(
    cohort_payback(cohort_grid(l, "quarter", margin = 0.4), acquisition_spend(
      data.frame(m = c("2024-01", "2024-02", "2025-04"), s = c(100, 20, 7)), "m", "s"
    ))
  ),
  rank_customers = rank_customers(l, top = 5, within = "first_channel"),
  rank_low = rank_customers(
    l, "recency", bottom = 20, unit = "percent", ties = "dense", during = 2024
  ),
  score_rfm = score_rfm(l, bands = 3),
  rfm_profile = rfm_profile(score_rfm(l)),
  rfm_cuts = score_rfm(
    l, cuts = list(recency = c(30, 90), frequency = c(2, 5), monetary = c(50, 200))
  ),
  rfm_groups = rfm_groups(),
  order_map = order_map(l, top = 3),
  map_profile = map_profile(order_map(l)),
  assign_tiers = assign_tiers(l),
  tiers_limits = assign_tiers(
    l, thresholds = list(best = c(sales = 300, purchases = 4), rest = NULL)
  ),
  tier_profile = tier_profile(assign_tiers(l)),
  tier_payoff = tier_payoff(
    assign_tiers(l, shares = c(top = 10, base = 90)), tier_benefits(c(top = 20, base = 0), 0.4)
  ),
  tier_moves = tier_moves(l, c(2024, 2025)),
  moved_customers = moved_customers(tier_moves(l, c(2024, 2025))),
  move_noise = move_noise(tier_moves(l, c(2024, 2025)), l, draws = 20),
  tier_outlook = tier_outlook(assign_tiers(l), l, seed = 3),
  purchase_history = purchase_history(l),
  season_index = season_index(l),
  shares_by_day = shares_by_day(waiting_curve(l, 2)),
  forecast_value = forecast_value(l, seed = 4),
  forecast_money = forecast_value(l, money = economics(0.4), seed = 4),
  value_shares = value_shares(forecast_value(l, seed = 4)),
  forecast_sales = forecast_sales(l, periods = 3, seed = 4),
  forecast_grid = forecast_grid(l, periods = 3, money = economics(0.4), seed = 4),
  cohort_value = cohort_value(
    forecast_grid(l, periods = 3, money = economics(0.4), seed = 4), acquisition_cost(10)
  ),
  worth_course = worth_course(cohort_value(
    forecast_grid(l, periods = 3, money = economics(0.4), seed = 4), acquisition_cost(10)
  )),
  worth_summary = worth_summary(cohort_value(
    forecast_grid(l, periods = 3, money = economics(0.4), seed = 4), acquisition_cost(10)
  )),
  value_by = value_by(l, "first_channel", money = economics(0.4), seed = 4),
  offer_trade = offer_trade(value_by(
    l, "first_channel", money = economics(0.4), seed = 4, least = 1
  )),
  backtest = backtest(l, cut = "2024-12-31"),
  calibration = calibration(backtest(l, cut = "2024-12-31")),
  captured_sales = captured_sales(backtest(l, cut = "2024-12-31")),
  rolling_backtest = rolling_backtest(l, cuts = c("2024-09-01", "2024-12-01"), weeks = 20),
  compare_models = compare_models(l, cut = "2024-12-31"),
  fit_purchases = fit_purchases(purchase_history(l)),
  fit_summary = summary(fit_purchases(purchase_history(l))),
  vcov = stats::vcov(fit_purchases(purchase_history(l))),
  confint = stats::confint(fit_purchases(purchase_history(l))),
  update = update(fit_purchases(purchase_history(l)), model = "bg-nbd"),
  fit_covariates = summary(fit_purchases(l, covariates = list(rate = ~first_channel))),
  anova = stats::anova(
    fit_purchases(purchase_history(l)), fit_purchases(l, covariates = list(rate = ~first_channel))
  ),
  residuals = stats::residuals(fit_purchases(purchase_history(l))),
  tidy = generics::tidy(fit_purchases(purchase_history(l))),
  glance = generics::glance(fit_purchases(purchase_history(l))),
  bootstrap_fit = bootstrap_fit(fit_purchases(purchase_history(l)), draws = 5, seed = 2),
  fit_spend = fit_spend(purchase_history(l)),
  spend_summary = summary(fit_spend(purchase_history(l), "log-normal")),
  track_repeats = track_repeats(fit_purchases(purchase_history(l)), l),
  expected_counts = expected_counts(fit_purchases(purchase_history(l))),
  customer_spread = customer_spread(fit_purchases(purchase_history(l))),
  expected_spend = expected_spend(fit_spend(purchase_history(l))),
  spend_frequency = spend_frequency(l),
  rows_behind = rows_behind(repeat_rate(l, by = "first_channel"), l),
  rows_grid = rows_behind(cohort_grid(l, "quarter"), l, cohort = "2024-07-01", age = 1),
  rows_new = rows_behind(new_returning(l, "quarter"), l, period = "2024-07-01"),
  rows_sales = rows_behind(sales_by(l, "channel"), l, channel = "Mill"),
  append_orders = customers(append_orders(
    l, transform(helper$random_orders(9), receipt = paste0("N", receipt))
  ))
)
without_ledger <- expression(
  band = band("birth_year", c(1970, 1990)),
  order_rule = order_rule("state", "cancelled"),
  column_map = column_map(customer = "c", order = "o", date = "d", sales = "s"),
  meanings = meanings(),
  margin_rates = margin_rates(c(Yarn = 0.4), "category"),
  currency_rates = currency_rates(data.frame(date = "2024-01-01", currency = "USD", rate = 0.9)),
  file_format = file_format(),
  join_table = join_table(data.frame(k = 1, v = 2), "k"),
  attribute_table = attribute_table(data.frame(k = "P01", town = "Pell"), "k", "town"),
  economics = economics(0.4),
  continuous_rate = continuous_rate(0.1),
  forecast_models = forecast_models(),
  simulate = simulate(
    purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.6, beta = 11.7)),
    1,
    seed = 5,
    data.frame(span = c(20, 30, 40))
  ),
  acquisition_cost = acquisition_cost(c(Mill = 9), "first_channel"),
  tier_benefits = tier_benefits(c(top = 20, base = 0), 0.4),
  purchase_model = purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.6, beta = 11.7)),
  predict = predict(
    purchase_model("bg-nbd", c(r = 0.24, alpha = 4.4, a = 0.8, b = 2.4)),
    data.frame(repeats = 0:3, last = c(0, 10, 20, 30), span = 39),
    type = "active"
  ),
  log_density = log_density(
    purchase_model("mbg-nbd", c(r = 0.24, alpha = 4.4, a = 0.8, b = 2.4)),
    data.frame(repeats = 0:3, last = c(0, 10, 20, 30), span = 39)
  ),
  spend_model = spend_model("gamma-gamma", c(p = 6.25, q = 3.74, gamma = 15.44)),
  study_keys = study_keys(),
  guess_columns = guess_columns(file.path(dirname(study), "order-lines.csv.gz")),
  example_ledger = example_ledger()
)

answer <- function(code, l) {
  tryCatch(
    withCallingHandlers(eval(code), warning = \(w) invokeRestart("muffleWarning")),
    error = \(e) {
      structure(
        paste(class(e)[[1L]], gsub("\n", " | ", cli::ansi_strip(conditionMessage(e)))),
        class = "kept_error"
      )
    }
  )
}
keep_answer <- function(x, name) {
  if (inherits(x, "kept_error")) return(write_lines(unclass(x), paste0(name, ".error.txt")))
  keep(x, name, figure = TRUE)
}
errors <- 0L
for (seed in c(3L, 11L, 27L)) {
  l <- helper$random_ledger(
    seed,
    helper$random_orders(seed, 900L),
    returns = c("net", "with original order", "ignore")[[seed %% 3L + 1L]],
    purchase_unit = if (seed == 11L) "day" else "order",
    history_start = if (seed == 27L) "2024-05-05"
  )
  for (name in names(on_ledger)) {
    got <- answer(on_ledger[[name]], l)
    errors <- errors + inherits(got, "kept_error")
    keep_answer(got, file.path(paste0("ledger-", seed), name))
  }
}
for (name in names(without_ledger)) {
  got <- answer(without_ledger[[name]], NULL)
  errors <- errors + inherits(got, "kept_error")
  keep_answer(got, file.path("without", name))
}
called <- unique(unlist(lapply(c(on_ledger, without_ledger), all.names)))
elsewhere <- c(
  "command_main", "run_study", "read_study", "study_ledger", "render_report", "save_ledger",
  "open_ledger", "write_figure", "write_list"
)
missed <- setdiff(getNamespaceExports("nubrek"), c(called, elsewhere))
if (length(missed) > 0L) message("Not called here: ", paste(missed, collapse = ", "))
message(length(list.files(to, recursive = TRUE)), " files, ", errors, " of them errors, in ", to)
