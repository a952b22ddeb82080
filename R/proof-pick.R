# Which rows of a result are asked for, by the values of its columns.

pick_rows <- function(result, ..., call = rlang::caller_env()) {
  wanted <- list(...)
  if (length(wanted) > 0L && !checkmate::test_names(names(wanted), subset.of = names(result))) {
    odd <- setdiff(names(wanted), names(result))
    abort_nubrek(c(
      "Rows are picked by columns of the result.",
      "x" = "Its columns are {.field {names(result)}}.",
      if (length(odd) > 0L) nearest_hint(odd[[1L]], names(result))
    ), "argument", call = call)
  }
  keep <- rep(TRUE, nrow(result))
  for (name in names(wanted)) {
    keep <- keep & picked_by(result, name, wanted[[name]], call)
  }
  if (!any(keep)) {
    abort_nubrek(c(
      "No row of the result is like that.", "i" = "Each value is there, but not together."
    ), "value", call = call)
  }
  plain_table(result)[keep, , drop = FALSE]
}

# Which rows have one of the values in a column; periods also by the label that the print shows.
# Every value must be there.
picked_by <- function(result, name, wanted, call) {
  column <- result[[name]]
  if (inherits(column, "Date") && !inherits(wanted, "Date")) {
    clock <- basis_of(result, "clock") %||% "day"
    words <- period_label(column, clock)
    days <- format(column)
    check_values(
      ifelse(wanted %in% days, words[match(wanted, days)], as.character(wanted)),
      unique(words),
      name,
      call
    )
    return(words %in% wanted | days %in% wanted)
  }
  there <- unique(column)
  if (anyNA(wanted) && !anyNA(column)) check_values("(missing)", format_values(there), name, call)
  check_values(
    format_values(wanted[!is.na(wanted)]), format_values(there[!is.na(there)]), name, call
  )
  column %in% wanted
}

format_values <- function(x) {
  if (is.numeric(x)) {
    format(x, trim = TRUE, digits = 15L)
  } else {
    as.character(x)
  }
}
