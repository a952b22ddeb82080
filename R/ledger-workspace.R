# The place in a database where a ledger works: what it is told, what it is asked, the tables that
# are made there.

# A place to work in: temporary tables, or tables of a schema, all with a name of their own; or
# none, where nothing may be written: each table is then defined in the questions that need it.
# `cons` are connections to servers of one engine, each with the rows of some of the customers.
open_workspace <- function(
  cons, workspace, call = rlang::caller_env(), mark = paste0(basename(tempfile("nubrek_")), "_")
) {
  dialect <- dialect_of(cons[[1L]], call)
  check_one_engine(cons, dialect, call)
  temporary <- workspace == "temporary"
  writes <- workspace != "none"
  if (temporary && is.null(dialect$temporary)) {
    abort_nubrek(c(
      "{dialect$engine} has no temporary tables.",
      "i" = "Name a schema as {.arg workspace}."
    ), "database", call = call)
  }
  if (!writes && !dialect$defines) {
    abort_nubrek(c(
      "In {dialect$engine} a ledger cannot do without tables of its own.",
      "i" = "Take {.code workspace = \"temporary\"}: who may only read may have these."
    ), "database", call = call)
  }
  con <- cons[[1L]]
  # what is sent, and what a question needs, goes with the session, where an engine knows that
  goes_with_session <- \(name) {
    temporary || (!is.null(dialect$temporary) && !name %in% c(folded_tables, staged_tables))
  }
  # whose `tables` nobody needs any more, what was `told`, what is `defined` in questions
  shared <- new.env()
  shared$version <- list()
  db <- list(
    con = con,
    cons = cons,
    dialect = dialect,
    workspace = workspace,
    mark = mark,
    temporary = temporary,
    writes = writes,
    # a name in the workspace, quoted; that of a table which is about to be defined anew
    named = \(name, anew = FALSE) {
      if (anew) shared$version[[name]] <- (shared$version[[name]] %||% 0L) + 1L
      bare <- paste0(mark, name, if (!writes) shared$version[[name]])
      if (goes_with_session(name)) bare <- sprintf(dialect$name, bare)
      bare <- as.character(DBI::dbQuoteIdentifier(con, bare))
      if (goes_with_session(name) || !writes) return(bare)
      paste0(as.character(DBI::dbQuoteIdentifier(con, workspace)), ".", bare)
    },
    # the same name for a driver
    placed = \(name) {
      if (goes_with_session(name)) return(sprintf(dialect$name, paste0(mark, name)))
      DBI::Id(schema = workspace, table = paste0(mark, name))
    },
    goes_with_session = goes_with_session,
    shared = shared,
    alive = new.env(), # as long as anybody has the ledger or a slice of it
    call = call
  )
  for (sql in dialect$begin) tell_database(db, sql)
  db
}

check_one_engine <- function(cons, dialect, call) {
  engines <- vapply(cons, \(con) dialect_of(con, call)$engine, "")
  if (all(engines == dialect$engine)) return(invisible())
  abort_nubrek(c(
    "The servers of a ledger have one engine.",
    "x" = "These are {.val {unique(engines)}}."
  ), "database", call = call)
}

sweep_tables <- function(db) {
  tables <- intersect(db$shared$tables, db$shared$made)
  db$shared$tables <- NULL
  for (table in tables) {
    for (con in db$cons) DBI::dbExecute(con, paste("DROP TABLE IF EXISTS", table))
    db$shared$made <- setdiff(db$shared$made, table)
  }
}

# A piece of SQL that is another one on each server.
on_each <- function(texts) structure(as.list(texts), class = "nubrek_on_each")

# The pieces of a statement as they are told to one of the servers.
pieces_for <- function(pieces, k) {
  paste0(unlist(lapply(pieces, \(piece) {
    if (inherits(piece, "nubrek_on_each")) {
      piece[[k]]
    } else if (is.list(piece)) {
      pieces_for(piece, k)
    } else {
      piece
    }
  })), collapse = "")
}

tell_database <- function(db, ...) {
  pieces <- list(...)
  tryCatch(
    {
      sweep_tables(db)
      for (k in seq_along(db$cons)) {
        sql <- pieces_for(pieces, k)
        told(db, sql, \() DBI::dbExecute(db$cons[[k]], sql), \(done) 0)
      }
    },
    error = \(e) workspace_trouble(db, e)
  )
}

# What a query answers, whole numbers as doubles. Of several servers the answers stand one below the
# other, sorted by `sort`; with `by` they are added up over these columns, but for the least of
# those in `low` and the greatest of those in `high`.
ask_workspace <- function(
  db, ..., by = NULL, low = character(), high = character(), sort = by
) {
  found <- ask_each(db, ...)
  if (length(found) == 1L) return(found[[1L]])
  found <- rbindlist(found)
  if (!is.null(by)) found <- added_by(found, by, low, high)
  if (length(sort) > 0L) data.table::setorderv(found, sort)
  found
}

