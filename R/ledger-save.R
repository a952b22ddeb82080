#' Save a ledger, and open it again
#'
#' A folder of Parquet files with the meanings and the audit beside them (orders and lines as plain
#' arrays, `.npy`, and the long lists of ids as text, a line each, because they open faster), and a
#' copy of the exports it came from, so that
#' [append_orders()] can add the next one. Of a ledger that stays in its database everything is
#' saved but the orders and lines, which stay in the tables of its `workspace`: the folder then
#' opens with `connection`, in a second, and [refresh_ledger()] sees whether the rows have changed.
#' A save is there whole or not at all: it is written beside
#' the one that stands, which holds until a single file that names the current one is replaced.
#' [open_ledger()] with the folder alone opens it again.
#'
#' @param ledger `[nubrek_ledger]`
#' @param path `[character(1)]` A folder: a new one, or one that an earlier save made.
#' @param exports `[logical(1)]` Keep the exports too? Without them the folder is smaller, and
#'   cannot take more orders. Default `TRUE`.
#' @return The path, invisibly. Invariant: the ledger opened from it equals the one saved.
#' @section Errors: `nubrek_error_file`: the folder is something else, or an export has changed
#'   since the ledger was opened. `nubrek_error_source`: the tables of the ledger are temporary, or
#'   those of a slice.
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' folder <- tempfile("ledger")
#' save_ledger(example_ledger(), folder)
#' open_ledger(folder)
#' @export
save_ledger <- function(ledger, path, exports = TRUE) {
  check_ledger(ledger)
  if (!inherits(ledger, "nubrek_memory")) check_keeps(ledger)
  check_text(path)
  throw_unless(checkmate::check_flag(exports), "exports", rlang::current_env())
  make_save_folder(path, rlang::current_env())
  if (!is.null(ledger$folder)) return(save_parts(ledger, path, exports, rlang::current_env()))
  version <- basename(tempfile("version-"))
  dir.create(file.path(path, version))
  origin <- if (exports && !is.null(ledger$source)) {
    save_source(ledger$source, path, version, rlang::current_env())
  }
  finish_save(
    ledger, path, version, origin, list(database = database_facts(ledger)),
    unlist(lapply(origin$orders, `[[`, "folder"))
  )
  invisible(path)
}

make_save_folder <- function(path, call) {
  need_package("nanoparquet", path, call)
  # what a save leaves that was killed may be written over
  left <- \() all(grepl("^(current|exports|version-[0-9a-f]+|[.]nubrek-[0-9a-f]+[.]?)$", list.files(
    path, all.files = TRUE, no.. = TRUE
  )))
  ours <- \() dir.exists(path) && (left() || !is.null(tryCatch(
    saved_version(path), error = \(e) NULL, warning = \(w) NULL
  )))
  if (file.exists(path) && !ours()) {
    abort_nubrek(c(
      "{.file {path}} is already there and is no saved ledger.", "i" = "Name another folder."
    ), "file", path = path, call = call)
  }
  if (!dir.exists(path) && !dir.create(path, recursive = TRUE)) {
    abort_nubrek("Cannot make the folder {.file {path}}.", "file", path = path, call = call)
  }
}

# The tables of a ledger into a version of its folder, which is current from then on; `more` is said
# in the index, `exports` are the folders of exports that stay.
finish_save <- function(ledger, path, version, origin, more, exports) {
  place <- file.path(path, version)
  tables <- ledger_tables(ledger)
  for (name in names(tables)) {
    signal_progress("saving the ledger", match(name, names(tables)) / length(tables))
    save_table(tables[[name]], file.path(place, name))
  }
  marks <- lapply(
    stats::setNames(nm = list.files(place, recursive = TRUE)),
    \(name) file_mark(file.path(place, name))
  )
  index <- file.path(place, "ledger.json")
  write_text(
    jsonlite::toJSON(
      c(ledger_facts(ledger), list(source = origin), more, list(files = marks)),
      auto_unbox = TRUE, null = "null", digits = NA, pretty = TRUE
    ),
    index
  )
  # from here on the new one holds; what is not current is swept away
  write_text(c(version, rlang::hash_file(index)), file.path(path, "current"))
  sweep <- \(folder, form, stay) {
    if (is_link(folder)) return()
    gone <- file.path(folder, setdiff(list.files(folder, form), stay))
    unlink(gone[!is_link(gone)], recursive = TRUE)
  }
  sweep(path, "^version-[0-9a-f]+$", version)
  sweep(file.path(path, "exports"), "^export-[0-9a-f]+$", exports)
}

