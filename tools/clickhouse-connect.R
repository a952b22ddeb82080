# A connection to the k-th ClickHouse server that tools/test-engines.sh has started.
connect_clickhouse <- function(k) {
  port <- as.integer(Sys.getenv("NUBREK_PORT")) + k - 1L
  for (attempt in 1:100) {
    con <- tryCatch(
      DBI::dbConnect(RClickhouse::clickhouse(), host = "127.0.0.1", port = port),
      error = \(e) NULL
    )
    if (!is.null(con)) return(con)
    Sys.sleep(0.2)
  }
  stop("the server did not start")
}
