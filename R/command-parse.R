# Arguments of the command. Data go to standard output, messages to standard error.

command_verbs <- list(
  new = list(
    says = "look at export files and write a study file with a guess for each column",
    use = "nubrek new FILE... [--file STUDY]",
    arguments = NA
  ),
  demo = list(
    says = "write the demo world (data and a study file) into a folder",
    use = "nubrek demo [--folder FOLDER] [--later]",
    arguments = 0L
  ),
  check = list(
    says = "read a study and its data, print the audit, check all that a study says",
    use = "nubrek check STUDY",
    arguments = 1L
  ),
  run = list(
    says = "run a study: report and lists",
    use = "nubrek run STUDY [--folder FOLDER]",
    arguments = 1L
  ),
  changes = list(
    says = "what has changed since the run before, and through what (runs: which were kept)",
    use = "nubrek changes STUDY [--before RUN] [--folder FOLDER] [--runs]",
    arguments = 1L
  ),
  workbook = list(
    says = "run a study into one workbook: contents, a sheet a part, definitions, remarks",
    use = "nubrek workbook STUDY --file FILE.xlsx",
    arguments = 1L
  ),
  explore = list(
    says = "open a page to move cut-offs, shares, costs and rules by hand (needs shiny and bslib)",
    use = "nubrek explore STUDY [--port N] [--address ADDRESS]",
    arguments = 1L
  ),
  show = list(
    says = "print one part of a study as a table, CSV or JSON",
    use = paste0(
      "nubrek show PART STUDY [--where CONDITIONS] [--format table|csv|json] [--rows N] ",
      "[--measure NAME] [--view age|calendar]"
    ),
    arguments = 2L
  ),
  list = list(
    says = paste0(
      "write a part as a list: CSV, XLSX or Parquet, with contact columns, one sheet or file for ",
      "each group"
    ),
    use = paste0(
      "nubrek list PART STUDY --file FILE [--where CONDITIONS] [--from TIERS] [--to TIERS] ",
      "[--columns A,B] [--apart COLUMN] [--contact A,B] [--contact-by WAY] ",
      "[--without-consent] [--stayers]"
    ),
    arguments = 2L
  ),
  draw = list(
    says = "draw the figure of a part into a PNG or SVG file",
    use = paste(
      "nubrek draw PART STUDY --file FILE [--measure NAME] [--view age|calendar] [--through N]",
      "[--curves]"
    ),
    arguments = 2L
  ),
  count = list(
    says = "count the customers for whom conditions hold, condition by condition",
    use = "nubrek count 'CONDITION; CONDITION' STUDY [--format table|csv|json]",
    arguments = 2L
  ),
  forget = list(
    says = "erase a customer from all that was written, and name your own files with the rows",
    use = paste(
      "nubrek forget ID STUDY|LEDGER [--file IDS.csv] [--orders keep|delete] [--copies FOLDER]",
      "[--again] [--folder FOLDER]"
    ),
    arguments = c(2L, 1L)
  ),
  hold = list(
    says = "draw who is contacted and who is held back, and write the campaign and both lists",
    use = "nubrek hold CAMPAIGN STUDY [--folder FOLDER] [--lists]",
    arguments = 2L
  ),
  totals = list(
    says = "value from a table of cohort totals alone: staying, forecast, economics, a test",
    use = paste0(
      "nubrek totals FILE [--cohort COLUMN] [--period COLUMN] [--acquired COLUMN] ",
      "[--active COLUMN] [--sales COLUMN] [--ahead N] [--margin SHARE] [--cost MONEY] [--final]"
    ),
    arguments = 1L
  ),
  keys = list(
    says = "every section and key of a study file, with type, default and example",
    use = "nubrek keys [SECTION]",
    arguments = 0:1
  ),
  parts = list(
    says = "every part of a study, in groups, with a line of what it tells",
    use = "nubrek parts [GROUP]",
    arguments = 0:1
  ),
  completion = list(
    says = "print what makes a shell complete these words: bash or zsh",
    use = "nubrek completion bash|zsh",
    arguments = 1L
  )
)

abort_usage <- function(message, verb = NULL) {
  hint <- if (is.null(verb)) {
    "{.code nubrek --help} lists the commands."
  } else {
    paste0("Usage: {.code ", command_verbs[[verb]]$use, "}")
  }
  abort_nubrek(c(message, "i" = hint), "usage", call = NULL, .envir = rlang::caller_env())
}

# A word that is not known, with the nearest that is.
abort_word <- function(what, found, known, verb = NULL) {
  shown <- if (length(known) > 24L) {
    "{.code nubrek parts} lists what is."
  } else {
    "Known: {.val {known}}."
  }
  abort_usage(c(
    paste0("There is no ", what, " {.val {found}}."), nearest_hint(found, known), "x" = shown
  ), verb)
}

