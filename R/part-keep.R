# Parts are made once for the same data, study and code: what a run made of them stands beside its
# record, and who asks for them next is given that. The making of each part notes the sections of
# the study that it reads, so that whoever changes one has only that made anew which rests on it.

parts_folder <- "parts"
parts_index <- "parts.json"
parts_most <- 500e6

# What is kept of a study's parts. Nothing is where nothing of a run is; nor of tables in a
# database, which change without a file that tells it; nor by code that is not installed and changes
# as one works. Asked for before the data are read: what changes while they are is a change. `more`:
# will more be kept?
kept_parts <- function(study, more = FALSE) {
  installed <- nzchar(system.file("R", "nubrek.rdb", package = "nubrek"))
  unsure <- !installed || !is.null(study$data$connection)
  if (unsure || isFALSE(study$outputs$runs) || is.null(study$path)) return(NULL)
  folder <- file.path(results_folder(study), runs_folder, parts_folder)
  secret <- if (more || is_own_folder(dirname(folder), runs_holds)) user_secret()
  if (is.null(secret)) return(NULL)
  kept <- new.env(parent = emptyenv())
  kept$folder <- folder
  kept$secret <- secret
  kept$basis <- rlang::hash(list(
    R.version.string, code_and_texts(), c(study_fingerprint(study)), study$slice, study$events
  ))
  kept$files <- files_beside(study)
  kept$known <- read_parts_index(folder, secret)
  kept
}

# The files that the study names outside its data, as they are.
files_beside <- function(study) {
  sections <- study[setdiff(names(study), c("data", "path", "source", "results"))]
  texts <- unlist(rapply(sections, as.character, how = "unlist"), use.names = FALSE)
  paths <- study_files(study, unique(texts[nzchar(texts) & nchar(texts) < 4000L]))
  paths <- unlist(lapply(paths, expand_glob))
  paths <- paths[file.exists(paths) & !dir.exists(paths)]
  lapply(stats::setNames(paths, normalizePath(paths)), file_mark)
}

# What is kept there: of each part its key, which is its file, and the sections that it read.
read_parts_index <- function(folder, secret) {
  if (is_link(folder)) return(list())
  is_key <- \(one) checkmate::test_string(one$key, pattern = "^[0-9a-f]{32}$")
  shape <- \(said) {
    is.list(said$parts) && all(vapply(said$parts, \(one) is.list(one) && is_key(one), NA)) &&
      (length(said$parts) == 0L || checkmate::test_names(names(said$parts)))
  }
  said <- read_sealed(file.path(folder, parts_index), shape, secret)
  lapply(said$parts, \(one) list(key = one$key, read = as.character(unlist(one$read))))
}

# All that a part depends on: what it read of the study, and what the parts it needs depend on; NULL
# where one of these is not known.
key_of_part <- function(kept, name, study, read, needs) {
  if (is.null(kept) || any(vapply(needs, is.null, NA))) return(NULL)
  values <- lapply(stats::setNames(nm = sort(read, method = "radix")), \(section) {
    switch(section,
      # whatever is read from a file lies beside the study
      path = kept$files,
      results = run_marks(results_folder(study)),
      "section names" = names(study),
      study[[section]]
    )
  })
  rlang::hash(list(kept$basis, name, values, needs))
}

# The records of earlier runs.
run_marks <- function(folder) {
  paths <- vapply(known_runs(folder), `[[`, "", "path")
  lapply(stats::setNames(file.path(paths, run_mark), basename(paths)), file_mark)
}

# What was kept under a key; NULL where it is gone, damaged or somebody else's.
recall_part <- function(kept, key) {
  path <- file.path(kept$folder, key)
  if (!file.exists(path) || is_link(path)) return(NULL)
  tryCatch(
    {
      bytes <- part_bytes(path, kept$secret)
      made <- if (!is.null(bytes)) unserialize(bytes)
      if (identical(made$key, key)) made
    },
    error = \(e) NULL
  )
}

# What stands in a file behind the seal that we put there; NULL where it is another's or damaged.
part_bytes <- function(path, secret) {
  file <- file(path, "rb")
  on.exit(close(file))
  said <- readBin(file, "raw", 16L)
  bytes <- readBin(file, "raw", max(0, file.size(path) - 16))
  if (identical(said, charToRaw(cpp_keyed_mark(bytes, secret)))) bytes
}

# Until the run ends it is held in memory.
keep_part <- function(kept, name, read, made) {
  if (is.null(kept) || is.null(made$key)) return()
  if (is_lacking(made$value)) made$value[c("trace", "call", "parent")] <- NULL
  kept$made[[name]] <- made
  kept$known[[name]] <- list(key = made$key, read = read)
}

# When a run has ended, well or not, what it made stands beside its results, where there are any;
# the small ones first where it would be too much. What cannot be written is made again next time.
write_parts <- function(kept) {
  if (is.null(kept) || !dir.exists(dirname(dirname(kept$folder)))) return()
  try(silent = TRUE, privately({
    make_own_folder(dirname(kept$folder), runs_holds)
    if (is_link(kept$folder) || !is_own_folder(dirname(kept$folder), runs_holds)) return()
    if (!dir.exists(kept$folder)) dir.create(kept$folder)
    others <- setdiff(names(kept$known), names(kept$made))
    room <- parts_most - sum(file.size(files_of_parts(kept, others)), na.rm = TRUE)
    sizes <- sort(vapply(kept$made, \(made) as.double(utils::object.size(made)), 0))
    fit <- names(sizes)[cumsum(sizes) <= room]
    kept$known <- kept$known[c(others, fit)]
    paths <- stats::setNames(files_of_parts(kept, fit), fit)
    for (name in fit) {
      bytes <- serialize(kept$made[[name]], NULL)
      write_bytes(c(charToRaw(cpp_keyed_mark(bytes, kept$secret)), bytes), paths[[name]])
    }
    index <- lapply(kept$known, \(one) list(key = one$key, read = as.list(one$read)))
    write_sealed(list(parts = index), file.path(kept$folder, parts_index), kept$secret)
    sweep_parts(kept)
  }))
}

# Parts that we wrote and nobody asks for any more; whatever else stands there stays.
sweep_parts <- function(kept) {
  files <- list.files(kept$folder, "^[0-9a-f]{32}$", full.names = TRUE)
  files <- files[!files %in% files_of_parts(kept, names(kept$known)) & !is_link(files)]
  ours <- vapply(files, \(path) !is.null(part_bytes(path, kept$secret)), NA)
  unlink(files[ours])
}

files_of_parts <- function(kept, names) {
  file.path(kept$folder, vapply(kept$known[names], `[[`, "", "key"))
}
