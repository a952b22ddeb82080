# What is kept of a run, so that the next one can say what has changed: the numbers by customer, the
# study and the data as they were. It stands beside the results, a folder for each run.

runs_folder <- "runs"
runs_holds <- "records of runs"
run_mark <- "run.json"

#' The runs that were kept
#'
#' [run_study()] keeps a record of each run in the folder of its results: the numbers by customer,
#' the study, the version, and (of the newest two, where the files together have 500 MB at most) a
#' copy of the data. A run of the same data by the same definitions and code is no new one. The
#' folder `runs` holds ids and rows as they were exported, and opens for its owner alone: share the
#' report, not the folder, or say `outputs: runs: no`.
#'
#' @section Nothing is made twice: The parts of the newest run and the figures of its report stand
#'   there too (parts of up to 500 MB; none of tables in a database). The next run, and `nubrek
#'   show`, `list`, `draw` and `workbook`, make only what rests on a section of the study, a file or
#'   code that has changed since; the totals are proved each time. Exports count as changed by their
#'   contents. What another user kept is made again: a secret in the user's own folder
#'   (`R_USER_DATA_DIR`) marks what may be read. A folder `runs` that no run made is refused, and
#'   only files that a run wrote and listed are ever taken away.
#' @param study `[character(1) | nubrek_study]` A study file, or one read by [read_study()].
#' @param folder `[character(1)]` The folder of results; default the study's.
#' @return A `nubrek_runs`, one row per run, the newest last: `run`, its name; `made`, when;
#'   `as_of`; `customers`, with a purchase; `data`, is a copy of the data there?
#' @examples
#' kept_runs(system.file("pellmere", "study.yaml", package = "nubrek"))
#' @export
kept_runs <- function(study, folder = NULL) {
  if (!inherits(study, "nubrek_study")) study <- read_study(study)
  known <- known_runs(results_folder(study, folder))
  take <- \(field, empty) vapply(known, \(one) one[[field]] %||% empty, empty, USE.NAMES = FALSE)
  new_result(list(
    run = basename(take("path", "")),
    made = take("made", ""),
    as_of = as.Date(take("as_of", "")),
    customers = as.integer(take("customers", 0)),
    data = vapply(known, \(one) {
      length(one$copies) > 0L && all(file.exists(file.path(one$path, names(one$copies))))
    }, NA, USE.NAMES = FALSE)
  ), "runs")
}

# The records in a folder of results, the oldest first; what is damaged or another's is none.
known_runs <- function(folder) {
  place <- file.path(folder, runs_folder)
  secret <- if (is_own_folder(place, runs_holds)) user_secret()
  if (is.null(secret)) return(list())
  paths <- list.dirs(place, recursive = FALSE)
  paths <- sort(paths[!is_link(paths)], method = "radix")
  Filter(Negate(is.null), lapply(paths, read_run, secret = secret))
}

read_run <- function(path, secret) {
  texts <- c("made", "as_of", "currency", "definitions", "code", "people")
  shape <- \(told) {
    all(vapply(told[texts], checkmate::test_string, NA)) && !is.na(as.Date(told$as_of)) &&
      checkmate::test_count(told$decimals) && checkmate::test_count(told$customers) &&
      is.data.frame(as_sums(told$sums)) && all(is_inside(as.character(unlist(told$files))))
  }
  told <- read_sealed(file.path(path, run_mark), shape, secret, simplify = TRUE)
  if (is.null(told)) return(NULL)
  told$path <- path
  told$sums <- as_sums(told$sums)
  told
}

# As they are read, and as they are made.
as_sums <- function(x) {
  rows <- data.frame(
    number = as.character(x$number), by = as.character(x$by), level = as.character(x$level),
    top = as.double(x$top), below = as.double(x$below)
  )
  rows[order(rows$number, rows$by, rows$level), ] |> `rownames<-`(NULL)
}

# Do two runs say the same numbers, of the same day?
same_numbers <- function(one, other) {
  identical(one$as_of, other$as_of) && isTRUE(all.equal(one$sums, other$sums))
}

run_people <- function(record) {
  path <- file.path(record$path, "people.csv.gz")
  if (!file.exists(path) || !identical(rlang::hash_file(path), record$people)) {
    abort_nubrek(c(
      "The record of the run {.file {record$path}} is damaged.",
      "i" = "Delete the folder; the next run is compared with an older one."
    ), "file", path = path, call = NULL)
  }
  read <- utils::read.csv(
    gzfile(path), colClasses = "character", check.names = FALSE, encoding = "UTF-8",
    na.strings = character()
  )
  text <- names(read) == "customer" | startsWith(names(read), "by_")
  read[!text] <- lapply(read[!text], as.double)
  as.data.table(read)
}

# What the numbers mean: all of the study but where its files lie and what is done with the results.
definitions_of <- function(study) {
  data <- study$data[setdiff(names(study$data), c("keep", "parts", "workspace", "connection"))]
  without <- \(x) {
    if (!is.list(x)) return(x)
    lapply(x[setdiff(names(x), c("files", "table", "query"))], without)
  }
  rlang::hash(list(
    without(data), study$meanings, study$bands, study$slice, change_groups(study)
  ))
}

# The code that counts: this package as it is installed, R and compiled.
code_of <- function() {
  built <- list.files(
    system.file(c("R", "libs"), package = "nubrek"), "^nubrek[.](rdb|so|dll)$",
    full.names = TRUE, recursive = TRUE
  )
  paste(c(format(utils::packageVersion("nubrek")), rlang::hash_file(built)), collapse = " ")
}

