# What is asked of a ledger that stays in its database: statements, rows and bytes over the wire,
# and time beside the same in memory, on the demo world in SQLite; written into docs/engines.md.
library(nubrek)
folder <- tempfile("demo-")
invisible(utils::capture.output(command_main(c("demo", "--folder", folder))))
rows <- utils::read.csv(
  file.path(folder, "order-lines.csv.gz"), colClasses = "character", check.names = FALSE
)
con <- DBI::dbConnect(RSQLite::SQLite(), tempfile())
DBI::dbWriteTable(con, "sold", rows)
said <- read_study(file.path(folder, "study.yaml"))
map <- do.call(column_map, as.list(said$data$orders$columns))
meaning <- meanings(
  currency = "EUR", history_start = said$meanings$history_start,
  test = order_rule("state", "test"), cancelled = order_rule("state", "cancelled")
)
people <- attribute_table(
  file.path(folder, "customers.csv.gz"), key = "customer_no", attributes = "town"
)
goods <- attribute_table(
  file.path(folder, "products.csv"), key = "sku", attributes = "category"
)
opening <- \(...) system.time(opened <<- open_ledger(
  db_table(con, "sold"), map, meaning, customers = people, products = goods, ...
))[["elapsed"]]
opened <- NULL
seconds <- c(memory = opening())
memory <- opened
seconds <- c(seconds, database = opening(workspace = "temporary"))
database <- opened
asked <- list(
  "repeat rate" = repeat_rate,
  "order counts" = order_counts,
  "cohort grid by month" = cohort_grid,
  "cohort grid by elapsed months" = \(l) cohort_grid(l, ages = "elapsed"),
  "cohort grid by first channel, with margin" = \(l) {
    cohort_grid(l, by = "first_channel", margin = 0.4)
  },
  "new and returning" = \(l) new_returning(l, "month", lookback = 3),
  "sales by category" = \(l) sales_by(l, "category"),
  "gaps" = purchase_gaps,
  "waiting curve" = waiting_curve,
  "tiers" = assign_tiers,
  "scores" = score_rfm,
  "customers with all attributes" = customers,
  "purchase histories" = purchase_history,
  "value of a year" = \(l) forecast_value(l, 1),
  "audience by a rule on lines" = \(l) audience(l, sales(channel == "Web store", last = 365) > 50),
  "slice by channel, repeat rate" = \(l) {
    repeat_rate(ledger_slice(l, lines = list(channel = "Web store")))
  },
  "proof of totals" = prove_totals
)
table <- do.call(rbind, lapply(names(asked), \(name) {
  whole <- found <- NULL
  here <- system.time(whole <- asked[[name]](memory))[["elapsed"]]
  there <- system.time(sql <- ledger_sql(database, \(l) found <<- asked[[name]](l)))[["elapsed"]]
  data.frame(
    name, statements = nrow(sql), rows = sum(sql$rows), bytes = sum(sql$bytes), there, here,
    same = isTRUE(all.equal(found, whole))
  )
}))
stopifnot(all(table$same))
lines <- c(
  "| asked | statements | rows fetched | kB fetched | seconds | in memory |",
  "|---|--:|--:|--:|--:|--:|",
  sprintf(
    "| %s | %d | %s | %s | %.2f | %.2f |", table$name, table$statements,
    format(table$rows, big.mark = " ", trim = TRUE),
    format(round(table$bytes / 1e3), big.mark = " ", trim = TRUE), table$there, table$here
  )
)
text <- readLines("docs/engines.md")
ends <- match(c("<!-- measured -->", "<!-- end -->"), text)
told <- sprintf(
  paste0(
    "%s lines, %s customers, %s orders in SQLite; opening took %.1f s in the database, %.1f s ",
    "in memory. Every answer is the same."
  ),
  format(nrow(rows), big.mark = " "), format(nrow(customers(memory)), big.mark = " "),
  format(sum(order_counts(memory)$customers * order_counts(memory)$purchases), big.mark = " "),
  seconds[["database"]], seconds[["memory"]]
)
writeLines(c(
  text[seq_len(ends[[1L]])], told, "", lines, text[seq.int(ends[[2L]], length(text))]
), "docs/engines.md")
cat(lines, sep = "\n")