# The answer of each server.
ask_each <- function(db, ...) {
  pieces <- list(...)
  check_rows_unchanged(db)
  lapply(seq_along(db$cons), \(k) {
    sql <- with_definitions(db, k, pieces_for(pieces, k))
    found <- tryCatch(
      told(db, sql, \() quietly_asked(db$cons[[k]], sql), nrow),
      error = \(e) workspace_trouble(db, e)
    )
    for (name in names(found)) {
      if (inherits(found[[name]], "integer64")) found[[name]] <- as.double(found[[name]])
    }
    # some engines shout the names that are not quoted, some tell the table too
    names(found) <- sub("^[a-z]+[.]", "", tolower(names(found)))
    as.data.table(found)
  })
}

# A driver may warn that its whole numbers are wider than R's, at each question.
quietly_asked <- function(con, sql) {
  withCallingHandlers(DBI::dbGetQuery(con, sql), warning = \(w) {
    if (grepl("converted from U?Int64", conditionMessage(w))) invokeRestart("muffleWarning")
  })
}

added_by <- function(found, by, low, high) {
  columns <- setdiff(names(found), by)
  if (length(by) == 0L) {
    return(data.table::setDT(lapply(stats::setNames(nm = columns), \(name) {
      x <- found[[name]][!is.na(found[[name]])]
      if (length(x) == 0L) return(found[[name]][1L])
      if (name %in% low) min(x) else if (name %in% high) max(x) else sum(x)
    })))
  }
  if (length(columns) == 0L) return(unique(found))
  parts <- list(
    found[, lapply(.SD, sum, na.rm = TRUE), by = by, .SDcols = setdiff(columns, c(low, high))],
    found[, lapply(.SD, min), by = by, .SDcols = intersect(columns, low)],
    found[, lapply(.SD, max), by = by, .SDcols = intersect(columns, high)]
  )
  # groups stand in the order of their first rows in all three
  groups <- unique(found[, by, with = FALSE])
  for (part in parts) {
    for (name in setdiff(names(part), by)) data.table::set(groups, NULL, name, part[[name]])
  }
  data.table::setcolorder(groups, names(found))
}

# What was found under a key before: what is folded does not change. The last few are kept.
kept_answer <- function(db, key, find) {
  if (!db$writes) return(find())
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

how_to_make <- function(db, name) {
  if (db$goes_with_session(name)) db$dialect$temporary else db$dialect$make
}

make_table <- function(db, name, ...) {
  pieces <- list(...)
  if (!db$writes) {
    return(define_table(db, name, vapply(seq_along(db$cons), \(k) pieces_for(pieces, k), "")))
  }
  drop_tables(db, name)
  db$shared$made <- c(db$shared$made, db$named(name))
  make <- strsplit(how_to_make(db, name)[[1L]], "%s", fixed = TRUE)[[1L]]
  tell_database(
    db, make[[1L]], db$named(name), make[[2L]], ..., if (length(make) > 2L) make[[3L]]
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
  if (!db$dialect$indexes || !db$writes) return(invisible())
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

# A small table of ours, sent to the workspace, to each of its servers.
send_table <- function(db, name, table) {
  table <- as.data.frame(table)
  type <- vapply(table, \(x) {
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
  if (!db$writes) {
    sql <- table_in_words(db, table, type)
    return(define_table(db, name, rep(sql, length(db$cons)), if (db$dialect$lists) names(table)))
  }
  drop_tables(db, name)
  id <- DBI::SQL(db$named(name))
  db$shared$made <- c(db$shared$made, as.character(id))
  tryCatch(
    for (con in db$cons) {
      DBI::dbExecute(con, sprintf(
        how_to_make(db, name)[[2L]], id, paste(names(table), type, collapse = ", ")
      ))
      if (inherits(con, db$dialect$appends)) {
        DBI::dbAppendTable(con, id, table)
      } else if (inherits(con, "AdbiConnection")) {
        # in bulk, where appending goes row by row
        DBI::dbWriteTable(
          con, db$placed(name), table, append = TRUE, temporary = db$goes_with_session(name)
        )
      } else {
        send_values(db, con, id, table)
      }
    },
    error = \(e) workspace_trouble(db, e)
  )
}

# The cells of a table as literals.
literals <- function(db, table) {
  lapply(table, \(x) {
    text <- if (is.character(x)) db_text(db, x) else format(x, digits = 17L, trim = TRUE)
    ifelse(is.na(x), "NULL", text)
  })
}

# Where a driver cannot append a table: its rows as literals, a thousand a time.
send_values <- function(db, con, id, table) {
  if (nrow(table) == 0L) return(invisible())
  rows <- paste0("(", do.call(paste, c(unname(literals(db, table)), sep = ", ")), ")")
  for (few in split(rows, (seq_along(rows) - 1L) %/% 1000L)) {
    DBI::dbExecute(con, paste0("INSERT INTO ", id, " VALUES ", paste(few, collapse = ", ")))
  }
}

db_name <- function(db, name) as.character(DBI::dbQuoteIdentifier(db$con, name))
db_text <- function(db, text) as.character(DBI::dbQuoteString(db$con, enc2utf8(text)))
trimmed <- function(db, sql) {
  sprintf(db$dialect$trim, sql, db_text(db, " \t\n\v\f\r\u00a0"))
}