# What results and pictures depend on beside their numbers: the code, the texts and their forms.
code_and_texts <- function() {
  texts <- list.files(
    bindtextdomain("R-nubrek") %||% "", "^R-nubrek[.]mo$", full.names = TRUE, recursive = TRUE
  )
  list(
    code_of(), rlang::hash_file(texts), Sys.getenv("LANGUAGE"), Sys.getlocale(),
    options()[c("nubrek.decimal", "nubrek.day")]
  )
}

change_groups <- function(study) as.character(unlist(study$`repeat`$by))

# The record of a run, beside its results; nothing where the last one says the same.
keep_run <- function(run, folder, made = Sys.time()) {
  study <- run$study
  if (isFALSE(study$outputs$runs)) return()
  people <- change_people(run$ledger, change_groups(study))
  before <- utils::tail(known_runs(folder), 1L)
  facts <- list(
    as_of = format(run$ledger$as_of),
    currency = run$ledger$currency,
    decimals = run$ledger$decimals,
    definitions = definitions_of(study),
    code = code_of(),
    sums = as_sums(sums_of_people(people)),
    customers = sum(people$bought)
  )
  same <- c("currency", "decimals", "definitions", "code")
  if (
    length(before) == 1L &&
      identical(before[[1L]][same], facts[same]) &&
      same_numbers(before[[1L]], facts)
  ) {
    return()
  }
  secret <- user_secret()
  if (is.null(secret)) return()
  last <- basename(vapply(before, `[[`, "", "path"))
  name <- behind_last(format(made, "%Y-%m-%d-%H%M%OS2", tz = "UTC"), last)
  place <- file.path(folder, runs_folder, name)
  draft <- tempfile(".nubrek-", folder)
  on.exit(unlink(draft, recursive = TRUE))
  privately({
    dir.create(draft)
    data.table::fwrite(people, file.path(draft, "people.csv.gz"))
    facts$people <- rlang::hash_file(file.path(draft, "people.csv.gz"))
    facts$made <- format(made, "%Y-%m-%d %H:%M", tz = "")
    facts$study <- study$source$text
    facts$data <- copy_data(study, file.path(draft, "data"))
    facts$files <- list.files(draft, recursive = TRUE)
    copies <- grep("^data/", facts$files, value = TRUE)
    facts$copies <- lapply(
      stats::setNames(nm = copies), \(name) rlang::hash_file(file.path(draft, name))
    )
    write_sealed(facts, file.path(draft, run_mark), secret)
    make_own_folder(dirname(place), runs_holds)
    move_file(draft, place)
  })
  forget_runs(folder, study$outputs$keep_runs)
}

# The name of a run sorts behind that of the last one, also where the clock has gone back.
behind_last <- function(name, last) {
  if (length(last) == 0L || order(c(name, last), method = "radix")[[1L]] == 2L) return(name)
  if (!grepl("-[0-9]{2}$", last) || endsWith(last, "-99")) return(paste0(last, "-01"))
  count <- as.integer(sub(".*-", "", last))
  sub("[0-9]{2}$", sprintf("%02d", count + 1L), last)
}

# Of the newest two the data stay, of the newest 60 the numbers, unless they are older than the
# study keeps them.
forget_runs <- function(folder, keep = NULL, today = Sys.Date()) {
  known <- known_runs(folder)
  if (!is.null(keep)) {
    oldest <- seq(today, by = paste0("-", keep), length.out = 2L)[[2L]]
    old <- vapply(known, \(record) as.Date(record$made) < oldest, NA)
    for (record in known[old]) remove_listed(record$path, c(record$files, run_mark))
    known <- known[!old]
  }
  for (record in utils::head(known, -2L)) remove_listed(record$path, names(record$copies))
  for (record in utils::head(known, -60L)) remove_listed(record$path, c(record$files, run_mark))
}

# A copy of the files that the study's data come from, by section; none of tables of a database, of
# a ledger in parts, where they are large, or where somebody was erased.
copy_data <- function(study, to, most = 500e6) {
  sections <- data_files(study)
  files <- unlist(sections, use.names = FALSE)
  from_tables <- !is.null(study$data$connection) || !is.null(study$data$parts)
  if (from_tables || length(files) == 0L || sum(file.size(files)) > most) return(NULL)
  # the files may still hold who was erased
  if (!is.null(erased_customers(study))) return(NULL)
  dir.create(to)
  lapply(stats::setNames(nm = names(sections)), \(name) {
    dir.create(file.path(to, name))
    names <- basename(sections[[name]])
    called <- sprintf("%03d-%s", seq_along(names), names)
    done <- file.copy(
      sections[[name]], file.path(to, name, called), copy.date = TRUE, copy.mode = FALSE
    )
    if (!all(done)) abort_disk(to, "a copy of the data could not be made")
    as.list(called)
  })
}

# The files of each section of `data`, patterns resolved.
data_files <- function(study) {
  parts <- study$data[setdiff(names(study$data), "keep")]
  files <- lapply(parts, \(part) {
    unlist(lapply(study_files(study, files_named(part)), expand_glob), use.names = FALSE)
  })
  Filter(length, files)
}

# Today's study on the data of then.
study_of_then <- function(study, record) {
  copies <- unlist(record$copies)
  paths <- file.path(record$path, names(copies))
  if (!all(file.exists(paths)) || !identical(unname(copies), rlang::hash_file(paths))) return(NULL)
  for (name in names(record$data)) {
    if (is.null(study$data[[name]]$files)) return(NULL)
    study$data[[name]]$files <- file.path(
      normalizePath(record$path), "data", name, unlist(record$data[[name]])
    )
  }
  if (!setequal(names(data_files(study)), names(record$data))) return(NULL)
  study$data$keep <- NULL
  study$meanings$as_of <- as.Date(record$as_of)
  study
}
