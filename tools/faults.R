# The real command under trouble: killed at 50 random moments of a run, a list and a save; two runs
# at once; an input taken away while it is read; a full and a read-only disk. After each, every file
# is the old or the new one, whole, and the next run leaves nothing behind. Usage: Rscript
# tools/faults.R [KILLS] [SEED]
args <- commandArgs(TRUE)
kills <- if (length(args) > 0L) as.integer(args[[1L]]) else 50L
set.seed(if (length(args) > 1L) as.integer(args[[2L]]) else 1L)
root <- tempfile("faults-")
dir.create(root)
command <- c(file.path(R.home("bin"), "Rscript"), system.file("exec", "nubrek", package = "nubrek"))
troubles <- 0L
claim <- function(what, holds) {
  if (!isTRUE(holds)) {
    troubles <<- troubles + 1L
    cat("NOT SO:", what, "\n")
  }
}

orders <- function(n) {
  day <- sort(as.Date("2023-01-01") + sample(900L, n, TRUE))
  data.frame(
    customer = sprintf("K%04d", sample(n %/% 4L, n, TRUE)),
    receipt = seq_len(n),
    day,
    amount = sprintf("%.2f", runif(n, 1, 99))
  )
}
worlds <- list(old = orders(20000L), new = orders(21000L))
study <- file.path(root, "study.yaml")
input <- file.path(root, "orders.csv")
folder <- file.path(root, "out")
write_study <- function(to = folder) {
  writeLines(c(
    "data: {keep: kept, orders: {files: orders.csv, columns: {customer: customer, order: receipt, date: day, sales: amount}}}",
    "meanings: {currency: EUR}",
    paste0("outputs: {report: no, folder: ", to, "}")
  ), study)
}
write_study()

# The command in a process group of its own; gives back its group and the file of its exit status.
begin <- function(...) {
  status <- tempfile()
  line <- paste(c(
    "setsid sh -c",
    shQuote(paste(
      paste(shQuote(c(command, ...)), collapse = " "), ">/dev/null 2>&1; echo $? >", status
    )),
    "& echo $!"
  ), collapse = " ")
  list(group = as.integer(system(line, intern = TRUE)), status = status)
}
finish <- function(job, patience = 120) {
  until <- Sys.time() + patience
  while (!file.exists(job$status) || file.size(job$status) == 0L) {
    if (Sys.time() > until) return(NA)
    Sys.sleep(0.02)
  }
  as.integer(readLines(job$status))
}
kill <- function(job) {
  system(paste0("kill -9 -", job$group, " 2>/dev/null"))
  Sys.sleep(0.05)
}

# The lists and all else but the records of runs, which tell when they were made.
contents <- function(where) {
  files <- grep("(^|/)runs/", list.files(where, recursive = TRUE), invert = TRUE, value = TRUE)
  stats::setNames(tools::md5sum(file.path(where, files)), files)
}
give <- function(world) {
  data.table::fwrite(worlds[[world]], paste0(input, ".part"))
  file.rename(paste0(input, ".part"), input)
}
lists_of <- function(world) {
  give(world)
  stopifnot(finish(begin("run", study)) == 0L)
  contents(folder)
}
known <- lapply(c(old = "old", new = "new"), lists_of)
list_file <- file.path(root, "tiers.csv")
lists <- lapply(c(old = "old", new = "new"), function(world) {
  give(world)
  stopifnot(finish(begin("list", "tiers", study, "--file", list_file)) == 0L)
  contents(root)["tiers.csv"]
})

