# What a study file may say: every section and key once, with its type, what it says, its default
# and an example. The check of a study, its help page and `nubrek keys` read these records.

# A key: what is read and how, and what a reader must know of it.
study_key <- function(leaf, about, default = "", example = "") {
  structure(
    utils::modifyList(unclass(leaf), list(about = about, default = default, example = example)),
    class = "study_leaf"
  )
}

keys_of_section <- function(about, ...) structure(list(...), about = about)

# A section whose keys are the user's own names.
named_each <- function(about, schema) {
  structure(list(schema = schema), about = about, class = "study_each")
}

during_key <- function(what) {
  study_key(
    leaf_texts(),
    paste0(
      "the part of time ", what, ": 2025, 2025 Q2, 2025-05, FY 2025 Q1, last 12 months or ",
      "[2025-01-15, 2025-03-31]"
    ),
    "all of the history",
    "2025 Q2"
  )
}
clock_key <- function(what, default = "the clock of the meanings") {
  study_key(leaf_choice(names(clocks)), what, default, "month")
}

format_keys <- function() {
  list(
    separator = study_key(
      leaf_choice(c("detect", ",", ";", "tab", "|")),
      "what separates the cells of a text file",
      "detect",
      "tab"
    ),
    encoding = study_key(leaf_text(), "how a text file is written", "detect", "windows-1252"),
    sheet = study_key(leaf_text(), "the sheet of a workbook", "the first", "Orders 2025"),
    table = study_key(
      leaf_text(), "instead of files a table or view by the connection", "none", "shop.lines"
    ),
    query = study_key(
      leaf_text(), "instead of files one SELECT by the connection", "none",
      "SELECT * FROM lines WHERE kind = 'sale'"
    )
  )
}

files_key <- function(what) {
  study_key(
    leaf_texts(), paste(what, "paths from the study's folder, or a pattern"), "", "orders-*.csv"
  )
}

# Every section, in the order of a study file.
study_schema <- function() {
  list(
    study = study_key(
      leaf_text(),
      "the title of report and print",
      "Customers and repeat buying",
      "Pellmere Yarn Company"
    ),
    data = data_section(),
    meanings = meanings_section(),
    bands = bands_keys(),
    events = events_keys(),
    slice = slice_section(),
    suspects = suspects_keys(),
    economics = economics_keys(),
    `repeat` = repeat_keys(),
    waits = waits_keys(),
    new = new_keys(),
    sales = sales_keys(),
    stores = stores_keys(),
    returns = returns_keys(),
    discounts = discounts_keys(),
    constant_currency = currency_keys(),
    steps = steps_keys(),
    cohorts = cohorts_keys(),
    payback = cost_sections(),
    ranks = ranks_keys(),
    rfm = rfm_keys(),
    map = map_keys(),
    tiers = tiers_keys(),
    moves = moves_keys(),
    audiences = audiences_keys(),
    discover = discover_keys(),
    targets = targets_keys(),
    due = due_keys(),
    campaigns = campaigns_keys(),
    wallet = wallet_keys(),
    forecast = forecast_section(),
    watches = watch_keys(),
    notes = notes_keys(),
    outputs = outputs_keys()
  )
}

# Every key of a schema with its path: section, key, type, about, default, example.
list_keys <- function(schema = study_schema(), at = character()) {
  if (inherits(schema, "study_leaf")) {
    return(data.frame(
      section = at[[1L]],
      key = paste(at[-1L], collapse = ": "),
      type = schema$wants,
      about = schema$about,
      default = schema$default,
      example = schema$example
    ))
  }
  if (inherits(schema, "study_each")) return(list_keys(schema$schema, c(at, "NAME")))
  do.call(rbind, unname(Map(\(node, name) list_keys(node, c(at, name)), schema, names(schema))))
}

#' Every section and key of a study file
#'
#' The same as [study_file], as a table.
#'
#' @param section `[character(1)]` One section, such as `"cohorts"`; default all.
#' @return A `nubrek_keys`, one row per key: `section`, `key` (parts of a path divided by `: `;
#'   `NAME` is a name of your own), `type`, `about`, `default`, `example`.
#' @examples
#' study_keys("waits")
#' @export
study_keys <- function(section = NULL) {
  keys <- list_keys()
  if (!is.null(section)) {
    check_choice(section, names(study_schema()))
    keys <- keys[keys$section == section, ]
  }
  new_result(as.list(keys), "keys", basis = list(section = section))
}

#' @export
describe.nubrek_keys <- function(x) {
  name <- basis_of(x, "section")
  about <- if (!is.null(name)) attr(study_schema()[[name]], "about")
  list(
    heading = if (is.null(name)) {
      "Keys of a study file"
    } else {
      paste0("The section ", name, if (!is.null(about)) paste0(": ", about))
    },
    finding = NULL
  )
}

# A key a paragraph: type, default and example under what it says.
#' @export
print.nubrek_keys <- function(x, ...) {
  rlang::check_dots_empty()
  told <- describe(x)
  cells <- \(i) {
    more <- paste0(x$type[[i]], if (nzchar(x$default[[i]])) paste0("; default: ", x$default[[i]]))
    c(
      paste0("  ", if (nzchar(x$key[[i]])) x$key[[i]] else x$section[[i]], "   ", x$about[[i]]),
      strwrap(more, terminal_width(), indent = 6L, exdent = 6L),
      if (nzchar(x$example[[i]])) paste0("      such as ", x$example[[i]])
    )
  }
  mine <- if (is.null(basis_of(x, "section"))) !duplicated(x$section) else rep(FALSE, nrow(x))
  lines <- lapply(seq_len(nrow(x)), \(i) c(if (mine[[i]]) c("", x$section[[i]]), cells(i)))
  writeLines(c(cli::style_bold(told$heading), "", unlist(lines)))
  invisible(x)
}

# The help page, made of the records.
study_file_page <- function() {
  escape <- \(text) gsub("([%{}\\\\])", "\\\\\\1", text)
  keys <- list_keys()
  one <- function(name) {
    mine <- keys[keys$section == name, ]
    about <- attr(study_schema()[[name]], "about") %||% mine$about[[1L]]
    item <- sprintf(
      "\\item{\\code{%s}}{%s. %s%s%s.}",
      escape(ifelse(nzchar(mine$key), mine$key, name)),
      escape(capital(mine$about)),
      escape(capital(mine$type)),
      ifelse(nzchar(mine$default), paste0("; default: ", escape(mine$default)), ""),
      ifelse(nzchar(mine$example), paste0("; such as \\code{", escape(mine$example), "}"), "")
    )
    c(sprintf("\\section{%s: %s}{", name, escape(about)), "\\describe{", item, "}}")
  }
  c("@rawRd", unlist(lapply(unique(keys$section), one)))
}

#' The study file: every section and key
#'
#' A study file is YAML and says data, column map, meanings, economics and outputs; [run_study()]
#' makes report and lists of it, [study_ledger()] its ledger. Unknown keys and wrong values are
#' errors with the line. `nubrek new` writes a first one, `nubrek keys` shows this page in the
#' terminal, [study_keys()] gives it as a table. `NAME` stands for a name of your own. Nothing in a
#' file is ever run.
#'
#' @return A page of help; the demo world's own study file is the longest example.
#' @examples
#' writeLines(readLines(system.file("pellmere", "study.yaml", package = "nubrek"), n = 20))
#' @name study_file
#' @eval study_file_page()
NULL

# Keys of earlier studies, and what to write now.
moved_keys <- list(
  may_contact = c("i" = "Write {.code consent: COLUMN} once, in the section {.field meanings}.")
)
