# How engines differ, a record for each; all else is the SQL that they share.

# `is` are classes of connections, `appends` those whose driver appends tables. `text`, `whole` and
# `number` are types; `trim` takes blanks off both ends;
# `same` compares where NULL equals NULL; `bytes` sorts texts by their bytes; `divide` whole
# numbers, rounded down; `pair` makes one value of two.
dialects <- list(
  SQLite = list(
    is = "SQLiteConnection",
    appends = "SQLiteConnection",
    text = "TEXT",
    whole = "INTEGER",
    number = "DOUBLE",
    trim = "trim(%s, %s)",
    same = "%s IS %s",
    bytes = "%s COLLATE BINARY",
    index_has_schema = TRUE,
    divide = "%s / %s",
    pair = "%s || '-' || %s"
  ),
  PostgreSQL = list(
    is = c("PqConnection", "PostgreSQLConnection"),
    appends = "PqConnection",
    text = "TEXT",
    whole = "BIGINT",
    number = "DOUBLE PRECISION",
    trim = "btrim(%s, %s)",
    same = "%s IS NOT DISTINCT FROM %s",
    bytes = "%s COLLATE \"C\"",
    divide = "%s / %s",
    pair = "%s || '-' || %s"
  ),
  DuckDB = list(
    is = "duckdb_connection",
    appends = "duckdb_connection",
    text = "VARCHAR",
    whole = "BIGINT",
    number = "DOUBLE",
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
  mark <- paste0(basename(tempfile("nubrek_")), "_")
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
    shared = new.env(), # whose `tables` nobody needs any more, and what was `told`
    alive = new.env(), # as long as anybody has the ledger or a slice of it
    call = call
  )
}

sweep_tables <- function(db) {
  tables <- intersect(db$shared$tables, db$shared$made)
  db$shared$tables <- NULL
  for (table in tables) {
    DBI::dbExecute(db$con, paste("DROP TABLE IF EXISTS", table))
    db$shared$made <- setdiff(db$shared$made, table)
  }
}

tell_database <- function(db, ...) {
  sql <- paste0(c(...), collapse = "")
  tryCatch(
    {
      sweep_tables(db)
      told(db, sql, \() DBI::dbExecute(db$con, sql), \(done) 0)
    },
    error = \(e) workspace_trouble(db, e)
  )
}

# What a query answers, whole numbers as doubles.
ask_workspace <- function(db, ...) {
  sql <- paste0(c(...), collapse = "")
  found <- tryCatch(
    told(db, sql, \() DBI::dbGetQuery(db$con, sql), nrow),
    error = \(e) workspace_trouble(db, e)
  )
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
  db$shared$made <- c(db$shared$made, db$named(name))
  tell_database(
    db, "CREATE ", if (db$temporary) "TEMPORARY ", "TABLE ", db$named(name), " AS ", ...
  )
}

# Takes away those of the tables that were made, all if none is named.
drop_tables <- function(db, names = NULL) {
  tables <- if (is.null(names)) db$shared$made else vapply(names, db$named, "")
  for (table in intersect(tables, db$shared$made)) {
    tell_database(db, "DROP TABLE IF EXISTS ", table)
    db$shared$made <- setdiff(db$shared$made, table)
  }
}

make_index <- function(db, name, columns) {
  table <- db$named(name)
  parts <- strsplit(table, ".", fixed = TRUE)[[1L]]
  index <- db_name(db, paste(
    c(gsub("[^[:alnum:]_]", "", parts[[length(parts)]]), columns), collapse = "_"
  ))
  # an engine may want the schema at the index, not at the table
  if (isTRUE(db$dialect$index_has_schema) && length(parts) > 1L) {
    index <- paste0(parts[[1L]], ".", index)
    table <- parts[[2L]]
  }
  columns <- paste(columns, collapse = ", ")
  tell_database(db, "CREATE INDEX ", index, " ON ", table, " (", columns, ")")
}

# A small table of ours, sent to the workspace.
send_table <- function(db, name, table) {
  drop_tables(db, name)
  id <- DBI::SQL(db$named(name))
  db$shared$made <- c(db$shared$made, as.character(id))
  tryCatch(
    {
      column <- vapply(table, \(x) {
        if (is.character(x)) {
          db$dialect$text
        } else if (is.integer(x)) {
          db$dialect$whole
        } else {
          db$dialect$number
        }
      }, "")
      DBI::dbExecute(db$con, paste0(
        "CREATE ", if (db$temporary) "TEMPORARY ", "TABLE ", id, " (",
        paste(vapply(names(table), \(x) db_name(db, x), ""), column, collapse = ", "), ")"
      ))
      if (inherits(db$con, db$dialect$appends)) {
        DBI::dbAppendTable(db$con, id, as.data.frame(table))
      } else {
        send_values(db, id, as.data.frame(table))
      }
    },
    error = \(e) workspace_trouble(db, e)
  )
}

# Where a driver cannot append a table: its rows as literals, a thousand a time.
send_values <- function(db, id, table) {
  if (nrow(table) == 0L) return(invisible())
  cells <- lapply(table, \(x) {
    text <- if (is.character(x)) db_text(db, x) else format(x, digits = 17L, trim = TRUE)
    ifelse(is.na(x), "NULL", text)
  })
  rows <- paste0("(", do.call(paste, c(unname(cells), sep = ", ")), ")")
  for (few in split(rows, (seq_along(rows) - 1L) %/% 1000L)) {
    DBI::dbExecute(db$con, paste0("INSERT INTO ", id, " VALUES ", paste(few, collapse = ", ")))
  }
}

db_name <- function(db, name) as.character(DBI::dbQuoteIdentifier(db$con, name))
db_text <- function(db, text) as.character(DBI::dbQuoteString(db$con, enc2utf8(text)))
trimmed <- function(db, sql) {
  sprintf(db$dialect$trim, sql, db_text(db, " \t\n\v\f\r\u00a0"))
}