is_saved_ledger <- function(path) {
  is.character(path) &&
    length(path) == 1L &&
    !is.na(path) &&
    file.exists(file.path(path, "current"))
}

# The parts of a ledger that are tables, each with columns of one length. The order of each line
# follows from the orders.
ledger_tables <- function(ledger) {
  intake <- ledger$intake
  rows <- if (inherits(ledger, "nubrek_memory")) {
    list(
      orders = ledger$orders,
      lines = as.list(ledger$lines)[setdiff(names(ledger$lines), "number")],
      before = ledger$before
    )
  }
  tables <- c(rows, list(
    customers = c(
      list(.id = ledger$ids, .known_first = ledger$known_first), list(.part = ledger$part_of)[
        !is.null(ledger$part_of)
      ], as.list(ledger$attributes)
    ),
    counts = transform(as.data.frame(intake$counts), reason = as.character(reason)),
    aside = intake$aside,
    identified = intake$identified,
    joins = intake$joins,
    remarks = remarks(ledger)
  ))
  tables$contacts <- ledger$contacts
  if (!is.null(ledger$aliases)) {
    tables$aliases <- list(id = names(ledger$aliases), main = unname(ledger$aliases))
  }
  tables
}

# A table as Parquet; the long ones as arrays; ids, many and nearly all different, as lines of text
# where they are such.
save_table <- function(table, to) {
  ids <- saved_ids[basename(to)]
  if (!is.na(ids)) {
    if (cpp_write_lines(table[[ids]], paste0(to, "-ids.txt"), reading_threads())) {
      table <- table[names(table) != ids]
    } else {
      unlink(paste0(to, "-ids.txt"))
    }
  }
  table <- as.list(table)
  if (basename(to) %in% array_tables) table <- save_arrays(table, to)
  if (length(table) == 0L) return()
  path <- paste0(to, ".parquet")
  nanoparquet::write_parquet(as.data.frame(table, optional = TRUE), path)
  rows <- max(lengths(table))
  if (
    !file.exists(path) ||
      tryCatch(nanoparquet::read_parquet_info(path)$num_rows, error = \(e) -1) != rows
  ) {
    abort_disk(path, "only a part of it could be written")
  }
}

# The columns of a saved table.
saved_table <- function(from) {
  path <- paste0(from, ".parquet")
  rows <- if (file.exists(path)) as.list(nanoparquet::read_parquet(path)) else list()
  ids <- paste0(from, "-ids.txt")
  if (file.exists(ids)) rows[[saved_ids[[basename(from)]]]] <- cpp_read_lines(ids)
  if (!basename(from) %in% array_tables) return(rows)
  arrays <- saved_arrays(from)
  c(rows, arrays$columns)[union(arrays$names, names(rows))]
}

# The column of long ids in the tables that have one.
saved_ids <- c(orders = "order", customers = ".id")

