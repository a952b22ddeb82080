# Options of the command, verb by verb.

# An option that takes a text, and one that is there or not.
text_option <- function(flag, help, metavar, default = NULL) {
  optparse::make_option(flag, type = "character", default = default, metavar = metavar, help = help)
}
flag_option <- function(flag, help) {
  optparse::make_option(flag, action = "store_true", default = FALSE, help = help)
}

# Options that several verbs share.
by_option <- function() {
  text_option(
    "--by", "of repeat and value_by: the customer attribute [value_by: the study's]", "ATTRIBUTE"
  )
}
format_option <- function() {
  text_option("--format", "table, csv or json [%default]", "FORMAT", "table")
}
where_option <- function() {
  text_option(
    "--where", "only rows like these, such as \"tier=cashmere,merino; sales>=100\"", "CONDITIONS"
  )
}
name_option <- function() text_option("--name", "of audiences, contrasts: one of them", "NAME")
against_option <- function() {
  text_option("--against", "of contrasts: another audience [everybody else]", "NAME")
}
through_option <- function() {
  optparse::make_option(
    "--through", type = "integer", default = NULL, metavar = "N",
    help = "of cohorts: sums hold those observed through this age [a year]"
  )
}
view_option <- function() text_option("--view", "of cohorts: age or calendar [age]", "VIEW")
measure_option <- function() {
  text_option(
    "--measure",
    paste0(
      "of cohorts: ",
      paste(names(grid_measures), collapse = ", "),
      "; of waits: ",
      paste(names(wait_measures), collapse = ", ")
    ),
    "NAME"
  )
}

verb_options <- list(
  demo = \() list(
    text_option("--folder", "folder to write to [pellmere]", "FOLDER"),
    text_option("--to", "the same", "FOLDER"),
    flag_option("--later", "bring the next export, two weeks later, into the folder")
  ),
  new = \() list(
    text_option("--file", "study file to write [study.yaml]", "STUDY"),
    text_option("--to", "the same", "STUDY")
  ),
  run = \() list(text_option("--folder", "where to write [the study's own folder]", "FOLDER")),
  changes = \() list(
    text_option("--before", "a kept run, by its name [the newest other one]", "RUN"),
    text_option("--folder", "the folder of results that keeps the runs [the study's]", "FOLDER"),
    flag_option("--runs", "list the runs that were kept")
  ),
  workbook = \() list(text_option("--file", "an .xlsx file", "FILE")),
  explore = \() list(
    optparse::make_option(
      "--port", type = "integer", default = NULL, metavar = "N", help = "port [a free one]"
    ),
    text_option(
      "--address", "where to listen; another than this machine's own lets others in [%default]",
      "ADDRESS", "127.0.0.1"
    )
  ),
  totals = \() list(
    text_option("--cohort", "column of the cohort [%default]", "COLUMN", "cohort"),
    text_option("--period", "column of the period [%default]", "COLUMN", "period"),
    text_option("--acquired", "column of how many were acquired [%default]", "COLUMN", "acquired"),
    text_option("--active", "column of how many were active [%default]", "COLUMN", "active"),
    text_option("--sales", "column of net sales [sales, where there is one]", "COLUMN"),
    optparse::make_option(
      "--ahead", type = "integer", default = 4L, metavar = "N", help = "periods ahead [%default]"
    ),
    optparse::make_option(
      "--margin", type = "double", default = 1, metavar = "SHARE", help = "margin by sales [1]"
    ),
    optparse::make_option(
      "--cost", type = "double", default = 0, metavar = "MONEY",
      help = "cost of acquiring one customer [0]"
    ),
    flag_option("--final", "who is not active has left for good, as with contracts")
  ),
  count = \() list(format_option()),
  forget = \() list(
    text_option("--file", "a file with the ids, one in each row of its first column", "FILE"),
    text_option("--orders", "keep them without a customer, or delete [%default]", "WHAT", "keep"),
    text_option("--copies", "write copies of your own files without them", "FOLDER"),
    flag_option("--again", "let these ids in again"),
    text_option("--folder", "the folder of results [the study's]", "FOLDER")
  ),
  hold = \() list(
    text_option("--folder", "where to write the lists [beside the campaign]", "FOLDER"),
    flag_option("--lists", "of a held campaign: write its lists again, less who withdrew")
  ),
  show = \() list(
    measure_option(),
    view_option(),
    through_option(),
    by_option(),
    name_option(),
    against_option(),
    where_option(),
    format_option(),
    optparse::make_option(
      "--rows",
      type = "integer",
      default = NULL,
      metavar = "N",
      help = "rows of a table [20, or all that were asked for]"
    )
  ),
  list = \() list(
    by_option(),
    name_option(),
    against_option(),
    where_option(),
    text_option("--file", "a .csv, .xlsx or .parquet file", "FILE"),
    text_option("--from", "of moves: the tiers left", "TIERS"),
    text_option("--to", "of moves: the tiers reached, or absent", "TIERS"),
    flag_option("--stayers", "of moves: also those who stayed in their tier"),
    text_option("--columns", "only these columns", "A,B"),
    text_option("--apart", "one sheet or file for each value of this column", "COLUMN"),
    text_option("--contact", "customer attributes to carry along, such as name,email", "A,B"),
    text_option("--contact-by", "the way of contact, where consent is named for each", "WAY"),
    flag_option("--without-consent", "list also those who did not agree to be contacted")
  ),
  draw = \() list(
    measure_option(),
    view_option(),
    through_option(),
    flag_option("--curves", "draw cohorts as curves, the newest emphasised"),
    by_option(),
    name_option(),
    against_option(),
    text_option("--file", "a .png or .svg file", "FILE"),
    text_option("--to", "the same", "FILE")
  )
)

command_options <- function(verb) {
  special <- if (verb %in% names(verb_options)) verb_options[[verb]]()
  c(special, list(flag_option("--quiet", "no progress")))
}
