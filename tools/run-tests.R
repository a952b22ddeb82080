# Runs the tests against the installed package, as many files at a time as there are cores; the last
# line is the count of the reporter. Fails when one fails or none ran. Usage: Rscript
# tools/run-tests.R [filter]
library(testthat)
library(nubrek)
# loaded once for all jobs, not once in each
for (package in c("ggplot2", "htmltools", "optparse", "yaml", "scales", "withr", "openxlsx")) {
  requireNamespace(package, quietly = TRUE)
}
options(width = 100, cli.num_colors = 1L)
filter <- commandArgs(TRUE)
folder <- "tests/testthat"
files <- list.files(folder, "^test-.*[.]R$")
if (length(filter) > 0L) files <- files[grepl(filter[[1L]], gsub("^test-|[.]R$", "", files))]
if (length(files) == 0L) {
  cat("0 passed, 0 failed, 0 skipped\n")
  quit(status = 1L)
}

# The run of the demo world is made once, beside the files that need none; those that do wait for
# it. The long ones begin.
uses_demo <- vapply(
  file.path(folder, files), \(f) any(grepl("(pellmere|demo_run)[(][)]", readLines(f))), NA
)
length_of <- file.size(file.path(folder, files)) +
  1e5 * (files %in% c("test-ledger-proof.R", "test-worth.R", "test-command.R"))
files <- files[order(uses_demo, -length_of)]
make_demo <- "the run of the demo world"
jobs <- c(if (any(uses_demo)) make_demo, files)
Sys.setenv(NUBREK_DEMO_RUN = if (any(uses_demo)) tempfile("demo-", fileext = ".rds") else "")

run_job <- function(job) {
  if (job == make_demo) return(share_demo_run())
  pattern <- paste0("^", gsub("^test-|[.]R$", "", job), "$")
  output <- capture.output(
    results <- test_dir(
      folder,
      env = new.env(parent = asNamespace("nubrek")),
      package = "nubrek",
      load_package = "none",
      filter = pattern,
      reporter = "check",
      stop_on_failure = FALSE,
      stop_on_warning = FALSE
    )
  )
  table <- as.data.frame(results)
  if (any(table$failed > 0 | table$error)) cat(output, sep = "\n")
  table
}

# Whatever happens to it, those who wait are not left waiting.
share_demo_run <- function() {
  to <- Sys.getenv("NUBREK_DEMO_RUN")
  helper <- new.env(parent = asNamespace("nubrek"))
  sys.source(file.path(folder, "helper-simulate.R"), helper)
  made <- tryCatch(helper$make_demo_run(tempfile("demo-")), error = \(e) {
    cat("The demo world did not run:", conditionMessage(e), "\n")
    NULL
  })
  saveRDS(made, paste0(to, ".part"), compress = FALSE)
  file.rename(paste0(to, ".part"), to)
  data.frame()
}

cores <- if (.Platform$OS.type == "unix") max(1L, min(8L, parallel::detectCores())) else 1L
tables <- parallel::mclapply(jobs, run_job, mc.cores = cores, mc.preschedule = FALSE)
lost <- !vapply(tables, is.data.frame, NA)
for (job in jobs[lost]) {
  cat("The tests did not come to an end:", job, "\n")
}
results <- do.call(rbind, tables[!lost])
failed <- sum(results$failed) + sum(results$error) + sum(lost)
for (i in which(results$warning > 0)) {
  cat("warning in", results$file[[i]], "-", results$test[[i]], "\n")
}
slow <- utils::head(results[order(-results$real), ], as.integer(Sys.getenv("NUBREK_SLOWEST", "8")))
cat("Slowest:", paste0(slow$test, " ", round(slow$real, 1), " s", collapse = "; "), "\n")
passed <- sum(results$passed)
cat(sprintf("%d passed, %d failed, %d skipped\n", passed, failed, sum(results$skipped)))
if (failed > 0 || passed == 0) quit(status = 1L)
