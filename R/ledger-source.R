# Files and data frames become tables of text: nothing is guessed, ids keep their zeros, amounts
# their digits.

trim_text <- function(x) {
  if (length(x) == 0L || !is.character(x) || !cpp_text_flags(x)[["edge"]]) return(x)
  needs <- grepl("^[\\s\u00a0]|[\\s\u00a0]$", x, perl = TRUE)
  if (any(needs)) x[needs] <- gsub("^[\\s\u00a0]+|[\\s\u00a0]+$", "", x[needs], perl = TRUE)
  x
}

is_blank <- function(x) cpp_is_blank(as.character(x))

#' How files are written
#'
#' All of it is detected and said; each can be set.
#'
#' @param separator `[character(1)]` `"detect"` (default), or the character between cells: `","`,
#'   `";"`, `"\t"` or `"|"`.
#' @param encoding `[character(1)]` `"detect"` (default: UTF-16 by its mark, UTF-8 where valid, else
#'   Windows-1252), `"UTF-8"`, `"UTF-16"`, `"WINDOWS-1252"` or another name that `iconv()` knows.
#' @param sheet `[character(1)]` Sheet of an XLSX file; default the first.
#' @return A `nubrek_format` list, for [open_ledger()] and [attribute_table()].
#' @examples
#' file_format(separator = ";", encoding = "WINDOWS-1252")
#' @export
file_format <- function(separator = "detect", encoding = "detect", sheet = NULL) {
  check_choice(separator, c("detect", separators))
  check_text(encoding)
  check_text(sheet, null = TRUE)
  structure(
    list(separator = separator, encoding = encoding, sheet = sheet), class = "nubrek_format"
  )
}

separators <- c(",", ";", "\t", "|")

# One source (paths or globs, or a data frame) as a data.table of text (or of the types it has,
# `as_found`), the rows of each file, and how it was read.
read_source <- function(
  source, format = file_format(), call = rlang::caller_env(), as_found = FALSE
) {
  source <- fetched(source, call)
  as_wanted <- \(table) if (as_found) table else as.data.table(lapply(table, column_as_text))
  parts <- source_parts(source, call)
  read <- lapply(parts, \(part) {
    if (is.data.frame(part)) {
      read_data_frame(part, call)
    } else {
      read_one_file(part, format, call)
    }
  })
  columns <- names(read[[1L]]$table)
  files <- file_names(part_paths(parts))
  for (i in seq_along(read)) {
    check_same_columns(names(read[[i]]$table), columns, files[c(i, 1L)], call)
  }
  tables <- lapply(read, `[[`, "table")
  # files of other types than the first one meet as text
  if (length(unique(lapply(tables, \(t) lapply(t, class)[columns]))) > 1L) {
    tables <- lapply(tables, \(t) as.data.table(lapply(t, column_as_text)))
  }
  list(
    table = as_wanted(
      if (length(read) == 1L) tables[[1L]] else rbindlist(tables, use.names = TRUE)
    ),
    rows = vapply(read, \(r) nrow(r$table), 0L),
    files = files,
    remarks = if (!all(vapply(parts, is.data.frame, NA))) {
      told <- lapply(read, `[[`, "said")
      reading_remarks(files[lengths(told) > 0L], unlist(told))
    }
  )
}

check_same_columns <- function(found, columns, files, call) {
  odd <- c(setdiff(found, columns), setdiff(columns, found))
  if (length(odd) == 0L) return(invisible())
  abort_nubrek(c(
    "Files of one source must have the same columns.",
    "x" = "{.file {files[[1L]]}} and {.file {files[[2L]]}} differ in {.field {odd}}."
  ), "columns", call = call)
}

# How files were read, those that were read alike together.
reading_remarks <- function(files, said) {
  alike <- split(basename(files), factor(said, unique(said)))
  remark_table("reading", vapply(names(alike), \(words) {
    names <- unique(alike[[words]])
    more <- length(names) - 3L
    shown <- if (more > 1L) c(names[1:3], paste(more, "more")) else names
    paste0(paste(shown, collapse = ", "), ": ", words)
  }, "", USE.NAMES = FALSE))
}

