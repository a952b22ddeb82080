#' The command line, as a function
#'
#' `nubrek demo | new | check | run | changes | workbook | explore | show | draw | list | count |
#' forget | hold | parts | keys | completion`; `nubrek --help` lists what each does.
#'
#' @param args `[character]` The words after `nubrek`.
#' @return `[integer(1)]` The exit status, invisibly: 0, 1 when something in the study or the data
#'   is wrong, 2 for wrong usage, 3 when a watch of the study fires (`nubrek run`).
#' @examples
#' command_main("--version")
#' @export
command_main <- function(args = commandArgs(TRUE)) {
  before <- options(
    width = if (isatty(stdout())) cli::console_width() else 100L,
    nubrek.command = command_flags(args),
    nubrek.rows = 20L,
    nubrek.decimal = getOption("nubrek.decimal"),
    nubrek.day = getOption("nubrek.day")
  )
  on.exit(options(before))
  invisible(tryCatch(
    {
      if (!all(validUTF8(args))) abort_nubrek("An argument is no text in UTF-8.", "usage")
      job <- command_parse(args)
      say <- draw_progress(command_do(job), isTRUE(job$quiet))
      if (identical(say(), 3L)) 3L else 0L
    },
    nubrek_error_usage = \(e) command_fail(e, 2L),
    nubrek_error = \(e) command_fail(e, 1L),
    error = \(e) if (is_closed_pipe(e)) 0L else stop(e)
  ))
}

# The options that the verb takes, for what a print suggests.
command_flags <- function(args) {
  options <- if (length(args) > 0L) verb_options[[args[[1L]]]]
  vapply((options %||% list)(), \(option) option@long_flag, "")
}

# Whoever reads what we write may have seen enough: `nubrek keys | head`.
is_closed_pipe <- function(error) grepl("SIGPIPE|[Bb]roken pipe", conditionMessage(error))

command_fail <- function(error, status) {
  lines <- strsplit(cli::ansi_strip(conditionMessage(error)), "\n", fixed = TRUE)[[1L]]
  writeLines(c(say("nubrek cannot go on."), seen_text(lines)), stderr())
  status
}

# Progress on a terminal: one line, written over; gone when the work is done.
draw_progress <- function(code, quiet) {
  if (quiet || !isatty(stderr())) return(withCallingHandlers(code, nubrek_progress = \(c) NULL))
  erase <- \() cat("\r", strrep(" ", 60L), "\r", sep = "", file = stderr())
  on.exit(erase())
  withCallingHandlers(code, nubrek_progress = \(c) {
    erase()
    cat(progress_text(c$step, c$share), file = stderr())
  })
}

# Each command does its work and gives back what is to be said about it, as a function.
command_do <- function(job) {
  switch(job$verb,
    help = command_help,
    "help-verb" = \() writeLines(job$text),
    version = \() writeLines(paste("nubrek", utils::packageVersion("nubrek"))),
    demo = command_demo(job),
    new = command_new(job),
    check = command_check(job),
    run = command_run(job),
    changes = command_changes(job),
    workbook = command_workbook(job),
    explore = command_explore(job),
    show = command_show(job),
    draw = command_draw(job),
    list = command_list(job),
    count = command_count(job),
    forget = command_forget(job),
    hold = command_hold(job),
    totals = command_totals(job),
    keys = \() print(study_keys(job$section)),
    parts = \() writeLines(parts_lines(job$group)),
    completion = \() writeLines(completion_script(job$shell))
  )
}

command_help <- function() {
  writeLines(c(
    say("nubrek: repeat buying, cohorts, lifetime value and loyalty tiers from orders"),
    "",
    paste0(
      "  ",
      vapply(command_verbs, `[[`, "", "use"),
      "\n      ",
      vapply(command_verbs, `[[`, "", "says")
    ),
    "",
    paste0(
      say("Parts are about "),
      paste(vapply(report_sections, \(section) tolower(section$link), ""), collapse = ", "),
      say(": nubrek parts lists them.")
    ),
    "",
    say("Exit status: 0 fine, 1 something in the study or the data, 2 wrong usage.")
  ))
}

# The parts in groups, a line each; * has a figure.
parts_lines <- function(group = NULL) {
  parts <- Filter(\(part) part$shown, part_records())
  wide <- max(nchar(names(parts)))
  lines <- lapply(group %||% names(report_sections), \(id) {
    mine <- Filter(\(part) part$section == id, parts)
    drawn <- vapply(mine, \(part) !is.null(part$figure), NA)
    about <- vapply(mine, `[[`, "", "about")
    c(
      paste0(report_sections[[id]]$link, " (", id, ")"),
      paste0("  ", formatC(names(mine), width = -wide), ifelse(drawn, " * ", "   "), about),
      ""
    )
  })
  c(unlist(lines), say("* has a figure: nubrek draw. All: nubrek show PART STUDY."))
}

