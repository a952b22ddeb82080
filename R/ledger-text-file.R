# Text files: unpacked, brought to UTF-8, split at the separator found in the header.

read_text_file <- function(path, format, call) {
  plain <- plain_text_file(path, format$encoding, call)
  on.exit(if (plain$temporary) unlink(plain$path))
  refuse_nul(plain$path, path, call)
  if (file.size(plain$path) == 0) {
    abort_nubrek("The file {.file {path}} is empty.", "file", path = path, call = call)
  }
  header <- header_counts(plain$path)
  separator <- if (format$separator != "detect") {
    format$separator
  } else if (all(header == 0L)) {
    ","
  } else {
    separators[[which.max(header)]]
  }
  read <- cpp_read_delimited(plain$path, separator, FALSE)
  if (!is.null(read$fault)) {
    where <- if (read$row > 0) "Row {format(read$row, scientific = FALSE)}" else "The header"
    abort_nubrek(c(
      "The file {.file {path}} is not a regular table.",
      "x" = paste0(where, ": {read$fault}."),
      "i" = paste0(
        "A separator, a quote or a line break inside a cell needs quotes around the cell, and a ",
        "quote in it stands twice."
      )
    ), "file", path = path, row = read$row, call = call)
  }
  rows <- data.table::setDT(read$table)
  recoded <- !all(validUTF8(names(rows)))
  data.table::setnames(rows, named_columns(valid_names(names(rows))))
  for (name in names(rows)) {
    seen <- cpp_text_flags(rows[[name]])
    bad <- if (seen[["wide"]]) which(!validUTF8(rows[[name]])) else integer()
    if (length(bad) > 0L) {
      if (format$encoding == "UTF-8") {
        abort_nubrek(c(
          "The file {.file {path}} is not UTF-8.", "x" = "Column {.field {name}}, row {bad[[1]]}."
        ), "file", path = path, call = call)
      }
      recoded <- TRUE
      data.table::set(
        rows, bad, name, iconv(rows[[name]][bad], "WINDOWS-1252", "UTF-8", sub = "?")
      )
    }
  }
  told <- said_of(separator, if (recoded) "Windows-1252" else plain$encoding)
  list(table = rows, said = paste0(
    told, if (read$mark) "; the mark of the file's end (^Z) in the last line is left out"
  ))
}

# Names in a header that is not UTF-8.
valid_names <- function(names) {
  bad <- !validUTF8(names)
  names[bad] <- iconv(names[bad], "WINDOWS-1252", "UTF-8", sub = "?")
  names
}

# A column without a name has the number where it stands.
named_columns <- function(names) ifelse(names == "", paste("column", seq_along(names)), names)

said_of <- function(separator, encoding) {
  say(
    "cells separated by %s, %s",
    switch(separator,
      "\t" = say("tabs"), "," = say("commas"), ";" = say("semicolons"), "|" = say("bars")
    ),
    encoding %||% "UTF-8"
  )
}

# The fast path: files of one header and regular lines are read into cells by all threads. NULL
# where anything is unusual; then the reader above has its way with them, with the same result or an
# error that says what is wrong.
read_regular_files <- function(paths, format, call) {
  plain <- lapply(paths, plain_text_file, encoding = format$encoding, call = call)
  on.exit(unlink(vapply(Filter(\(p) p$temporary, plain), `[[`, "", "path")))
  place <- vapply(plain, `[[`, "", "path")
  counts <- lapply(place, header_counts)
  separator <- if (format$separator != "detect") {
    format$separator
  } else {
    separators[[which.max(counts[[1L]])]]
  }
  if (
    any(vapply(
      counts,
      \(n) n[[separator]] == 0L ||
        n[[separator]] != counts[[1L]][[separator]] ||
        which.max(n) != which.max(counts[[1L]]),
      NA
    ))
  ) {
    return(NULL)
  }
  headers <- lapply(place, header_names, separator = separator)
  if (
    length(unique(headers)) != 1L ||
      length(headers[[1L]]) != counts[[1L]][[separator]] + 1L ||
      anyDuplicated(headers[[1L]])
  ) {
    return(NULL)
  }
  read <- cpp_read_coded(
    place,
    sum(file.size(place)),
    list(
      separator = separator,
      columns = length(headers[[1L]]),
      chunk = 4194304L,
      threads = reading_threads()
    ),
    \(share) signal_progress("reading orders", share)
  )
  if (is.null(read)) return(NULL)
  list(
    table = stats::setNames(read$columns, headers[[1L]]),
    n = sum(read$rows),
    rows = read$rows,
    files = file_names(paths),
    remarks = reading_remarks(paths, vapply(plain, \(p) said_of(separator, p$encoding), ""))
  )
}

# The names in the header; none where it is unusual.
header_names <- function(path, separator) {
  read <- cpp_read_delimited(path, separator, TRUE)
  found <- names(read$table)
  if (!is.null(read$fault) || !all(validUTF8(found)) || any(grepl("[\r\n]", found))) {
    NULL
  } else {
    named_columns(found)
  }
}