# A source as a list of paths and data frames.
source_parts <- function(source, call) {
  if (is.data.frame(source)) return(list(source))
  fine <- \(x) is.data.frame(x) ||
    checkmate::test_character(x, any.missing = FALSE, min.len = 1L, min.chars = 1L)
  if (!(is.list(source) && length(source) > 0L && all(vapply(source, fine, NA))) && !fine(source)) {
    abort_nubrek(c(
      "Data must be a data frame or paths of files.", "x" = "It is a {.cls {class(source)}}."
    ), "source", call = call)
  }
  parts <- lapply(
    if (is.character(source)) list(source) else source,
    \(x) if (is.data.frame(x)) list(x) else as.list(unlist(lapply(x, expand_glob)))
  )
  unlist(parts, recursive = FALSE)
}

read_data_frame <- function(table, call) {
  if (anyDuplicated(names(table))) abort_duplicate_header(names(table), "the data frame", call)
  if (nrow(table) == 0L) abort_nubrek("The data frame has no rows.", "file", call = call)
  list(table = as.data.table(table))
}

part_paths <- function(parts) {
  vapply(parts, \(part) {
    if (is.data.frame(part)) attr(part, "source_name") %||% "data frame" else part
  }, "")
}

# How files are called in messages and the audit.
file_names <- function(paths) if (anyDuplicated(basename(paths))) paths else basename(paths)

expand_glob <- function(path) {
  if (!grepl("[*?]", path) || file.exists(path)) return(path)
  found <- sort(Sys.glob(path), method = "radix")
  if (length(found) > 0L) found else path
}

read_one_file <- function(path, format, call) {
  if (!file.exists(path) || dir.exists(path)) {
    abort_nubrek(c(
      "Cannot find the file {.file {path}}.",
      "i" = "Paths in a study file start from the study file's folder."
    ), "file", path = path, call = call)
  }
  read <- reader_of(path)$read(path, format, call)
  rows <- read$table
  if (anyDuplicated(names(rows))) abort_duplicate_header(names(rows), path, call)
  if (nrow(rows) == 0L) {
    abort_nubrek(
      "The file {.file {path}} has a header but no rows.", "file", path = path, call = call
    )
  }
  list(table = rows, said = read$said)
}

abort_duplicate_header <- function(columns, where, call) {
  twice <- unique(columns[duplicated(columns)])
  abort_nubrek(c(
    "Column names must differ.", "x" = "{.file {where}} has {.field {twice}} more than once."
  ), "columns", call = call)
}

column_as_text <- function(x) {
  if (is.list(x)) {
    abort_nubrek("A column of the table is a list; each cell must hold one value.", "source")
  }
  if (inherits(x, "Date")) return(format(x, "%Y-%m-%d"))
  if (inherits(x, "POSIXt")) return(format(x, "%Y-%m-%d %H:%M:%S"))
  if (is.numeric(x) && !is.factor(x) && !inherits(x, c("difftime", "integer64"))) {
    return(cpp_shortest_text(as.double(x)))
  }
  enc2utf8(as.character(x))
}

# Text in Parquet and XLSX is UTF-8 by definition.
refuse_bad_text <- function(columns, paths, call) {
  for (name in names(columns)) {
    text <- columns[[name]]
    if (!is.character(text) || !cpp_text_flags(text)[["wide"]] || all(validUTF8(text))) next
    abort_nubrek(c(
      "{.file {paths}} holds text that is no text.",
      "x" = "A cell of the column {.field {name}} is not UTF-8."
    ), "file", path = paths[[1L]], call = call)
  }
  if (!all(validUTF8(names(columns)))) {
    abort_nubrek(
      "A column of {.file {paths}} has a name that is no text.",
      "file",
      path = paths[[1L]],
      call = call
    )
  }
}

# What only some users need is asked for where it is needed.
need_package <- function(package, path, call) {
  if (!requireNamespace(package, quietly = TRUE)) {
    abort_nubrek(c(
      "Reading {.file {path}} needs the package {.pkg {package}}.",
      "i" = "Install it with {.code install.packages(\"{package}\")}."
    ), "package", call = call)
  }
}
