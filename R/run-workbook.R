# The workbook of a run: contents, a sheet a part, definitions, remarks.

#' Write a study as a workbook
#'
#' An XLSX file: a sheet of contents with what each part found, one sheet a part (numbers as
#' numbers, with their formats, small groups pale, cohort grids shaded), the definitions and the
#' remarks. Text is text, never a formula. As in [render_report()], people stand in it only if the
#' study says so (`outputs: people`), and groups of fewer than `outputs: least` customers do not.
#'
#' @param run `[nubrek_run]` From [run_study()].
#' @param path `[character(1)]` Ending in `.xlsx`.
#' @return The path, invisibly. The file is there whole, or not at all.
#' @section Errors: `nubrek_error_package` without the package openxlsx.
#' @examples
#' \donttest{
#' if (requireNamespace("openxlsx", quietly = TRUE)) {
#'   run <- run_study(system.file("pellmere", "study.yaml", package = "nubrek"), folder = NA)
#'   write_workbook(run, tempfile(fileext = ".xlsx"))
#' }
#' }
#' @export
write_workbook <- function(run, path) {
  throw_unless(checkmate::check_class(run, "nubrek_run"), "run", rlang::current_env())
  check_choice(tolower(tools::file_ext(path)), "xlsx", arg = "path")
  need_package("openxlsx", path, rlang::current_env())
  before <- study_forms(run$study)
  on.exit(options(before))
  page <- new_page(run)
  sheets <- unlist(lapply(unname(book_parts(run)), book_sheets, run), recursive = FALSE)
  page$remarks <- unique(unlist(lapply(sheets, `[[`, "remarks"), use.names = FALSE))
  ready <- Filter(Negate(is.null), lapply(sheets, \(sheet) prepare_sheet(page, sheet)))
  called <- sheet_names(c(
    "Contents", vapply(ready, `[[`, "", "name"), "Definitions", "Remarks"
  ))
  for (i in seq_along(ready)) {
    ready[[i]]$called <- called[[i + 1L]]
  }
  forms <- sheet_forms()
  write_whole(
    path,
    \(to) {
      book <- openxlsx::createWorkbook(creator = "nubrek")
      openxlsx::modifyBaseFont(book, fontSize = 10, fontName = "Arial")
      write_contents(book, called[[1L]], run, page, ready, forms)
      for (sheet in ready) {
        write_sheet(book, sheet, forms)
      }
      write_words(book, utils::tail(called, 2L), run, page, forms)
      openxlsx::saveWorkbook(book, to, overwrite = TRUE)
    },
    \(to) {
      held <- utils::unzip(to, list = TRUE)$Name
      if (sum(grepl("^xl/worksheets/sheet", held)) < length(called)) {
        say("only a part of the workbook could be written")
      }
    }
  )
  invisible(path)
}

# The parts whose results are tables, or several of them by name.
book_parts <- function(run) {
  Filter(\(part) part$in_run && length(run[[part$name]]) > 0L, part_records())
}

book_sheets <- function(part, run) {
  x <- run[[part$name]]
  if (!is.data.frame(x)) {
    return(lapply(names(x), \(name) book_sheet(
      paste(part$name, name), x[[name]], paste0(part$about, ": ", name), remarks(x[[name]])$remark
    )))
  }
  named <- gsub("_", " ", part$name)
  grids <- if (part$name == "cohorts") {
    lapply(page_measures(run), \(measure) book_grid(
      gsub("_", " ", measure), grid_measure(run$cohorts, measure)
    ))
  }
  c(list(book_sheet(named, x, part$about, remarks(x)$remark)), grids)
}

write_contents <- function(book, name, run, page, sheets, forms) {
  openxlsx::addWorksheet(book, name, gridLines = FALSE)
  put <- \(x, row, ...) openxlsx::writeData(book, name, x, startRow = row, ...)
  put(run$study$study %||% say("Customers and repeat buying"), 1L)
  openxlsx::addStyle(book, name, forms$heading, 1L, 1L)
  put(paste0(
    basis_line(run$audit), say("; history from "), format_day(run$ledger$history_start), "."
  ), 2L)
  put(paste(c(describe(run$proof)$finding, people_words(page)), collapse = " "), 3L)
  put(data.frame(
    sheet = "", tells = vapply(sheets, `[[`, "", "about"),
    found = vapply(sheets, `[[`, "", "finding"),
    rows = vapply(sheets, \(sheet) nrow(sheet$shown), 0L)
  ), 5L, headerStyle = forms$head)
  for (i in seq_along(sheets)) {
    openxlsx::writeFormula(book, name, startRow = 5L + i, x = openxlsx::makeHyperlinkString(
      sheet = sheets[[i]]$called, row = 1L, col = 1L,
      text = gsub("\"", "\"\"", sheets[[i]]$called, fixed = TRUE)
    ))
  }
  openxlsx::addStyle(
    book, name, forms$wrapped, 5L + seq_along(sheets), 1:4, gridExpand = TRUE, stack = TRUE
  )
  openxlsx::setColWidths(book, name, 1:4, c(24, 46, 90, 10))
  openxlsx::freezePane(book, name, firstActiveRow = 6L)
}

# What the words mean, section by section, and the remarks by their numbers.
write_words <- function(book, called, run, page, forms) {
  terms <- do.call(rbind, lapply(report_sections, \(section) {
    found <- if (!is.null(section$terms)) Filter(is.character, section$terms(run))
    if (length(found) == 0L) return(NULL)
    data.frame(section = section$link, term = names(found), meaning = unlist(found))
  }))
  remarks <- data.frame(number = seq_along(page$remarks), remark = page$remarks %||% character())
  wide <- list(c(18, 30, 110), c(10, 130))
  for (i in 1:2) {
    openxlsx::addWorksheet(book, called[[i]], gridLines = FALSE)
    openxlsx::writeData(
      book, called[[i]], list(terms, remarks)[[i]],
      headerStyle = forms$head
    )
    openxlsx::setColWidths(book, called[[i]], seq_along(wide[[i]]), wide[[i]])
    openxlsx::freezePane(book, called[[i]], firstRow = TRUE)
  }
}
