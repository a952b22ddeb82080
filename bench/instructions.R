# How many instructions the passes take on a small case, by valgrind's callgrind: a slow or a busy
# machine does not hide a regression there. Writes docs/instructions.md; says which have grown by
# more than 5 % since the last time. Usage: instructions.R (it calls itself under valgrind).
if (identical(commandArgs(TRUE), "work")) {
  library(nubrek)
  options(nubrek.threads = 1)
  file <- Sys.getenv("NUBREK_LINES")
  map <- column_map(
    "customer", "day", order = "order_id", line = "line_id", product = "sku",
    quantity = "quantity", sales = "amount"
  )
  ledger <- open_ledger(file, map, meanings(currency = "EUR"))
  order_counts(ledger)
  cohort_grid(ledger)
  purchase_gaps(ledger)
  new_returning(ledger)
  next_purchase(ledger)
  score_rfm(ledger)
  assign_tiers(ledger)
  tier_moves(ledger, c("2024", "2025"))
  rank_customers(ledger, within = "first_product", top = 1)
  prove_totals(ledger)
  folder <- file.path(dirname(file), "ledger")
  save_ledger(ledger, folder)
  open_ledger(folder)
  fit <- fit_purchases(ledger, "pareto-nbd")
  predict(fit, horizon = 52)
  forecast_value(ledger, 1, economics(margin_rate = 0.5), draws = c(10L, 10L))
  quit(status = 0L)
}
folder <- tempfile()
dir.create(folder)
lines <- file.path(folder, "lines.csv")
stopifnot(system2("Rscript", c("bench/generate.R", "50000", lines)) == 0L)
out <- file.path(folder, "callgrind.out")
Sys.setenv(NUBREK_LINES = lines, VALGRIND_OPTS = paste0("--callgrind-out-file=", out))
work <- c("-s", "-f", "bench/instructions.R", "--args", "work")
stopifnot(system2(
  "R", c("-d", shQuote("valgrind --tool=callgrind"), work), stdout = FALSE, stderr = FALSE
) == 0L)
told <- system2("callgrind_annotate", c("--inclusive=yes", "--threshold=100", out), stdout = TRUE)
found <- regmatches(told, regexec("^ *([0-9,]+) .*:_nubrek_(cpp_[a-z_]+)", told))
found <- Filter(length, found)
counts <- vapply(found, \(one) as.numeric(gsub(",", "", one[[2L]])), 0)
names(counts) <- vapply(found, `[[`, "", 3L)
counts <- counts[!duplicated(names(counts))]
counts <- sort(counts[counts > 1e5], decreasing = TRUE)
stopifnot(length(counts) > 10L)
path <- "docs/instructions.md"
if (file.exists(path)) {
  rows <- regmatches(readLines(path), regexec("^\\| `(.*)` \\| ([0-9.]+) \\|$", readLines(path)))
  rows <- Filter(length, rows)
  before <- vapply(rows, \(one) as.numeric(one[[3L]]), 0)
  names(before) <- vapply(rows, `[[`, "", 2L)
  both <- intersect(names(counts), names(before))
  grown <- both[counts[both] / 1e6 > 1.05 * before[both] + 0.1]
  cat(sprintf("%s: %.2f before, %.2f now\n", grown, before[grown], counts[grown] / 1e6), sep = "")
  cat(length(grown), "passes have grown by more than 5 %\n")
}
writeLines(c(
  "# Instructions of the passes", "",
  paste(
    "Counted by valgrind's callgrind, with all that each calls, on 50 000 generated lines and one",
    "thread (`make instructions`); they depend on the compiler and not on how busy the machine is."
  ),
  "", "| pass | million instructions |", "|---|---|",
  sprintf("| `%s` | %.2f |", names(counts), counts / 1e6)
), path)