# The rest: single values, the meanings and the bands, as plain text and numbers.
ledger_facts <- function(ledger) {
  plain_rule <- \(x) c(
    list(column = x$column, values = as.list(x$values)),
    if (!is.null(x$in_sales)) list(in_sales = x$in_sales)
  )
  meaning <- lapply(unclass(ledger$meaning)[names(ledger$meaning) != "erased"], \(x) {
    if (inherits(x, "Date")) {
      format(x)
    } else if (inherits(x, "nubrek_rule")) {
      plain_rule(x)
    } else {
      x
    }
  })
  if (!is.null(meaning$kinds)) meaning$kinds <- lapply(meaning$kinds, plain_rule)
  if (!is.null(names(meaning$consent))) meaning$consent <- as.list(meaning$consent)
  meaning$excluded_ids <- as.list(meaning$excluded_ids)
  list(
    format = saved_format,
    history_start = format(ledger$history_start),
    as_of = format(ledger$as_of),
    currency = ledger$currency,
    decimals = ledger$decimals,
    day_order = ledger$day_order,
    least = ledger$least,
    rows = ledger$intake$rows,
    outside = ledger$outside,
    returns = ledger$returns,
    meaning = meaning,
    made_from = ledger$made_from,
    contacts = !is.null(ledger$contacts),
    aliases = !is.null(ledger$aliases),
    bands = lapply(ledger$bands, \(b) list(from = b$from, breaks = as.list(b$breaks), as = b$as))
  )
}

saved_format <- 4L

saved_version <- function(path) {
  name <- readLines(file.path(path, "current"), n = 1L, warn = FALSE)
  if (length(name) == 0L || !grepl("^version-[0-9a-f]+$", name)) {
    stop("it does not say which version is current")
  }
  file.path(path, name)
}

# The index of a saved ledger, whose own hash stands with the name of the version.
saved_facts <- function(path) {
  index <- file.path(saved_version(path), "ledger.json")
  hash <- readLines(file.path(path, "current"), n = 2L, warn = FALSE)[2L]
  if (!identical(rlang::hash_file(index), hash)) stop("its index is not as it was written")
  jsonlite::fromJSON(index, simplifyVector = FALSE)
}

# Every file is as it was written. Parts are only looked for: they are proved when they are opened.
check_saved_files <- function(path, facts) {
  for (name in names(facts$files)) {
    file <- file.path(saved_version(path), name)
    mark <- facts$files[[name]]
    there <- if (startsWith(name, "part-")) {
      isTRUE(file.size(file) == mark$size)
    } else {
      same_file(file, mark)
    }
    if (!there) {
      stop(paste0("the file ", name, " is missing or not as it was written"))
    }
  }
}

# Codes, days and counts must be what the passes over them may assume: looked at before any pass,
# whatever the hashes say.
check_ledger_range <- function(rows, n, from, until) {
  inside <- \(x, low, high, ascending = FALSE) {
    is.integer(x) && cpp_all_within(x, low, high, ascending)
  }
  table <- \(x, n) all(lengths(as.list(x)) == n)
  orders <- rows$orders
  before <- rows$before
  sound <- inside(orders$customer, 1L, n, TRUE) &&
    inside(orders$day, from, until) &&
    inside(orders$n_lines, 0L, .Machine$integer.max) &&
    table(orders, length(orders$customer)) &&
    inside(before$customer %||% integer(), 1L, n) &&
    inside(before$day %||% integer(), -.Machine$integer.max, from - 1L) &&
    table(before, length(before$customer)) &&
    table(rows$lines, sum(as.double(orders$n_lines))) &&
    all(vapply(orders[intersect(c("sales", "cost"), names(orders))], is.double, NA)) &&
    is.double(rows$lines$sales)
  if (!sound) stop("its orders and customers do not fit together")
}

check_known_range <- function(customers) {
  sound <- is.character(customers$.id) && !anyNA(customers$.id) &&
    is.integer(customers$.known_first) && all(lengths(customers) == length(customers$.id))
  if (!sound) stop("its customers do not fit together")
}

