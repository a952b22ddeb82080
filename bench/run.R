# The benchmark: the same work by this package, by data.table by hand, and by a general-purpose engine, in one run with 2 threads. Answers are compared; the table
# of ratios goes to docs/benchmark.md. Usage: run.R N...
library(nubrek)
library(data.table)
setDTthreads(2)
sizes <- as.numeric(commandArgs(TRUE))
if (length(sizes) == 0L) sizes <- 2e6
clock <- function(code) { gc(FALSE); system.time(code)[["elapsed"]] }

ours <- function(file) {
  map <- column_map("customer", "day", order = "order_id", line = "line_id", product = "sku", quantity = "quantity", sales = "amount")
  seconds <- c(open = clock(ledger <- open_ledger(file, map, meanings(currency = "EUR"))))
  ns <- asNamespace("nubrek")
  seconds[["customer table"]] <- clock(m <- ns$reduce_customers(ledger))
  seconds[["order counts"]] <- clock(k <- order_counts(ledger))
  seconds[["cohort cells"]] <- clock(g <- ns$reduce_cells(ledger, ns$ledger_clock(ledger, "month")))
  list(seconds = seconds, size = as.numeric(object.size(ledger)), answers = list(
    "customer table" = c(nrow(m), sum(m$purchases), sum(m$sales), sum(m$purchase_days)), "order counts" = c(nrow(k), sum(k$purchases * k$customers)),
    "cohort cells" = c(sum(g$orders > 0), sum(g$customers), sum(g$sales))))
}

by_hand <- function(file) {
  seconds <- c(open = clock({
    lines <- unique(fread(file, colClasses = c(order_id = "character", customer = "character", sku = "character"), nThread = 2L, showProgress = FALSE))
    orders <- lines[, .(day = min(day), sales = sum(round(amount * 100))), keyby = .(customer, order_id)]
    setorder(orders, customer, day, order_id)
    people <- orders[sales > 0, .(purchases = .N, first = min(day), last = max(day), sales = sum(sales)), by = customer]
  }))
  seconds[["customer table"]] <- clock(p <- orders[sales > 0, .(purchases = .N, first = min(day), last = max(day), sales = sum(sales)), by = customer])
  seconds[["order counts"]] <- clock(k <- orders[sales > 0, .N, by = customer][, .(customers = .N), by = N])
  seconds[["cohort cells"]] <- clock({
    orders[, month := year(day) * 12L + month(day)]
    first <- orders[sales > 0, .(first = min(day), cohort = min(month)), by = customer]
    cells <- orders[first, on = "customer"][day >= first, .(active = uniqueN(customer[sales > 0]), sales = sum(sales)), by = .(cohort, month)]
  })
  list(seconds = seconds, answers = list("customer table" = c(nrow(p), sum(p$purchases), sum(p$sales)), "order counts" = c(nrow(k), sum(k$N * k$customers)),
                                         "cohort cells" = c(nrow(cells), sum(cells$active), sum(cells$sales))))
}

engine <- function(file) {
  out <- jsonlite::fromJSON(system2("node", c("bench/engine.js", file), stdout = TRUE))
  list(seconds = unlist(out$seconds), answers = lapply(out$answers, \(a) as.numeric(unlist(a))))
}

peak_memory <- function() as.numeric(sub("\\D*(\\d+).*", "\\1", grep("VmHWM", readLines("/proc/self/status"), value = TRUE))) / 1024
rows <- list()
for (n in sizes) {
  file <- file.path(tempdir(), "lines.csv")
  system2("Rscript", c("bench/generate.R", format(n, scientific = FALSE), file))
  mine <- ours(file)
  memory <- peak_memory()
  hand <- by_hand(file)
  other <- engine(file)
  for (task in names(mine$answers)) {
    same <- isTRUE(all.equal(mine$answers[[task]], other$answers[[task]])) && isTRUE(all.equal(mine$answers[[task]][seq_along(hand$answers[[task]])], hand$answers[[task]]))
    if (!same) stop("Answers differ: ", task, ": ", toString(mine$answers[[task]]), " / ", toString(hand$answers[[task]]), " / ", toString(other$answers[[task]]))
  }
  for (task in names(mine$seconds)) rows[[length(rows) + 1L]] <- data.table(lines = n, task, ours = mine$seconds[[task]], by_hand = hand$seconds[[task]], engine = other$seconds[[task]])
  cat(sprintf("%.0f lines: answers agree; ledger %.0f MB, peak of the process %.0f MB\n", n, mine$size / 2^20, memory))
  unlink(file)
}
table <- rbindlist(rows)[, `:=`(to_by_hand = ours / by_hand, to_engine = ours / engine)]
text <- c("| lines | task | ours, s | data.table by hand, s | general engine, s | ours : by hand | ours : engine |", "|---|---|---|---|---|---|---|",
          table[, sprintf("| %s | %s | %.3f | %.3f | %.3f | %.2f | %.2f |", format(lines, big.mark = " ", scientific = FALSE), task, ours, by_hand, engine, to_by_hand, to_engine)])
writeLines(text)
writeLines(c("# Benchmark", "", "The newest run of `make bench`: the same work in the same run with 2 threads. By hand: data.table; the general engine: DuckDB. The answers are compared.",
             "*open*: from CSV to the sorted orders and the customer table, equal rows removed; ours also reads every amount exactly, checks every row and keeps its faults.", "", text), "docs/benchmark.md")
