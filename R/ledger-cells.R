# Cells: a column as a factor of its distinct texts in order of appearance, so that whatever is
# asked of a text is asked once. Columns with many distinct texts keep them as bytes; no R string
# stands behind a text until somebody asks for it.

# How many threads read; the answers do not depend on it.
reading_threads <- function() {
  wanted <- getOption("nubrek.threads") %||% cores_here()
  max(1L, min(64L, as.integer(wanted), na.rm = TRUE))
}

# Asked once: the system takes its time to say.
cores_here <- local({
  known <- NULL
  function() known <<- known %||% parallel::detectCores()
})

# The order rows as cells: `table`, a list of factors; `n` rows; `files` and the rows of each.
read_cells <- function(source, format, call) {
  parts <- source_parts(source, call)
  files_only <- !any(vapply(parts, is.data.frame, NA))
  read <- if (files_only) cells_of_files(unlist(parts), format, call)
  read <- read %||% read_source(source, format, call, as_found = TRUE)
  if (is.null(read$n)) {
    read$n <- nrow(read$table)
    read$table <- as.list(read$table)
    for (name in names(read$table)) {
      read$table[[name]] <- code_column(read$table[[name]])
    } # one by one: what was read may go
  }
  read
}

# Rows numbered by what stands in all of the columns of codes.
number_rows <- function(columns) {
  Reduce(\(a, b) cpp_number_pairs(a, b, 0L)$unit, columns[-1L], columns[[1L]])
}

# How many different texts there are; `among` are those that may be there, which ascend.
count_different <- function(x, among) {
  picked <- if (is.character(x)) cpp_count_picked(x, among) else NA
  if (is.na(picked)) nlevels(code_column(x)) else picked
}

code_column <- function(x) {
  if (is.character(x)) return(cpp_code_column(if (cpp_text_flags(x)[["wide"]]) enc2utf8(x) else x))
  if (is.factor(x) || is.list(x)) return(cpp_code_column(column_as_text(x)))
  if (inherits(x, c("Date", "POSIXct"))) {
    coded <- cpp_code_column(as.double(x))
    like <- as.double(levels(coded))
    attributes(like) <- attributes(x)[c("class", "tzone")]
    return(recode(coded, column_as_text(like)))
  }
  if (is.numeric(x) && !inherits(x, c("difftime", "integer64"))) {
    return(cpp_code_column(as.double(x)))
  }
  cpp_code_column(column_as_text(x))
}

# The same cells with another text for each distinct one; a missing text makes its cells missing.
recode <- function(cells, texts) {
  distinct <- unique(texts[!is.na(texts)])
  structure(match(texts, distinct)[as.integer(cells)], levels = distinct, class = "factor")
}

trim_cells <- function(cells) {
  if (!cpp_text_flags(levels(cells))[["edge"]]) return(cells)
  recode(cells, trim_text(levels(cells)))
}

# What is known of each distinct text, for each row. (A factor picks by its codes.)
spread <- function(values, cells) values[cells]

# The rows whose text is among the hits (a flag for each distinct text); missing cells only if
# wanted.
rows_where <- function(cells, hit, missing = FALSE) {
  missing <- missing && cpp_any_missing(cells)
  if (!any(hit)) return(if (missing) which(is.na(cells)) else integer())
  found <- hit[cells]
  if (missing) found[is.na(cells)] <- TRUE
  which(found)
}

blank_rows <- function(cells) rows_where(cells, is_blank(levels(cells)), missing = TRUE)

all_distinct <- function(cells) cpp_all_distinct(cells, length(levels(cells)))

# Which file a row came from, and its number there; `at` are the places among all rows where these
# are only a part of them.
file_of <- function(read, row) findInterval(place_of(read, row), c(0, cumsum(read$rows)) + 1)
row_in_file <- function(read, row) {
  as.integer(place_of(read, row) - c(0, cumsum(read$rows))[file_of(read, row)])
}
place_of <- function(read, row) if (is.null(read$at)) row else read$at[row]

# The text of a cell, of a row.
cell_text <- function(cells, row) as.character(levels(cells)[cells[row]])
