# Parquet, by our own reader where it can, else by the library.

read_parquet_file <- function(path, call) {
  need_package("nanoparquet", path, call)
  try_parquet(path, character(), call)
  rows <- data.table::setDT(parquet_part(path, NULL))
  refuse_bad_text(rows, path, call)
  list(table = rows, said = "Parquet")
}

parquet_part <- function(path, columns) {
  tryCatch(
    if (is.null(columns)) {
      nanoparquet::read_parquet(path)
    } else {
      nanoparquet::read_parquet(path, col_select = columns)
    },
    error = \(e) abort_nubrek(c(
      "The file {.file {path}} is not sound Parquet.", "x" = "{conditionMessage(e)}"
    ), "file", path = path, call = NULL)
  )
}

# What the library makes of a file but for some columns, and in which columns whole numbers lie at
# 2^53 or beyond, where doubles cannot tell them apart: as ids they would merge.
look_at_parquet <- function(path, but_for) {
  rows <- nanoparquet::read_parquet_info(path)$num_rows
  if (rows > .Machine$integer.max || rows > 1e4 * file.size(path)) {
    stop(
      "It says to hold ", format(rows, scientific = FALSE), " rows in ", file.size(path), " bytes."
    )
  }
  schema <- nanoparquet::read_parquet_schema(path)
  columns <- setdiff(schema$name[!is.na(schema$type)], but_for)
  shown <- if (length(columns) > 0L) nanoparquet::read_parquet(path, col_select = columns)
  plain <- \(x) is.numeric(x) && !inherits(x, c("POSIXt", "difftime", "Date", "hms"))
  far <- lapply(
    shown[intersect(
      schema$name[schema$type %in% "INT64"], Filter(\(name) plain(shown[[name]]), names(shown))
    )],
    \(x) which(abs(as.double(x)) >= 2^53)
  )
  Filter(length, far)
}

# The library is tried on the files apart. Columns that our own reader takes need no trial.
try_parquet <- function(paths, but_for, call, look = look_at_parquet) {
  found <- apart(
    lapply(paths, \(path) tryCatch(look(path, but_for), error = conditionMessage)),
    max(file.size(paths))
  )
  for (i in seq_along(paths)) {
    path <- paths[[i]]
    notes <- if (is.list(found)) found[[i]] else "The library that reads Parquet broke down on it."
    if (is.character(notes)) {
      abort_nubrek(c(
        "The file {.file {path}} is not sound Parquet.", "x" = "{notes}"
      ), "file", path = path, call = call)
    }
    if (length(notes) > 0L) {
      abort_nubrek(c(
        "{.field {names(notes)[[1]]}} in {.file {path}} holds numbers too long to be told apart.",
        "x" = "Row {notes[[1]][[1]]}, {length(notes[[1]])} in all, at 2^53 or beyond.",
        "i" = "Export the column as text."
      ), "file", path = path, rows = notes[[1L]], call = call)
    }
  }
}

# Parquet files of one shape as cells: texts, whole numbers and days by our own reader, which makes
# codes of their pages, all others by the library's. NULL where that has to read all.
read_parquet_files <- function(paths, call) {
  need_package("nanoparquet", paths[[1L]], call)
  signal_progress("reading orders")
  read <- tryCatch(cpp_parquet_texts(paths, reading_threads()), error = \(e) list())
  if (length(read$texts) == 0L || anyDuplicated(read$columns)) return(NULL)
  others <- setdiff(read$columns, names(read$texts))
  if (length(others) > 0L) try_parquet(paths, names(read$texts), call)
  rest <- lapply(paths, \(path) if (length(others) > 0L) parquet_part(path, others))
  if (length(unique(lapply(rest, \(t) lapply(t, class)))) > 1L) return(NULL)
  rest <- if (length(rest) == 1L) rest[[1L]] else rbindlist(rest)
  refuse_bad_text(c(lapply(read$texts, levels), rest), paths, call)
  shown <- c(read$texts, lapply(stats::setNames(nm = others), \(name) code_column(rest[[name]])))
  list(
    table = shown[read$columns],
    n = sum(read$rows),
    rows = read$rows,
    files = file_names(paths),
    remarks = reading_remarks(paths, rep("Parquet", length(paths)))
  )
}
