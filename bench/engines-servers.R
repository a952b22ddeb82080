# One ClickHouse server against two, each with half of the customers: processor time of the servers
# and time until the answer, and what a fold of only the new rows takes; written into
# docs/engines.md. Usage:
# NUBREK_RUN=bench/engines-servers.R tools/test-engines.sh 2000000 ClickHouse
library(nubrek)
lines <- as.numeric(commandArgs(TRUE)[[2L]])
pids <- strsplit(Sys.getenv("NUBREK_PIDS"), " ")[[1L]]
sys.source("tools/clickhouse-connect.R", globalenv())
cons <- lapply(1:2, connect_clickhouse)
rows <- paste0(
  "SELECT concat('C', toString(toInt64(", format(lines / 13, scientific = FALSE), " * pow(((n * ",
  "7919) % 1000003) / 1000003, 1.7)))) AS who, toString(n) AS receipt, toString(toDate('2022-01",
  "-01') + (n * 104729) % 1095) AS sold_on, toString(((number * 15485863) % 9000 + 199) / 100) AS ",
  "paid, ",
  "if(number % 211 = 0, '2025-01-02', '2025-01-01') AS loaded FROM (SELECT number, intDiv(number, ",
  "2) AS n FROM numbers(", format(lines, scientific = FALSE), "))"
)
make <- function(con, name, where) {
  DBI::dbExecute(con, paste0(
    "CREATE TABLE ", name, " ENGINE = MergeTree ORDER BY tuple() AS SELECT * FROM (", rows,
    ") WHERE ", where
  ))
}
make(cons[[1L]], "sold", "1 = 1")
for (k in 1:2) make(cons[[k]], "dealt", paste("cityHash64(who) % 2 =", k - 1L))
used <- function() {
  vapply(pids, \(pid) {
    stat <- scan(file.path("/proc", pid, "stat"), "", quiet = TRUE)
    sum(as.numeric(stat[14:15])) / 100
  }, 0)
}
map <- column_map(customer = "who", order = "receipt", date = "sold_on", sales = "paid")
said <- meanings(currency = "EUR", history_start = "2022-01-01")
took <- function(ask) {
  before <- used()
  started <- proc.time()[["elapsed"]]
  found <- ask()
  seconds <- proc.time()[["elapsed"]] - started
  list(found = found, row = c(seconds, used() - before))
}
asked <- list(
  "repeat rate" = repeat_rate,
  "cohorts by month" = cohort_grid,
  "gaps of each customer" = purchase_gaps,
  "new and returning" = \(l) new_returning(l, "month"),
  "scores" = score_rfm,
  "histories" = purchase_history
)
course <- function(tables) {
  fold <- took(\() open_ledger(tables, map, said, workspace = "default"))
  ledger <- fold$found
  answers <- lapply(asked, \(ask) took(\() ask(ledger)))
  list(ledger = ledger, answers = lapply(answers, `[[`, "found"), rows = rbind(
    "fold" = fold$row, do.call(rbind, lapply(answers, `[[`, "row"))
  ))
}
one <- course(db_table(cons[[1L]], "sold"))
two <- course(lapply(cons, db_table, "dealt"))
for (name in names(asked)) {
  stopifnot(isTRUE(all.equal(lapply(two$answers[[name]], I), lapply(one$answers[[name]], I))))
}
close_ledger(two$ledger)
close_ledger(one$ledger)

# the rows of a day: a view of all before it, then all
view <- \(where) DBI::dbExecute(cons[[1L]], paste0(
  "CREATE OR REPLACE VIEW known AS SELECT * FROM sold WHERE ", where
))
view("loaded < '2025-01-02'")
growing <- open_ledger(
  db_table(cons[[1L]], "known", added = "loaded"), map, said, workspace = "default"
)
view("loaded < '2025-01-02' OR cityHash64(who) % 50 = 0")
n <- DBI::dbGetQuery(cons[[1L]], paste(
  "SELECT toInt32(count()) AS n, toInt32(uniqExact(who)) AS who FROM known",
  "WHERE loaded = '2025-01-02'"
))
steps <- character()
refresh <- withCallingHandlers(
  took(\() refresh_ledger(growing)), nubrek_progress = \(p) steps <<- c(steps, p$step)
)
stopifnot("folding what was touched, as it is" %in% steps)
whole <- took(\() open_ledger(db_table(cons[[1L]], "known"), map, said, workspace = "default"))
stopifnot(isTRUE(all.equal(repeat_rate(refresh$found), repeat_rate(whole$found))))

text <- readLines("docs/engines.md")
ends <- match(c("<!-- servers -->", "<!-- end servers -->"), text)
number <- \(x) format(x, big.mark = " ", scientific = FALSE)
writeLines(c(
  text[seq_len(ends[[1L]])],
  sprintf("%s lines in ClickHouse, both servers on one machine.", number(lines)), "",
  "| asked | one server, seconds | of its processor | two servers, seconds | first | second |",
  "|---|--:|--:|--:|--:|--:|",
  sprintf(
    "| %s | %.2f | %.2f | %.2f | %.2f | %.2f |", rownames(one$rows), one$rows[, 1L],
    one$rows[, 2L], two$rows[, 1L], two$rows[, 2L], two$rows[, 3L]
  ), "",
  sprintf(paste(
    "After %s rows of %s customers were added, `refresh_ledger()` took %.1f s (%.1f s of the",
    "server's processor), a whole fold %.1f s (%.1f s)."
  ), number(n$n), number(n$who), refresh$row[[1L]], refresh$row[[2L]], whole$row[[1L]],
  whole$row[[2L]]),
  text[seq.int(ends[[2L]], length(text))]
), "docs/engines.md")
print(round(cbind(one$rows[, 1:2], two$rows), 2))
