# Our side of the benchmark, in a process of its own. Usage: ours.R FILE. Prints one JSON object.
library(nubrek)
file <- commandArgs(TRUE)[[1L]]
ns <- asNamespace("nubrek")
seconds <- answers <- list()
# The middle of five runs (of fewer where they are long) and their range, processor time, and the
# memory that the work took on top of what was there. Gives the last result.
clock <- function(task, work) {
  runs <- list()
  peak <- 0
  while (length(runs) < 5L && sum(vapply(runs, `[[`, 0, "elapsed")) < 15) {
    result <- NULL
    gc(FALSE)
    there <- memory("VmRSS", fresh = TRUE)
    took <- system.time(result <- work())
    peak <- max(peak, memory("VmHWM") - there)
    runs[[length(runs) + 1L]] <- c(elapsed = took[["elapsed"]], cpu = sum(took[-3L]))
  }
  elapsed <- vapply(runs, `[[`, 0, "elapsed")
  seconds[[task]] <<- list(
    middle = median(elapsed), low = min(elapsed), high = max(elapsed),
    cpu = median(vapply(runs, `[[`, 0, "cpu")), peak = peak
  )
  result
}
memory <- function(what, fresh = FALSE) {
  if (fresh) try(writeLines("5", "/proc/self/clear_refs"), silent = TRUE)
  line <- grep(what, readLines("/proc/self/status"), value = TRUE)
  1024 * as.numeric(gsub("\\D", "", line))
}
map <- column_map(
  "customer", "day", order = "order_id", line = "line_id", product = "sku", quantity = "quantity",
  sales = "amount"
)
ledger <- clock("open", \() open_ledger(file, map, meanings(currency = "EUR")))
size <- as.numeric(object.size(ledger))
m <- clock("customer table", \() ns$reduce_customers(ledger))
answers[["customer table"]] <- c(nrow(m), sum(m$purchases), sum(m$sales), sum(m$purchase_days))
k <- clock("order counts", \() order_counts(ledger))
answers[["order counts"]] <- c(nrow(k), sum(k$purchases * k$customers))
g <- clock("cohort cells", \() ns$reduce_cells(ledger, ns$ledger_clock(ledger, "month")))
answers[["cohort cells"]] <- c(sum(g$sales$orders > 0), sum(g$customers), sum(g$sales$sums))
g <- clock("gaps by customer", \() ns$cpp_gap_measures(ledger$purchases, length(ledger$ids)))
answers[["gaps by customer"]] <- c(
  sum(g$gaps), sum(g$longest), round(2 * sum(g$median, na.rm = TRUE))
)
frame <- ns$period_frame(ledger, ns$ledger_clock(ledger, "month"))
p <- clock(
  "customer x month",
  \() ns$cpp_customer_periods(ledger$orders, ledger$purchases, frame$row_of_day, frame$first_day)
)
answers[["customer x month"]] <- c(length(p$sales), sum(p$purchases), sum(p$sales))
rm(p, g)
x <- clock("new and returning", \() new_returning(ledger, "month", lookback = 6L))
answers[["new and returning"]] <- c(sum(x$new), sum(x$returning), sum(x$reactivated))
w <- clock("wait for the second", \() next_purchase(ledger, clock = "month"))
answers[["wait for the second"]] <- c(sum(w$customers), sum(w$waited * w$customers, na.rm = TRUE))
all <- clock("scores, tiers, moves", \() list(
  score_rfm(ledger), assign_tiers(ledger), tier_moves(ledger, c("2024", "2025"))
))
r <- all[[1L]]
t <- all[[2L]]
v <- all[[3L]]
cell <- \(to) v$customers[v$from == "top" & v$to == to]
answers[["scores, tiers, moves"]] <- c(
  sum(r$recency_band),
  sum(r$frequency_band),
  sum(r$monetary_band),
  sum(t$tier == "top"),
  cell("top"),
  cell("absent")
)
rm(r, t, v, all)
# five conditions, two of them measures of chosen lines
some <- \(skus) paste0("product %in% c(", toString(sprintf("\"S%04d\"", skus)), ")")
rule <- c(
  "sales >= 200",
  "purchases >= 2",
  "last_purchase >= \"2024-07-01\"",
  sprintf("purchases(%s, from = \"2024-12-31\") >= 1", some(1:300)),
  sprintf("sales(%s) >= 50", some(301:900))
)
a <- clock("audience", \() audience(ledger, rule = rule))
answers[["audience"]] <- c(nrow(a), round(100 * sum(attr(a, "course")$sales[[5L]])))
proof <- clock("proof of totals", \() prove_totals(ledger))
stopifnot(proof$exact)
# one of 3,000 towns for each customer
plain <- ledger$attributes
set.seed(2)
ledger$attributes <- data.table::data.table(
  town = sprintf("T%04d", sample.int(3000L, length(ledger$ids), TRUE))
)
best <- clock("best of 3,000 towns", \() rank_customers(ledger, within = "town", top = 1))
stopifnot(length(unique(best$town)) == 3000L)
grid <- clock("cohorts of 3,000 towns", \() cohort_grid(ledger, "quarter", by = "town"))
stopifnot(sum(grid$customers[grid$age == 0L]) == sum(m$purchases > 0L))
ledger$attributes <- plain
rm(best, grid, proof)
folder <- file.path(dirname(file), "ledger")
clock("save", \() save_ledger(ledger, folder))
again <- clock("reopen", \() open_ledger(folder))
stopifnot(
  identical(sum(again$orders$sales), sum(ledger$orders$sales)),
  identical(again$orders$order[1:9], ledger$orders$order[1:9])
)
rm(again, ledger)
parquet <- sub("csv$", "parquet", file)
if (file.exists(parquet)) {
  ledger <- clock("open Parquet", \() open_ledger(parquet, map, meanings(currency = "EUR")))
  stopifnot(
    identical(sum(ledger$orders$sales), sum(m$sales)), length(ledger$orders$sales) == sum(m$orders)
  )
}
cat(jsonlite::toJSON(list(
  seconds = seconds, answers = answers, size = size, peak = seconds$open$peak
), auto_unbox = TRUE, digits = NA))
