# How engines differ, a record for each; all else is the SQL that they share.

# A record: `is` are classes of connections, `appends` those whose driver appends tables; `run` says
# whether it was ever run by us. `text`, `whole` and `number` are types, `exact` that of numbers
# which are all whole; `trim` takes blanks off both ends; `same` compares where NULL equals NULL;
# `bytes` sorts texts by their bytes; `divide` whole numbers, rounded down; `pair` makes one value
# of two; `digest` of a text is a whole number below 10^10; `numbered` counts rows in any order;
# `lag` is the value of the row before. `make` are the statements that make a table of rows and one
# of columns; `temporary` the same of one that goes with the session, where there are such;
# `indexes`, whether there are indexes; `begin`, what is told first; `name`, how temporary tables
# are called.
dialect <- function(
  is, appends = is, run = FALSE, text = "VARCHAR", whole = "BIGINT", number = "DOUBLE",
  exact = number, trim = "TRIM(%s, %s)", same = "%s IS NOT DISTINCT FROM %s", bytes = "%s",
  divide = "FLOOR(%s / %s)", pair = "%s || '-' || %s", digest = "LENGTH(%s)",
  numbered = "ROW_NUMBER() OVER ()", lag = "LAG(%s)",
  make = c("CREATE TABLE %s AS %s", "CREATE TABLE %s (%s)"),
  temporary = c("CREATE TEMPORARY TABLE %s AS %s", "CREATE TEMPORARY TABLE %s (%s)"),
  indexes = FALSE, index_has_schema = FALSE, begin = character(), name = "%s"
) {
  as.list(environment())
}

