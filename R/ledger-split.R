# Orders that are too many for memory: each row is dealt once to a part by its customer, and each
# part becomes the rows of a ledger. Only one piece of a file, and then one part, is in memory.

#' Split orders into a ledger in parts
#'
#' For more orders than memory holds. The rows are read piece by piece and dealt to `into` parts by
#' a hash of their customer, then each part is taken in and kept in the folder. What needs all parts
#' is decided over all of them: how dates and amounts are written, what was exported twice, the last
#' day. The ledger answers as [open_ledger()] would of the same files, to the cent and the row,
#' going through one part after the other; [open_ledger()] with the folder opens it again, and
#' [append_orders()] deals the next export to the same parts.
#'
#' @inheritParams open_ledger
#' @param orders `[character | data.frame | list]` As in [open_ledger()]. Text files may be larger
#'   than memory; a Parquet or XLSX file is read in one piece.
#' @param into `[integer(1)]` How many parts. Some two million lines each take a gigabyte while they
#'   are taken in.
#' @param folder `[character(1)]` Where the parts are kept: a new folder, or one that an earlier
#'   save made.
#' @param exports `[logical(1)]` Keep the rows as they were read too? Without them the folder has
#'   half its size, and cannot take more orders. Default `TRUE`.
#' @return A `nubrek_ledger` in parts. Its ids, first days and attributes of customers are in
#'   memory, its orders and lines in the folder.
#' @section Errors: Those of [open_ledger()], and `nubrek_error_file` where a part is missing or not
#'   as it was written: no answer is made of fewer parts than there are.
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' lines <- data.frame(
#'   who = c("A", "A", "B"),
#'   receipt = c("1", "2", "3"),
#'   on = c("2024-03-05", "2024-04-01", "2024-03-09"),
#'   paid = c("12.50", "8.00", "30.00")
#' )
#' map <- column_map(customer = "who", order = "receipt", date = "on", sales = "paid")
#' ledger <- split_ledger(lines, map, into = 2, folder = tempfile("ledger"))
#' repeat_rate(ledger)
#' @export
split_ledger <- function(
  orders, columns, meaning = meanings(), into, folder, customers = NULL, products = NULL,
  aliases = NULL, joins = list(), rates = NULL, bands = list(), format = file_format(),
  exports = TRUE
) {
  here <- rlang::current_env()
  check_whole(into)
  check_text(folder)
  throw_unless(checkmate::check_flag(exports), "exports", here)
  origin <- origin_of(rlang::current_env())
  check_opening(origin, meaning, bands)
  if (into > 9999) {
    abort_nubrek("A ledger has at most 9,999 parts.", "argument", call = here)
  }
  make_save_folder(folder, here)
  deal <- deal_orders(orders, origin, as.integer(into), folder, call = here)
  split_into_ledger(list(deal), origin, meaning, bands, as.integer(into), folder, exports, here)
}

# The next export of a ledger in parts; `origin` is what it is made from beside all exports now.
append_to_parts <- function(ledger, orders, origin, call) {
  folder <- ledger$folder
  facts <- saved_facts(folder)
  deals <- facts$parts$deals
  check_deals(folder, deals, call)
  aliases <- alias_lookup(origin$aliases)
  if (!identical(aliases, ledger$aliases %||% aliases[0L])) {
    abort_nubrek(c(
      "Other aliases belong to other parts.", "i" = "Split all orders again, with these aliases."
    ), "aliases", call = call)
  }
  n <- as.integer(facts$parts$n)
  deal <- deal_orders(orders, origin, n, folder, deals, call)
  split_into_ledger(
    c(deals, list(deal)), origin, ledger$meaning, ledger$bands, n, folder, TRUE, call
  )
}

check_deals <- function(folder, deals, call) {
  for (deal in deals) {
    place <- file.path(folder, "exports", deal$folder)
    same <- vapply(
      names(deal$marks), \(name) same_file(file.path(place, name), deal$marks[[name]]), NA
    )
    bad <- names(deal$marks)[!same]
    if (length(bad) == 0L) next
    abort_nubrek(c(
      "The ledger in parts {.file {folder}} is damaged.",
      "x" = paste0(
        "The file {.file {file.path('exports', deal$folder, bad[[1L]])}} is missing or not as it ",
        "was written."
      )
    ), "file", path = folder, call = call)
  }
}

# Which part a customer's rows go to; whoever has no id goes with the empty one.
part_key <- charToRaw("nubrek in parts.")
part_of_ids <- function(ids, n) {
  ids <- enc2utf8(as.character(ids))
  ids[is.na(ids)] <- ""
  as.integer(floor(cpp_keyed_units(ids, part_key) * n)) + 1L
}

