#' Read and check a study file
#'
#' YAML; every scalar is read as text and then checked against what belongs there, so that ids keep
#' their zeros. Unknown keys and wrong values are errors with the line and what was meant. YAML tags
#' never run code.
#'
#' @param path `[character(1)]` The study file.
#' @return A `nubrek_study`: a list of the checked sections, and `path`.
#' @examples
#' study <- read_study(system.file("pellmere", "study.yaml", package = "nubrek"))
#' study$meanings$currency
#' @export
read_study <- function(path) {
  check_text(path)
  if (!file.exists(path) || dir.exists(path)) {
    abort_nubrek(c("Cannot find the study file {.file {path}}."), "file", path = path)
  }
  refuse_data_file(path)
  text <- readLines(path, warn = FALSE, encoding = "UTF-8")
  as_text <- c(
    "int", "int#hex", "int#oct", "int#base60", "float", "float#fix", "float#exp", "float#inf",
    "float#neginf", "float#nan", "float#base60", "bool#yes", "bool#no", "null", "timestamp",
    "timestamp#iso8601", "timestamp#spaced", "timestamp#ymd"
  )
  keep <- stats::setNames(rep(list(\(x) x), length(as_text)), as_text)
  refuse <- \(e) abort_nubrek(c(
    "The study file {.file {path}} is not YAML.", "x" = "{conditionMessage(e)}"
  ), "study", path = path, call = NULL)
  parsed <- tryCatch(
    yaml::yaml.load(paste(text, collapse = "\n"), eval.expr = FALSE, handlers = keep),
    error = refuse,
    warning = refuse
  )
  origin <- list(path = path, text = text)
  if (!all_texts_valid(parsed)) {
    abort_nubrek(c(
      "The study file {.file {path}} cannot be read.",
      "x" = "A text in it is none in UTF-8, perhaps by an escape such as {.code \\ud800}."
    ), "study", path = path, call = NULL)
  }
  if (!is.list(parsed)) {
    abort_nubrek(c(
      "The study file {.file {path}} is empty.",
      "i" = "{.code nubrek demo} writes one to start from."
    ), "study", path = path)
  }
  checked <- check_study(parsed, study_schema(), origin)
  structure(c(checked, list(path = path, source = origin)), class = "nubrek_study")
}

# An export in the place of the study file.
refuse_data_file <- function(path, call = rlang::caller_env()) {
  ending <- tolower(tools::file_ext(sub("[.]gz$", "", path)))
  if (!ending %in% data_endings()) return(invisible())
  abort_nubrek(c(
    "{.file {path}} is a file of data, not a study.",
    "i" = "{.code nubrek new {path}} makes a study of it."
  ), "study", path = path, call = call)
}

#' @export
print.nubrek_study <- function(x, ...) {
  writeLines(c(cli::style_bold(x$study %||% "Study"), paste0("from ", x$path), paste0(
    "sections: ", paste(setdiff(names(x), c("path", "source", "study")), collapse = ", ")
  )))
  invisible(x)
}

# The study's own files lie beside it.
study_files <- function(study, files) {
  folder <- dirname(study$path)
  vapply(
    files,
    \(file) if (grepl("^(/|~|[A-Za-z]:)", file)) file else file.path(folder, file),
    "",
    USE.NAMES = FALSE
  )
}

study_format <- function(part) {
  separator <- part$separator %||% "detect"
  file_format(if (separator == "tab") "\t" else separator, part$encoding %||% "detect", part$sheet)
}

study_table <- function(
  study, section, cons, attributes = \(part) part$attributes %||% character()
) {
  part <- study$data[[section]]
  if (is.null(part)) return(NULL)
  source <- study_source(study, part, cons, c("data", section))
  for (key in c("key", if (section == "aliases") "same_as")) {
    if (is.null(part[[key]])) {
      abort_study(
        study$source, c("data", section), "The key {.field {key}} is missing here.", key = key
      )
    }
  }
  attribute_table(source, part$key, attributes(part), study_format(part))
}

#' The ledger of a study
#'
#' What `nubrek run` computes with, for work in R: data, meanings, bands and slice as the study
#' says.
#'
#' @param study `[character(1) | nubrek_study]` A study file, or what [read_study()] made of one.
#' @return A `nubrek_ledger`, as from [open_ledger()].
#' @examples
#' folder <- tempfile()
#' dir.create(folder)
#' writeLines(c(
#'   "who,receipt,on,paid", "A,1,2024-03-05,12.50", "B,2,2024-03-09,30"
#' ), file.path(folder, "orders.csv"))
#' writeLines(c(
#'   "data:",
#'   "  orders:",
#'   "    files: orders.csv",
#'   "    columns: {customer: who, order: receipt, date: on, sales: paid}"
#' ), file.path(folder, "study.yaml"))
#' study_ledger(file.path(folder, "study.yaml"))
#' @export
study_ledger <- function(study) {
  if (!inherits(study, "nubrek_study")) study <- read_study(study)
  open_study_ledger(study)
}

