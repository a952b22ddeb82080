# Runs the tests against the installed package, as many files at a time as there are cores; the last
# line is the count of the reporter. Fails when one fails or none ran.
# Usage: Rscript tools/run-tests.R [short|long] [FILTER]      (ORDER=random: files in random order)
library(testthat)
library(nubrek)
# Loaded once for all jobs, not once in each: packages, and the code that most of them use.
shared <- c(
  "DBI", "desc", "farver", "ggplot2", "htmltools", "jsonlite", "labeling", "nanoparquet",
  "openxlsx", "optparse", "pkgload", "RSQLite", "scales", "svglite", "withr", "yaml"
)
for (package in shared) {
  requireNamespace(package, quietly = TRUE)
}
warm_up <- function() {
  inside <- asNamespace("nubrek")
  ledger <- example_ledger()
  results <- list(order_counts(ledger), repeat_rate(ledger), score_rfm(ledger), cohort_grid(ledger))
  for (result in results) {
    capture.output(print(result))
    inside$draw_picture(list(x = result, height = 4))
  }
  inside$study_keys()
  prove_totals(ledger)
}
invisible(warm_up())
options(width = 100, cli.num_colors = 1L)
arguments <- commandArgs(TRUE)
suite <- c(intersect(arguments, c("short", "long")), "short")[[1L]]
filter <- setdiff(arguments, suite)
folder <- "tests/testthat"
Sys.setenv(NUBREK_SUITE = suite)

# How long a test waits for an event before it gives up: longer on a slow machine.
slowness <- max(1, system.time(sort(sin(1:2e6)))[["elapsed"]] / 0.25)
Sys.setenv(NUBREK_PATIENCE = ceiling(slowness * if (nzchar(Sys.getenv("CI"))) 600 else 180))

files <- list.files(folder, "^test-.*[.]R$")
if (length(filter) > 0L) files <- files[grepl(filter[[1L]], gsub("^test-|[.]R$", "", files))]
code <- lapply(setNames(nm = files), \(file) readLines(file.path(folder, file)))
wanted <- if (suite == "long") "^test_(long|both)[(]" else "^test_(that|both)[(]"
files <- files[vapply(code, \(lines) any(grepl(wanted, lines)), NA)]
if (length(files) == 0L) {
  cat("0 passed, 0 failed, 0 skipped\n")
  quit(status = 1L)
}

# The run of the demo world is made once, beside the files that need none; those that do begin when
# it is there. The long ones go first.
uses_demo <- vapply(code[files], \(lines) any(grepl("(pellmere|demo_run)[(][)]", lines)), NA)
first <- c("test-explore.R", "test-command.R", "test-ledger-proof.R", "test-worth.R")
rank <- order(!files %in% first, -lengths(code[files]))
if (identical(Sys.getenv("ORDER"), "random")) {
  seed <- as.integer(Sys.time()) %% 100000L
  set.seed(seed)
  rank <- sample(length(files))
  cat("Files in random order, seed", seed, "\n")
}
files <- files[rank]
waiting <- files[uses_demo[files]]
make_demo <- "the run of the demo world"
jobs <- c(if (length(waiting) > 0L) make_demo, files)

# Processor seconds so far, those of ended children included.
processor <- function() sum(proc.time()[c(1L, 2L, 4L, 5L)], na.rm = TRUE)

run_job <- function(job) {
  value <- if (job == make_demo) make_demo_world() else run_file(job)
  list(value = value, processor = processor())
}

run_file <- function(file) {
  spent <- new.env()
  output <- capture.output(
    results <- test_dir(
      folder,
      env = list2env(list(spent_on = spent), parent = asNamespace("nubrek")),
      package = "nubrek",
      load_package = "none",
      filter = paste0("^", gsub("^test-|[.]R$", "", file), "$"),
      reporter = "check",
      stop_on_failure = FALSE,
      stop_on_warning = FALSE
    )
  )
  table <- as.data.frame(results)
  if (any(table$failed > 0 | table$error)) cat(output, sep = "\n")
  table$processor <- unlist(mget(table$test, spent, ifnotfound = NA_real_), use.names = FALSE)
  table
}

make_demo_world <- function() {
  helper <- new.env(parent = asNamespace("nubrek"))
  sys.source(file.path(folder, "helper-simulate.R"), helper)
  # in the language and the order of the tests: what is kept of a run holds for no other
  local_test_context()
  withr::local_collate("C")
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
    if (make_demo %in% names(came)) options(nubrek.demo_run = came[[make_demo]]$value)
  }
  done
}

began <- Sys.time()
done <- if (.Platform$OS.type == "unix") {
  run_jobs(jobs, waiting)
} else {
  sapply(files, run_job, simplify = FALSE)
}
ended <- vapply(done[files], \(job) is.list(job) && is.data.frame(job$value), NA)
came <- done[files][ended]
for (job in files[!ended]) {
  cat("The tests did not come to an end:", job, as.character(unlist(done[[job]])), "\n")
}
results <- do.call(rbind, lapply(came, `[[`, "value"))
failed <- sum(results$failed) + sum(results$error) + length(files) - length(came)
for (i in which(results$warning > 0)) {
  cat("warning in", results$file[[i]], "-", results$test[[i]], "\n")
}

# Where the time went, in processor seconds.
spent <- c(
  unlist(lapply(done, \(job) if (is.list(job)) job$processor)),
  `what all share` = sum(proc.time()[1:2])
)
kept <- Sys.getenv("NUBREK_TIMES")
if (nzchar(kept)) {
  own <- tapply(results$processor, results$file, sum, na.rm = TRUE)
  rest <- spent[files] - own[files]
  utils::write.csv(rbind(
    results[c("file", "test", "processor", "real")],
    data.frame(file = files, test = "(start of the file)", processor = rest, real = NA)
  ), kept, row.names = FALSE)
}
listed <- function(name, seconds, most) {
  top <- utils::head(order(-seconds), most)
  paste0(name[top], " ", round(seconds[top], 1), " s", collapse = "; ")
}
cat(sprintf(
  "The %s suite: %.0f s of processor in %d tests, %.0f s by the clock\n", suite,
  sum(spent), nrow(results),
  as.numeric(difftime(Sys.time(), began, units = "secs"))
))
cat("Longest files:", listed(names(spent), spent, 6L), "\n")
cat("Longest tests:", listed(results$test, results$processor, 24L), "\n")
passed <- sum(results$passed)
cat(sprintf("%d passed, %d failed, %d skipped\n", passed, failed, sum(results$skipped)))
if (failed > 0 || passed == 0) quit(status = 1L)
