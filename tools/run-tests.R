# Runs the tests against the installed package, two files at a time where the system can; the last line is the count of the
# reporter. Fails when one fails or none ran. Usage: Rscript tools/run-tests.R [filter]
library(testthat)
library(nubrek)
options(width = 100, cli.num_colors = 1L)
filter <- commandArgs(TRUE)
folder <- "tests/testthat"
files <- list.files(folder, "^test-.*[.]R$")
if (length(filter) > 0L) files <- files[grepl(filter[[1L]], sub("^test-|[.]R$", "", files))]

# Files that share the run of the demo study stay together, so that it is made once; the long ones begin.
uses_demo <- vapply(file.path(folder, files), \(f) any(grepl("pellmere()", readLines(f), fixed = TRUE)), NA)
first <- match(c("test-command.R"), files[!uses_demo], nomatch = 0L)
others <- c(files[!uses_demo][first], setdiff(files[!uses_demo], files[!uses_demo][first]))
jobs <- c(if (any(uses_demo)) list(files[uses_demo]), as.list(others))

run_job <- function(files) {
  pattern <- paste0("^(", paste(gsub("^test-|[.]R$", "", files), collapse = "|"), ")$")
  output <- capture.output(
    results <- test_dir(folder, env = new.env(parent = asNamespace("nubrek")), package = "nubrek", load_package = "none", filter = pattern,
                        reporter = "check", stop_on_failure = FALSE, stop_on_warning = FALSE))
  table <- as.data.frame(results)
  if (any(table$failed > 0 | table$error)) cat(output, sep = "\n")
  table
}

cores <- if (.Platform$OS.type == "unix") max(1L, min(2L, parallel::detectCores())) else 1L
tables <- parallel::mclapply(jobs, run_job, mc.cores = cores, mc.preschedule = FALSE)
lost <- !vapply(tables, is.data.frame, NA)
for (job in jobs[lost]) cat("The tests did not come to an end:", job, "\n")
results <- do.call(rbind, tables[!lost])
failed <- sum(results$failed) + sum(results$error) + sum(lost)
for (i in which(results$warning > 0)) cat("warning in", results$file[[i]], "-", results$test[[i]], "\n")
slow <- utils::head(results[order(-results$real), ], as.integer(Sys.getenv("NUBREK_SLOWEST", "8")))
cat("Slowest:", paste0(slow$test, " ", round(slow$real, 1), " s", collapse = "; "), "\n")
passed <- sum(results$passed)
cat(sprintf("%d passed, %d failed, %d skipped\n", passed, failed, sum(results$skipped)))
if (failed > 0 || passed == 0) quit(status = 1L)
