# Runs the tests against the installed package; the last line is the count of the reporter. Fails when one fails or none ran.
# Usage: Rscript tools/run-tests.R [filter]
library(testthat)
library(nubrek)
options(width = 100, cli.num_colors = 1L)
filter <- commandArgs(TRUE)
results <- as.data.frame(test_dir("tests/testthat", env = new.env(parent = asNamespace("nubrek")), package = "nubrek", load_package = "none",
                                  filter = if (length(filter) > 0L) filter[[1L]], reporter = "check", stop_on_failure = FALSE, stop_on_warning = FALSE))
failed <- sum(results$failed) + sum(results$error)
for (i in which(results$warning > 0)) cat("warning in", results$file[[i]], "-", results$test[[i]], "\n")
slow <- utils::head(results[order(-results$real), ], 5L)
cat("Slowest:", paste0(slow$test, " ", round(slow$real, 1), " s", collapse = "; "), "\n")
passed <- sum(results$passed)
cat(sprintf("%d passed, %d failed, %d skipped\n", passed, failed, sum(results$skipped)))
if (failed > 0 || passed == 0) quit(status = 1L)
