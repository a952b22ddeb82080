#' The command line, as a function
#'
#' `nubrek demo | new | check | run | show | draw | list`; `nubrek --help` lists what each does.
#'
#' @param args `[character]` The words after `nubrek`.
#' @return `[integer(1)]` The exit status, invisibly: 0, 1 when something in the study or the data is wrong, 2 for wrong usage.
#' @examples
#' command_main("--version")
#' @export
command_main <- function(args = commandArgs(TRUE)) {
  before <- options(width = if (isatty(stdout())) cli::console_width() else 100L, nubrek.command = TRUE)
  on.exit(options(before))
  invisible(tryCatch({
    job <- command_parse(args)
    say <- draw_progress(command_do(job), isTRUE(job$quiet))
    say()
    0L
  }, nubrek_error_usage = \(e) command_fail(e, 2L), nubrek_error = \(e) command_fail(e, 1L)))
}

command_fail <- function(error, status) {
  writeLines(c("nubrek cannot go on.", conditionMessage(error)), stderr())
  status
}

# Progress on a terminal: one line, written over; gone when the work is done.
draw_progress <- function(code, quiet) {
  if (quiet || !isatty(stderr())) return(withCallingHandlers(code, nubrek_progress = \(c) NULL))
  erase <- \() cat("\r", strrep(" ", 60L), "\r", sep = "", file = stderr())
  on.exit(erase())
  withCallingHandlers(code, nubrek_progress = \(c) { erase(); cat(progress_text(c$step, c$share), file = stderr()) })
}

# Each command does its work and gives back what is to be said about it, as a function.
command_do <- function(job) {
  switch(job$verb, help = command_help, "help-verb" = \() writeLines(job$text), version = \() writeLines(paste("nubrek", utils::packageVersion("nubrek"))),
         demo = command_demo(job), new = command_new(job), check = command_check(job), run = command_run(job), show = command_show(job), draw = command_draw(job), list = command_list(job))
}

command_help <- function() {
  writeLines(c("nubrek: repeat buying, cohorts, lifetime value and loyalty tiers from orders", "",
               paste0("  ", vapply(command_verbs, `[[`, "", "use"), "\n      ", vapply(command_verbs, `[[`, "", "says")), "",
               paste0("Parts to show: ", paste(names(study_parts), collapse = ", ")), paste0("Parts to draw: ", paste(figure_parts, collapse = ", ")),
               "Exit status: 0 fine, 1 something in the study or the data, 2 wrong usage."))
}

command_demo <- function(job) {
  if (file.exists(job$to)) abort_nubrek(c("{.file {job$to}} is already there.", "i" = "Name another folder with {.code --to}, or remove it."), "file", call = NULL)
  if (!dir.create(job$to, recursive = TRUE)) abort_nubrek("Cannot make the folder {.file {job$to}}.", "file", call = NULL)
  file.copy(list.files(system.file("pellmere", package = "nubrek", mustWork = TRUE), full.names = TRUE), job$to)
  \() writeLines(c(paste0("The demo world, Pellmere Yarn Company, is in ", job$to, "."), paste0("Next: nubrek run ", file.path(job$to, "study.yaml"))))
}

command_new <- function(job) {
  if (file.exists(job$to)) abort_nubrek(c("{.file {job$to}} is already there.", "i" = "Name another file with {.code --to}, or remove it."), "file", call = NULL)
  draft <- draft_study(job$files, dirname(job$to))
  write_whole(job$to, \(to) writeLines(enc2utf8(draft$text), to, useBytes = TRUE))
  \() {
    for (guess in draft$guesses) { print(guess, rows = 40L); writeLines("") }
    writeLines(c(paste0("Wrote ", job$to, ". Correct it, then: nubrek check ", job$to)))
  }
}

command_check <- function(job) {
  study <- read_study(job$study)
  ledger <- open_study_ledger(study)
  suspects <- study_parts$suspects(study, ledger)
  identified <- identified_share(ledger, "year")
  \() {
    print(identified)
    writeLines("")
    print(audit(ledger), rows = 60L)
    writeLines("")
    print(suspects)
  }
}

command_run <- function(job) {
  run <- run_study(job$study, job$folder)
  \() {
    print(run)
    lists <- paste0("Lists:  ", paste(basename(run$files[-1L]), collapse = ", "), " beside it")
    writeLines(c("", paste0("Report: ", run$files[[1L]]), strwrap(lists, terminal_width(), exdent = 8L)))
  }
}

study_part <- function(job) {
  study <- read_study(job$study)
  ledger <- open_study_ledger(study)
  if (!is.null(job$by)) study$forecast$by <- job$by
  result <- study_parts[[job$part]](study, ledger)
  if (job$verb == "list") attr(result, "ledger") <- ledger
  if (inherits(result, "nubrek_grid") && (!is.null(job$measure) || !is.null(job$view) || job$verb == "draw")) grid_measure(result, job$measure %||% "retention", job$view %||% "age") else result
}

command_show <- function(job) {
  result <- study_part(job)
  \() switch(job$format, table = print(result, rows = job$rows),
              csv = write_csv(result),
              json = writeLines(jsonlite::toJSON(plain_table(result), dataframe = "rows", Date = "ISO8601", na = "null", digits = NA)))
}

# To a pipe, byte for byte, with the same guard against formulas as in lists.
write_csv <- function(x) data.table::fwrite(as.data.table(lapply(plain_table(x), safe_cell)), "", na = "", eol = "\n")

words_given <- function(text) if (!is.null(text)) trimws(strsplit(text, ",", fixed = TRUE)[[1L]])

command_list <- function(job) {
  result <- study_part(job)
  if (inherits(result, "nubrek_moves")) { movers <- moved_customers(result); attr(movers, "ledger") <- attr(result, "ledger"); result <- movers }
  files <- write_list(result, job$to, words_given(job$columns), job$apart, attr(result, "ledger"), words_given(job$contact))
  \() writeLines(c(paste0(format_count_plain(nrow(result)), " rows in:"), files))
}

# A table of cohorts is as tall as it has rows.
figure_height <- function(x) {
  rows <- length(unique(x$cohort))
  if (inherits(x, "nubrek_waits")) max(4, 2.6 + 0.24 * rows) else if (inherits(x, c("nubrek_grid", "nubrek_measure")) && is.null(basis_of(x, "by"))) max(4, 2.9 + 0.24 * min(24L, rows))
    else if (inherits(x, "nubrek_value_by")) max(4, 2.6 + 0.36 * min(14L, nrow(x))) else 6.5
}

command_draw <- function(job) {
  result <- study_part(job)
  plot <- if (isTRUE(job$curves)) autoplot(result, shape = "curves") else autoplot(result)
  write_figure(plot, job$to, height = figure_height(result))
  \() writeLines(paste("Figure:", job$to))
}
