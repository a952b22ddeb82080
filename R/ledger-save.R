#' Save a ledger, and open it again
#'
#' A folder of Parquet files with the meanings and the audit beside them. A save is there whole or not at all: it is written beside the one
#' that stands, which holds until a single file that names the current one is replaced. [open_ledger()] with the folder
#' alone opens it again.
#'
#' @param ledger `[nubrek_ledger]`
#' @param path `[character(1)]` A folder: a new one, or one that an earlier save made.
#' @return The path, invisibly. Invariant: the ledger opened from it equals the one saved.
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' folder <- tempfile("ledger")
#' save_ledger(example_ledger(), folder)
#' open_ledger(folder)
#' @export
save_ledger <- function(ledger, path) {
  check_ledger(ledger)
  check_text(path)
  need_package("nanoparquet", path, rlang::current_env())
  if (file.exists(path) && !is_saved_ledger(path) && (!dir.exists(path) || length(list.files(path, all.files = TRUE, no.. = TRUE)) > 0L)) {
    abort_nubrek(c("{.file {path}} is already there and is no saved ledger.", "i" = "Name another folder."), "file", path = path)
  }
  if (!dir.exists(path) && !dir.create(path, recursive = TRUE)) abort_nubrek("Cannot make the folder {.file {path}}.", "file", path = path)
  version <- basename(tempfile("version-"))
  dir.create(file.path(path, version))
  signal_progress("saving the ledger")
  tables <- ledger_tables(ledger)
  for (name in names(tables)) nanoparquet::write_parquet(as.data.frame(tables[[name]]), file.path(path, version, paste0(name, ".parquet")))
  write_text(jsonlite::toJSON(ledger_facts(ledger), auto_unbox = TRUE, null = "null", digits = NA, pretty = TRUE), file.path(path, version, "ledger.json"))
  # from here on the new one holds; what is not current is swept away
  write_whole(file.path(path, "current"), \(to) write_text(version, to))
  unlink(file.path(path, setdiff(list.files(path, "^version-"), version)), recursive = TRUE)
  invisible(path)
}

is_saved_ledger <- function(path) is.character(path) && length(path) == 1L && !is.na(path) && file.exists(file.path(path, "current"))

# The parts of a ledger that are tables, each with columns of one length.
ledger_tables <- function(ledger) {
  intake <- ledger$intake
  list(orders = ledger$orders, lines = ledger$lines, before = ledger$before, customers = c(list(.id = ledger$ids, .known_first = ledger$known_first), as.list(ledger$attributes)),
       counts = transform(as.data.frame(intake$counts), reason = as.character(reason)), aside = intake$aside, identified = intake$identified, remarks = remarks(ledger))
}

# The rest: single values, the meanings and the bands, as plain text and numbers.
ledger_facts <- function(ledger) {
  meaning <- lapply(unclass(ledger$meaning), \(x) if (inherits(x, "Date")) format(x) else if (inherits(x, "nubrek_rule")) list(column = x$column, values = as.list(x$values)) else x)
  meaning$excluded_ids <- as.list(meaning$excluded_ids)
  list(format = 1L, history_start = format(ledger$history_start), as_of = format(ledger$as_of), currency = ledger$currency, decimals = ledger$decimals, least = ledger$least,
       rows = ledger$intake$rows, outside = ledger$outside, returns = ledger$returns, meaning = meaning,
       bands = lapply(ledger$bands, \(b) list(from = b$from, breaks = as.list(b$breaks), as = b$as)))
}

open_saved_ledger <- function(path, call = rlang::caller_env()) {
  need_package("nanoparquet", path, call)
  folder <- file.path(path, readLines(file.path(path, "current"), n = 1L, warn = FALSE))
  damaged <- \(e) abort_nubrek(c("The saved ledger {.file {path}} is damaged.", "x" = "{conditionMessage(e)}"), "file", path = path, call = call)
  read <- \(name) tryCatch(as.data.table(as.data.frame(nanoparquet::read_parquet(file.path(folder, paste0(name, ".parquet"))))), error = damaged)
  facts <- tryCatch(jsonlite::fromJSON(file.path(folder, "ledger.json"), simplifyVector = FALSE), error = damaged)
  said <- Filter(Negate(is.null), facts$meaning)
  said$excluded_ids <- as.character(unlist(said$excluded_ids))
  for (rule in intersect(c("test", "cancelled"), names(said))) said[[rule]] <- order_rule(said[[rule]]$column, unlist(said[[rule]]$values))
  customers <- read("customers")
  counts <- read("counts")
  counts[, reason := factor(reason, c("kept", set_aside_reasons))]
  ledger <- structure(list(
    orders = as.list(read("orders")), before = as.list(read("before")), lines = read("lines"), ids = customers$.id,
    attributes = customers[, setdiff(names(customers), c(".id", ".known_first")), with = FALSE],
    least = facts$least, known_first = customers$.known_first, history_start = as.Date(facts$history_start), as_of = as.Date(facts$as_of), meaning = do.call(meanings, said),
    currency = facts$currency, decimals = as.integer(facts$decimals), bands = lapply(facts$bands, \(b) band(b$from, unlist(b$breaks), b$as)),
    intake = list(counts = counts, aside = as.data.frame(read("aside")), rows = as.integer(facts$rows), identified = data.table::setkeyv(read("identified"), "day")), returns = facts$returns),
    remarks = as.data.frame(read("remarks")), class = "nubrek_ledger")
  if (!is.null(facts$outside)) ledger$outside <- facts$outside
  fill_purchases(ledger)
}
