# A listening connection is SQLite, and keeps every answer; one on paper runs nothing: it keeps the
# statements, and answers each question as the listening one did.
library(DBI)
library(methods)
loadNamespace("RSQLite")
setClass("Listening", contains = "SQLiteConnection", slots = list(heard = "environment"))
setClass("OnPaper", contains = "DBIConnection", slots = list(heard = "environment"))
setMethod("dbGetQuery", c("Listening", "character"), function(conn, statement, ...) {
  found <- callNextMethod()
  conn@heard$answers <- c(conn@heard$answers, list(found))
  found
})
setMethod("dbGetQuery", c("OnPaper", "character"), function(conn, statement, ...) {
  conn@heard$said <- c(conn@heard$said, statement)
  conn@heard$asked <- conn@heard$asked + 1L
  conn@heard$answers[[conn@heard$asked]]
})
setMethod("dbExecute", c("OnPaper", "character"), function(conn, statement, ...) {
  conn@heard$said <- c(conn@heard$said, statement)
  0L
})
# quoted as the engines' drivers do
escaped <- \(x, mark) {
  text <- gsub("\\", "\\\\", x, fixed = TRUE)
  DBI::SQL(paste0(mark, gsub(mark, paste0("\\", mark), text, fixed = TRUE), mark))
}
for (class in c("Spark SQL", "BigQueryConnection")) {
  setClass(class, contains = "OnPaper")
  setMethod("dbQuoteIdentifier", c(class, "character"), function(conn, x, ...) escaped(x, "`"))
  setMethod("dbQuoteString", c(class, "character"), function(conn, x, ...) escaped(x, "'"))
}
for (class in c("Snowflake", "Microsoft SQL Server")) setClass(class, contains = "OnPaper")
