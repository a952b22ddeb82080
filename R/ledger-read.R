# Files and data frames become tables of text: nothing is guessed, ids keep their zeros, amounts their digits.

trim_text <- function(x) {
  if (length(x) == 0L) return(x)
  needs <- grepl("^[\\s\u00a0]|[\\s\u00a0]$", x, perl = TRUE)
  if (any(needs)) x[needs] <- gsub("^[\\s\u00a0]+|[\\s\u00a0]+$", "", x[needs], perl = TRUE)
  x
}

is_blank <- function(x) is.na(x) | trim_text(x) == ""

# One source (paths, or a data frame) as a data.table of text with `.file` and `.row` beside it in the attributes.
read_source <- function(source, call = rlang::caller_env()) {
  if (is.data.frame(source)) {
    if (anyDuplicated(names(source))) abort_duplicate_header(names(source), "the data frame", call)
    table <- as.data.table(lapply(source, column_as_text))
    return(list(table = table, file = rep.int(1L, nrow(table)), row = seq_len(nrow(table)), files = "data frame", remarks = NULL))
  }
  if (!checkmate::test_character(source, any.missing = FALSE, min.len = 1L, min.chars = 1L)) {
    abort_nubrek(c("Data must be a data frame or paths of files.", "x" = "It is a {.cls {class(source)}}."), "source", call = call)
  }
  read <- lapply(source, read_text_file, call = call)
  columns <- names(read[[1L]]$table)
  for (i in seq_along(read)) {
    odd <- c(setdiff(names(read[[i]]$table), columns), setdiff(columns, names(read[[i]]$table)))
    if (length(odd) > 0L) {
      abort_nubrek(c("Files of one source must have the same columns.", "x" = "{.file {source[[i]]}} and {.file {source[[1]]}} differ in {.field {odd}}."),
                   "columns", call = call)
    }
  }
  rows <- vapply(read, \(r) nrow(r$table), 0L)
  list(table = rbindlist(lapply(read, `[[`, "table"), use.names = TRUE), file = rep.int(seq_along(read), rows), row = sequence(rows),
       files = basename(source), remarks = do.call(rbind, lapply(read, `[[`, "remarks")))
}

column_as_text <- function(x) {
  if (is.numeric(x) && !inherits(x, c("Date", "POSIXt", "difftime", "integer64"))) return(cpp_shortest_text(as.double(x)))
  if (inherits(x, "Date")) return(format(x, "%Y-%m-%d"))
  if (inherits(x, "POSIXt")) return(format(x, "%Y-%m-%d %H:%M:%S"))
  if (is.list(x)) abort_nubrek("A column of the data frame is a list; each cell must hold one value.", "source")
  enc2utf8(as.character(x))
}

read_text_file <- function(path, call = rlang::caller_env()) {
  if (!file.exists(path) || dir.exists(path)) {
    abort_nubrek(c("Cannot find the file {.file {path}}.", "i" = "Paths in a study file start from the study file's folder."), "file", path = path, call = call)
  }
  plain <- plain_text_file(path, call)
  on.exit(if (plain$temporary) unlink(plain$path))
  if (file.size(plain$path) == 0) abort_nubrek("The file {.file {path}} is empty.", "file", path = path, call = call)
  trouble <- NULL
  table <- withCallingHandlers(
    tryCatch(fread(plain$path, colClasses = "character", na.strings = NULL, header = TRUE, encoding = "UTF-8", strip.white = FALSE,
                   blank.lines.skip = TRUE, check.names = FALSE, showProgress = FALSE, data.table = TRUE),
             error = \(e) { trouble <<- conditionMessage(e); NULL }),
    warning = \(w) { trouble <<- trouble %||% conditionMessage(w); invokeRestart("muffleWarning") })
  if (!is.null(trouble)) {
    abort_nubrek(c("The file {.file {path}} is not a regular table.", "x" = "{gsub('<<.*|Consider .*', '', trouble)}",
                   "i" = "Is a quote, a line break or a separator inside a cell?"), "file", path = path, call = call)
  }
  if (anyDuplicated(names(table))) abort_duplicate_header(names(table), path, call)
  if (nrow(table) == 0L) abort_nubrek(c("The file {.file {path}} has a header but no rows."), "file", path = path, call = call)
  recoded <- FALSE
  for (name in names(table)) {
    doubled <- which(grepl('""', table[[name]], fixed = TRUE))        # the reader leaves doubled quotes as they are
    if (length(doubled) > 0L) data.table::set(table, doubled, name, gsub('""', '"', table[[name]][doubled], fixed = TRUE))
    bad <- which(!validUTF8(table[[name]]))
    if (length(bad) > 0L) {
      recoded <- TRUE
      data.table::set(table, bad, name, iconv(table[[name]][bad], "WINDOWS-1252", "UTF-8", sub = "?"))
    }
  }
  list(table = table, remarks = if (recoded) remark_table("encoding", paste0(basename(path), " is not UTF-8; it was read as Windows-1252.")))
}