open_saved_ledger <- function(path, con = NULL, call = rlang::caller_env()) {
  need_package("nanoparquet", path, call)
  damaged <- \(e) abort_nubrek(c(
    "The saved ledger {.file {path}} is damaged.", "x" = "{conditionMessage(e)}"
  ), "file", path = path, call = call)
  facts <- tryCatch(saved_facts(path), error = damaged)
  if (!identical(as.integer(facts$format), saved_format)) {
    abort_nubrek(c(
      "The saved ledger {.file {path}} was made by another version of this package.",
      "i" = "Open it from its files and save it again."
    ), "file", path = path, call = call)
  }
  signal_progress("opening the saved ledger")
  ledger <- tryCatch(
    {
      check_saved_files(path, facts)
      read <- \(name) saved_table(file.path(saved_version(path), name))
      if (!is.null(facts$parts)) {
        in_its_parts(known_of(read, facts, path), facts, path)
      } else if (is.null(facts$database)) {
        ledger_of(read, facts, path)
      } else {
        known_of(read, facts, path)
      }
    },
    error = damaged
  )
  ledger$meaning$erased <- erased_record(file.path(path, erased_file))
  if (is.null(facts$database)) ledger else in_its_tables(ledger, facts$database, con, path, call)
}

# A ledger from its saved tables and facts.
ledger_of <- function(read, facts, path) {
  known <- known_of(read, facts, path)
  rows <- saved_rows(
    read, length(known$ids), as.integer(known$history_start), as.integer(known$as_of)
  )
  fill_purchases(structure(
    c(rows, unclass(known)), remarks = attr(known, "remarks"), class = class(known)
  ))
}

saved_rows <- function(read, n, from, until) {
  orders <- read("orders")
  lines <- lapply(read("lines"), \(x) if (is.character(x)) code_column(x) else x)
  before <- read("before")
  check_ledger_range(list(orders = orders, lines = lines, before = before), n, from, until)
  lines$number <- cpp_order_of_lines(orders$n_lines)
  list(
    orders = orders[intersect(
      c("customer", "day", "sales", "order", "n_lines", "cost", "free"), names(orders)
    )],
    before = before,
    lines = data.table::setDT(lines)
  )
}

# All but the rows.
known_of <- function(read, facts, path) {
  told <- Filter(Negate(is.null), facts$meaning)
  told$excluded_ids <- as.character(unlist(told$excluded_ids))
  as_rule <- \(rule) order_rule(rule$column, unlist(rule$values), unlist(rule$in_sales))
  for (rule in intersect(c("test", "cancelled"), names(told))) told[[rule]] <- as_rule(told[[rule]])
  if (!is.null(told$kinds)) told$kinds <- lapply(told$kinds, as_rule)
  if (!is.null(told$consent)) told$consent <- unlist(told$consent)
  if (!is.null(told$consent_yes)) told$consent_yes <- unlist(told$consent_yes)
  customers <- read("customers")
  check_known_range(customers)
  counts <- as.data.table(read("counts"))[, reason := factor(reason, c("kept", set_aside_reasons))]
  ledger <- structure(list(
    ids = customers$.id,
    attributes = as.data.table(
      customers[setdiff(names(customers), c(".id", ".known_first", ".part"))]
    ),
    least = facts$least,
    known_first = customers$.known_first,
    history_start = as.Date(facts$history_start),
    as_of = as.Date(facts$as_of),
    meaning = do.call(meanings, told),
    currency = facts$currency,
    decimals = as.integer(facts$decimals),
    day_order = facts$day_order,
    bands = lapply(facts$bands, \(b) band(b$from, unlist(b$breaks), b$as)),
    intake = list(
      counts = counts,
      aside = as.data.frame(read("aside"), optional = TRUE),
      rows = as.integer(facts$rows),
      identified = data.table::setkeyv(as.data.table(read("identified")), "day"),
      joins = as.data.table(read("joins"))
    ),
    returns = facts$returns
  ), remarks = as.data.frame(read("remarks")), class = c("nubrek_memory", "nubrek_ledger"))
  for (name in c("outside", "made_from")) {
    if (!is.null(facts[[name]])) ledger[[name]] <- facts[[name]]
  }
  if (isTRUE(facts$aliases)) {
    known <- read("aliases")
    ledger$aliases <- stats::setNames(known$main, known$id)
  }
  if (isTRUE(facts$contacts)) ledger$contacts <- as.list(read("contacts"))
  ledger$part_of <- customers$.part
  if (!is.null(facts$source)) ledger$source <- saved_source(facts$source, read, path)
  ledger
}
