# Erasing a person from all that Nubrek wrote.

#' Erase customers
#'
#' A customer may ask for erasure. This takes the person out of everything that Nubrek wrote for a
#' study: lists, report and workbook, records of runs and kept parts, a kept ledger, the files of
#' campaigns. Files of your own (orders, customers, contacts, panel) are never changed: each is
#' named with the rows to remove.
#'
#' The total of the till stays: the orders become orders without a customer (`orders = "delete"`
#' excludes them). Sales with a customer id, customers, cohorts and tiers fall by the person. A
#' record beside the study (`nubrek-erased.json`: day and a hash by the user's key, not the id)
#' keeps the person out of later exports, until `again` lets the person in. Lists of customers lose
#' the rows; report and workbook are removed, and the next run makes them again.
#'
#' @param study `[character(1) | nubrek_study]` A study file, or one read by [read_study()]; or the
#'   folder of a ledger that [save_ledger()] keeps with its exports: it is made again of the rest,
#'   and whatever is appended to it comes without the person.
#' @param ids `[character]` Customer ids as the data write them; ids that are the same person by the
#'   study's aliases are erased too.
#' @param orders `[character(1)]` `"keep"`: orders stay without a customer; `"delete"`: they are
#'   excluded.
#' @param again `[logical(1)]` Let these ids in again, instead of erasing them.
#' @param copies `[character(1)]` A folder for copies of your own files without the person.
#' @param folder `[character(1)]` The folder of results; default the study's.
#' @return A `nubrek_erasure`, one row per file or folder: `file`; `what` was done or is to do;
#'   `rows`, how many rows of the persons were taken out or are there (missing where a file goes as
#'   a whole).
#' @section What is not reached: Databases, which are only read, and files elsewhere: mails, printed
#'   lists, backups, lists written with `nubrek list`. Copies of the results folder.
#' @section Errors: `nubrek_error_erased` where the record cannot be read: it is another user's, or
#'   damaged; nothing is let in then. `nubrek_error_source` for a saved ledger whose rows are not in
#'   its folder: one without exports, in parts, or in a database.
#' @examples
#' folder <- tempfile("shop-")
#' dir.create(folder)
#' write.csv(data.frame(
#'   who = c("A", "B", "A"), receipt = 1:3, paid = c(5, 6, 7),
#'   day = c("2024-01-03", "2024-01-09", "2024-02-01")
#' ), file.path(folder, "orders.csv"), row.names = FALSE)
#' writeLines(c(
#'   "data:", "  orders:", "    files: orders.csv",
#'   "    columns: {customer: who, order: receipt, date: day, sales: paid}",
#'   "meanings: {currency: EUR}"
#' ), file.path(folder, "study.yaml"))
#' forget_customer(file.path(folder, "study.yaml"), "A")
#' customers(study_ledger(file.path(folder, "study.yaml")))$customer
#' @export
forget_customer <- function(
  study, ids, orders = "keep", again = FALSE, copies = NULL, folder = NULL
) {
  throw_unless(
    checkmate::check_character(ids, min.chars = 1L, min.len = 1L, any.missing = FALSE), "ids",
    rlang::current_env()
  )
  check_choice(orders, c("keep", "delete"))
  throw_unless(checkmate::check_flag(again), "again", rlang::current_env())
  check_text(copies, null = TRUE)
  secret <- user_secret()
  if (is.null(secret)) {
    abort_nubrek(c(
      "Erasures are known again by a key of the user, and none can be kept.",
      "i" = "Name a folder for it: {.envvar R_USER_DATA_DIR}."
    ), "erased")
  }
  if (is_saved_ledger(study)) {
    return(forget_in_ledger(study, trim_text(ids), orders == "delete", again, secret))
  }
  if (!inherits(study, "nubrek_study")) study <- read_study(study)
  people <- ids_of_people(study, ids)
  record <- file.path(dirname(study$path), erased_file)
  if (again) {
    let_in_again(record, people, secret)
    said <- erasure(record, say("these ids are let in again"), length(people))
    return(told_erasure(dirname(study$path), people, said))
  }
  own <- files_of_people(study, people, copies)
  if (nrow(own) == 0L && !any(is_erased(people, erased_customers(study)))) {
    abort_nubrek(c(
      "No file of the study names {.val {ids}}.", "i" = "Ids are matched as they are written."
    ), "erased")
  }
  write_erased(record, people, orders == "delete", secret)
  results <- results_folder(study, folder)
  told_erasure(dirname(study$path), people, rbind(
    erasure(record, say("written: keeps them out of later runs"), length(people)),
    forget_lists(study, results, people),
    forget_records(results, people, secret),
    forget_kept_ledger(study),
    forget_campaigns(study, people),
    own
  ))
}

