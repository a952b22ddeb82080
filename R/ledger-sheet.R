# Workbooks.

# Every cell comes as what it is: text stays text, days become days, numbers the shortest text that
# is the same number.
read_sheet <- function(path, sheet, call) {
  need_package("readxl", path, call)
  parts <- tryCatch(suppressWarnings(utils::unzip(path, list = TRUE)), error = \(e) NULL)
  if (!is.null(parts)) refuse_bomb(path, sum(parts$Length), call)
  # by the library, apart, for a broken workbook can bring it down
  rows <- apart(
    tryCatch(
      lapply(
        suppressMessages(readxl::read_excel(
          path, sheet = sheet, col_types = "list", .name_repair = "minimal"
        )),
        sheet_text
      ),
      error = conditionMessage
    ),
    file.size(path)
  )
  if (!is.list(rows)) {
    told <- rows %||% "The library that reads it broke down."
    abort_nubrek(c(
      "The file {.file {path}} cannot be read as XLSX.", "x" = "{told}"
    ), "file", path = path, call = call)
  }
  long <- vapply(rows, \(text) attr(text, "long") %||% NA_integer_, 0L)
  rows <- lapply(rows, as.vector)
  refuse_bad_text(rows, path, call)
  warn_of_digits(long[!is.na(long)], path)
  list(table = as.data.table(rows), said = paste0(
    "XLSX, ", if (is.null(sheet)) "first sheet" else paste0("sheet ", sheet)
  ))
}

# A workbook keeps 15 digits of a number: an id of more has lost its end before we read it.
warn_of_digits <- function(long, path) {
  if (length(long) == 0L) return(invisible())
  rlang::warn(paste(say(
    paste0(
      "Column %s of '%s' holds numbers of more than 15 digits, first in row %d. A workbook keeps ",
      "15 digits of a number, so they may have changed. Format the column as text where the file ",
      "is made, or export it as CSV."
    ),
    names(long), basename(path), long
  ), collapse = "\n"), class = c("nubrek_warning_digits", "nubrek_warning"))
}

# The text of a column of cells. A day without a time of day is written as a day. The first row with
# a number of more digits than a workbook keeps stands beside it.
sheet_text <- function(cells) {
  result <- rep(NA_character_, length(cells))
  kind <- vapply(
    cells, \(cell) if (length(cell) != 1L || is.na(cell)) "" else class(cell)[[1L]], ""
  )
  pick <- \(which) unlist(cells[kind == which], use.names = FALSE)
  result[kind == "character"] <- pick("character")
  number <- as.double(pick("numeric"))
  result[kind == "numeric"] <- cpp_shortest_text(number)
  long <- which(kind == "numeric")[abs(number) >= 1e15]
  result[kind == "logical"] <- as.character(pick("logical"))
  place <- kind == "POSIXct"
  if (any(place)) {
    moment <- as.POSIXct(pick("POSIXct"), origin = "1970-01-01", tz = "UTC")
    whole <- as.double(moment) %% 86400 == 0
    result[place] <- ifelse(whole, format(moment, "%Y-%m-%d"), format(moment, "%Y-%m-%d %H:%M:%S"))
  }
  if (length(long) > 0L) attr(result, "long") <- long[[1L]]
  result
}
