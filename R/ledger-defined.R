# Where nothing may be written: the tables of a workspace as common table expressions, put in front
# of each question that needs them.

defined_remark <- function(db) {
  if (db$writes) return(NULL)
  remark_table("engine", say(
    "Nothing is written to the database: each question folds all rows anew, which takes its time."
  ))
}

# Says what a table holds, on each server. What was said before under the name stays for the tables
# that were defined by it.
define_table <- function(db, name, sql, columns = NULL) {
  own <- db$named(name, anew = TRUE)
  head <- if (!is.null(columns)) paste0("(", paste(columns, collapse = ", "), ")")
  db$shared$defined[[own]] <- paste0(own, head, " AS (", sql, ")")
}

# A question to a server with all that it names, in the order in which it was defined.
with_definitions <- function(db, k, sql) {
  if (db$writes) return(sql)
  defined <- vapply(db$shared$defined, `[[`, "", k)
  wanted <- character()
  look <- sql
  while (length(look) > 0L) {
    look <- setdiff(names_defined(db, look), wanted)
    wanted <- c(wanted, look)
    look <- defined[look]
  }
  if (length(wanted) == 0L) return(sql)
  paste0("WITH ", paste(defined[names(defined) %in% wanted], collapse = ", "), " ", sql)
}

names_defined <- function(db, sql) {
  bare <- unlist(regmatches(sql, gregexpr(paste0(db$mark, "[A-Za-z0-9_]+"), sql)))
  intersect(as.character(DBI::dbQuoteIdentifier(db$con, unique(bare))), names(db$shared$defined))
}

check_rows_unchanged <- function(db) {
  now <- db$rows_now
  if (is.null(now)) return(invisible())
  db$rows_now <- NULL
  if (identical(mark_of_sources(db, now), db$rows_mark)) return(invisible())
  abort_nubrek(c(
    "The rows of {.val {now[[1L]]$name}} are not those that the ledger was opened with.",
    "i" = "Open it from its rows again."
  ), "database", call = db$call)
}

# The rows of a table in a statement: as one list of values, or as so many questions, which every
# engine knows.
table_in_words <- function(db, table, type) {
  cells <- literals(db, table)
  if (nrow(table) == 0L) {
    cells <- stats::setNames(rep(list("NULL"), length(table)), names(table))
  }
  # the first row says of which types they are
  cells <- Map(\(x, type) c(sprintf("CAST(%s AS %s)", x[[1L]], type), x[-1L]), cells, type)
  rows <- do.call(paste, c(unname(cells), sep = ", "))
  if (db$dialect$lists && nrow(table) > 0L) {
    return(paste0("VALUES ", paste0("(", rows, ")", collapse = ", ")))
  }
  rows[[1L]] <- paste0(vapply(cells, `[[`, "", 1L), " AS ", names(table), collapse = ", ")
  sql <- paste0("SELECT ", rows, collapse = " UNION ALL ")
  if (nrow(table) == 0L) paste0("SELECT * FROM (", sql, ") no_row WHERE 0 = 1") else sql
}