# Files of this folder by their place in it.
told_erasure <- function(home, people, rows) {
  rows$file <- sub("^[.]/", "", rows$file)
  home <- paste0(normalizePath(home), "/")
  full <- normalizePath(rows$file, mustWork = FALSE)
  inside <- startsWith(full, home)
  rows$file[inside] <- substring(full[inside], nchar(home) + 1L)
  new_result(
    as.list(rows),
    "erasure",
    remarks = remark_table("elsewhere", say(paste(
      "Not known here: lists written to other places, mails, printed letters, backups, and copies",
      "of these folders."
    ))),
    basis = list(people = length(people), done = sum(!startsWith(rows$what, say("yours: "))))
  )
}

erasure <- function(file = character(), what = character(), rows = integer()) {
  data.frame(file = file, what = rep_len(what, length(file)), rows = as.integer(rows))
}

# All ids that are the same persons, by the aliases of the study.
ids_of_people <- function(study, ids) {
  part <- study$data$aliases
  every_id_of(trim_text(ids), if (!is.null(part$files)) {
    study_table(study, "aliases", NULL, \(part) c(same_as = part$same_as))
  })
}

# Lists lose the rows of these people; what holds them otherwise goes as a whole.
forget_lists <- function(study, results, people) {
  if (!dir.exists(results)) return(erasure())
  lock <- lock_results(results)
  on.exit(unlink(lock))
  known <- read_manifest(results)
  called <- pseudonyms_of(study, people)
  found <- erasure()
  for (name in unique(marked_names(known))) {
    path <- file.path(results, name)
    if (!was_ours(path, known) || is_link(path)) next
    at <- which(marked_names(known) == name)
    if (tools::file_ext(name) != "csv") {
      unlink(path)
      known <- known[-at]
      found <- rbind(found, erasure(path, say("removed: the next run makes it again"), NA))
      next
    }
    n <- drop_rows(path, c(people, called))
    if (n == 0L) next
    known <- known[-at]
    known <- c(known, list(c(list(name = name), file_mark(path))))
    found <- rbind(found, erasure(path, say("rows taken out"), n))
  }
  write_manifest(results, known)
  found
}

# What people are called in lists that show no ids.
pseudonyms_of <- function(study, people) {
  if (people_shown(study) != "pseudonyms") return(NULL)
  pseudonyms(people, study$outputs$key)
}

# Takes rows that name one of these in any cell out of a CSV of ours; gives how many.
drop_rows <- function(path, people) {
  table <- data.table::fread(path, colClasses = "character", na.strings = NULL, encoding = "UTF-8")
  hit <- names_people(table, people)
  if (any(hit)) write_whole(path, \(to) data.table::fwrite(table[!hit], to, bom = has_mark(path)))
  sum(hit)
}

has_mark <- function(path) identical(readBin(path, "raw", 3L), as.raw(c(0xef, 0xbb, 0xbf)))

# Of the records of runs: the rows by customer, the copies of the data, kept parts, pictures.
forget_records <- function(results, people, secret) {
  place <- file.path(results, runs_folder)
  if (!is_own_folder(place, runs_holds)) return(erasure())
  found <- erasure()
  for (record in known_runs(results)) {
    copies <- names(record$copies)
    remove_listed(record$path, copies)
    table <- run_people(record)
    gone <- table$customer %in% people
    if (!any(gone) && length(copies) == 0L) next
    forget_in_record(record, table[!gone], sum(gone), secret)
    found <- rbind(found, erasure(
      record$path, say("rows taken out; the copy of the data is removed"), sum(gone)
    ))
  }
  parts <- file.path(place, parts_folder)
  kept <- if (dir.exists(parts) && !is_link(parts)) list.files(parts, "^[0-9a-f]{32}$|[.]json$")
  if (length(kept) > 0L) {
    remove_listed(parts, kept)
    found <- rbind(found, erasure(parts, say("removed: the next run makes them again"), NA))
  }
  pictures <- file.path(place, pictures_file)
  if (file.exists(pictures)) {
    unlink(pictures)
    found <- rbind(found, erasure(pictures, say("removed: the next run makes it again"), NA))
  }
  found
}