abort_duplicate_header <- function(columns, where, call) {
  twice <- unique(columns[duplicated(columns)])
  abort_nubrek(c("Column names must differ.", "x" = "{.file {where}} has {.field {twice}} more than once."), "columns", call = call)
}

# Packed and UTF-16 files are unpacked to a temporary one; NUL bytes are refused.
plain_text_file <- function(path, call) {
  head <- readBin(path, "raw", 4096L)
  if (length(head) >= 2L && head[[1L]] == 0x1f && head[[2L]] == 0x8b) return(unpack_gzip(path, call))
  if (length(head) >= 2L && (identical(head[1:2], as.raw(c(0xff, 0xfe))) || identical(head[1:2], as.raw(c(0xfe, 0xff))))) {
    to <- tempfile(fileext = ".csv")
    bytes <- readBin(path, "raw", file.size(path))
    text <- iconv(list(bytes), "UTF-16", "UTF-8")
    if (is.na(text)) abort_nubrek("The file {.file {path}} begins as UTF-16 but is not.", "file", path = path, call = call)
    writeBin(charToRaw(text), to)
    return(list(path = to, temporary = TRUE))
  }
  if (any(head == 0)) abort_nubrek(c("The file {.file {path}} holds NUL bytes; it is not text."), "file", path = path, call = call)
  list(path = path, temporary = FALSE)
}

unpack_gzip <- function(path, call) {
  to <- tempfile(fileext = ".csv")
  from <- gzfile(path, "rb")
  out <- file(to, "wb")
  written <- 0
  broken <- \(e) abort_nubrek("The file {.file {path}} cannot be unpacked.", "file", path = path, call = call)
  tryCatch(
    while (length(bytes <- readBin(from, "raw", 4194304L)) > 0L) { writeBin(bytes, out); written <- written + length(bytes) },
    error = broken, warning = broken, finally = { close(from); close(out) })
  if (gzip_size(readBin(path, "raw", file.size(path))) %% 2^32 != written %% 2^32) {
    abort_nubrek(c("The packed file {.file {path}} is cut short.", "i" = "Get it again."), "file", path = path, call = call)
  }
  list(path = to, temporary = TRUE)
}

# A gzip file is one or more parts; each begins with a known header and ends with the size of what is in it.
gzip_size <- function(bytes) {
  at <- which(bytes == 0x1f)
  at <- at[at + 9L <= length(bytes)]
  begins <- at[bytes[at + 1L] == 0x8b & bytes[at + 2L] == 0x08 & bytes[at + 3L] < 0x20 & bytes[at + 8L] %in% as.raw(c(0, 2, 4)) &
                 bytes[at + 9L] %in% as.raw(c(0:13, 255))]
  ends <- c(setdiff(begins, 1L) - 1L, length(bytes))
  sum(vapply(ends, \(end) sum(as.integer(bytes[end - 3:0]) * 256^(0:3)), 0))
}

#' A table of attributes, joined to customers or products by a key
#'
#' @param source `[character]` Paths of files, or a data frame.
#' @param key `[character(1)]` Column with the customer or product id, each at most once.
#' @param attributes `[character]` Columns to keep, `c(name = "column in the file")`; unnamed ones keep their names.
#' @return A `nubrek_table` for the arguments `customers`, `products` and `aliases` of [open_ledger()].
#' @examples
#' attribute_table(data.frame(id = c("A", "B"), town = c("Carrow", "")), key = "id", attributes = "town")
#' @export
attribute_table <- function(source, key, attributes = character()) {
  check_text(key)
  throw_unless(checkmate::check_character(attributes, any.missing = FALSE, min.chars = 1L), "attributes", rlang::current_env())
  names(attributes) <- if (is.null(names(attributes))) attributes else ifelse(names(attributes) == "", attributes, names(attributes))
  read <- read_source(source)
  check_columns_exist(c(key, attributes), names(read$table), read$files[[1L]])
  id <- trim_text(read$table[[key]])
  kept <- read$table[, attributes, with = FALSE]
  data.table::setnames(kept, names(attributes))
  same <- duplicated(data.table(id, kept)) | id == "" | is.na(id)
  kept <- kept[!same]
  id <- id[!same]
  if (anyDuplicated(id)) {
    twice <- unique(id[duplicated(id)])
    abort_nubrek(c("{.field {key}} must be unique in {.file {read$files[[1]]}}, or rows would multiply.",
                   "x" = "{length(twice)} key{?s} stand{?s/} in several rows that differ: {.val {utils::head(twice, 5)}}."), "join", keys = twice)
  }
  structure(list(id = id, attributes = kept, file = read$files[[1L]]), class = "nubrek_table")
}

check_columns_exist <- function(wanted, found, file, call = rlang::caller_env()) {
  lacking <- setdiff(wanted, found)
  if (length(lacking) > 0L) {
    abort_nubrek(c("{.file {file}} has no column {.field {lacking}}.", "x" = "Its columns are {.field {found}}.", nearest_hint(lacking[[1L]], found)),
                 "columns", columns = lacking, call = call)
  }
}
