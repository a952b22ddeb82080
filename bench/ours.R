# Our side of the benchmark, in a process of its own. Usage: ours.R FILE. Prints one JSON object.
library(nubrek)
file <- commandArgs(TRUE)[[1L]]
ns <- asNamespace("nubrek")
seconds <- answers <- list()
clock <- function(task, code) {
  gc(FALSE)
  seconds[[task]] <<- system.time(code)[["elapsed"]]
}
peak_memory <- function() {
  as.numeric(sub(
    "\\D*(\\d+).*", "\\1", grep("VmHWM", readLines("/proc/self/status"), value = TRUE)
  )) *
    1024
}
map <- column_map(
  "customer", "day", order = "order_id", line = "line_id", product = "sku", quantity = "quantity",
  sales = "amount"
)
clock("open", ledger <- open_ledger(file, map, meanings(currency = "EUR")))
size <- as.numeric(object.size(ledger))
peak <- peak_memory()
clock("customer table", m <- ns$reduce_customers(ledger))
answers[["customer table"]] <- c(nrow(m), sum(m$purchases), sum(m$sales), sum(m$purchase_days))
clock("order counts", k <- order_counts(ledger))
answers[["order counts"]] <- c(nrow(k), sum(k$purchases * k$customers))
clock("cohort cells", g <- ns$reduce_cells(ledger, ns$ledger_clock(ledger, "month")))
answers[["cohort cells"]] <- c(sum(g$sales$orders > 0), sum(g$customers), sum(g$sales$sums))
clock("gaps by customer", g <- ns$cpp_gap_measures(ledger$purchases, length(ledger$ids)))
answers[["gaps by customer"]] <- c(
  sum(g$gaps), sum(g$longest), round(2 * sum(g$median, na.rm = TRUE))
)
frame <- ns$period_frame(ledger, ns$ledger_clock(ledger, "month"))
clock(
  "customer x month",
  p <- ns$cpp_customer_periods(ledger$orders, ledger$purchases, frame$row_of_day, frame$first_day)
)
answers[["customer x month"]] <- c(length(p$sales), sum(p$purchases), sum(p$sales))
rm(p, g)
clock("new and returning", x <- new_returning(ledger, "month", lookback = 6L))
answers[["new and returning"]] <- c(sum(x$new), sum(x$returning), sum(x$reactivated))
clock("wait for the second", w <- next_purchase(ledger, clock = "month"))
answers[["wait for the second"]] <- c(sum(w$customers), sum(w$waited * w$customers, na.rm = TRUE))
clock("scores, tiers, moves", {
  r <- score_rfm(ledger)
  t <- assign_tiers(ledger)
  v <- tier_moves(ledger, c("2024", "2025"))
})
cell <- \(to) v$customers[v$from == "top" & v$to == to]
answers[["scores, tiers, moves"]] <- c(
  sum(r$recency_band),
  sum(r$frequency_band),
  sum(r$monetary_band),
  sum(t$tier == "top"),
  cell("top"),
  cell("absent")
)
rm(r, t, v)
# five conditions, two of them measures of chosen lines
some <- \(skus) paste0("product %in% c(", toString(sprintf("\"S%04d\"", skus)), ")")
rule <- c(
  "sales >= 200",
  "purchases >= 2",
  "last_purchase >= \"2024-07-01\"",
  sprintf("purchases(%s, from = \"2024-12-31\") >= 1", some(1:300)),
  sprintf("sales(%s) >= 50", some(301:900))
)
clock("audience", a <- audience(ledger, rule = rule))
answers[["audience"]] <- c(nrow(a), round(100 * sum(attr(a, "course")$sales[[5L]])))
folder <- file.path(dirname(file), "ledger")
clock("save", save_ledger(ledger, folder))
clock("reopen", again <- open_ledger(folder))
stopifnot(
  identical(sum(again$orders$sales), sum(ledger$orders$sales)),
  identical(again$orders$order[1:9], ledger$orders$order[1:9])
)
rm(again, ledger)
parquet <- sub("csv$", "parquet", file)
if (file.exists(parquet)) {
  clock("open Parquet", ledger <- open_ledger(parquet, map, meanings(currency = "EUR")))
  stopifnot(
    identical(sum(ledger$orders$sales), sum(m$sales)), length(ledger$orders$sales) == sum(m$orders)
  )
}
cat(jsonlite::toJSON(list(
  seconds = seconds, answers = answers, size = size, peak = peak
), auto_unbox = TRUE, digits = NA))
