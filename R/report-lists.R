#' Write a table as a list for a spreadsheet
#'
#' CSV in UTF-8 with a byte order mark. Text that a spreadsheet would take for a formula (beginning with = + - @, tab or
#' carriage return) gets a leading apostrophe.
#'
#' @param x `[data.frame]` Any result.
#' @param path `[character(1)]` Ending in `.csv`.
#' @param columns `[character]` Only these columns, in this order; default all.
#' @return The path, invisibly. The file is there whole, or not at all.
#' @examples
#' write_list(assign_tiers(example_ledger()), tempfile(fileext = ".csv"), columns = c("customer", "tier"))
#' @export
write_list <- function(x, path, columns = names(x)) {
  throw_unless(checkmate::check_data_frame(x), "x", rlang::current_env())
  check_text(path)
  check_choice(tolower(tools::file_ext(path)), "csv", arg = "path")
  check_columns_exist(columns, names(x), "the table")
  table <- lapply(as.list(plain_table(as.data.frame(x)))[columns], safe_cell)
  write_whole(path, \(to) data.table::fwrite(as.data.table(table), to, bom = TRUE, na = "", dateTimeAs = "ISO", eol = "\n"))
}

safe_cell <- function(x) {
  if (is.factor(x)) x <- as.character(x)
  if (!is.character(x)) return(x)
  risky <- grepl("^[=+@\t\r-]", x)
  x[risky] <- paste0("'", x[risky])
  x
}
