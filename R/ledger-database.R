# Rows that live in a database: tables, views and queries as sources, and how to reach them.

#' A table, view or query of a database as a source
#'
#' Stands wherever a file may: orders, customers, products, aliases, joins, contacts, panels. Its
#' rows are read in pages, every column as text, so that ids keep their zeros and amounts their
#' digits; nothing is written to the database.
#'
#' @param con `[DBIConnection]` From `DBI::dbConnect()`; whoever opened it closes it.
#' @param table `[character(1)]` A table or view, such as `"lines"` or `"shop.lines"`.
#' @param query `[character(1)]` Instead of a table one `SELECT`, which is wrapped as a subquery.
#' @param added `[character(1)]` A column that tells when a row was added (a day, a time or a
#'   running number), of a table whose rows never change afterwards; [refresh_ledger()] then folds
#'   only customers with newer rows.
#' @return A `nubrek_db_table`, for [open_ledger()], [attribute_table()], [join_table()],
#'   [add_contacts()] and [wallet_share()].
#' @section Errors: `nubrek_error_database` where the table is not there (with the nearest name),
#'   the query is more than one statement, or the engine refuses or is lost.
#' @examplesIf requireNamespace("RSQLite", quietly = TRUE)
#' con <- DBI::dbConnect(RSQLite::SQLite())
#' DBI::dbWriteTable(con, "lines", data.frame(
#'   who = c("A", "A", "B"), receipt = 1:3, on_day = "2024-03-05", paid = c(12.5, 8, 30)
#' ))
#' open_ledger(db_table(con, "lines"), column_map(
#'   customer = "who", order = "receipt", date = "on_day", sales = "paid"
#' ), meanings(currency = "EUR"))
#' DBI::dbDisconnect(con)
#' @export
db_table <- function(con, table = NULL, query = NULL, added = NULL) {
  need_package("DBI", "a database", rlang::current_env())
  throw_unless(checkmate::check_class(con, "DBIConnection"), "con", rlang::current_env())
  check_text(table, null = TRUE)
  check_text(query, null = TRUE)
  check_text(added, null = TRUE)
  if (is.null(table) == is.null(query)) {
    abort_nubrek("Give {.arg table} or {.arg query}, one of them.", "argument")
  }
  if (!is.null(query)) check_one_query(query)
  from <- if (is.null(query)) quoted_table(con, table) else paste0("(", query, "\n) AS nubrek_rows")
  made <- structure(
    list(
      con = con, from = from, name = table %||% "the query", table = table, query = query,
      added = added
    ),
    class = "nubrek_db_table"
  )
  made$columns <- db_columns(made, rlang::current_env())
  check_columns_exist(added, made$columns, made$name)
  made
}

quoted_table <- function(con, table) {
  parts <- strsplit(table, ".", fixed = TRUE)[[1L]]
  paste(vapply(parts, \(part) {
    as.character(DBI::dbQuoteIdentifier(con, part))
  }, ""), collapse = ".")
}

# One statement that reads: what stands in quotes and comments aside, no semicolon, and brackets
# that close, so that it stays inside of its own.
check_one_query <- function(query, call = rlang::caller_env()) {
  refuse <- \(why) abort_nubrek(c(
    "A query is one {.code SELECT}.", "x" = why
  ), "database", call = call)
  if (!grepl("^\\s*(select|with)\\b", query, ignore.case = TRUE, perl = TRUE)) {
    refuse("It begins otherwise.")
  }
  bare <- gsub(
    "'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|`[^`]*`|\\[[^]]*\\]", " ", query, perl = TRUE
  )
  if (grepl("--|/\\*|#|'|\"|`|\\$\\$", bare, perl = TRUE)) {
    refuse("It holds a comment, or a quote that does not close.")
  }
  if (grepl(";", bare, fixed = TRUE)) refuse("It holds a semicolon.")
  depth <- cumsum(vapply(strsplit(bare, "")[[1L]], \(one) {
    switch(one, "(" = 1L, ")" = -1L, 0L)
  }, 0L))
  if (any(depth < 0L) || depth[[length(depth)]] != 0L) refuse("Its brackets do not close.")
}

# The names of the columns, asked for without a row.
db_columns <- function(source, call) {
  found <- ask_database(
    source, sprintf("SELECT * FROM %s WHERE 1 = 0", source$from), names, call
  )
  if (length(found) == 0L) abort_nubrek("{source$name} has no columns.", "database", call = call)
  found
}

# What a query answers, read by `read`; trouble of the engine is an error that says where.
ask_database <- function(source, sql, read = identity, call = NULL) {
  tryCatch(
    read(DBI::dbGetQuery(source$con, sql)),
    error = \(e) database_trouble(source, e, call)
  )
}

database_trouble <- function(source, e, call) {
  there <- tryCatch(DBI::dbListTables(source$con), error = \(e) character())
  said <- gsub("\\s+", " ", conditionMessage(e))
  abort_nubrek(c(
    "{.val {source$name}} cannot be read from the database.",
    "x" = "The engine says: {.emph {said}}",
    if (!source$name %in% there && length(there) > 0L) nearest_hint(source$name, there)
  ), "database", call = call)
}

page_rows <- 100000L

# Whether orders are tables on several servers.
is_servers <- function(orders) {
  is.list(orders) && !inherits(orders, "nubrek_db_table") && length(orders) > 0L &&
    all(vapply(orders, inherits, NA, "nubrek_db_table"))
}

# All rows as text, page by page.
fetch_table <- function(source, call = NULL) {
  engine <- engine_of(source$con)
  text <- if (is.null(engine)) "VARCHAR" else dialects[[engine]]$text
  named <- as.character(DBI::dbQuoteIdentifier(source$con, source$columns))
  sql <- sprintf(
    "SELECT %s FROM %s",
    paste(sprintf("CAST(%s AS %s) AS %s", named, text, named), collapse = ", "),
    source$from
  )
  pages <- tryCatch(
    {
      result <- DBI::dbSendQuery(source$con, sql)
      on.exit(DBI::dbClearResult(result), add = TRUE)
      pages <- list()
      rows <- 0
      repeat {
        page <- DBI::dbFetch(result, page_rows)
        if (nrow(page) == 0L) break
        pages[[length(pages) + 1L]] <- as.data.table(lapply(page, as.character))
        rows <- rows + nrow(page)
        signal_progress(paste("reading", format(rows, big.mark = " "), "rows of", source$name))
        if (DBI::dbHasCompleted(result)) break
      }
      pages
    },
    error = \(e) database_trouble(source, e, call)
  )
  if (length(pages) == 0L) {
    abort_nubrek("{.val {source$name}} has no rows.", "database", call = call)
  }
  structure(rbindlist(pages), source_name = source$name)
}

# A source that lives in a database, or in those of several servers, read; others as they are.
fetched <- function(source, call = rlang::caller_env()) {
  if (is_servers(source)) {
    rows <- lapply(source, fetch_table, call)
    return(structure(
      rbindlist(rows, use.names = TRUE), source_name = attr(rows[[1L]], "source_name")
    ))
  }
  if (inherits(source, "nubrek_db_table")) fetch_table(source, call) else source
}
