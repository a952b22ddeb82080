# The connection that a study names: how to reach it stands outside of the study, secrets outside of
# both.

# How each driver is called, and what makes it read only; `temporary`, are temporary tables made
# all the same? `limit` is what stops a statement after so many seconds.
database_drivers <- list(
  RSQLite = list(
    driver = \(said) RSQLite::SQLite(),
    only = \() list(flags = RSQLite::SQLITE_RO),
    # a query must not load code into this process
    always = list(loadable.extensions = FALSE),
    temporary = TRUE
  ),
  RPostgres = list(driver = \(said) driver_of("RPostgres", "Postgres"), only = \() list(
    options = "-c default_transaction_read_only=on"
  ), limit = "SET statement_timeout = '%ds'"),
  duckdb = list(driver = \(said) driver_of("duckdb", "duckdb"), only = \() list(read_only = TRUE)),
  # engines by a shared library that the connection names
  adbi = list(
    driver = \(said) driver_of("adbi", "adbi", do.call(
      getExportedValue("adbcdrivermanager", "adbc_driver"),
      unname(said[intersect(c("library", "entrypoint"), names(said))])
    )),
    only = \() list(),
    always = list(bigint = "numeric"),
    own = c("library", "entrypoint")
  ),
  RClickhouse = list(
    driver = \(said) driver_of("RClickhouse", "clickhouse"), only = \() list(),
    limit = "SET max_execution_time = %d"
  ),
  RMariaDB = list(
    driver = \(said) driver_of("RMariaDB", "MariaDB"), only = \() list(),
    limit = "SET SESSION max_statement_time = %d"
  )
)

# Minutes after which the engine stops a statement, where the connection names none: a query of the
# user's may ask for everything times everything.
statement_minutes <- 60

limit_statements <- function(con, driver, minutes, call = NULL) {
  if (is.null(driver$limit)) {
    if (is.null(minutes)) return()
    abort_nubrek(c(
      "This engine has no limit of time for a statement.", "i" = "Leave out {.field minutes}."
    ), "database", call = call)
  }
  minutes <- minutes %||% statement_minutes
  if (!checkmate::test_number(minutes, lower = 0.1, finite = TRUE)) {
    abort_nubrek(
      "{.field minutes} of a connection must be a number of minutes, such as 30.", "database",
      call = call
    )
  }
  DBI::dbExecute(con, sprintf(driver$limit, as.integer(60 * minutes)))
}

driver_of <- function(package, name, ...) getExportedValue(package, name)(...)

connections_path <- function() {
  Sys.getenv("NUBREK_CONNECTIONS", file.path(
    tools::R_user_dir("nubrek", "config"), "connections.yaml"
  ))
}

# What a part of the data is read from: its files, or a table or query by the study's connection,
# the first of several.
study_source <- function(study, part, cons, at) {
  if (is.null(part$table) && is.null(part$query)) {
    if (is.null(part$files)) {
      abort_study(study$source, at, "The key {.field files} is missing here.", key = "files")
    }
    return(study_files(study, part$files))
  }
  if (length(cons) == 0L) {
    abort_study(
      study$source, at, "A table needs {.field connection} in the section {.field data}."
    )
  }
  db_table(cons[[1L]], part$table, part$query, part$added)
}

# The orders: of several connections the table of each.
study_orders <- function(study, cons) {
  orders <- study$data$orders
  one <- study_source(study, orders, cons, c("data", "orders"))
  if (length(cons) < 2L || !inherits(one, "nubrek_db_table")) return(one)
  lapply(cons, db_table, orders$table, orders$query, orders$added)
}

# The connections that a study names, all or none.
open_connections <- function(names, workspace = NULL, call = NULL) {
  cons <- list()
  done <- FALSE
  on.exit(if (!done) close_connections(cons))
  for (name in names) cons <- c(cons, open_connection(name, workspace, call))
  done <- TRUE
  cons
}

close_connections <- function(cons) for (con in cons) DBI::dbDisconnect(con)

# Opens the connection that a study names, read only where the engine knows that and the ledger
# needs no tables of its own there.
open_connection <- function(name, workspace = NULL, call = NULL) {
  path <- connections_path()
  if (!file.exists(path)) {
    abort_nubrek(c(
      "The study names the connection {.val {name}}, and there is no file of connections.",
      "x" = "Looked for {.file {path}}.",
      "i" = "Name another by the environment variable {.envvar NUBREK_CONNECTIONS}."
    ), "database", call = call)
  }
  known <- tryCatch(
    yaml::yaml.load_file(path, eval.expr = FALSE),
    error = \(e) abort_nubrek(c(
      "The file of connections {.file {path}} is not YAML.", "x" = "{conditionMessage(e)}"
    ), "database", call = call)
  )
  if (!is.list(known) || is.null(names(known)) || !all_texts_valid(known)) {
    abort_nubrek(c(
      "The file of connections {.file {path}} cannot be used.",
      "x" = "It is no list of connections by name.",
      "i" = "Such as {.code shop: {{package: RSQLite, dbname: shop.sqlite}}}."
    ), "database", call = call)
  }
  said <- known[[name]]
  if (!is.list(said) || !checkmate::test_string(said$package)) {
    abort_nubrek(c(
      "There is no connection {.val {name}} in {.file {path}}.",
      nearest_hint(name, names(known)),
      "i" = "A connection has a {.field package} and what its driver needs."
    ), "database", call = call)
  }
  check_values(said$package, names(database_drivers), "package", call)
  need_package("DBI", "a database", call)
  need_package(said$package, "a database", call)
  driver <- database_drivers[[said$package]]
  said <- lapply(said[names(said) != "package"], from_environment, path, call)
  arguments <- c(said[setdiff(names(said), c(driver$own, "minutes"))], driver$always)
  writes <- !is.null(workspace) && workspace != "none" &&
    !(workspace == "temporary" && isTRUE(driver$temporary))
  con <- NULL
  tryCatch(
    {
      con <- do.call(
        DBI::dbConnect, c(list(driver$driver(said)), arguments, if (!writes) driver$only())
      )
      limit_statements(con, driver, said$minutes, call)
      con
    },
    error = \(e) {
      if (!is.null(con)) DBI::dbDisconnect(con)
      if (inherits(e, "nubrek_error")) stop(e)
      abort_nubrek(c(
        "The connection {.val {name}} cannot be opened.",
        "x" = "The engine says: {.emph {gsub('\\\\s+', ' ', conditionMessage(e))}}"
      ), "database", call = call)
    }
  )
}

# `{env: NAME}` is read from the environment.
from_environment <- function(value, path, call) {
  if (!is.list(value)) return(value)
  name <- value$env
  if (!checkmate::test_string(name) || is.na(Sys.getenv(name, NA))) {
    abort_nubrek(c(
      "{.file {path}} reads the environment.", "x" = "{.envvar {name %||% '?'}} is not set."
    ), "database", call = call)
  }
  Sys.getenv(name)
}
