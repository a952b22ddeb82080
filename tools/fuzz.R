# 10,000 damaged inputs and as many rules: each ends as something sound or as an error of ours.
# Cases run in processes with a limit of memory and time, so that a crash is seen and counted; the
# next process goes on behind it. Usage: Rscript tools/fuzz.R [CASES] [SEED]; called by itself with
# KIND FROM TO FILE for one process.
args <- commandArgs(TRUE)
here <- dirname(sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE)[[1L]]))

if (length(args) == 4L) {
  environment <- new.env(parent = asNamespace("nubrek"))
  sys.source(file.path(here, "fuzz-cases.R"), environment)
  to <- file(args[[4L]], "at")
  for (number in seq(as.integer(args[[2L]]), as.integer(args[[3L]]))) {
    writeLines(paste("begun", number), to)
    flush(to)
    got <- environment$fuzz_case(args[[1L]], number)
    writeLines(paste(got, number, attr(got, "why")), to)
    flush(to)
  }
  quit(status = 0L)
}

cases <- if (length(args) > 0L) as.integer(args[[1L]]) else 10000L
seed <- if (length(args) > 1L) as.integer(args[[2L]]) else 1L
share <- c(
  csv = 0.3, gz = 0.1, parquet = 0.12, xlsx = 0.08, study = 0.15, kept = 0.1, where = 0.1,
  arguments = 0.05, through = 0.15, rule = 1
)

# The cases of one kind, one process after the other until all are through.
run_kind <- function(kind) {
  first <- 1000000L * seed
  last <- first + as.integer(ceiling(cases * share[[kind]])) - 1L
  said <- character()
  while (first <= last) {
    file <- tempfile()
    until <- min(last, first + 199L)
    call <- sprintf(
      "ulimit -v 8000000; exec timeout -k 5 600 Rscript %s %s %d %d %s",
      shQuote(file.path(here, "fuzz.R")),
      kind,
      first,
      until,
      shQuote(file)
    )
    system2("bash", c("-c", shQuote(call)), stdout = FALSE, stderr = FALSE)
    lines <- if (file.exists(file)) readLines(file) else character()
    done <- lines[!startsWith(lines, "begun")]
    if (length(lines) > 0L && startsWith(lines[[length(lines)]], "begun")) {
      done <- c(done, sub(
        "begun (.*)", "defect \\1 the process broke down or ran too long", lines[[length(lines)]]
      ))
    }
    if (length(done) == 0L) stop("The cases of ", kind, " cannot be run.")
    said <- c(said, done)
    first <- first + length(done)
  }
  cat(sprintf(
    "%-9s %5d cases: %5d sound, %5d refused, %d defects\n",
    kind,
    length(said),
    sum(startsWith(said, "sound")),
    sum(startsWith(said, "refused")),
    sum(startsWith(said, "defect"))
  ))
  data.frame(kind = rep(kind, length(said)), said)
}

found <- do.call(
  rbind, parallel::mclapply(names(share), run_kind, mc.cores = 2L, mc.preschedule = FALSE)
)
defects <- found[startsWith(found$said, "defect"), ]
for (i in seq_len(min(40L, nrow(defects)))) {
  cat(defects$kind[[i]], sub("^defect ", "", defects$said[[i]]), "\n")
}
cat(sprintf("%d inputs, %d defects\n", nrow(found), nrow(defects)))
if (nrow(defects) > 0L || nrow(found) == 0L) quit(status = 1L)
