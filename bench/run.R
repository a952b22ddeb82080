# The benchmark: the same work by this package, by data.table by hand, and by a general-purpose
# engine, in one run with 2 threads, each in a process of its own. Answers are compared; the table
# of ratios goes to docs/benchmark.md. Usage: run.R N...
library(data.table)
sizes <- as.numeric(commandArgs(TRUE))
if (length(sizes) == 0L) sizes <- 2e6
Sys.setenv(OMP_NUM_THREADS = "2")
# by hand takes minutes where there are many lines
by_hand_most <- as.numeric(Sys.getenv("NUBREK_BY_HAND_MOST", "Inf"))
side <- function(program, ...) {
  out <- system2(program, c(...), stdout = TRUE)
  if (!is.null(attr(out, "status"))) stop(program, " failed on ", ...)
  jsonlite::fromJSON(utils::tail(out, 1L))
}
rows <- list()
memory <- character()
for (n in sizes) {
  folder <- tempfile()
  dir.create(folder)
  file <- file.path(folder, "lines.csv")
  system2("Rscript", c("bench/generate.R", format(n, scientific = FALSE), file))
  other <- side("node", "bench/engine.js", file)
  ours_by <- \(threads) side(
    "Rscript",
    "-e",
    shQuote(sprintf("options(nubrek.threads = %d)", threads)),
    "-e",
    shQuote(sprintf("commandArgs <- function(...) '%s'; source('bench/ours.R')", file))
  )
  mine <- ours_by(2L)
  # by other numbers of threads, for the least lines
  if (n == min(sizes)) {
    counts <- c(1L, 2L, if (parallel::detectCores() >= 4L) 4L)
    by_threads <- lapply(counts, \(k) if (k == 2L) mine$seconds else ours_by(k)$seconds)
  }
  hand <- if (n <= by_hand_most) side("Rscript", "bench/by-hand.R", file)
  for (task in names(mine$answers)) {
    got <- as.numeric(mine$answers[[task]])
    for (reference in list(hand, other)) {
      if (is.null(reference$answers[[task]])) next
      wanted <- as.numeric(unlist(reference$answers[[task]]))
      if (!isTRUE(all.equal(got[seq_along(wanted)], wanted, tolerance = 0))) {
        stop("Answers differ: ", task, ": ", toString(got), " / ", toString(wanted))
      }
    }
  }
  `%||%` <- \(a, b) if (is.null(a)) b else a
  take <- \(side, task) as.numeric(side$seconds[[task]] %||% NA)
  for (task in names(mine$seconds)) {
    rows[[length(rows) + 1L]] <- data.table(
      lines = n,
      task,
      data.table::as.data.table(mine$seconds[[task]]),
      by_hand = take(hand, task),
      engine = take(other, task)
    )
  }
  memory <- c(memory, sprintf(
    paste0(
      "%s lines, %.0f MB of CSV: ledger %.0f MB, peak of the process that opened it %.0f MB, %.1f ",
      "times the ledger."
    ),
    format(n, big.mark = " ", scientific = FALSE),
    file.size(file) / 1e6,
    mine$size / 1e6,
    mine$peak / 1e6,
    mine$peak / mine$size
  ))
  unlink(folder, recursive = TRUE)
}
table <- rbindlist(rows)[, growth := middle / middle[[1L]], by = task]
count <- \(x) format(x, big.mark = " ", scientific = FALSE, trim = TRUE)
cell <- \(x, format = "%.2f") ifelse(is.na(x), "", sprintf(format, x))
span <- \(middle, low, high, format) ifelse(is.na(middle), "", paste0(
  sprintf(format, middle), " (", sprintf(format, low), " to ", sprintf(format, high), ")"
))
text <- c(
  paste0(
    "| lines | task | ours, s | processor, s | memory, MB | by hand, s | engine, s | ours : by ",
    "hand | ours : engine | ours : ours at the least lines |"
  ),
  "|---|---|---|---|---|---|---|---|---|---|",
  table[,
    sprintf(
      "| %s | %s | %s | %.3f | %.0f | %s | %s | %s | %s | %s |",
      count(lines),
      task,
      span(middle, low, high, "%.3f"),
      cpu,
      peak / 1e6,
      cell(by_hand, "%.3f"),
      cell(engine, "%.3f"),
      cell(middle / by_hand),
      span(middle / engine, low / engine, high / engine, "%.2f"),
      cell(growth, "%.1f")
    )
  ]
)
threads <- c(
  paste0("| task | ", paste(counts, "threads, s", collapse = " | "), " |"),
  paste0("|---|", strrep("---|", length(counts))),
  vapply(names(by_threads[[1L]]), \(task) paste0(
    "| ", task, " | ",
    paste(sprintf("%.3f", vapply(by_threads, \(one) one[[task]]$middle, 0)), collapse = " | "), " |"
  ), "")
)
text <- c(
  "# Benchmark",
  "",
  paste0(
    "The newest run of `make bench`: the same work in the same run with 2 threads, each side in a ",
    "process of its own. By hand: data.table; the general engine: DuckDB. The answers"
  ),
  paste0(
    "are compared exactly. *open*: from CSV to the sorted orders and the customer table, equal ",
    "rows removed; ours also reads every amount exactly, checks every row, keeps its faults, its ",
    "lines and"
  ),
  paste0(
    "what every number came from. *save* keeps the exports too. Ours is the middle of five runs ",
    "(fewer where they take long) with their range; memory is the peak on top of what was there."
  ),
  "",
  text,
  "",
  memory,
  "",
  paste("By threads,", count(min(sizes)), "lines:"),
  "",
  threads,
  "",
  readLines("bench/limits.md")
)
writeLines(text)
writeLines(text, "docs/benchmark.md")
