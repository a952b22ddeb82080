# A ledger in its database that outlives the session: its tables stay in a schema, all else is in a
# folder; and whether the rows it was folded from are still those.

check_keeps <- function(ledger, call = rlang::caller_env()) {
  slice <- "It is a slice: save the whole ledger, then slice."
  why <- if (!inherits(ledger, "nubrek_database")) {
    if (length(ledger$steps) > 0L) slice else if (is.null(ledger$folder)) "It has no folder."
  } else if (ledger$db$temporary || !ledger$db$writes) {
    "Its tables are temporary: name a schema as {.arg workspace}."
  } else if (is.null(ledger$source)) {
    slice
  }
  if (!is.null(why)) {
    abort_nubrek(c("This ledger cannot be saved.", "x" = why), "source", call = call)
  }
}

# What the index of a save says of the tables: names, not SQL.
database_facts <- function(ledger) {
  if (!inherits(ledger, "nubrek_database")) return(NULL)
  c(ledger$db[c("workspace", "mark", "rows_mark")], list(
    servers = length(ledger$db$cons),
    folded = c(ledger$folded[names(ledger$folded) != "sums"], list(
      sums = as.list(ledger$folded$sums)
    )),
    line_names = as.list(ledger$line_names),
    purchases = folded_mark(ledger$db)
  ))
}

# So many orders and days with such sums.
folded_mark <- function(db) {
  as.list(ask_workspace(
    db, "SELECT o.n AS orders, o.sales AS sales, d.n AS days, d.sales AS bought FROM ",
    "(SELECT COUNT(*) AS n, SUM(sales) AS sales FROM ", db$named("orders"), ") o CROSS JOIN ",
    "(SELECT COUNT(*) AS n, SUM(sales) AS sales FROM ", db$named("days"), ") d", by = character()
  ))
}

# A saved ledger in the tables that it was folded into.
in_its_tables <- function(ledger, facts, con, path, call) {
  if (is.null(con)) {
    abort_nubrek(c(
      "The ledger {.file {path}} stays in a database.",
      "i" = "Open it with {.arg connection}."
    ), "source", call = call)
  }
  cons <- if (is.list(con)) con else list(con)
  throw_unless(checkmate::check_list(cons, types = "DBIConnection"), "connection", call)
  if (length(cons) != (facts$servers %||% 1L)) {
    abort_nubrek(c(
      "The ledger {.file {path}} stays on {facts$servers %||% 1L} server{?s}.",
      "x" = "{.arg connection} has {length(cons)}.",
      "i" = "Give them in the order in which it was opened."
    ), "source", call = call)
  }
  db <- saved_workspace(cons, facts, call)
  db$rows_mark <- facts$rows_mark
  found <- folded_mark(db)
  same <- vapply(names(found), \(name) {
    isTRUE(as.double(found[[name]]) == as.double(facts$purchases[[name]]))
  }, NA)
  if (!all(same)) {
    abort_nubrek(c(
      "The tables of the ledger {.file {path}} are not as they were when it was saved.",
      "i" = "Open it from its rows again."
    ), "database", call = call)
  }
  ledger <- over_tables(ledger, db, unlist(facts$line_names))
  ledger$folded <- facts$folded
  for (name in c("sums", "added", "exported_twice")) {
    if (length(facts$folded[[name]]) > 0L) ledger$folded[[name]] <- unlist(facts$folded[[name]])
  }
  ledger
}

# The workspace that a save names: its tables are the ledger's own, also after the session in which
# they were made.
saved_workspace <- function(cons, facts, call = rlang::caller_env()) {
  db <- open_workspace(cons, facts$workspace, call, facts$mark)
  db$shared$made <- vapply(folded_tables, db$named, "", USE.NAMES = FALSE)
  db
}

# Takes away the tables that a save names, when another has taken its place.
drop_saved_tables <- function(cons, facts) {
  if (is.null(facts) || length(cons) != (facts$servers %||% 1L)) return(invisible())
  db <- saved_workspace(cons, facts)
  # in another database they are not there
  tryCatch(drop_tables(db), nubrek_error_database = \(e) NULL)
}

folded_tables <- c("orders", "before", "lines", "days")

