# Sheets of the workbook: numbers as numbers, money and shares formatted, the head frozen.

workbook_rows <- 100000L # more than anybody reads; lists hold the rest

# A sheet: its name, its table, what stands above it, what to mind.
book_sheet <- function(name, x, about, remarks = character()) {
  list(name = name, x = x, about = about, remarks = remarks)
}

# A grid with cohorts down and ages across, to be shaded.
book_grid <- function(name, measure) {
  rows <- plain_table(measure)
  clock <- basis_of(measure, "clock")
  wide <- data.table::dcast(
    as.data.table(rows[c("cohort", "size", "age", "value")]), cohort + size ~ age,
    value.var = "value"
  )
  names(wide)[-(1:2)] <- paste("age", names(wide)[-(1:2)])
  wide$cohort <- period_label(wide$cohort, clock)
  kind <- grid_measures[[basis_of(measure, "measure")]]$kind
  ages <- names(wide)[-(1:2)]
  x <- structure(as.data.frame(wide, optional = TRUE), basis = with_fields(
    attr(measure, "basis"), list(kinds = stats::setNames(rep(kind, length(ages)), ages))
  ))
  sheet <- book_sheet(name, x, capital(measure_words(measure)), remarks(measure)$remark)
  sheet$shaded <- ages
  sheet
}

# How a spreadsheet writes a kind.
number_form <- function(kind, decimals) {
  digits <- \(n) if (n > 0L) paste0(".", strrep("0", n)) else ""
  switch(kind,
    money = paste0("#,##0", digits(decimals)),
    share = "0.0%",
    count = "#,##0",
    date = "yyyy-mm-dd",
    p = "0.000",
    decimal = "#,##0.00",
    number = "#,##0.0000",
    mixed = paste0("#,##0", digits(decimals))
  )
}

# The looks of cells.
sheet_forms <- function() {
  form <- openxlsx::createStyle
  list(
    heading = form(textDecoration = "bold", fontSize = 13),
    quiet = form(fontColour = "#5d6a74"),
    few = form(fontColour = "#5d6a74", textDecoration = "italic"),
    head = form(
      textDecoration = "bold", fgFill = "#f1ece2", border = "bottom", borderColour = "#d9d2c5",
      wrapText = TRUE, valign = "bottom"
    ),
    wrapped = form(wrapText = TRUE, valign = "top")
  )
}

# The sheet in the book: heading, basis, the head of the table in the fourth row.
write_sheet <- function(book, sheet, forms) {
  openxlsx::addWorksheet(book, sheet$called, gridLines = FALSE)
  put <- \(x, row, ...) openxlsx::writeData(book, sheet$called, x, startRow = row, ...)
  style <- \(form, rows, columns, over = FALSE) openxlsx::addStyle(
    book, sheet$called, form, rows, columns, gridExpand = TRUE, stack = over
  )
  put(if (nzchar(sheet$finding)) sheet$finding else sheet$about, 1L)
  style(forms$heading, 1L, 1L)
  put(paste(c(sheet$notes, basis_line(sheet$x)), collapse = " "), 2L)
  style(forms$quiet, 2L, 1L)
  shown <- sheet$shown
  if (ncol(shown) == 0L) return(invisible())
  kinds <- basis_of(sheet$x, "kinds", NULL)
  kind <- vapply(names(shown), \(name) kind_of(name, shown[[name]], kinds), "")
  headed <- plain_cells(shown)
  names(headed) <- make.unique(vapply(names(shown), \(name) column_title(
    name, shown[[name]], kinds, basis_of(sheet$x, "currency", NULL)
  ), ""), sep = " ")
  put(headed, 4L, headerStyle = forms$head, withFilter = nrow(shown) > 0L)
  openxlsx::freezePane(book, sheet$called, firstActiveRow = 5L, firstActiveCol = 2L)
  rows <- 4L + seq_len(nrow(shown))
  decimals <- basis_of(sheet$x, "decimals", NULL) %||% 2L
  for (one in setdiff(kind, c("text", "cell", "yes"))) {
    style(openxlsx::createStyle(numFmt = number_form(one, decimals)), rows, which(kind == one))
  }
  few <- which(few_rows(shown))
  if (length(few) > 0L) style(forms$few, 4L + few, seq_along(shown), over = TRUE)
  if (!is.null(sheet$shaded)) {
    openxlsx::conditionalFormatting(
      book, sheet$called, cols = match(sheet$shaded[-1L], names(shown)), rows = rows,
      style = c("#e9efe9", "#1f6f78"), type = "colourScale"
    )
  }
  openxlsx::setColWidths(book, sheet$called, seq_along(shown), column_widths(headed))
}

# As wide as the longest cell of the first rows, within reason.
column_widths <- function(cells) {
  widest <- vapply(cells, \(x) {
    text <- if (is.double(x)) format(round(utils::head(x, 200L), 2)) else utils::head(x, 200L)
    max(6L, nchar(as.character(text)), na.rm = TRUE)
  }, 0)
  pmin(48, pmax(widest, ceiling(nchar(names(cells)) * 0.7)) + 3)
}

# What of a sheet is shown: people as the study allows, groups that are large enough, so many rows.
prepare_sheet <- function(page, sheet) {
  x <- sheet$x
  if (of_people(x)) {
    x <- people_rows(page, x)
    if (is.null(x)) return(NULL)
  }
  held <- large_enough(x, page$least)
  rows <- plain_table(held$rows)
  sheet$shown <- utils::head(rows, workbook_rows)
  told <- if (inherits(sheet$x, "nubrek_result")) describe(sheet$x)$finding
  sheet$finding <- told %||% ""
  notes <- table_words(nrow(sheet$shown), nrow(rows), FALSE, held$left, page$least)
  marked <- match(sheet$remarks, page$remarks)
  sheet$notes <- c(notes, if (length(marked) > 0L) {
    paste0(say("To be minded: "), paste(marked, collapse = ", "), say(" of the sheet Remarks."))
  })
  sheet
}