# The folder is there whole or not at all.
command_demo <- function(job) {
  to <- job$folder
  if (job$later) return(bring_later(to))
  if (file.exists(to)) {
    abort_nubrek(c(
      "{.file {to}} is already there.",
      "i" = "Name another folder with {.code --folder}, or remove it."
    ), "file", call = NULL)
  }
  if (!dir.exists(dirname(to)) && !dir.create(dirname(to), recursive = TRUE)) {
    abort_nubrek("Cannot make the folder {.file {dirname(to)}}.", "file", call = NULL)
  }
  draft <- tempfile(".nubrek-", dirname(to))
  on.exit(unlink(draft, recursive = TRUE))
  if (!dir.create(draft)) abort_nubrek("Cannot make the folder {.file {to}}.", "file", call = NULL)
  world <- list.files(
    system.file("pellmere", package = "nubrek", mustWork = TRUE), full.names = TRUE
  )
  if (!all(file.copy(world, draft)) || !file.rename(draft, to)) {
    abort_nubrek("Cannot write to {.file {to}}.", "file", call = NULL)
  }
  \() writeLines(c(
    paste0(say("The demo world, Pellmere Yarn Company, is in "), to, "."),
    paste0(say("Next: nubrek run "), file.path(to, "study.yaml"))
  ))
}

# The second export of the demo world takes the place of the first: rows that are there again
# replace theirs, others come behind.
bring_later <- function(to) {
  path <- file.path(to, "order-lines.csv.gz")
  if (!file.exists(path)) {
    abort_nubrek(c(
      "{.file {to}} does not hold the demo world.",
      "i" = "First: {.code nubrek demo --folder {to}}."
    ), "file", call = NULL)
  }
  read <- \(path) utils::read.csv(path, colClasses = "character", check.names = FALSE)
  later <- read(
    system.file("pellmere-later", "order-lines.csv.gz", package = "nubrek", mustWork = TRUE)
  )
  first <- read(path)
  whole <- rbind(first[!first$line_id %in% later$line_id, ], later)
  write_whole(path, \(draft) data.table::fwrite(whole, draft, compress = "gzip"))
  \() writeLines(c(
    paste0(say("The export of two weeks later is in "), to, "."),
    paste0(say("Next: nubrek changes "), file.path(to, "study.yaml"))
  ))
}

command_new <- function(job) {
  to <- job$file
  if (file.exists(to)) {
    abort_nubrek(c(
      "{.file {to}} is already there.", "i" = "Name another file with {.code --file}, or remove it."
    ), "file", call = NULL)
  }
  draft <- draft_study(job$files, dirname(to))
  write_text(draft$text, to)
  \() {
    # of the other files, all columns are used as attributes
    print(draft$guesses[[draft$main]], rows = 40L)
    writeLines("")
    writeLines(c(paste0(say("Wrote "), to, say(". Correct it, then: nubrek check "), to)))
  }
}

command_check <- function(job) {
  study <- read_study(job$study)
  ledger <- open_study_ledger(study)
  suspects <- ask_part("suspects", study, ledger)
  identified <- identified_share(ledger, "year")
  check_study_parts(study, ledger)
  \() {
    print(identified)
    writeLines("")
    print(audit(ledger), rows = 60L)
    writeLines("")
    print(suspects)
    writeLines(c("", say("All that the study asks for is there. Next: nubrek run")))
  }
}

command_run <- function(job) {
  run <- run_study(job$study, job$folder)
  \() {
    print(run)
    report <- basename(run$files) == "report.html"
    lists <- paste0(
      say("Lists:  "),
      paste(basename(run$files[!report]), collapse = ", "),
      if (any(report)) " beside it" else paste(" in", dirname(run$files[[1L]]))
    )
    writeLines(c(
      "",
      if (any(report)) paste0(say("Report: "), run$files[report]),
      strwrap(lists, terminal_width(), exdent = 8L),
      strwrap(attr(run$files, "consent"), terminal_width(), indent = 8L, exdent = 8L)
    ))
    fired <- if (!is.null(run$watches)) plain_table(run$watches)[run$watches$fired, ]
    if (NROW(fired) == 0L) return(invisible())
    writeLines(c("", paste0(say("Watch fires: "), watch_lines(fired))))
    invisible(3L)
  }
}

command_workbook <- function(job) {
  write_workbook(run_study(job$study, NA), job$file)
  \() writeLines(paste("Workbook:", job$file))
}