open_study_ledger <- function(study) {
  check_workspace_keys(study)
  ledger <- if (is.null(study$data$keep)) {
    build_study_ledger(study)
  } else {
    kept_study_ledger(study, study_files(study, study$data$keep))
  }
  if (!is.null(study$events)) ledger <- with_events(ledger, study_events(study))
  if (is.null(study$slice)) ledger else do.call(ledger_slice, c(list(ledger), study$slice))
}

# A row for each time of each event; `until` is given for all times or none.
study_events <- function(study) {
  rows <- lapply(names(study$events), \(name) {
    told <- study$events[[name]]
    stop_at <- \(...) abort_study(study$source, c("events", name), ...)
    from <- told$from %||% stop_at("Say on which day it begins: {.field from}.")
    until <- told$until %||% from
    if (length(until) != length(from)) {
      stop_at(
        "{.field from} has {begin} day{?s} and {.field until} has {end}.",
        begin = length(from),
        end = length(until)
      )
    }
    data.frame(event = name, from = from, until = until, kind = told$kind %||% "other")
  })
  do.call(rbind, rows)
}

check_workspace_keys <- function(study) {
  if (!is.null(study$data$parts)) {
    told <- \(...) abort_study(study$source, c("data", "parts"), ...)
    if (is.null(study$data$keep)) told("Parts need a folder: say {.field keep} beside it.")
    if (!is.null(study$data$workspace)) {
      told("A ledger in its database has no parts: leave out one of {.field parts, workspace}.")
    }
  }
  if (is.null(study$data$workspace)) return(invisible())
  if (is.null(study$data$connection)) {
    abort_study(
      study$source, c("data", "workspace"), "A workspace needs {.field connection} beside it."
    )
  }
  if (!is.null(study$data$keep) && study$data$workspace %in% c("temporary", "none")) {
    abort_study(
      study$source, c("data", "keep"),
      "Only tables of a schema can be kept: name one as {.field workspace}."
    )
  }
}

# With `data: keep` the ledger is saved, and opened from there as long as nothing it was made from
# has changed. A new export beside the others (a glob finds it) is a change; so is a changed row in
# a database, whose tables are folded anew then.
kept_study_ledger <- function(study, folder) {
  before <- if (is_saved_ledger(folder)) tryCatch(saved_facts(folder), error = \(e) NULL)
  made_from <- study_fingerprint(study, lapply(before$made_from$files, unlist))
  if (identical(before$made_from$mark, c(made_from))) {
    # what is damaged is made again
    kept <- tryCatch(
      reopened(study, folder), nubrek_error_file = \(e) NULL, nubrek_error_database = \(e) NULL
    )
    if (!is.null(kept)) return(kept)
  }
  ledger <- build_study_ledger(study, folder)
  ledger$made_from <- list(
    mark = c(made_from), files = lapply(attr(made_from, "files"), as.list)
  )
  # files would be copied; of a table only the name is kept, for the next look at it
  save_ledger(ledger, folder, exports = inherits(ledger, "nubrek_database"))
  if (inherits(ledger, "nubrek_database")) drop_saved_tables(ledger$db$cons, before$database)
  ledger
}

reopened <- function(study, folder) {
  workspace <- study$data$workspace
  if (is.null(workspace)) return(open_ledger(folder))
  cons <- open_connections(study$data$connection, workspace)
  ledger <- tryCatch(open_ledger(folder, connection = cons), error = \(e) {
    close_connections(cons)
    stop(e)
  })
  fresh <- holding(refresh_ledger(ledger), cons)
  if (fresh$db$mark != ledger$db$mark) {
    save_ledger(fresh, folder)
    close_ledger(ledger)
  }
  fresh
}

# A ledger that stays in its database keeps the connections as long as anybody has it.
holding <- function(ledger, cons) {
  reg.finalizer(ledger$db$alive, \(gone) close_connections(cons), onexit = TRUE)
  ledger
}

# What the ledger of a study depends on: what the study says of it, and the contents of its files.
# Where these were looked at `before` (by stamp and hash), files with the same stamp are not read
# again.
study_fingerprint <- function(study, before = NULL) {
  files <- study_data_files(study)
  stamps <- file_stamp(files)
  # a file of this moment may change once more without another time
  stamps[!file.info(files)$ctime < Sys.time() - 2] <- ""
  known <- before$hash[match(paste(files, stamps), paste(before$path, before$stamp))]
  known[files == "" | stamps == ""] <- NA
  fresh <- is.na(known) & file.exists(files)
  known[fresh] <- rlang::hash_file(files[fresh])
  structure(
    rlang::hash(list(
      as.character(utils::packageVersion("nubrek")),
      study$data,
      study$meanings,
      study$bands,
      erased_customers(study)[c("hash", "deleted")],
      files,
      known,
      if (!is.null(study$data$connection)) database_marks(study)
    )),
    files = list(path = files, stamp = stamps, hash = known)
  )
}

