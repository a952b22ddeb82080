# How engines differ, a record for each; all else is the SQL that they share.

# `is` are classes of connections. `text` and `whole` are types; `trim` takes blanks off both ends;
# `same` compares where NULL equals NULL; `bytes` sorts texts by their bytes; `divide` whole
# numbers, rounded down; `pair` makes one value of two.
dialects <- list(
  SQLite = list(
    is = "SQLiteConnection",
    text = "TEXT",
    whole = "INTEGER",
    trim = "trim(%s, %s)",
    same = "%s IS %s",
    bytes = "%s COLLATE BINARY",
    divide = "%s / %s",
    pair = "%s || '-' || %s"
  ),
  PostgreSQL = list(
    is = c("PqConnection", "PostgreSQLConnection"),
    text = "TEXT",
    whole = "BIGINT",
    trim = "btrim(%s, %s)",
    same = "%s IS NOT DISTINCT FROM %s",
    bytes = "%s COLLATE \"C\"",
    divide = "%s / %s",
    pair = "%s || '-' || %s"
  ),
  DuckDB = list(
    is = "duckdb_connection",
    text = "VARCHAR",
    whole = "BIGINT",
    trim = "trim(%s, %s)",
    same = "%s IS NOT DISTINCT FROM %s",
    bytes = "%s",
    divide = "%s // %s",
    pair = "%s || '-' || %s"
  )
)

dialect_of <- function(con, call = rlang::caller_env()) {
  name <- Find(\(name) inherits(con, dialects[[name]]$is), names(dialects))
  if (is.null(name)) {
    abort_nubrek(c(
      "A ledger cannot stay in this database.",
      "x" = "The connection is a {.cls {class(con)[[1]]}}.",
      "i" = "Known are {.val {names(dialects)}}; without {.arg workspace} the rows are fetched."
    ), "database", call = call)
  }
  c(list(name = name), dialects[[name]])
}

# A place to work in: temporary tables, or tables of a schema, all with a name of their own.
open_workspace <- function(con, workspace, call = rlang::caller_env()) {
  mark <- paste0("nubrek_", substr(rlang::hash(list(Sys.time(), stats::runif(1L))), 1L, 10L), "_")
  list(
    con = con,
    dialect = dialect_of(con, call),
    temporary = workspace == "temporary",
    # a name in the workspace, quoted
    named = \(name) {
      bare <- as.character(DBI::dbQuoteIdentifier(con, paste0(mark, name)))
      if (workspace == "temporary") return(bare)
      paste0(as.character(DBI::dbQuoteIdentifier(con, workspace)), ".", bare)
    },
    call = call
  )
}

tell_database <- function(db, ...) {
  sql <- paste0(c(...), collapse = "")
  tryCatch(DBI::dbExecute(db$con, sql), error = \(e) workspace_trouble(db, e))
}

# What a query answers, whole numbers as doubles.
ask_workspace <- function(db, ...) {
  sql <- paste0(c(...), collapse = "")
  found <- tryCatch(DBI::dbGetQuery(db$con, sql), error = \(e) workspace_trouble(db, e))
  for (name in names(found)) {
    if (inherits(found[[name]], "integer64")) found[[name]] <- as.double(found[[name]])
  }
  as.data.table(found)
}

workspace_trouble <- function(db, e) {
  said <- gsub("\\s+", " ", conditionMessage(e))
  abort_nubrek(c(
    "The database did not do what the ledger asked of it.",
    "x" = "The engine says: {.emph {said}}"
  ), "database", call = db$call)
}

make_table <- function(db, name, ...) {
  drop_tables(db, name)
  tell_database(
    db, "CREATE ", if (db$temporary) "TEMPORARY ", "TABLE ", db$named(name), " AS ", ...
  )
}

drop_tables <- function(db, names) {
  for (name in names) {
    tell_database(db, "DROP TABLE IF EXISTS ", db$named(name))
  }
}

make_index <- function(db, name, columns) {
  tell_database(db, "CREATE INDEX ", db_name(db, paste(
    c(gsub("[^[:alnum:]_]", "", db$named(name)), columns), collapse = "_"
  )), " ON ", db$named(name), " (", paste(columns, collapse = ", "), ")")
}

# A small table of ours, sent to the workspace.
send_table <- function(db, name, table) {
  drop_tables(db, name)
  id <- DBI::SQL(db$named(name))
  tryCatch(
    {
      DBI::dbCreateTable(db$con, id, as.data.frame(table), temporary = db$temporary)
      DBI::dbAppendTable(db$con, id, as.data.frame(table))
    },
    error = \(e) workspace_trouble(db, e)
  )
}

db_name <- function(db, name) as.character(DBI::dbQuoteIdentifier(db$con, name))
db_text <- function(db, text) as.character(DBI::dbQuoteString(db$con, enc2utf8(text)))
trimmed <- function(db, sql) {
  sprintf(db$dialect$trim, sql, db_text(db, " \t\n\v\f\r\u00a0"))
}
