# A connection to the engine behind tools/clickhouse-bridge.js, as far as the tests need one.
library(DBI)
library(methods)
setOldClass("sockconn")
setClass("ClickhouseConnection", contains = "DBIConnection", slots = list(socket = "ANY"))
setClass("ClickhouseRows", contains = "DBIResult", slots = list(left = "environment"))

ask_bridge <- function(con, sql) {
  writeLines(as.character(jsonlite::toJSON(enc2utf8(sql), auto_unbox = TRUE)), con@socket)
  line <- readLines(con@socket, n = 1L, encoding = "UTF-8")
  if (length(line) == 0L) stop("the engine is gone")
  answer <- jsonlite::fromJSON(line, simplifyVector = TRUE, simplifyMatrix = FALSE)
  if (!is.null(answer$error)) stop(answer$error)
  columns <- lapply(seq_along(answer$names), \(k) {
    values <- answer$columns[[k]]
    if (is.list(values)) values <- unlist(lapply(values, \(v) if (is.null(v)) NA else v))
    if (grepl("String|Date", answer$types[[k]])) as.character(values) else as.double(values)
  })
  data.frame(stats::setNames(columns, answer$names), check.names = FALSE)
}

setMethod("dbGetQuery", c("ClickhouseConnection", "character"), function(conn, statement, ...) {
  ask_bridge(conn, statement)
})
setMethod("dbExecute", c("ClickhouseConnection", "character"), function(conn, statement, ...) {
  ask_bridge(conn, statement)
  0L
})
setMethod("dbSendQuery", c("ClickhouseConnection", "character"), function(conn, statement, ...) {
  new("ClickhouseRows", left = list2env(list(rows = ask_bridge(conn, statement))))
})
setMethod("dbFetch", "ClickhouseRows", function(res, n = -1, ...) {
  rows <- res@left$rows
  res@left$rows <- rows[0, , drop = FALSE]
  rows
})
setMethod("dbHasCompleted", "ClickhouseRows", function(res, ...) TRUE)
setMethod("dbClearResult", "ClickhouseRows", function(res, ...) TRUE)
setMethod("dbListTables", "ClickhouseConnection", function(conn, ...) {
  ask_bridge(conn, "SELECT name FROM system.tables WHERE database IN ('default', 'work')")$name
})
setMethod("dbIsValid", "ClickhouseConnection", function(dbObj, ...) TRUE)
setMethod("dbDisconnect", "ClickhouseConnection", function(conn, ...) close(conn@socket))
setMethod("dbQuoteIdentifier", c("ClickhouseConnection", "SQL"), function(conn, x, ...) x)
setMethod("dbQuoteString", c("ClickhouseConnection", "SQL"), function(conn, x, ...) x)
setMethod("dbQuoteIdentifier", c("ClickhouseConnection", "character"), function(conn, x, ...) {
  DBI::SQL(paste0("`", gsub("`", "\\`", gsub("\\", "\\\\", x, fixed = TRUE), fixed = TRUE), "`"))
})
setMethod("dbQuoteString", c("ClickhouseConnection", "character"), function(conn, x, ...) {
  text <- gsub("'", "\\'", gsub("\\", "\\\\", x, fixed = TRUE), fixed = TRUE)
  DBI::SQL(ifelse(is.na(x), "NULL", paste0("'", text, "'")))
})
setMethod("dbWriteTable", "ClickhouseConnection", function(conn, name, value, ...) {
  names <- paste0("`", names(value), "`", collapse = ", ")
  ask_bridge(conn, paste0(
    "CREATE TABLE ", name, " (", paste0("`", names(value), "` Nullable(String)", collapse = ", "),
    ") ENGINE = MergeTree ORDER BY tuple()"
  ))
  cells <- lapply(value, \(x) dbQuoteString(conn, as.character(x)))
  rows <- paste0("(", do.call(paste, c(unname(cells), sep = ", ")), ")")
  for (few in split(rows, (seq_along(rows) - 1L) %/% 5000L)) {
    ask_bridge(conn, paste0("INSERT INTO ", name, " VALUES ", paste(few, collapse = ", ")))
  }
})

connect_clickhouse <- function(port) {
  for (attempt in 1:50) {
    socket <- tryCatch(
      suppressWarnings(
        socketConnection("127.0.0.1", port, blocking = TRUE, open = "r+", timeout = 600)
      ),
      error = \(e) NULL
    )
    if (!is.null(socket)) return(new("ClickhouseConnection", socket = socket))
    Sys.sleep(0.2)
  }
  stop("the engine did not start")
}
