# The place in a database where a ledger works: what it is told, what it is asked, the tables that
# are made there.

# A place to work in: temporary tables, or tables of a schema, all with a name of their own.
open_workspace <- function(
  con, workspace, call = rlang::caller_env(), mark = paste0(basename(tempfile("nubrek_")), "_")
) {
  dialect <- dialect_of(con, call)
  if (workspace == "temporary" && is.null(dialect$temporary)) {
    abort_nubrek(c(
      "{dialect$engine} has no temporary tables.",
      "i" = "Name a schema as {.arg workspace}."
    ), "database", call = call)
  }
  db <- list(
    con = con,
    dialect = dialect,
    workspace = workspace,
    mark = mark,
    temporary = workspace == "temporary",
    # a name in the workspace, quoted
    named = \(name) {
      bare <- paste0(mark, name)
      if (workspace == "temporary") bare <- sprintf(dialect$name, bare)
      bare <- as.character(DBI::dbQuoteIdentifier(con, bare))
      if (workspace == "temporary") return(bare)
      paste0(as.character(DBI::dbQuoteIdentifier(con, workspace)), ".", bare)
    },
    # the same name for a driver
    placed = \(name) {
      if (workspace == "temporary") return(sprintf(dialect$name, paste0(mark, name)))
      DBI::Id(schema = workspace, table = paste0(mark, name))
    },
    shared = new.env(), # whose `tables` nobody needs any more, and what was `told`
    alive = new.env(), # as long as anybody has the ledger or a slice of it
    call = call
  )
  for (sql in dialect$begin) tell_database(db, sql)
  db
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
  # some engines shout the names that are not quoted, some tell the table too
  names(found) <- sub("^[a-z]+[.]", "", tolower(names(found)))
  as.data.table(found)
}

# What was found under a key before: what is folded does not change. The last few are kept.
kept_answer <- function(db, key, find) {
  known <- db$shared$known[[key]]
  if (!is.null(known)) return(known)
  found <- find()
  db$shared$known <- c(
    utils::tail(db$shared$known, 5L), stats::setNames(list(found), key)
  )
  found
}

workspace_trouble <- function(db, e) {
  said <- gsub("\\s+", " ", conditionMessage(e))
  abort_nubrek(c(
    "The database did not do what the ledger asked of it.",
    "x" = "The engine says: {.emph {said}}"
  ), "database", call = db$call)
}

# Columns of a table under their names: an engine may else keep the letter of the table before them.
all_named <- function(letter, names) {
  paste0(letter, ".", names, " AS ", names, collapse = ", ")
}

how_to_make <- function(db) if (db$temporary) db$dialect$temporary else db$dialect$make

make_table <- function(db, name, ...) {
  drop_tables(db, name)
  db$shared$made <- c(db$shared$made, db$named(name))
  tell_database(db, sprintf(how_to_make(db)[[1L]], db$named(name), paste0(c(...), collapse = "")))
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
  if (!db$dialect$indexes) return(invisible())
  table <- db$named(name)
  parts <- strsplit(table, ".", fixed = TRUE)[[1L]]
  index <- db_name(db, paste(
    c(gsub("[^[:alnum:]_]", "", parts[[length(parts)]]), columns), collapse = "_"
  ))
  # an engine may want the schema at the index, not at the table
  if (db$dialect$index_has_schema && length(parts) > 1L) {
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
        } else if (all(x == round(x), na.rm = TRUE)) {
          db$dialect$exact
        } else {
          db$dialect$number
        }
      }, "")
      DBI::dbExecute(db$con, sprintf(
        how_to_make(db)[[2L]], id, paste(names(table), column, collapse = ", ")
      ))
      if (inherits(db$con, db$dialect$appends)) {
        DBI::dbAppendTable(db$con, id, as.data.frame(table))
      } else if (inherits(db$con, "AdbiConnection")) {
        # in bulk, where appending goes row by row
        DBI::dbWriteTable(
          db$con, db$placed(name), as.data.frame(table), append = TRUE, temporary = db$temporary
        )
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