# How often the header line holds each separator, outside quotes.
header_counts <- function(path) {
  header <- readLines(path, n = 1L, warn = FALSE)
  if (length(header) == 0L) header <- ""
  bare <- gsub('"[^"]*"', "", iconv(header, "UTF-8", "UTF-8", sub = "?"))
  vapply(
    stats::setNames(nm = separators), \(s) sum(strsplit(bare, "", fixed = TRUE)[[1L]] == s), 0L
  )
}

# Packed files are unpacked and other encodings turned into UTF-8, in a temporary file; NUL bytes
# are refused.
plain_text_file <- function(path, encoding, call, shown = path) {
  head <- readBin(path, "raw", 65536L)
  starts <- \(mark) length(head) >= length(mark) && identical(head[seq_along(mark)], as.raw(mark))
  if (starts(c(0x1f, 0x8b))) {
    packed <- unpack_gzip(path, call)
    inner <- plain_text_file(packed, encoding, call, shown)
    if (inner$temporary) unlink(packed)
    return(list(path = inner$path, temporary = TRUE, encoding = inner$encoding))
  }
  wide <- starts(c(0xff, 0xfe)) || starts(c(0xfe, 0xff))
  from <- if (encoding == "detect") {
    if (wide) "UTF-16" else "UTF-8"
  } else {
    toupper(encoding)
  }
  if (from == "UTF-8") {
    if (any(head == 0)) {
      abort_nubrek(c(
        "The file {.file {shown}} holds NUL bytes; it is not text.",
        "i" = "Is it UTF-16 without its mark? Set the encoding."
      ), "file", path = path, call = call)
    }
    return(list(path = path, temporary = FALSE, encoding = NULL))
  }
  text <- tryCatch(
    iconv(list(readBin(path, "raw", file.size(path))), from, "UTF-8"), error = \(e) NA_character_
  )
  if (is.na(text)) {
    abort_nubrek(
      "The file {.file {shown}} cannot be read as {from}.", "file", path = path, call = call
    )
  }
  to <- tempfile(fileext = ".csv")
  writeBin(charToRaw(sub("^\ufeff", "", text)), to)
  list(path = to, temporary = TRUE, encoding = from)
}

# A NUL byte is never text: refused with the line it stands in.
refuse_nul <- function(path, shown, call) {
  row <- cpp_first_nul_row(path)
  if (row < 0) return(invisible())
  abort_nubrek(c(
    "The file {.file {shown}} holds NUL bytes; it is not text.",
    "x" = "The first stands in row {format(row, scientific = FALSE)}.",
    "i" = "Is it UTF-16 without its mark? Set the encoding."
  ), "file", path = shown, row = row, call = call)
}

unpack_gzip <- function(path, call) {
  to <- tempfile(fileext = ".csv")
  from <- gzfile(path, "rb")
  result <- file(to, "wb")
  written <- 0
  broken <- \(e) abort_nubrek(
    "The file {.file {path}} cannot be unpacked.", "file", path = path, call = call
  )
  tryCatch(
    while (length(bytes <- readBin(from, "raw", 4194304L)) > 0L) {
      writeBin(bytes, result)
      written <- written + length(bytes)
      refuse_bomb(path, written, call)
    },
    nubrek_error = stop,
    error = broken,
    warning = broken,
    finally = {
      close(from)
      close(result)
    }
  )
  if (gzip_size(readBin(path, "raw", file.size(path))) %% 2^32 != written %% 2^32) {
    abort_nubrek(c(
      "The packed file {.file {path}} is cut short.", "i" = "Get it again."
    ), "file", path = path, call = call)
  }
  to
}

# A packed file that grows beyond all measure is made to fill the machine: more than a thousandfold
# and more than a gigabyte.
refuse_bomb <- function(path, unpacked, call) {
  if (unpacked < 2^30 || unpacked < 1000 * file.size(path)) return(invisible())
  abort_nubrek(c(
    "The file {.file {path}} unpacks to more than a thousand times its size.",
    "i" = "That is no export; unpack it yourself if you trust it."
  ), "file", path = path, call = call)
}

# A gzip file is one or more parts; each begins with a known header and ends with the size of what
# is in it.
gzip_size <- function(bytes) {
  place <- grepRaw(as.raw(c(0x1f, 0x8b, 0x08)), bytes, fixed = TRUE, all = TRUE)
  place <- place[place + 9L <= length(bytes)]
  begins <- place[
    bytes[place + 3L] < 0x20 &
      bytes[place + 8L] %in% as.raw(c(0, 2, 4)) &
      bytes[place + 9L] %in% as.raw(c(0:13, 255))
  ]
  ends <- c(setdiff(begins, 1L) - 1L, length(bytes))
  sum(vapply(ends, \(end) if (end < 4L) NaN else sum(as.integer(bytes[end - 3:0]) * 256^(0:3)), 0))
}
