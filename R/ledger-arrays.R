# Long columns of a saved ledger as they lie in memory, a file each: numbers in the open format of
# plain arrays (.npy, version 1.0, in the byte order of the machine), which is written and read at
# the speed of the disk; the levels of a factor stand in the index beside them.

array_tables <- c("orders", "lines")
byte_order <- if (.Platform$endian == "little") "<" else ">"

# Writes the columns that are plain numbers or factors; gives those that are not.
save_arrays <- function(table, to) {
  plain <- \(x) is.numeric(x) && is.null(attributes(x))
  taken <- \(i) plain(table[[i]]) || identical(class(table[[i]]), "factor")
  arrays <- Filter(taken, seq_along(table))
  columns <- lapply(arrays, \(i) {
    x <- table[[i]]
    file <- sprintf("%s-%d.npy", to, i)
    write_array(x, file)
    list(
      name = names(table)[[i]], file = basename(file),
      levels = if (is.factor(x)) as.list(as.character(levels(x)))
    )
  })
  index <- list(names = as.list(names(table)), columns = columns)
  write_text(jsonlite::toJSON(index, auto_unbox = TRUE, null = "null"), paste0(to, ".json"))
  table[setdiff(seq_along(table), arrays)]
}

write_array <- function(x, path) {
  head <- sprintf(
    "{'descr': '%s%s', 'fortran_order': False, 'shape': (%.0f,), }",
    byte_order, if (typeof(x) == "integer") "i4" else "f8", length(x)
  )
  head <- paste0(head, strrep(" ", -(nchar(head) + 11L) %% 64L), "\n")
  size <- as.raw(c(nchar(head) %% 256L, nchar(head) %/% 256L))
  start <- c(as.raw(0x93), charToRaw("NUMPY"), as.raw(c(1, 0)), size, charToRaw(head))
  if (!cpp_write_array(x, start, path)) abort_disk(path, "only a part of it could be written")
}

# The columns of a table that were saved so, and the names of all.
saved_arrays <- function(from) {
  index <- jsonlite::fromJSON(paste0(from, ".json"), simplifyVector = FALSE)
  columns <- lapply(index$columns, \(column) {
    x <- read_array(file.path(dirname(from), basename(column$file)))
    if (is.null(column$levels)) return(x)
    levels <- as.character(unlist(column$levels))
    beyond <- \(x) min(x, 1L, na.rm = TRUE) < 1L || max(x, 0L, na.rm = TRUE) > length(levels)
    if (!is.integer(x) || beyond(x)) stop("a column holds codes without a level")
    structure(x, levels = levels, class = "factor")
  })
  list(
    names = unlist(index$names),
    columns = stats::setNames(columns, vapply(index$columns, `[[`, "", "name"))
  )
}

read_array <- function(path) {
  open <- file(path, "rb")
  on.exit(close(open))
  start <- readBin(open, "raw", 8L)
  if (!identical(start[2:6], charToRaw("NUMPY"))) stop("an array has no head")
  size <- readBin(open, "integer", 1L, size = 2L, signed = FALSE, endian = "little")
  head <- rawToChar(readBin(open, "raw", size))
  form <- paste0("'descr': '", byte_order, "(i4|f8)'.*'shape': \\(([0-9]+),\\)")
  told <- regmatches(head, regexec(form, head))[[1L]]
  if (length(told) != 3L) stop("an array has no head of this machine's byte order")
  n <- as.double(told[[3L]])
  whole <- told[[2L]] == "i4"
  if (file.size(path) < 10 + size + n * if (whole) 4 else 8) stop("an array is cut short")
  cpp_read_array(path, 10L + size, n, whole)
}
