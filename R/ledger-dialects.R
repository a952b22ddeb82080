# How engines differ, a record for each; all else is the SQL that they share.

# A record: `is` are classes of connections, `appends` those whose driver appends tables; `run` says
# whether it was ever run by us. `text`, `whole` and `number` are types, `exact` that of numbers
# which are all whole; `trim` takes blanks off both ends; `same` compares where NULL equals NULL;
# `bytes` sorts texts by their bytes; `divide` whole numbers, rounded down; `pair` makes one value
# of two; `digest` of a text is a whole number below 10^10; `numbered` counts rows in an order,
# `any_order` in any; `lag` is the value of the row before. `make` are the statements that make a
# table of rows and one of columns; `temporary` the same of one that goes with the session, where
# there are such; `defines`, whether a question may define its tables, `lists`, whether rows of
# literals are one; `indexes`, whether there are indexes; `begin`, what is told first; `name`, how
# temporary tables are called.
dialect <- function(
  is, appends = is, run = FALSE, text = "VARCHAR", whole = "BIGINT", number = "DOUBLE",
  exact = number, trim = "TRIM(%s, %s)", same = "%s IS NOT DISTINCT FROM %s", bytes = "%s",
  divide = "FLOOR(%s / %s)", pair = "%s || '-' || %s", digest = "LENGTH(%s)",
  numbered = "ROW_NUMBER() OVER (%s)", any_order = "", lag = "LAG(%s)",
  make = c("CREATE TABLE %s AS %s", "CREATE TABLE %s (%s)"),
  temporary = c("CREATE TEMPORARY TABLE %s AS %s", "CREATE TEMPORARY TABLE %s (%s)"),
  defines = TRUE, lists = FALSE, indexes = FALSE, index_has_schema = FALSE, begin = character(),
  name = "%s"
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
    lists = TRUE,
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
    lists = TRUE,
    indexes = TRUE
  ),
  DuckDB = dialect(
    "duckdb_connection",
    run = TRUE,
    # rows sent in bulk land bit by bit: the type must be the one that R has
    whole = "INTEGER",
    trim = "trim(%s, %s)",
    divide = "%s // %s",
    digest = "CAST(HASH(%s) % 1000000007 AS BIGINT)",
    lists = TRUE
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
    numbered = "toInt64(ROW_NUMBER() OVER (%s))",
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
    ),
    # works each out as often as it is named; but who may only read has temporary tables
    defines = FALSE
  ),
  Spark = dialect(
    c("Spark SQL", "Databricks", "Databricks SQL"),
    text = "STRING",
    trim = "TRIM(BOTH %2$s FROM %1$s)",
    same = "%s <=> %s",
    divide = "(%s DIV %s)",
    digest = "CAST(CRC32(%s) AS BIGINT)",
    any_order = "ORDER BY MONOTONICALLY_INCREASING_ID()",
    temporary = NULL
  ),
  Snowflake = dialect(
    "Snowflake",
    text = "VARCHAR",
    pair = "CONCAT(%s, '-', %s)",
    digest = "ABS(HASH(%s) % 1000000007)",
    any_order = "ORDER BY NULL"
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
    any_order = "ORDER BY (SELECT NULL)",
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
  remark_table("engine", say(paste0(
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
