# The SQL of a ledger in its database, for whoever wants to see it.

# Writes down what is asked, when somebody wants to know.
told <- function(db, sql, ask, rows) {
  if (is.null(db$shared$told)) return(ask())
  before <- proc.time()[["elapsed"]]
  found <- ask()
  db$shared$told <- c(db$shared$told, list(list(
    sql = sql,
    rows = as.integer(rows(found)),
    bytes = if (is.data.frame(found)) as.double(utils::object.size(found)) else 0,
    seconds = proc.time()[["elapsed"]] - before
  )))
  found
}

#' The SQL behind a measure
#'
#' @param ledger `[nubrek_ledger]` One that stays in its database, see `workspace` in
#'   [open_ledger()].
#' @param measure `[function]` What is asked of the ledger, such as `repeat_rate` or
#'   `\(ledger) cohort_grid(ledger, by = "town")`. It is run.
#' @return A `nubrek_sql`, one row per statement in their order: `sql`; `rows` and `bytes` that came
#'   over the wire; `seconds`.
#' @examplesIf requireNamespace("RSQLite", quietly = TRUE)
#' con <- DBI::dbConnect(RSQLite::SQLite())
#' DBI::dbWriteTable(con, "lines", data.frame(
#'   who = c("A", "A", "B"), receipt = 1:3, on_day = "2024-03-05", paid = c(12.5, 8, 30)
#' ))
#' ledger <- open_ledger(db_table(con, "lines"), column_map(
#'   customer = "who", order = "receipt", date = "on_day", sales = "paid"
#' ), meanings(currency = "EUR"), workspace = "temporary")
#' ledger_sql(ledger, repeat_rate)
#' DBI::dbDisconnect(con)
#' @export
ledger_sql <- function(ledger, measure) {
  check_ledger(ledger)
  if (!inherits(ledger, "nubrek_database")) {
    abort_nubrek(c(
      "Only a ledger that stays in its database has SQL.",
      "i" = "Open it with {.arg workspace}."
    ), "argument")
  }
  throw_unless(checkmate::check_function(measure), "measure", rlang::current_env())
  shared <- ledger$db$shared
  shared$told <- list()
  shared$known <- NULL
  on.exit(shared$told <- NULL)
  measure(ledger)
  asked <- rbindlist(shared$told)
  if (nrow(asked) == 0L) {
    asked <- data.table(sql = character(), rows = integer(), bytes = double(), seconds = double())
  }
  new_result(as.list(asked), "sql", ledger)
}
