# Runs the tests against the installed package, as many files at a time as there are cores; the last
# line is the count of the reporter. Fails when one fails or none ran. Usage: Rscript
# tools/run-tests.R [filter]
library(testthat)
library(nubrek)
# loaded once for all jobs, not once in each
shared <- c("ggplot2", "htmltools", "openxlsx", "optparse", "pkgload", "scales", "withr", "yaml")
for (package in shared) {
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

# The run of the demo world is made once, beside the files that need none; those that do begin when
# it is there. The long ones go first.
uses_demo <- vapply(
  file.path(folder, files), \(f) any(grepl("(pellmere|demo_run)[(][)]", readLines(f))), NA
)
length_of <- file.size(file.path(folder, files)) +
  1e5 * (files %in% c("test-ledger-proof.R", "test-worth.R", "test-command.R"))
files <- files[order(uses_demo, -length_of)]
uses_demo <- sort(uses_demo)
make_demo <- "the run of the demo world"
jobs <- c(if (any(uses_demo)) make_demo, files)

run_job <- function(job) {
  if (job == make_demo) return(make_demo_world())
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

make_demo_world <- function() {
  helper <- new.env(parent = asNamespace("nubrek"))
  sys.source(file.path(folder, "helper-simulate.R"), helper)
  tryCatch(helper$make_demo_run(tempfile("demo-")), error = \(e) {
    cat("The demo world did not run:", conditionMessage(e), "\n")
  })
}

# Jobs run in children that know what is known when they start: the demo world, once it is made.
run_jobs <- function(jobs, waiting) {
  cores <- max(1L, min(8L, parallel::detectCores()))
  running <- done <- list()
  while (length(jobs) > 0L || length(running) > 0L) {
    ready <- jobs[!jobs %in% waiting | !make_demo %in% c(jobs, names(running))]
    for (job in utils::head(ready, cores - length(running))) {
      running[[job]] <- parallel::mcparallel(run_job(job), name = job)
      jobs <- setdiff(jobs, job)
    }
    came <- parallel::mccollect(running, wait = FALSE, timeout = 1)
    done[names(came)] <- came
    running[names(came)] <- NULL
    if (make_demo %in% names(came)) options(nubrek.demo_run = came[[make_demo]])
  }
  done
}

tables <- if (.Platform$OS.type == "unix") {
  run_jobs(jobs, files[uses_demo])
} else {
  sapply(files, run_job, simplify = FALSE)
}
tables[[make_demo]] <- NULL
lost <- !vapply(tables, is.data.frame, NA)
for (job in names(tables)[lost]) {
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
