#' Write a table as a list for colleagues
#'
#' CSV in UTF-8 with a byte order mark; XLSX and Parquet with the types of their columns. Text that
#' a spreadsheet would take for a formula (beginning with = + - @, tab or carriage return) gets a
#' leading apostrophe in CSV and is a text cell in XLSX. The order of rows is that of the table.
#'
#' @param x `[data.frame]` Any result.
#' @param path `[character(1)]` Ending in `.csv`, `.xlsx` or `.parquet`.
#' @param columns `[character]` Only these columns, in this order; default all.
#' @param apart `[character(1)]` A column: one sheet (XLSX) or file (`name - group.csv`) for each of
#'   its values, such as a sheet for each shop.
#' @param ledger,contact `[nubrek_ledger]`, `[character]` Attributes of the customers in `ledger`,
#'   see [customers()], to carry along behind `customer`, such as `"email"`. The list then holds
#'   only customers who agreed to be contacted, by the `consent` of [meanings()]; a message says how
#'   many are left out.
#' @param contact_by `[character(1)]` The way of contact, where the meanings name a consent for
#'   each.
#' @param without_consent `[logical(1)]` Are customers who did not agree listed as well?
#' @return The paths written, invisibly. Each file is there whole, or not at all.
#' @section Errors: `nubrek_error_consent`: contact columns are asked for, and it is not said who
#'   agreed to be contacted.
#' @examples
#' write_list(
#'   assign_tiers(example_ledger()), tempfile(fileext = ".csv"), columns = c("customer", "tier")
#' )
#' ranked <- rank_customers(example_ledger(), within = "first_channel", top = 2)
#' write_list(ranked, tempfile(fileext = ".csv"), apart = "first_channel")
#' @export
write_list <- function(
  x, path, columns = NULL, apart = NULL, ledger = NULL, contact = NULL, contact_by = NULL,
  without_consent = FALSE
) {
  throw_unless(checkmate::check_data_frame(x), "x", rlang::current_env())
  check_text(path)
  check_text(apart, null = TRUE)
  ending <- tolower(tools::file_ext(path))
  check_choice(ending, names(list_writers), arg = "path")
  rows <- plain_table(as.data.frame(x))
  throw_unless(checkmate::check_flag(without_consent), "without_consent", rlang::current_env())
  if (!is.null(contact)) {
    rows <- carry_contact(rows, ledger, contact, contact_by, without_consent)
    told <- attr(rows, "consent")
    if (!is.null(told)) rlang::inform(told, class = "nubrek_consent")
  }
  columns <- columns %||% names(rows)
  check_columns_exist(c(columns, apart), names(rows), "the table")
  if (is.null(apart)) return(invisible(list_writers[[ending]](list(list = rows[columns]), path)))
  group <- ifelse(is.na(rows[[apart]]), "(missing)", as.character(rows[[apart]]))
  parts <- split(rows[columns], factor(group, unique(group)))
  invisible(list_writers[[ending]](parts, path))
}

# Attributes of the customers behind the customer column, for those who agreed to be contacted; the
# attribute `consent` says who is left out, or on the list all the same.
carry_contact <- function(
  table, ledger, contact, contact_by = NULL, without_consent = FALSE, call = rlang::caller_env()
) {
  check_ledger(ledger, call = call)
  throw_unless(checkmate::check_character(contact, any.missing = FALSE), "contact", call)
  check_columns_exist("customer", names(table), "the table", call)
  contact <- meant_attributes(ledger, contact)
  check_columns_exist(contact, attribute_names(ledger), say("the customer attributes"), call)
  consent <- consent_of(ledger, table$customer, contact_by, !without_consent, call)
  agreed <- is.null(consent$answer) | consent$answer %in% TRUE
  told <- if (is.null(consent$answer)) {
    consent$told
  } else if (!all(agreed)) {
    words <- consent_words(consent)
    if (without_consent) {
      say("Listed although they did not agree to be contacted (%s).", words)
    } else {
      say("Left out: who did not agree to be contacted (%s).", words)
    }
  }
  if (!without_consent && !all(agreed)) table <- table[agreed, ]
  mine <- ledger_customers(ledger, contact, ledger_codes(ledger, table$customer))
  place <- match("customer", names(table))
  # what the table has already stands once; its own columns are never replaced by others
  there <- vapply(contact, \(name) {
    identical(as.character(table[[name]]), as.character(mine[[name]]))
  }, NA)
  names(mine) <- ifelse(contact %in% names(table) & !there, paste0("customer_", contact), contact)
  rest <- setdiff(names(table)[-seq_len(place)], contact[there])
  structure(
    cbind(table[seq_len(place)], mine, table[rest]),
    consent = told, left_out = if (!all(agreed)) sum(!agreed)
  )
}