# What is known of a ledger, over its tables.
over_tables <- function(facts, db, line_names) {
  ledger <- new_parts(facts, list(), line_names, "nubrek_database")
  ledger$db <- db[setdiff(names(db), c("place", "n", "people", "joined", "key_of", "after"))]
  cells <- setdiff(line_names, c("number", "sales"))
  ledger$line_cells <- stats::setNames(sprintf("l%d", seq_along(cells)), cells)
  ledger$parts <- database_parts(ledger)
  ledger
}

# What tells whether rows are still those that were read: of each column how many cells, the least
# and the greatest, and a sum over all of them. `from` has the columns as texts `c1`, `c2` ...
rows_mark <- function(db, source, from) {
  column <- paste0("c", seq_along(source$columns))
  digest <- vapply(column, \(x) gsub("%s", x, db$dialect$digest, fixed = TRUE), "")
  found <- ask_each(db, "SELECT COUNT(*) AS n, ", paste0(
    "COUNT(", column, ") AS n", column, ", MIN(", column, ") AS low", column, ", MAX(", column,
    ") AS high", column, ", SUM(", digest, ") AS sum", column, collapse = ", "
  ), " FROM ", from, " t")
  rlang::hash(lapply(found, \(one) {
    vapply(one, \(x) if (is.numeric(x)) sprintf("%.0f", x) else as.character(x), "")
  }))
}

# The same of tables as they stand now.
mark_of_sources <- function(db, sources) {
  texts <- columns_as_texts(db, sources[[1L]])
  from <- from_each(sources)
  rows_mark(db, sources[[1L]], list("(SELECT ", texts, " FROM ", from, ")"))
}

#' See whether the rows of a ledger have changed
#'
#' For a ledger that stays in its database (`workspace` in [open_ledger()]): its orders were folded
#' when it was opened, and it keeps answering from these. This looks at the table it came from: how
#' many cells each column has, the least, the greatest and a sum over all; rows that came, went or
#' changed are seen by that. If there are such, the table is folded anew. Where the table says when
#' its rows were added (`added` in [db_table()]) and those before are as they were, only customers
#' with new rows are folded, and the rest is copied.
#'
#' @param ledger `[nubrek_ledger]` One that stays in its database, also from a saved folder; no
#'   slice.
#' @return The same ledger where nothing has changed; else one of the rows as they are now, with
#'   the meanings, tables beside the orders and contacts of the given one, which stays as it is
#'   until [close_ledger()].
#' @section Errors: `nubrek_error_source`: a ledger in memory, or a slice.
#' @examplesIf requireNamespace("RSQLite", quietly = TRUE)
#' con <- DBI::dbConnect(RSQLite::SQLite())
#' DBI::dbWriteTable(con, "lines", data.frame(
#'   who = c("A", "B", "C"), on_day = "2024-03-05", paid = 5, loaded = 1
#' ))
#' ledger <- open_ledger(db_table(con, "lines", added = "loaded"), column_map(
#'   customer = "who", date = "on_day", sales = "paid"
#' ), meanings(currency = "EUR"), workspace = "temporary")
#' DBI::dbAppendTable(con, "lines", data.frame(
#'   who = "A", on_day = "2024-04-02", paid = 7, loaded = 2
#' ))
#' repeat_rate(refresh_ledger(ledger))
#' DBI::dbDisconnect(con)
#' @export
refresh_ledger <- function(ledger) {
  check_ledger(ledger)
  here <- rlang::current_env()
  origin <- ledger$source
  if (!inherits(ledger, "nubrek_database") || is.null(origin)) {
    abort_nubrek(c(
      "Only a whole ledger that stays in its database is looked at again.",
      "i" = if (inherits(ledger, "nubrek_database")) {
        "This is a slice: look at the whole one, then slice."
      } else {
        "Open it from its rows again, or add an export by {.fn append_orders}."
      }
    ), "source")
  }
  db <- ledger$db
  orders <- Map(\(con, source) {
    db_table(con, source$table, source$query, source$added)
  }, db$cons, origin$orders)
  db$rows_now <- NULL
  if (identical(mark_of_sources(db, orders), db$rows_mark)) return(ledger)
  fresh <- refreshed_by_new(ledger, orders, here) %||% open_in_database(
    orders, db$workspace, origin[names(origin) != "orders"], ledger$meaning, ledger$bands, here
  )
  fresh$made_from <- ledger$made_from
  with_contacts_of(fresh, ledger)
}