forget_in_record <- function(record, people, n, secret) {
  path <- file.path(record$path, "people.csv.gz")
  facts <- record[setdiff(names(record), c("path", "copies", "data"))]
  privately({
    write_whole(path, \(to) data.table::fwrite(people, to, compress = "gzip"))
    facts$people <- rlang::hash_file(path)
    facts$sums <- as_sums(sums_of_people(people))
    facts$customers <- sum(people$bought)
    facts$files <- intersect(facts$files, "people.csv.gz")
    facts$erased <- (record$erased %||% 0L) + n
    write_sealed(facts, file.path(record$path, run_mark), secret)
  })
}

# A kept ledger is made again from the files, without them.
forget_kept_ledger <- function(study) {
  keep <- study$data$keep
  if (is.null(keep)) return(erasure())
  path <- study_files(study, keep)
  if (is_link(path) || !is_saved_ledger(path)) return(erasure())
  ours <- list.files(path, "^(version|export)-[0-9a-f]+$", full.names = TRUE)
  ours <- c(ours, list.files(file.path(path, "exports"), "^export-[0-9a-f]+$", full.names = TRUE))
  unlink(c(file.path(path, "current"), ours[!is_link(ours)]), recursive = TRUE)
  erasure(path, say("removed: the next run makes it again"), NA)
}

# Campaigns keep their arms without the person.
forget_campaigns <- function(study, people) {
  found <- erasure()
  for (name in names(study$campaigns)) {
    said <- study$campaigns[[name]]
    path <- if (!is.null(said$file)) study_files(study, said$file)
    if (is.null(path) || !file.exists(path)) next
    campaign <- open_campaign(path)
    coded <- isTRUE(basis_of(campaign, "pseudonyms"))
    called <- if (coded) pseudonyms(people, study_key_of(study, name)) else people
    gone <- campaign$customer %in% called
    if (!any(gone)) next
    basis <- attr(campaign, "basis")
    basis$erased <- (basis$erased %||% 0L) + sum(gone)
    write_campaign(basis, list(
      customer = campaign$customer[!gone], arm = campaign$arm[!gone]
    ), coded, path)
    found <- rbind(found, erasure(path, say("taken out of the arms"), sum(gone)))
    for (list in Filter(file.exists, hold_paths(path))) {
      n <- drop_rows(list, called)
      if (n > 0L) found <- rbind(found, erasure(list, say("rows taken out"), n))
    }
  }
  found
}

# The user's own files that name these people, with the rows; copies without them where asked for.
files_of_people <- function(study, people, copies) {
  if (!is.null(copies) && !dir.exists(copies) && !dir.create(copies, recursive = TRUE)) {
    abort_disk(copies, "the folder could not be made")
  }
  files <- unique(study_inputs(study))
  files <- files[file.exists(files) & tools::file_ext(files) %in% c(
    "csv", "gz", "tsv", "txt", "xlsx", "parquet"
  )]
  found <- lapply(files, \(path) {
    table <- read_source(path)$table
    hit <- which(names_people(table, people))
    if (!is.null(copies) && length(hit) > 0L) {
      to <- file.path(copies, sub("[.](xlsx|parquet)$", ".csv", basename(path)))
      if (file.exists(to)) abort_disk(to, "a file of that name is there already")
      write_whole(to, \(draft) data.table::fwrite(
        table[-hit], draft, compress = if (endsWith(to, ".gz")) "gzip" else "none"
      ))
    }
    if (length(hit) == 0L) return(NULL)
    erasure(path, say("yours: remove rows %s", numbers_in_words(hit)), length(hit))
  })
  rest <- if (!is.null(study$data$connection)) {
    erasure(
      paste(study$data$connection, collapse = ", "), say("a database: only read, not looked at"), NA
    )
  }
  do.call(rbind, c(list(erasure()), found, list(rest)))
}

# Rows as they stand below the header, at most so many of them.
numbers_in_words <- function(rows) {
  words <- paste(utils::head(rows, 12L), collapse = ", ")
  if (length(rows) > 12L) paste0(words, ", ...") else words
}

#' @export
describe.nubrek_erasure <- function(x) {
  left <- nrow(x) - basis_of(x, "done")
  list(
    heading = say("Erasure"),
    finding = paste0(
      n_of(basis_of(x, "people"), "id"), say(" in "), n_of(basis_of(x, "done"), "place"), ".",
      if (left > 0L) say(" Left to you: %s that we only read.", n_of(left, "file"))
    ),
    answers = c("file", "what", "rows")
  )
}
