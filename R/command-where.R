# Rows of a table by what their columns say: "tier=cashmere,merino; sales>=100". Read here, never
# evaluated as code.

filter_where <- function(x, where) {
  if (!validUTF8(where)) {
    abort_usage("{.val {iconv(where, 'UTF-8', 'UTF-8', sub = 'byte')}} is no text.", "list")
  }
  conditions <- trimws(strsplit(where, ";", fixed = TRUE)[[1L]])
  for (one in conditions[nzchar(conditions)]) {
    x <- x[where_rows(x, one), , drop = FALSE]
  }
  if (nrow(x) == 0L) {
    abort_nubrek(c(
      "No row fulfils {.val {where}}.", "i" = "Each condition is possible, but not all together."
    ), "value", call = NULL)
  }
  attr(x, "whole") <- nrow(x)
  x
}

where_rows <- function(x, condition) {
  parts <- regmatches(
    condition, regexec("^([^=<>!]+?)\\s*(>=|<=|!=|=|>|<)\\s*(.+)$", condition, perl = TRUE)
  )[[1L]]
  if (length(parts) == 0L) {
    abort_usage(c("{.val {condition}} is no condition.", "i" = paste0(
      "Such as {.code tier=cashmere,merino} or {.code sales>=100}; several are divided by ",
      "{.code ;}."
    )), "list")
  }
  name <- trimws(parts[[2L]])
  check_columns_exist(name, names(x), "the table", NULL)
  column <- x[[name]]
  operator <- parts[[3L]]
  wanted <- trimws(strsplit(parts[[4L]], ",", fixed = TRUE)[[1L]])
  if (operator %in% c("=", "!=")) {
    rows <- among(x, name, wanted)
    return(which(if (operator == "=") rows else !rows))
  }
  limit <- where_limit(column, wanted, name)
  compare <- list(`>=` = `>=`, `<=` = `<=`, `>` = `>`, `<` = `<`)[[operator]]
  which(compare(if (is.factor(column)) as.integer(column) else column, limit))
}

# Which rows have one of the values; "(missing)" for none, periods by the label that is shown.
among <- function(x, name, wanted) {
  column <- x[[name]]
  empty <- "(missing)" %in% wanted
  wanted <- setdiff(wanted, "(missing)")
  hit <- if (length(wanted) == 0L) {
    rep(FALSE, length(column))
  } else {
    picked_by(
      x,
      name,
      if (is.numeric(column)) {
        where_limit(column, wanted, name)
      } else if (is.logical(column)) {
        tolower(wanted) %in% c("yes", "true")
      } else {
        wanted
      },
      NULL
    )
  }
  hit & !is.na(column) | (empty & is.na(column))
}

where_limit <- function(column, wanted, name) {
  limit <- if (inherits(column, "Date")) {
    as.Date(wanted, optional = TRUE)
  } else if (is.numeric(column)) {
    suppressWarnings(as.numeric(wanted))
  } else {
    NA
  }
  if (anyNA(limit)) {
    abort_nubrek(c(
      "{.val {wanted}} cannot be compared with {.field {name}}.",
      "x" = "{.field {name}} holds {.cls {class(column)}}."
    ), "value", call = NULL)
  }
  limit
}