duration <- system.time(finish(begin("run", study)))[["elapsed"]]
mixed <- 0L
for (i in seq_len(kills)) {
  world <- c("old", "new")[[1L + i %% 2L]]
  give(world)
  listing <- i %% 5L == 0L
  job <- if (listing) begin("list", "tiers", study, "--file", list_file) else begin("run", study)
  Sys.sleep(runif(1L, 0.2, 1.1 * duration))
  kill(job)
  here <- contents(folder)
  whose <- vapply(
    names(known$old),
    function(name) {
      paste(
        names(known)[c(known$old[[name]] == here[name], known$new[[name]] == here[name])],
        collapse = "|"
      )
    },
    ""
  )
  claim(
    paste("kill", i, "left a broken file:", paste(names(whose)[whose == ""], collapse = ", ")),
    all(whose != "")
  )
  mixed <- mixed + (any(whose == "old") && any(whose == "new"))
  claim(paste("kill", i, "broke the list"), contents(root)["tiers.csv"] %in% unlist(lists))
  if (i %% 5L == 1L) {
    claim(paste("kill", i, "the next run fails"), finish(begin("run", study)) == 0L)
    claim(
      paste("kill", i, "the next run is not the new one"),
      identical(contents(folder)[names(known[[world]])], known[[world]])
    )
    left <- setdiff(
      list.files(c(folder, file.path(root, "kept"), root), "^[.]nubrek-", all.files = TRUE),
      ".nubrek-files.json"
    )
    claim(paste("kill", i, "left behind:", paste(left, collapse = ", ")), length(left) == 0L)
    claim(
      paste("kill", i, "the kept ledger holds more than one state"),
      length(list.dirs(file.path(root, "kept"), recursive = FALSE)) == 1L
    )
  }
}
cat(sprintf(
  "%d kills; %d between two moves, with old and new files side by side, each whole\n", kills, mixed
))

invisible(give("old"))
invisible(finish(begin("run", study)))
for (i in 1:5) {
  give(c("new", "old")[[1L + i %% 2L]])
  both <- list(begin("run", study), begin("run", study))
  status <- vapply(both, finish, 0L)
  claim(
    paste("two runs at once ended with", paste(status, collapse = " and ")),
    any(status == 0L) && all(status %in% 0:1)
  )
  here <- contents(folder)
  claim("two runs at once left a mix", any(vapply(
    known, function(one) identical(one, here[names(one)]), NA
  )))
}

for (i in 1:5) {
  before <- contents(folder)
  give("new")
  unlink(file.path(root, "kept"), recursive = TRUE)
  job <- begin("run", study)
  Sys.sleep(runif(1L, 0.5, duration))
  unlink(input)
  status <- finish(job)
  here <- contents(folder)
  claim(
    "an input taken away left neither old nor new",
    status %in% 0:1 &&
      any(vapply(c(known, list(before)), function(one) identical(one, here[names(one)]), NA))
  )
}
invisible(give("new"))

on_disk <- function(options, what, prepare) {
  disk <- tempfile("disk-")
  dir.create(disk)
  if (
    system2(
      "mount", c("-t", "tmpfs", "-o", options, "tmpfs", disk), stdout = FALSE, stderr = FALSE
    ) !=
      0L
  ) {
    return(cat("No file system can be mounted: not tried:", what, "\n"))
  }
  on.exit({
    system2("umount", c("-l", disk))
    write_study()
  })
  prepare(disk)
  write_study(file.path(disk, "out"))
  before <- contents(disk)
  claim(paste(what, "is not told"), finish(begin("run", study)) == 1L)
  claim(paste(what, "changed what was there"), identical(contents(disk), before))
}
invisible(on_disk("size=96k", "a full disk", function(disk) NULL))
invisible(on_disk("size=64m", "a full disk with an old run on it", function(disk) {
  write_study(file.path(disk, "out"))
  give("old")
  finish(begin("run", study))
  give("new")
  rest <- as.numeric(system(paste("df --output=avail -k", disk, "| tail -1"), intern = TRUE))
  system(sprintf(
    "head -c %d /dev/zero > %s", as.integer(1024 * (rest - 100)), file.path(disk, "ballast")
  ))
}))
invisible(on_disk("size=64m", "a read-only disk", function(disk) {
  dir.create(file.path(disk, "out"))
  system2("mount", c("-o", "remount,ro", disk))
}))

unlink(root, recursive = TRUE)
cat(if (troubles == 0L) "No trouble found.\n" else sprintf("%d troubles.\n", troubles))
if (troubles > 0L) quit(status = 1L)
