# The formats that are read: one record each. What has no other ending is text.
#
# `read(path, format, call)` gives a table and what is said of it; `cells(paths, format, call)`
# gives files of one shape as cells, the fast way, or NULL where anything is unusual.
format_reader <- function(endings, read, cells = \(paths, format, call) NULL) {
  list(endings = endings, read = read, cells = cells)
}

format_readers <- list(
  text = format_reader(
    c("csv", "tsv", "txt"),
    read = \(path, format, call) read_text_file(path, format, call),
    cells = \(paths, format, call) read_regular_files(paths, format, call)
  ),
  parquet = format_reader(
    "parquet",
    read = \(path, format, call) read_parquet_file(path, call),
    cells = \(paths, format, call) read_parquet_files(paths, call)
  ),
  xlsx = format_reader(
    "xlsx", read = \(path, format, call) read_sheet(path, format$sheet, call)
  )
)

reader_name <- function(path) {
  ending <- tolower(tools::file_ext(path))
  named <- vapply(format_readers, \(reader) ending %in% reader$endings, NA)
  if (any(named)) names(format_readers)[named] else "text"
}

reader_of <- function(path) format_readers[[reader_name(path)]]

# The endings of files of data, packed ones too.
data_endings <- function() c(unlist(lapply(format_readers, `[[`, "endings")), "gz")

# Files that are all there and of one format, as cells.
cells_of_files <- function(paths, format, call) {
  reader <- unique(vapply(paths, reader_name, ""))
  if (length(reader) != 1L || !all(file.exists(paths)) || any(dir.exists(paths))) return(NULL)
  format_readers[[reader]]$cells(paths, format, call)
}
