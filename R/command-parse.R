# Arguments of the command. Data go to standard output, messages to standard error.

command_verbs <- list(
  new = list(says = "look at export files and write a study file with a guess for each column, to be corrected", use = "nubrek new FILE... [--to STUDY]", arguments = NA),
  demo = list(says = "write the demo world (data and a study file) into a folder", use = "nubrek demo [--to FOLDER]", arguments = 0L),
  check = list(says = "read a study and its data, print the audit, compute nothing", use = "nubrek check STUDY", arguments = 1L),
  run = list(says = "run a study: report and lists", use = "nubrek run STUDY [--folder FOLDER]", arguments = 1L),
  show = list(says = "print one part of a study as a table, CSV or JSON", use = "nubrek show PART STUDY [--format table|csv|json] [--rows N] [--measure NAME] [--view age|calendar]", arguments = 2L),
  list = list(says = "write a part as a list: CSV, XLSX or Parquet, with contact columns, one sheet or file for each group",
      use = "nubrek list PART STUDY --to FILE [--columns A,B] [--apart COLUMN] [--contact A,B]", arguments = 2L),
  draw = list(says = "draw the figure of a part into a PNG or SVG file", use = "nubrek draw PART STUDY --to FILE [--measure NAME] [--view age|calendar] [--curves]", arguments = 2L))

figure_parts <- c("audit", "counts", "gaps", "waits", "curve", "new", "sales", "cohorts", "cohorts_by", "usual", "payback", "payback_by", "rfm", "map", "tiers", "moves", "outlook",
  "forecast", "shares", "coming", "continued", "worth",
    "worth_by", "value_by", "backtest",
    "tracking",
  "expected_counts", "spread", "expected_spend", "calibration", "captured", "season", "spend_frequency")

# Of cohorts: what is read off the grid, and what its columns are.
grid_options <- function() list(
  optparse::make_option("--measure", type = "character", default = NULL, metavar = "NAME", help = paste("of cohorts:", paste(names(grid_measures), collapse = ", "))),
  optparse::make_option("--view", type = "character", default = NULL, metavar = "VIEW", help = "of cohorts: age or calendar [age]"),
  optparse::make_option("--curves", action = "store_true", default = FALSE, help = "draw cohorts as curves, the newest emphasised"))

command_options <- function(verb) {
  option <- optparse::make_option
  by <- list(option("--by", type = "character", default = NULL, metavar = "ATTRIBUTE", help = "of value_by: the customer attribute [the study's]"))
  own <- switch(verb,
    demo = list(option("--to", type = "character", default = "pellmere", metavar = "FOLDER", help = "folder to write to [%default]")),
    new = list(option("--to", type = "character", default = "study.yaml", metavar = "STUDY", help = "study file to write [%default]")),
    check = list(),
    run = list(option("--folder", type = "character", default = NULL, metavar = "FOLDER", help = "where to write [the study's own folder]")),
    show = c(grid_options()[1:2], by, list(option("--format", type = "character", default = "table", metavar = "FORMAT", help = "table, csv or json [%default]"),
                option("--rows", type = "integer", default = 20L, metavar = "N", help = "rows of a table [%default]"))),
    list = c(by, list(option("--to", type = "character", default = NULL, metavar = "FILE", help = "a .csv, .xlsx or .parquet file"),
                option("--columns", type = "character", default = NULL, metavar = "A,B", help = "only these columns"),
                option("--apart", type = "character", default = NULL, metavar = "COLUMN", help = "one sheet or file for each value of this column"),
                option("--contact", type = "character", default = NULL, metavar = "A,B", help = "customer attributes to carry along, such as name,email"))),
    draw = c(grid_options(), by, list(option("--to", type = "character", default = NULL, metavar = "FILE", help = "a .png or .svg file"))))
  c(own, list(option("--quiet", action = "store_true", default = FALSE, help = "no progress")))
}

abort_usage <- function(message, verb = NULL) {
  hint <- if (is.null(verb)) "{.code nubrek --help} lists the commands." else paste0("Usage: {.code ", command_verbs[[verb]]$use, "}")
  abort_nubrek(c(message, "i" = hint), "usage", call = NULL, .envir = rlang::caller_env())
}

command_parse <- function(args) {
  if (length(args) == 0L || args[[1L]] %in% c("--help", "-h", "help")) return(list(verb = "help"))
  if (args[[1L]] %in% c("--version", "version")) return(list(verb = "version"))
  verb <- args[[1L]]
  if (!verb %in% names(command_verbs)) {
    hint <- nearest_hint(verb, names(command_verbs))
    abort_usage(paste0("There is no command {.val {verb}}.", if (!is.null(hint)) paste0(" ", hint)))
  }
  parser <- optparse::OptionParser(usage = command_verbs[[verb]]$use, option_list = command_options(verb), prog = "nubrek", add_help_option = FALSE)
  if (any(c("--help", "-h") %in% args[-1L])) return(list(verb = "help-verb", text = utils::capture.output(optparse::print_help(parser))))
  parsed <- tryCatch(optparse::parse_args2(parser, args[-1L]), error = \(e) abort_usage("{conditionMessage(e)}", verb), warning = \(w) abort_usage("{conditionMessage(w)}", verb))
  given <- parsed$args
  job <- c(list(verb = verb), parsed$options)
  if (verb == "new") {
    if (length(given) == 0L) abort_usage("Name the export files to look at.", verb)
    return(c(job, list(files = given)))
  }
  if (length(given) != command_verbs[[verb]]$arguments) abort_usage("{.code nubrek {verb}} takes {command_verbs[[verb]]$arguments} argument{?s}, not {length(given)}.", verb)
  if (verb %in% c("show", "draw", "list")) {
    known <- if (verb == "draw") figure_parts else names(study_parts)
    if (!given[[1L]] %in% known) abort_usage("{.code nubrek {verb}} knows {.val {known}}, not {.val {given[[1]]}}.", verb)
    job$part <- given[[1L]]
    asked <- c(measure = !is.null(job$measure), view = !is.null(job$view), curves = isTRUE(job$curves))
    if (any(asked) && !job$part %in% c("cohorts", "cohorts_by")) abort_usage("{.code --{names(asked)[asked][[1]]}} is for {.val cohorts}.", verb)
    if (!is.null(job$by) && job$part != "value_by") abort_usage("{.code --by} is for {.val value_by}.", verb)
    if (asked[["measure"]] && !job$measure %in% names(grid_measures)) abort_usage("{.code --measure} is one of {.val {names(grid_measures)}}, not {.val {job$measure}}.", verb)
    if (asked[["view"]] && !job$view %in% c("age", "calendar")) abort_usage("{.code --view} is {.val age} or {.val calendar}, not {.val {job$view}}.", verb)
  }
  if (verb != "demo") job$study <- given[[length(given)]]
  if (verb == "show" && !job$format %in% c("table", "csv", "json")) abort_usage("{.code --format} is {.val table}, {.val csv} or {.val json}, not {.val {job$format}}.", verb)
  if (verb == "draw" && is.null(job$to)) abort_usage("Say where to draw: {.code --to FILE.png}.", verb)
  if (verb == "list" && is.null(job$to)) abort_usage("Say where to write: {.code --to FILE.csv}.", verb)
  job
}