# Deals the rows of a source into files of the folder, a few for each part: `folder`, under exports;
# the `paths` of its files with their `rows`; `marks` of what was written. The evidence of all rows
# stands beside them.
deal_orders <- function(source, origin, n, folder, before = list(), call) {
  name <- basename(tempfile("export-"))
  place <- file.path(folder, "exports", name)
  dir.create(place, recursive = TRUE)
  done <- FALSE
  on.exit(if (!done) unlink(place, recursive = TRUE))
  sources <- source_parts(fetched(source, call), call)
  paths <- part_paths(sources)
  files <- file_names(paths)
  columns <- if (length(before) > 0L) as.character(unlist(before[[1L]]$columns))
  place_before <- sum(vapply(before, \(deal) sum(unlist(deal$rows)), 0))
  rows <- numeric(length(sources))
  said <- list()
  evidence <- NULL
  piece <- 0L
  for (i in seq_along(sources)) {
    for_each_piece(sources[[i]], origin$format, call, \(read, share) {
      signal_progress("dealing the orders", (i - 1 + share) / length(sources))
      columns <<- columns %||% names(read$table)
      check_same_columns(names(read$table), columns, files[c(i, 1L)], call)
      read$table <- read$table[columns]
      piece <<- piece + 1L
      found <- deal_piece(
        read, origin, n, place, piece, place_before + sum(rows), files[[i]], rows[[i]], call
      )
      evidence <<- both_evidence(evidence, found)
      rows[[i]] <<- rows[[i]] + read$n
      said <<- how_read(said, read$remarks, paths[[i]])
    })
  }
  if (place_before + sum(rows) > .Machine$integer.max) {
    abort_nubrek("More than 2,147,483,647 rows cannot be numbered.", "file", call = call)
  }
  save_table(evidence$texts, file.path(place, "evidence"))
  save_table(list(order = evidence$nobody), file.path(place, "nobody"))
  written <- list.files(place)
  done <- TRUE
  list(
    folder = name, paths = as.list(paths), rows = as.list(rows), columns = as.list(columns),
    said = said,
    marks = lapply(stats::setNames(nm = written), \(file) file_mark(file.path(place, file)))
  )
}

# How each file was read; what is unusual in one of its pieces is said of the file.
how_read <- function(said, remarks, file) {
  if (is.null(remarks)) return(said)
  words <- sub(paste0(basename(file), ": "), "", remarks$remark[[1L]], fixed = TRUE)
  if (is.null(said[[file]]) || endsWith(said[[file]], "UTF-8")) said[[file]] <- words
  said
}

# One piece: its rows into a file for each part, as they were read, and their places among all rows.
deal_piece <- function(read, origin, n, place, piece, start, file, above, call) {
  joined <- add_joins(read$table, origin$joins, file, call)
  cells <- joined$cells
  check_columns_exist(unname(unclass(origin$columns)), names(cells), file, call)
  written <- trim_cells(role_cells(cells, origin$columns, "customer"))
  ids <- resolve_aliases(levels(written), alias_lookup(origin$aliases))
  part <- part_of_ids(ids, n)[written]
  part[is.na(part)] <- part_of_ids("", n)
  rows <- split(seq_along(part), part)
  for (k in names(rows)) {
    mine <- rows[[k]]
    to <- file.path(place, sprintf("part-%04d-%05d", as.integer(k), piece))
    save_table(lapply(read$table, dealt_texts, mine), to)
    writeBin(as.integer(start + mine), paste0(to, ".bin"))
  }
  piece_evidence(cells, origin, written, above)
}

# Cells of these rows as they are written fastest: many distinct texts as such.
dealt_texts <- function(cells, rows) {
  mine <- narrow_cells(cells, rows)
  if (length(levels(mine)) > length(rows) / 10) as.character(mine) else mine
}

# Cells of these rows, with the texts that stand in them.
narrow_cells <- function(cells, rows) {
  code <- as.integer(cells)[rows]
  if (length(levels(cells)) > 2L * length(rows)) {
    # of very many texts a few are used
    used <- sort(unique(code), method = "radix")
    return(structure(match(code, used), levels = levels(cells)[used], class = "factor"))
  }
  used <- which(tabulate(code, length(levels(cells))) > 0L)
  place <- integer(length(levels(cells)))
  place[used] <- seq_along(used)
  structure(place[code], levels = levels(cells)[used], class = "factor")
}

# What a source is read in: a data frame or a file as a whole, a large text file in pieces that are
# cut between rows, each below the header. `pass` is called with each as cells, and the share read.
for_each_piece <- function(source, format, call, pass) {
  whole <- \() pass(read_cells(list(source), format, call), 1)
  size <- getOption("nubrek.piece", 2^28)
  if (is.data.frame(source) || !file.exists(source) || reader_name(source) != "text") {
    return(whole())
  }
  plain <- plain_text_file(source, format$encoding, call)
  on.exit(if (plain$temporary) unlink(plain$path))
  if (!is.null(plain$encoding) || file.size(plain$path) <= 1.5 * size) return(whole())
  starts <- cpp_piece_starts(plain$path, size)
  from <- file(plain$path, "rb")
  on.exit(close(from), add = TRUE)
  header <- readBin(from, "raw", starts[[1L]])
  folder <- tempfile("piece-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE), add = TRUE)
  to <- file.path(folder, sub("[.]gz$", "", basename(source)))
  for (k in seq_len(length(starts) - 1L)) {
    writeBin(c(header, readBin(from, "raw", starts[[k + 1L]] - starts[[k]])), to)
    read <- tryCatch(read_cells(list(to), format, call), nubrek_error_file = \(e) {
      # the whole file tells the row where it stands
      read_cells(list(source), format, call)
      stop(e)
    })
    pass(read, k / (length(starts) - 1L))
  }
}
