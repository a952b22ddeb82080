# More lines than memory: files split into parts, what is asked of them, time and peak of the
# process, beside one ledger in memory where `whole` is said; written into docs/engines.md.
# Usage: Rscript bench/parts.R [lines] [parts] [whole]
library(nubrek)
source("bench/ask-all.R")
asked <- commandArgs(TRUE)
lines <- as.numeric(if (length(asked) > 0L) asked[[1L]] else 2e6)
n <- as.integer(if (length(asked) > 1L) asked[[2L]] else 4L)
whole <- "whole" %in% asked
folder <- Sys.getenv("NUBREK_LARGE", tempfile("lines-"))
dir.create(folder, showWarnings = FALSE)

# Two lines an order, customers as unequal as they are, three years; five million lines a file.
make_file <- function(k) {
  path <- file.path(folder, sprintf("orders-%02d.csv", k))
  if (file.exists(path)) return(path)
  set.seed(k)
  rows <- min(5e6, lines - (k - 1) * 5e6)
  orders <- rows %/% 2
  twice <- rep(seq_len(orders), each = 2L)
  data.table::fwrite(data.frame(
    receipt = ((k - 1) * 2.5e6 + seq_len(orders))[twice],
    customer_no = sprintf("C%08d", floor(lines / 13 * stats::runif(orders)^1.7))[twice],
    sold_at = format(as.Date("2022-01-01") + sample.int(1095L, orders, TRUE) - 1L)[twice],
    net_amount = sprintf("%.2f", stats::rexp(2 * orders, 1 / 20) + 1.99),
    sku = sprintf("P%04d", sample.int(2000L, 2 * orders, TRUE)),
    sold_in = sample(c("web", "shop", "mill"), orders, TRUE)[twice]
  ), path)
  path
}
files <- vapply(seq_len(ceiling(lines / 5e6)), make_file, "")
map <- column_map(
  customer = "customer_no", order = "receipt", date = "sold_at", sales = "net_amount",
  product = "sku", channel = "sold_in"
)
meaning <- meanings(currency = "EUR", history_start = "2022-01-01")

# each in a process of its own, so that its peak is its own
apart <- \(open) parallel::mccollect(parallel::mcparallel(ask_all("opened", open)))[[1L]]
place <- tempfile("parts-")
split <- apart(\() split_ledger(files, map, meaning, into = n, folder = place))
size <- sum(file.size(list.files(place, recursive = TRUE, full.names = TRUE)))
one <- if (whole) apart(\() open_ledger(files, map, meaning))
text <- readLines("docs/engines.md")
ends <- match(c("<!-- parts -->", "<!-- end parts -->"), text)
beside <- if (whole) sprintf(" %.1f | %.1f |", one$seconds, one$peak) else rep("", nrow(split))
writeLines(c(
  text[seq_len(ends[[1L]])],
  sprintf(
    "%s lines (%.1f GB of CSV) in %d parts; the folder took %.1f GB.",
    format(lines, big.mark = " ", scientific = FALSE), sum(file.size(files)) / 1e9, n, size / 1e9
  ), "",
  paste0(
    "| asked | seconds | of processor | peak of the process so far, GB |",
    if (whole) " in one piece, seconds | peak, GB |"
  ),
  paste0("|---|--:|--:|--:|", if (whole) "--:|--:|"),
  sprintf(
    "| %s | %.1f | %.1f | %.1f |%s", split$name, split$seconds, split$cpu, split$peak, beside
  ),
  text[seq.int(ends[[2L]], length(text))]
), "docs/engines.md")
unlink(place, recursive = TRUE)
