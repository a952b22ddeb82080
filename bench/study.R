# What a person waits for: the demo study run for the first time and again, the command's start and
# `show`, in processor time against `sort(rnorm(2e7))` on the same machine in the same run. Writes
# docs/benchmark-study.md. Usage: Rscript bench/study.R
command <- system.file("exec", "nubrek", package = "nubrek", mustWork = TRUE)
folder <- tempfile("study-")
study <- file.path(folder, "study.yaml")
Sys.setenv(R_USER_DATA_DIR = tempfile("user-"))
nubrek <- function(...) {
  took <- system.time(status <- system2(command, c(...), stdout = FALSE))
  stopifnot(status == 0L)
  c(processor = sum(took[-3L]), elapsed = took[["elapsed"]])
}
times <- function(n, work) vapply(seq_len(n), \(i) work(), c(processor = 0, elapsed = 0))
yardstick <- times(5L, \() {
  took <- system.time(sort(stats::rnorm(2e7)))
  c(processor = sum(took[-3L]), elapsed = took[["elapsed"]])
})
nubrek("demo", "--folder", folder)
text <- readLines(study)
writeLines(sub("# keep: ledger ", "keep: ledger ", text, fixed = TRUE), study)
run <- \() nubrek("run", study)
change <- function(from, to) {
  text <- readLines(study)
  stopifnot(any(grepl(from, text, fixed = TRUE)))
  writeLines(sub(from, to, text, fixed = TRUE), study)
}
margins <- c("margin_rate: 0.48", "margin_rate: 0.45")
asked <- list(
  "the demo study with its report, for the first time" = times(1L, run),
  "again, nothing changed" = times(5L, run),
  "again with another margin" = times(4L, \() {
    change(margins[[1L]], margins[[2L]])
    margins <<- rev(margins)
    run()
  }),
  "`nubrek --help`" = times(5L, \() nubrek("--help")),
  "`nubrek show tiers`, after a run" = times(5L, \() nubrek("show", "tiers", study)),
  "`nubrek show tiers --where 'sales > 100'`" = times(5L, \() nubrek(
    "show", "tiers", study, "--where", shQuote("sales > 100")
  ))
)
span <- \(x) {
  ends <- if (length(x) > 1L) sprintf(" (%.2f to %.2f)", min(x), max(x))
  paste0(sprintf("%.2f", stats::median(x)), ends)
}
base <- stats::median(yardstick["processor", ])
rows <- vapply(names(asked), \(name) sprintf(
  "| %s | %s | %s | %s |", name, span(asked[[name]]["processor", ]),
  span(asked[[name]]["elapsed", ]), span(asked[[name]]["processor", ] / base)
), "", USE.NAMES = FALSE)
out <- c(
  "# Benchmark of a study",
  "",
  paste(
    "The newest run of `make bench`: processor time of the whole command, R's own start (0.05 s)",
    "included, against `sort(rnorm(2e7))`, which took"
  ),
  sprintf("%s s. The middle of the runs, and their range.", span(yardstick["processor", ])),
  "",
  "| asked | processor, s | elapsed, s | against the sort |",
  "|---|---|---|---|",
  rows,
  "",
  paste(
    "Parts and figures of the run before are taken as they are where nothing that they rest on has",
    "changed; what is left is opening"
  ),
  "the ledger, proving the totals, and writing the report and its lists."
)
writeLines(out)
writeLines(out, "docs/benchmark-study.md")
unlink(folder, recursive = TRUE)
