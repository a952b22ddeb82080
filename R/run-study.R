#' Run a study
#'
#' Opens the ledger, computes every part, and writes the report (unless `outputs: report: no`) and
#' the lists. Files are written beside each other at the end, all or none.
#'
#' @param study `[character(1) | nubrek_study]` A study file, or one read by [read_study()].
#' @param folder `[character(1)]` Where to write; default the study's `outputs: folder`, beside the
#'   study file. `NA` writes nothing. What an earlier run made of the same study is taken from there
#'   (see [kept_runs()]).
#' @eval run_page_value()
#' @examples
#' \donttest{
#' run_study(system.file("pellmere", "study.yaml", package = "nubrek"), folder = NA)
#' }
#' @export
run_study <- function(study, folder = NULL) {
  if (!inherits(study, "nubrek_study")) study <- read_study(study)
  before <- study_forms(study)
  on.exit(options(before))
  writes <- is.null(folder) || !is.na(folder)
  folder <- if (writes) results_folder(study, folder)
  if (writes) check_results(study, folder)
  # where earlier runs are looked for
  if (writes) study$results <- folder
  kept <- kept_parts(study, more = writes)
  if (writes) on.exit(write_parts(kept), add = TRUE)
  ledger <- open_study_ledger(study)
  check_study_consent(study, ledger)
  results <- wanted_results(study, ledger, kept = kept)
  run <- structure(c(list(study = study, ledger = ledger), results), class = "nubrek_run")
  if (writes) run$files <- write_results(run, folder)
  run
}

# Numbers and days are written as the study says; gives what stood before, for `options()`.
study_forms <- function(study) {
  options(nubrek.decimal = study$outputs$decimal_mark, nubrek.day = study$outputs$day_form)
}

# What the help page says of the value, read off the records.
run_page_value <- function() {
  in_run <- Filter(\(part) part$in_run, part_records())
  always <- \(part) part$wanted(list())
  words <- \(parts) paste0("`", vapply(parts, `[[`, "", "name"), "`", collapse = ", ")
  paste0(
    say("@return A `nubrek_run`: a list with `study`, `ledger`, the results by name ("),
    words(Filter(always, in_run)),
    say("; where the study asks for them and the history is long enough "),
    words(Filter(\(part) !always(part) && !identical(part$wanted, asks_never), in_run)),
    say("), and `files`, the paths written. What each tells: `nubrek parts`.")
  )
}

#' @export
print.nubrek_run <- function(x, ...) {
  rate <- x[["repeat"]]
  writeLines(gsub("\u202f|\u00a0", " ", c(
    cli::style_bold(seen_text(x$study$study %||% "Study")),
    paste0(say("Customers:      "), format_count(sum(rate$customers))),
    whole_words(x),
    paste0(
      say("Repeat rate:    "),
      present_share(rate$rate, 1L),
      say(" (95 % interval "),
      present_share(rate$lower, 1L),
      " to ",
      present_share(rate$upper, 1L),
      ")"
    ),
    expected_words(x),
    describe(x$proof)$finding
  )))
  invisible(x)
}

# What today's customers are expected to bring: discounted margin, or sales where no margin is
# known.
expected_words <- function(run) {
  label <- say("Expected from today's customers: ")
  if (is.null(run$forecast)) return(paste0(label, say("the study asks for no forecast")))
  told <- expected_told(run, label)
  paste(c(told, trust_words(run$forecast)), collapse = ". ")
}

expected_told <- function(run, label) {
  total <- attr(run$forecast, "total")
  money <- \(x) format_money(x, run$ledger$currency)
  years <- n_of(basis_of(run$forecast, "years"), "year")
  if (is.na(total$value)) {
    return(paste0(
      label, money(sum(run$forecast$sales)), say(" of sales over "), years,
      say("; no margin is known")
    ))
  }
  paste0(
    label,
    money(total$value),
    " (",
    money(total$lower),
    " to ",
    money(total$upper),
    say(") of margin, discounted, over "),
    years
  )
}