command_parse <- function(args) {
  if (length(args) == 0L || args[[1L]] %in% c("--help", "-h", "help")) return(list(verb = "help"))
  if (args[[1L]] %in% c("--version", "version")) return(list(verb = "version"))
  verb <- args[[1L]]
  if (!verb %in% names(command_verbs)) abort_word("command", verb, names(command_verbs))
  parser <- optparse::OptionParser(
    usage = command_verbs[[verb]]$use,
    option_list = command_options(verb),
    prog = "nubrek",
    add_help_option = FALSE
  )
  if (any(c("--help", "-h") %in% args[-1L])) {
    return(list(verb = "help-verb", text = utils::capture.output(optparse::print_help(parser))))
  }
  parsed <- tryCatch(
    optparse::parse_args2(parser, args[-1L]),
    error = \(e) abort_usage("{conditionMessage(e)}", verb),
    warning = \(w) abort_usage("{conditionMessage(w)}", verb)
  )
  job <- c(list(verb = verb), parsed$options)
  job <- settle_target(job)
  given <- parsed$args
  if (verb == "new") {
    if (length(given) == 0L) abort_usage("Name the export files to look at.", verb)
    return(c(job, list(files = given)))
  }
  wanted <- command_verbs[[verb]]$arguments
  if (!length(given) %in% wanted) {
    abort_usage(
      "{.code nubrek {verb}} takes {wanted[[1]]} argument{?s}, not {length(given)}.", verb
    )
  }
  if (verb == "keys") return(c(job, list(section = check_word(given, names(study_schema()), verb))))
  if (verb == "parts") return(c(job, list(group = check_word(given, names(report_sections), verb))))
  if (verb == "completion") {
    return(c(job, list(shell = check_word(given, completion_shells, verb))))
  }
  if (verb %in% c("show", "draw", "list")) {
    job <- check_part_options(c(list(part = given[[1L]]), job))
  }
  check_format(job)
  if (verb == "count") job$rule <- given[[1L]]
  if (verb == "totals") return(c(job, list(table = given[[1L]])))
  if (verb == "hold") job$campaign <- given[[1L]]
  if (verb == "forget") {
    if ((length(given) == 2L) == !is.null(job$file)) {
      abort_usage("Name an id, or a file of ids with {.code --file}.", verb)
    }
    job$id <- if (length(given) == 2L) given[[1L]]
  }
  if (verb != "demo") job$study <- given[[length(given)]]
  job
}

# Where to write: `--file` or `--folder`; `--to` says the same where it can mean nothing else.
settle_target <- function(job) {
  verb <- job$verb
  if (verb == "demo") job$folder <- job$folder %||% job$to %||% "pellmere"
  if (verb == "new") job$file <- job$file %||% job$to %||% "study.yaml"
  if (verb == "draw") {
    job$file <- job$file %||% job$to
    job$to <- NULL
  }
  if (
    verb == "list" &&
      is.null(job$file) &&
      !is.null(job$to) &&
      tolower(tools::file_ext(job$to)) %in% names(list_writers)
  ) {
    job$file <- job$to
    job$to <- NULL
  }
  if (verb == "draw" && is.null(job$file)) {
    abort_usage("Say where to draw: {.code --file FILE.png}.", verb)
  }
  if (verb == "workbook" && is.null(job$file)) {
    abort_usage("Say where to write: {.code --file FILE.xlsx}.", verb)
  }
  if (verb == "list" && is.null(job$file)) {
    abort_usage("Say where to write: {.code --file FILE.csv}.", verb)
  }
  job
}

# At most one word, of those that are known.
check_word <- function(given, known, verb) {
  if (length(given) == 0L) return(NULL)
  if (!given[[1L]] %in% known) {
    what <- c(keys = "section", parts = "group", completion = "shell")[[verb]]
    abort_word(what, given[[1L]], known, verb)
  }
  given[[1L]]
}

check_part_options <- function(job) {
  verb <- job$verb
  known <- if (verb == "draw") figure_parts() else shown_parts()
  if (!job$part %in% known) {
    abort_word(if (verb == "draw") "figure" else "part", job$part, known, verb)
  }
  part <- part_record(job$part)
  check_own_options(job, part)
  if (!is.null(job$measure) && !job$measure %in% part$measures()) {
    abort_word(paste("measure of", job$part), job$measure, part$measures(), verb)
  }
  if (!is.null(job$view) && !job$view %in% c("age", "calendar")) {
    abort_word("view", job$view, c("age", "calendar"), verb)
  }
  job
}

check_format <- function(job) {
  if (!is.null(job$format) && !job$format %in% names(shown_formats)) {
    abort_word("format", job$format, names(shown_formats), job$verb)
  }
}

# Options that only some parts understand.
check_own_options <- function(job, part) {
  for (option in unique(unlist(lapply(part_records(), `[[`, "options")))) {
    given <- !is.null(job[[option]]) && !isFALSE(job[[option]])
    if (given && !option %in% part$options) {
      parts <- parts_with(\(part) option %in% part$options)
      abort_usage("{.code --{option}} is for {.val {parts}}.", job$verb)
    }
  }
}