# What a run lists of customers: with the contact columns that the study asks for.
contact_list <- function(run, x) {
  contact <- run$study$outputs$contact
  if (is.null(contact)) return(plain_table(x))
  carry_contact(plain_table(x), run$ledger, contact, run$study$outputs$contact_by)
}

# The same for a table on a page, with what it is based on.
with_contact <- function(page, x) {
  if (is.null(page$contact)) return(x)
  with_basis(carry_contact(plain_table(x), page$ledger, page$contact, page$contact_by), x)
}

# The formats that are written: one record each, by their endings. `write(parts, path)` takes named
# tables and gives the files it made.
list_writers <- list(
  csv = \(parts, path) one_file_each(parts, path, write_csv_file, whole_csv),
  parquet = \(parts, path) write_parquet_files(parts, path),
  xlsx = \(parts, path) write_sheets(parts, path)
)

write_csv_file <- function(part, to) {
  data.table::fwrite(
    as.data.table(lapply(part, safe_cell)), to, bom = TRUE, na = "", dateTimeAs = "ISO", eol = "\n"
  )
}

whole_csv <- function(part, to) {
  held <- data.table::fread(
    to, select = 1L, header = TRUE, colClasses = "character", sep = ",", blank.lines.skip = FALSE
  )
  row_words(nrow(held), part)
}

write_parquet_files <- function(parts, path) {
  need_package("nanoparquet", path, rlang::caller_env(2L))
  one_file_each(
    parts,
    path,
    \(part, to) nanoparquet::write_parquet(plain_cells(part), to),
    \(part, to) row_words(nanoparquet::read_parquet_info(to)$num_rows, part)
  )
}

write_sheets <- function(parts, path) {
  need_package("openxlsx", path, rlang::caller_env(2L))
  parts <- lapply(parts, plain_cells)
  names(parts) <- sheet_names(names(parts))
  write_whole(
    path,
    \(to) {
      book <- openxlsx::createWorkbook()
      for (name in names(parts)) {
        add_sheet(book, name, parts[[name]])
      }
      openxlsx::saveWorkbook(book, to, overwrite = TRUE)
    },
    \(to) {
      held <- utils::unzip(to, list = TRUE)$Name
      if (sum(grepl("^xl/worksheets/sheet", held)) < length(parts)) {
        say("only a part of the workbook could be written")
      }
    }
  )
  path
}

add_sheet <- function(book, name, part) {
  openxlsx::addWorksheet(book, name)
  # text goes into text cells, never into formulas
  openxlsx::writeData(
    book, name, part, headerStyle = openxlsx::createStyle(textDecoration = "bold")
  )
  openxlsx::freezePane(book, name, firstRow = TRUE)
  if (ncol(part) == 0L) return(invisible())
  openxlsx::setColWidths(
    book, name, seq_along(part), pmin(40, pmax(10, nchar(names(part)) + 2))
  )
}

plain_cells <- function(part) as.data.frame(lapply(part, plain_cell), optional = TRUE)

# A list that was cut holds fewer rows.
row_words <- function(found, part) {
  if (found != nrow(part)) {
    say("%d of %d rows could be written", as.integer(found), nrow(part))
  }
}

one_file_each <- function(parts, path, write, whole) {
  paths <- if (length(parts) == 1L && identical(names(parts), "list")) {
    path
  } else {
    paste0(
      tools::file_path_sans_ext(path), " - ", file_words(names(parts)), ".", tools::file_ext(path)
    )
  }
  for (i in seq_along(parts)) {
    write_whole(
      paths[[i]],
      \(to) write(parts[[i]], to),
      if (ncol(parts[[i]]) > 0L) \(to) whole(parts[[i]], to)
    )
  }
  paths
}

# Names of groups as parts of file names: nothing that a file system takes for something else, no
# two alike.
file_words <- function(names) {
  make.unique(substr(gsub("[^[:alnum:] ._()-]+|^[.]+", "_", enc2utf8(names)), 1L, 80L), sep = "-")
}

# Sheets have at most 31 characters, some of them not allowed, and differ without regard to case.
sheet_names <- function(names) {
  result <- substr(gsub("[][*?:/\\\\'[:cntrl:]]", "_", names), 1L, 28L)
  result[result == ""] <- "_"
  twice <- duplicated(tolower(result))
  result[twice] <- paste0(substr(result[twice], 1L, 25L), " ", which(twice))
  result
}

plain_cell <- function(x) if (is.factor(x)) as.character(x) else x

# A text that a spreadsheet would take for a formula gets a leading apostrophe, whatever invisible
# signs stand before it and in whatever width it is written (definition 39).
safe_cell <- function(x) {
  if (is.factor(x)) x <- as.character(x)
  if (!is.character(x)) return(x)
  risky <- grepl(
    "^[\ufeff\u200b\u200e\u200f\u00a0 ]*[=+@\t\r\uff1d\uff0b\uff20\uff0d-]",
    enc2utf8(x),
    perl = TRUE
  )
  x[risky] <- paste0("'", x[risky])
  x
}
