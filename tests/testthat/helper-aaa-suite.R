# Two suites in the same files: `make test` runs what stands in test_that(), `make test-long` what
# needs many worlds or much machine and stands in test_long(). What stands in test_both() runs in
# either, over `worlds(few, many)`.
suite_of_tests <- Sys.getenv("NUBREK_SUITE", "short")
worlds <- function(few, many) if (suite_of_tests == "long") many else few

test_that <- function(desc, code) {
  if (suite_of_tests != "short") return(invisible())
  timed(desc, eval(substitute(testthat::test_that(desc, code)), parent.frame()))
}

test_long <- function(desc, code) {
  if (suite_of_tests != "long") return(invisible())
  timed(desc, eval(substitute(testthat::test_that(desc, code)), parent.frame()))
}

test_both <- function(desc, code) {
  timed(desc, eval(substitute(testthat::test_that(desc, code)), parent.frame()))
}

# Processor seconds of a test and of the processes it ended, for tools/run-tests.R.
timed <- function(desc, test) {
  processor <- \() sum(proc.time()[c(1L, 2L, 4L, 5L)], na.rm = TRUE)
  before <- processor()
  value <- force(test)
  spent <- get0("spent_on", inherits = TRUE)
  if (is.environment(spent)) spent[[desc]] <- processor() - before
  invisible(value)
}

# Seconds that a test waits for an event before it gives up; tools/run-tests.R measures the machine.
patience <- as.numeric(Sys.getenv("NUBREK_PATIENCE", "180"))
