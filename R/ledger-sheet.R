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
  refuse_bad_text(rows, path, call)
  list(table = as.data.table(rows), said = paste0(
    "XLSX, ", if (is.null(sheet)) "first sheet" else paste0("sheet ", sheet)
  ))
}

# The text of a column of cells. A day without a time of day is written as a day.
sheet_text <- function(cells) {
  result <- rep(NA_character_, length(cells))
  kind <- vapply(
    cells, \(cell) if (length(cell) != 1L || is.na(cell)) "" else class(cell)[[1L]], ""
  )
  pick <- \(which) unlist(cells[kind == which], use.names = FALSE)
  result[kind == "character"] <- pick("character")
  result[kind == "numeric"] <- cpp_shortest_text(as.double(pick("numeric")))
  result[kind == "logical"] <- as.character(pick("logical"))
  place <- kind == "POSIXct"
  if (any(place)) {
    moment <- as.POSIXct(pick("POSIXct"), origin = "1970-01-01", tz = "UTC")
    whole <- as.double(moment) %% 86400 == 0
    result[place] <- ifelse(whole, format(moment, "%Y-%m-%d"), format(moment, "%Y-%m-%d %H:%M:%S"))
  }
  result
}
