# The parts of a study, in the order an analyst works. Each is a function of the study and its ledger.
study_parts <- list(
  audit = \(study, ledger) audit(ledger),
  identified = \(study, ledger) identified_share(ledger),
  suspects = \(study, ledger) do.call(identity_suspects, c(list(ledger), study$suspects)),
  `repeat` = \(study, ledger) repeat_rate(ledger),
  counts = \(study, ledger) order_counts(ledger),
  gaps = \(study, ledger) purchase_gaps(ledger),
  waits = \(study, ledger) do.call(next_purchase, c(list(ledger), study$waits[names(study$waits) != "by"])),
  curve = \(study, ledger) waiting_curve(ledger, study$waits$nth %||% 2L, study$waits$by),
  new = \(study, ledger) do.call(new_returning, c(list(ledger), study$new)),
  sales = \(study, ledger) do.call(sales_by, c(list(ledger), study$sales %||% list(by = "cohort"))),
  cohorts = \(study, ledger) do.call(cohort_grid, c(list(ledger), study$cohorts)),
  rfm = \(study, ledger) do.call(score_rfm, c(list(ledger), study$rfm)),
  tiers = \(study, ledger) do.call(assign_tiers, c(list(ledger), study$tiers)),
  forecast = \(study, ledger) do.call(forecast_value, c(list(ledger, money = do.call(economics, study$economics %||% list())), study$forecast[names(study$forecast) != "cut"])),
  backtest = \(study, ledger) backtest(ledger, cut = study$forecast$cut),
  proof = \(study, ledger) prove_totals(ledger))

# A forecast is made only where the study asks for one.
wanted_parts <- function(study) setdiff(names(study_parts), if (!"forecast" %in% names(study)) c("forecast", "backtest"))

#' Run a study
#'
#' Opens the ledger, computes every part, and writes the report and the lists. Files are written beside each other at the end, all or
#' none.
#'
#' @param study `[character(1) | nubrek_study]` A study file, or one read by [read_study()].
#' @param folder `[character(1)]` Where to write; default the study's `outputs: folder`, beside the study file. `NA` writes nothing.
#' @return A `nubrek_run`: a list with `ledger`, the results by name (`audit`, `identified`, `suspects`, `repeat`, `by`, `counts`, `gaps`, `waits`, `curve`, `new`, `sales`, `cohorts`, `rfm`, `tiers`,
#'   `forecast`, `backtest`, `proof`) and `files`, the paths written.
#' @examples
#' \donttest{
#' run_study(system.file("pellmere", "study.yaml", package = "nubrek"), folder = NA)
#' }
#' @export
run_study <- function(study, folder = NULL) {
  if (!inherits(study, "nubrek_study")) study <- read_study(study)
  ledger <- open_study_ledger(study)
  run <- list(study = study, ledger = ledger)
  for (part in wanted_parts(study)) {
    signal_progress(paste("computing", part))
    run[[part]] <- study_parts[[part]](study, ledger)
  }
  run$by <- lapply(stats::setNames(nm = study[["repeat"]]$by %||% character()), \(name) repeat_rate(ledger, by = name))
  run <- structure(run, class = "nubrek_run")
  folder <- folder %||% file.path(dirname(study$path), study$outputs$folder %||% "nubrek-results")
  if (!is.na(folder)) run$files <- write_results(run, folder)
  run
}

# Everything goes to a draft folder first; only when all is there do the files take their places.
write_results <- function(run, folder) {
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE)) abort_nubrek("Cannot make the folder {.file {folder}}.", "file")
  draft <- tempfile(".nubrek-", folder)
  if (!dir.create(draft)) abort_nubrek("Cannot write to the folder {.file {folder}}.", "file")
  on.exit(unlink(draft, recursive = TRUE))
  signal_progress("writing lists")
  lists <- study_lists(run)
  for (name in names(lists)) write_list(lists[[name]], file.path(draft, name))
  signal_progress("writing the report")
  render_report(run, file.path(draft, "report.html"))
  files <- c("report.html", names(lists))
  unlink(file.path(folder, setdiff("value.csv", files)))       # of an earlier run that had a forecast
  file.rename(file.path(draft, files), file.path(folder, files))
  file.path(folder, files)
}

study_lists <- function(run) {
  contact <- run$study$outputs$contact
  people <- customers(run$ledger)
  if (!is.null(contact)) check_columns_exist(contact, names(people), "the customer attributes")
  carry <- function(x) {
    if (is.null(contact)) return(plain_table(x))
    at <- match(x$customer, people$customer)
    cbind(plain_table(x)["customer"], plain_table(people)[at, contact, drop = FALSE], plain_table(x)[setdiff(names(x), c("customer", contact))])
  }
  c(list("tiers.csv" = carry(run$tiers), "rfm.csv" = carry(run$rfm)),
    if (!is.null(run$forecast)) list("value.csv" = carry(run$forecast)),
    list("customers.csv" = plain_table(people), "cohorts.csv" = plain_table(run$cohorts), "set-aside.csv" = plain_table(set_aside(run$ledger)),
         "suspects.csv" = plain_table(run$suspects), "overdue.csv" = carry(overdue_tail(run))))
}

overdue_tail <- function(run) gap_tail(run$gaps, "overdue", margin_rate = run$study$economics$margin_rate)

#' @export
print.nubrek_run <- function(x, ...) {
  rate <- x[["repeat"]]
  writeLines(gsub("\u202f|\u00a0", " ", c(cli::style_bold(x$study$study %||% "Study"),
    paste0("Customers:      ", format_count(sum(rate$customers))),
    paste0("Repeat rate:    ", present_share(rate$rate, 1L), " (95 % interval ", present_share(rate$lower, 1L), " to ", present_share(rate$upper, 1L), ")"),
    value_at_stake(x),
    describe(x$proof)$finding)))
  invisible(x)
}

# Value at stake: discounted margin expected from today's customers; sales where no margin is known.
value_at_stake <- function(run) {
  if (is.null(run$forecast)) return("Value at stake: the study asks for no forecast")
  total <- attr(run$forecast, "total")
  money <- \(x) format_money(x, run$ledger$currency)
  years <- n_of(basis_of(run$forecast, "years"), "year")
  if (is.na(total$value)) paste0("Sales at stake: ", money(sum(run$forecast$sales)), " expected over ", years, "; no margin is known")
  else paste0("Value at stake: ", money(total$value), " (", money(total$lower), " to ", money(total$upper), ") expected margin, discounted, over ", years)
}