dialects <- list(
  SQLite = dialect(
    "SQLiteConnection",
    run = TRUE,
    text = "TEXT",
    whole = "INTEGER",
    trim = "trim(%s, %s)",
    same = "%s IS %s",
    bytes = "%s COLLATE BINARY",
    divide = "%s / %s",
    digest = paste(
      "LENGTH(%s) + UNICODE(SUBSTR(%s, -1)) +",
      "ABS(CAST(CAST(%s AS REAL) * 1000 AS INTEGER) % 1000003)"
    ),
    indexes = TRUE,
    index_has_schema = TRUE
  ),
  PostgreSQL = dialect(
    c("PqConnection", "PostgreSQLConnection"),
    appends = "PqConnection",
    run = TRUE,
    text = "TEXT",
    number = "DOUBLE PRECISION",
    trim = "btrim(%s, %s)",
    bytes = "%s COLLATE \"C\"",
    divide = "%s / %s",
    digest = "CAST(CAST('x' || SUBSTR(MD5(%s), 1, 8) AS BIT(32)) AS BIGINT)",
    indexes = TRUE
  ),
  DuckDB = dialect(
    "duckdb_connection",
    run = TRUE,
    # rows sent in bulk land bit by bit: the type must be the one that R has
    whole = "INTEGER",
    trim = "trim(%s, %s)",
    divide = "%s // %s",
    digest = "CAST(HASH(%s) % 1000000007 AS BIGINT)"
  ),
  ClickHouse = dialect(
    "ClickhouseConnection",
    appends = character(),
    run = TRUE,
    text = "Nullable(String)",
    whole = "Nullable(Int64)",
    number = "Nullable(Float64)",
    # joins want types that are alike
    exact = "Nullable(Int64)",
    numbered = "toInt64(ROW_NUMBER() OVER ())",
    trim = "trim(BOTH %2$s FROM %1$s)",
    divide = "intDiv(%s, %s)",
    pair = "concat(toString(%s), '-', toString(%s))",
    digest = "toInt64(cityHash64(%s) % 1000000007)",
    # nothing before the first is NULL only where the type knows NULL
    lag = "lag(toNullable(%s))",
    make = c(
      "CREATE TABLE %s ENGINE = MergeTree ORDER BY tuple() AS %s",
      "CREATE TABLE %s (%s) ENGINE = MergeTree ORDER BY tuple()"
    ),
    # what finds no partner is NULL, as in the language's standard
    begin = c(
      "SET join_use_nulls = 1", "SET data_type_default_nullable = 1",
      "SET prefer_column_name_to_alias = 1", "SET union_default_mode = 'DISTINCT'"
    )
  ),
  Spark = dialect(
    c("Spark SQL", "Databricks", "Databricks SQL"),
    text = "STRING",
    trim = "TRIM(BOTH %2$s FROM %1$s)",
    same = "%s <=> %s",
    divide = "(%s DIV %s)",
    digest = "CAST(CRC32(%s) AS BIGINT)",
    numbered = "ROW_NUMBER() OVER (ORDER BY MONOTONICALLY_INCREASING_ID())",
    temporary = NULL
  ),
  Snowflake = dialect(
    "Snowflake",
    text = "VARCHAR",
    pair = "CONCAT(%s, '-', %s)",
    digest = "ABS(HASH(%s) % 1000000007)",
    numbered = "ROW_NUMBER() OVER (ORDER BY NULL)"
  ),
  BigQuery = dialect(
    "BigQueryConnection",
    text = "STRING",
    whole = "INT64",
    number = "FLOAT64",
    divide = "DIV(%s, %s)",
    pair = "CONCAT(CAST(%s AS STRING), '-', CAST(%s AS STRING))",
    digest = "ABS(MOD(FARM_FINGERPRINT(%s), 1000000007))",
    temporary = c("CREATE TEMP TABLE %s AS %s", "CREATE TEMP TABLE %s (%s)")
  ),
  `MS SQL` = dialect(
    "Microsoft SQL Server",
    text = "NVARCHAR(4000)",
    number = "FLOAT",
    trim = "TRIM(%2$s FROM %1$s)",
    same = "EXISTS (SELECT %s INTERSECT SELECT %s)",
    bytes = "%s COLLATE Latin1_General_100_BIN2_UTF8",
    divide = "%s / %s",
    pair = "CONCAT(%s, '-', %s)",
    digest = "CAST(LEN(%s) AS BIGINT) + ABS(CAST(CHECKSUM(%s) AS BIGINT))",
    numbered = "ROW_NUMBER() OVER (ORDER BY (SELECT NULL))",
    make = c("SELECT * INTO %s FROM (%s) made", "CREATE TABLE %s (%s)"),
    temporary = c("SELECT * INTO %s FROM (%s) made", "CREATE TABLE %s (%s)"),
    name = "#%s"
  )
)

dialect_of <- function(con, call = rlang::caller_env()) {
  name <- engine_of(con)
  if (is.null(name)) {
    abort_nubrek(c(
      "A ledger cannot stay in this database.",
      "x" = "The connection is a {.cls {class(con)[[1]]}}.",
      "i" = "Known are {.val {names(dialects)}}; without {.arg workspace} the rows are fetched."
    ), "database", call = call)
  }
  c(list(engine = name), dialects[[name]])
}

# The name of the engine, NULL where it is not among ours.
engine_of <- function(con) {
  name <- Find(\(name) inherits(con, dialects[[name]]$is), names(dialects))
  if (is.null(name) && inherits(con, "AdbiConnection")) name <- asked_engine(con)
  name
}

never_run_remark <- function(dialect) {
  if (dialect$run) return(NULL)
  remark_table("engine", sprintf(paste0(
    "The SQL of %s is written from the documents of its language and was never run by us: look at ",
    "prove_totals(ledger) first."
  ), dialect$engine))
}

# A driver that has one class for every engine: the engine says who it is.
asked_engine <- function(con) {
  version <- tryCatch(
    as.character(DBI::dbGetQuery(con, "SELECT version() AS v")$v), error = \(e) ""
  )
  if (grepl("PostgreSQL", version, fixed = TRUE)) {
    "PostgreSQL"
  } else if (grepl("^v[0-9]+[.][0-9]+[.][0-9]+", version)) {
    "DuckDB"
  }
}

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
