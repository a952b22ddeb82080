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
  before <- options(width = if (isatty(stdout())) cli::console_width() else 100L, nubrek.command = TRUE, nubrek.rows = 20L)
  on.exit(options(before))
  invisible(tryCatch({
    job <- command_parse(args)
    say <- draw_progress(command_do(job), isTRUE(job$quiet))
    say()
    0L
  }, nubrek_error_usage = \(e) command_fail(e, 2L), nubrek_error = \(e) command_fail(e, 1L)))
}

command_fail <- function(error, status) {
  said <- strsplit(cli::ansi_strip(conditionMessage(error)), "\n", fixed = TRUE)[[1L]]
  writeLines(c("nubrek cannot go on.", seen_text(said)), stderr())
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
         demo = command_demo(job), new = command_new(job), check = command_check(job), run = command_run(job), show = command_show(job), draw = command_draw(job), list = command_list(job),
         keys = \() print(study_keys(job$section)))
}

command_help <- function() {
  writeLines(c("nubrek: repeat buying, cohorts, lifetime value and loyalty tiers from orders", "",
               paste0("  ", vapply(command_verbs, `[[`, "", "use"), "\n      ", vapply(command_verbs, `[[`, "", "says")), "",
               paste0("Parts to show: ", paste(names(study_parts), collapse = ", ")), paste0("Parts to draw: ", paste(figure_parts, collapse = ", ")),
               "Exit status: 0 fine, 1 something in the study or the data, 2 wrong usage."))
}

# The folder is there whole or not at all.
command_demo <- function(job) {
  to <- job$folder
  if (file.exists(to)) abort_nubrek(c("{.file {to}} is already there.", "i" = "Name another folder with {.code --folder}, or remove it."), "file", call = NULL)
  if (!dir.exists(dirname(to)) && !dir.create(dirname(to), recursive = TRUE)) abort_nubrek("Cannot make the folder {.file {dirname(to)}}.", "file", call = NULL)
  draft <- tempfile(".nubrek-", dirname(to))
  on.exit(unlink(draft, recursive = TRUE))
  if (!dir.create(draft)) abort_nubrek("Cannot make the folder {.file {to}}.", "file", call = NULL)
  world <- list.files(system.file("pellmere", package = "nubrek", mustWork = TRUE), full.names = TRUE)
  if (!all(file.copy(world, draft)) || !file.rename(draft, to)) abort_nubrek("Cannot write to {.file {to}}.", "file", call = NULL)
  \() writeLines(c(paste0("The demo world, Pellmere Yarn Company, is in ", to, "."), paste0("Next: nubrek run ", file.path(to, "study.yaml"))))
}

command_new <- function(job) {
  to <- job$file
  if (file.exists(to)) abort_nubrek(c("{.file {to}} is already there.", "i" = "Name another file with {.code --file}, or remove it."), "file", call = NULL)
  draft <- draft_study(job$files, dirname(to))
  write_text(draft$text, to)
  \() {
    for (guess in draft$guesses) { print(guess, rows = 40L); writeLines("") }
    writeLines(c(paste0("Wrote ", to, ". Correct it, then: nubrek check ", to)))
  }
}

command_check <- function(job) {
  study <- read_study(job$study)
  ledger <- open_study_ledger(study)
  suspects <- study_parts$suspects(study, ledger)
  identified <- identified_share(ledger, "year")
  check_study_parts(study, ledger)
  \() {
    print(identified)
    writeLines("")
    print(audit(ledger), rows = 60L)
    writeLines("")
    print(suspects)
    writeLines(c("", "All that the study asks for is there. Next: nubrek run"))
  }
}

command_run <- function(job) {
  run <- run_study(job$study, job$folder)
  \() {
    print(run)
    report <- basename(run$files) == "report.html"
    lists <- paste0("Lists:  ", paste(basename(run$files[!report]), collapse = ", "), if (any(report)) " beside it" else paste(" in", dirname(run$files[[1L]])))
    writeLines(c("", if (any(report)) paste0("Report: ", run$files[report]), strwrap(lists, terminal_width(), exdent = 8L)))
  }
}

study_part <- function(job) {
  study <- read_study(job$study)
  ledger <- open_study_ledger(study)
  if (!is.null(job$by)) study$forecast$by <- job$by
  result <- study_parts[[job$part]](study, ledger)
  if (inherits(result, "nubrek_grid") && (!is.null(job$measure) || !is.null(job$view) || job$verb == "draw")) {
    result <- grid_measure(result, job$measure %||% "retention", job$view %||% "age")
  }
  if (job$verb == "list" && inherits(result, "nubrek_moves")) result <- moved_customers(result, words_given(job$from), words_given(job$to))
  if (job$verb == "list" && inherits(result, "nubrek_waits")) result <- study_parts$waiters(study, ledger)
  if (!is.null(job$where)) result <- filter_where(result, job$where)
  list(result = result, ledger = ledger)
}

command_show <- function(job) {
  result <- study_part(job)$result
  more <- c(if (!is.null(job$rows)) list(rows = job$rows), if (inherits(result, "nubrek_waits") && !is.null(job$measure)) list(measure = job$measure))
  \() switch(job$format, table = do.call(print, c(list(result), more)),
              csv = write_csv(result),
              json = writeLines(jsonlite::toJSON(plain_table(result), dataframe = "rows", Date = "ISO8601", na = "null", digits = NA)))
}

# To a pipe, byte for byte, with the same guard against formulas as in lists. Through a file, because the library takes text for a
# format where it writes to the terminal itself.
write_csv <- function(x) {
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  data.table::fwrite(as.data.table(lapply(plain_table(x), safe_cell)), path, na = "", eol = "\n")
  cat(readChar(path, file.size(path), useBytes = TRUE))
}

words_given <- function(text) if (!is.null(text)) trimws(strsplit(text, ",", fixed = TRUE)[[1L]])

command_list <- function(job) {
  part <- study_part(job)
  files <- write_list(part$result, job$file, words_given(job$columns), job$apart, part$ledger, words_given(job$contact))
  n <- nrow(part$result)
  \() writeLines(c(paste0(format_count_plain(n), if (n == 1L) " row in:" else " rows in:"), files))
}

# A table of cohorts is as tall as it has rows.
figure_height <- function(x) {
  rows <- length(unique(x$cohort))
  if (inherits(x, "nubrek_waits")) max(4, 2.6 + 0.24 * rows) else if (inherits(x, c("nubrek_grid", "nubrek_measure")) && is.null(basis_of(x, "by"))) max(4, 2.9 + 0.24 * min(24L, rows))
    else if (inherits(x, "nubrek_value_by")) max(4, 2.6 + 0.36 * min(14L, nrow(x))) else 6.5
}

command_draw <- function(job) {
  result <- study_part(job)$result
  more <- c(if (isTRUE(job$curves)) list(shape = "curves"), if (inherits(result, "nubrek_waits") && !is.null(job$measure)) list(measure = job$measure))
  plot <- do.call(ggplot2::autoplot, c(list(result), more))
  write_figure(plot, job$file, height = figure_height(result))
  \() writeLines(paste("Figure:", job$file))
}