command_changes <- function(job) {
  found <- if (job$runs) {
    kept_runs(job$study, job$folder)
  } else {
    compare_runs(job$study, job$before, job$folder)
  }
  \() print(found)
}

command_forget <- function(job) {
  ids <- job$id %||% unique(as.character(read_source(job$file)$table[[1L]]))
  found <- forget_customer(
    job$study, ids, job$orders, job$again, job$copies, job$folder
  )
  \() {
    print(found, rows = 200L)
    if (!job$again && !is_saved_ledger(job$study)) {
      writeLines(c("", paste0(say("Next: nubrek run "), job$study)))
    }
  }
}

command_totals <- function(job) {
  columns <- job[c("cohort", "period", "acquired", "active", "sales")]
  totals <- do.call(cohort_totals, c(list(job$table), Filter(Negate(is.null), columns)))
  leaving <- if (job$final) "final" else "silent"
  model <- fit_totals(totals, leaving)
  forecast <- forecast_totals(model, job$ahead, job$margin, job$cost)
  # a test needs three cells behind the first age in what is left
  test <- tryCatch(backtest_totals(totals, leaving = leaving), nubrek_error_totals = \(e) NULL)
  results <- Filter(Negate(is.null), list(model, forecast, cohort_economics(forecast), test))
  \() for (one in results) {
    print(one)
    writeLines("")
  }
}

command_explore <- function(job) {
  explore_study(job$study, job$port, job$address, open = isatty(stdout()))
  \() NULL
}

# What a command says of a part: its record, the result as it is to be shown, the ledger.
asked_part <- function(job) {
  study <- read_study(job$study)
  study_forms(study) # the command ends with its own options
  kept <- kept_parts(study)
  ledger <- open_study_ledger(study)
  if (!is.null(job$by)) study$forecast$by <- job$by
  part <- part_record(job$part)
  result <- part$read(ask_part(job$part, study, ledger, kept), job, study, ledger)
  if (!is.null(job$where)) result <- filter_where(result, job$where)
  list(part = part, result = result, ledger = ledger)
}

# A rule at hand, as if it stood last among the study's audiences. Conditions stand between
# semicolons.
command_count <- function(job) {
  study <- read_study(job$study)
  ledger <- open_study_ledger(study)
  pieces <- trim_text(strsplit(job$rule, ";", fixed = TRUE)[[1L]])
  study$audiences[["as asked"]] <- list(rule = pieces[nzchar(pieces)])
  found <- one_audience(ask_part("audiences", study, ledger), "as asked")
  if (job$format == "table") return(\() print(found))
  \() shown_formats[[job$format]](audience_course(found), NULL)
}

command_show <- function(job) {
  asked <- asked_part(job)
  result <- asked$result
  more <- c(if (!is.null(job$rows)) list(rows = job$rows), asked$part$face(job))
  \() shown_formats[[job$format]](result, more)
}

# How the terminal shows a result.
shown_formats <- list(
  table = \(x, more) do.call(print, c(list(x), more)),
  csv = \(x, more) write_csv(x),
  json = \(x, more) writeLines(jsonlite::toJSON(
    plain_table(x), dataframe = "rows", Date = "ISO8601", na = "null", digits = NA
  ))
)

# To a pipe, byte for byte, with the same guard against formulas as in lists. Through a file,
# because the library takes text for a format where it writes to the terminal itself.
write_csv <- function(x) {
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  data.table::fwrite(as.data.table(lapply(plain_table(x), safe_cell)), path, na = "", eol = "\n")
  cat(readChar(path, file.size(path), useBytes = TRUE))
}

command_list <- function(job) {
  asked <- asked_part(job)
  rows <- asked$result
  contact <- words_given(job$contact)
  if (!is.null(contact)) {
    rows <- carry_contact(
      plain_table(rows), asked$ledger, contact, job$contact_by, job$without_consent, NULL
    )
  }
  columns <- words_given(job$columns)
  if (!is.null(columns)) columns <- union(columns, setdiff(names(rows), names(asked$result)))
  files <- write_list(rows, job$file, columns, job$apart)
  n <- nrow(rows)
  counted <- if (n == 1L) say("%s row in:", n) else say("%s rows in:", format_count_plain(n))
  \() writeLines(c(attr(rows, "consent"), counted, files))
}

command_draw <- function(job) {
  asked <- asked_part(job)
  figure <- do.call(ggplot2::autoplot, c(list(asked$result), asked$part$face(job)))
  # title, subtitle and caption stand around it, which a page writes itself
  around <- 1
  write_figure(figure, job$file, height = max(3, figure_height(asked$part, asked$result) + around))
  \() writeLines(paste("Figure:", job$file))
}