study_data_files <- function(study) {
  named <- unlist(lapply(study$data[names(study$data) != "keep"], files_named))
  files <- as.character(unlist(lapply(study_files(study, named), expand_glob)))
  normalizePath(files, mustWork = FALSE)
}

# How many rows each table of the data has, and the latest day of the orders.
database_marks <- function(study) {
  cons <- open_connections(study$data$connection)
  on.exit(close_connections(cons))
  parts <- c(study$data[setdiff(names(study$data), "joins")], study$data$joins)
  parts <- Filter(\(part) is.list(part) && !is.null(part$table %||% part$query), parts)
  # whether orders that stay where they are have changed is seen when their tables are opened
  if (!is.null(study$data$workspace)) parts$orders <- NULL
  # the orders stand on all servers, the rest on the first
  servers <- lapply(names(parts), \(name) if (name == "orders") cons else cons[1L])
  Map(\(part, con) {
    source <- db_table(con, part$table, part$query)
    date <- as.list(part$columns)$date
    latest <- if (length(date) == 1L && date %in% source$columns) {
      sprintf(", MAX(%s)", DBI::dbQuoteIdentifier(con, date))
    }
    as.character(unlist(ask_database(
      source, paste0("SELECT COUNT(*)", latest, " FROM ", source$from)
    )))
  }, rep(parts, lengths(servers)), unlist(servers))
}

# The files that a part of the data names, at any depth.
files_named <- function(part) {
  if (!is.list(part)) return(character())
  c(part$files, unlist(lapply(part[names(part) != "files"], files_named), use.names = FALSE))
}

# In parts where the study says so; these stand in the `folder`.
build_study_ledger <- function(study, folder = NULL) {
  orders <- study$data$orders
  workspace <- study$data$workspace
  cons <- open_connections(study$data$connection, workspace)
  done <- FALSE
  on.exit(if (is.null(workspace) || !done) close_connections(cons), add = TRUE)
  for (role in names(Filter(\(name) identical(name, "?"), as.list(orders$columns)))) {
    abort_study(
      study$source, c("data", "orders", "columns", role),
      "{.code nubrek new} found no column for {.field {role}}: name it in the place of the ?.",
      role = role
    )
  }
  columns <- do.call(column_map, c(
    as.list(orders$columns), if (!is.null(orders$attributes)) list(attributes = orders$attributes)
  ))
  section <- study$meanings %||% list()
  for (rule in c("test", "cancelled")) {
    if (!is.null(section[[rule]])) section[[rule]] <- do.call(order_rule, section[[rule]])
  }
  if (!is.null(section$kinds)) {
    section$kinds <- lapply(section$kinds, \(rule) do.call(order_rule, rule))
  }
  joins <- lapply(
    study$data$joins,
    \(part) {
      join_table(
        study_source(study, part, cons, c("data", "joins")),
        part$by,
        study_format(part)
      )
    }
  )
  rates <- study$data$rates
  if (!is.null(rates)) {
    rates <- do.call(
      currency_rates, c(list(study_files(study, rates$files)), rates[names(rates) != "files"])
    )
  }
  parts <- study$data$parts
  opening <- if (is.null(parts)) {
    \(...) open_ledger(..., workspace = workspace)
  } else {
    \(...) split_ledger(..., into = parts, folder = folder, exports = FALSE)
  }
  meaning <- do.call(meanings, section)
  erased <- erased_customers(study)
  meaning$erased <- erased
  ledger <- opening(
    study_orders(study, cons),
    columns,
    meaning,
    customers = drop_erased(study_table(study, "customers", cons), erased),
    products = study_table(study, "products", cons),
    aliases = drop_erased(
      study_table(study, "aliases", cons, \(part) c(same_as = part$same_as)), erased
    ),
    joins = unname(joins),
    rates = rates,
    bands = lapply(study$bands, \(rule) do.call(band, rule)),
    format = study_format(orders)
  )
  if (!is.null(workspace)) {
    done <- TRUE
    ledger <- holding(ledger, cons)
  }
  told <- study$data$contacts
  if (is.null(told)) return(ledger)
  source <- study_source(study, told, cons, c("data", "contacts"))
  if (!is.null(erased)) {
    source <- read_source(source, study_format(told))$table
    who <- source[[as.list(told$columns)$customer %||% "customer"]]
    if (!is.null(who)) source <- as.data.frame(source[!is_erased(who, erased)], optional = TRUE)
  }
  add_contacts(ledger, source, told$columns, told$dates, study_format(told))
}

# An absolute folder is taken as it is, any other from the study's own folder.
results_folder <- function(study, folder = NULL) {
  folder <- folder %||% study$results
  if (!is.null(folder)) return(folder)
  folder_name <- study$outputs$folder %||% "nubrek-results"
  if (grepl("^(/|~|[A-Za-z]:)", folder_name)) return(path.expand(folder_name))
  file.path(dirname(study$path), folder_name)
}
