# The folder of results: what an earlier run of ours wrote may be replaced and swept, nothing else.

results_manifest <- ".nubrek-files.json"
results_lock <- ".nubrek-lock"

# The names that a run of this study may write.
results_names <- function(study) {
  parts <- part_records()[wanted_parts(study)]
  c(
    result_pages(study), unlist(lapply(unname(parts), \(part) names(part$lists)))
  )
}

# What a run writes of the whole study.
result_pages <- function(study) {
  c(
    if (study$outputs$report %||% TRUE) "report.html",
    if (study$outputs$workbook %||% FALSE) "workbook.xlsx"
  )
}

# Before anything is computed: nothing of the user's stands where a file is to be written, and no
# input is an output.
check_results <- function(study, folder) {
  if (!isFALSE(study$outputs$runs)) {
    own_folder(file.path(folder, runs_folder), runs_holds, paste(
      "Move it away, name another {.code folder}, or keep no records:",
      "{.code outputs: {{runs: no}}}."
    ))
  }
  called <- results_names(study)
  paths <- file.path(folder, called)
  known <- read_manifest(folder)
  inputs <- normalizePath(c(study$path, study_inputs(study)), mustWork = FALSE)
  hit <- which(normalizePath(paths, mustWork = FALSE) %in% inputs)
  if (length(hit) > 0L) {
    abort_nubrek(c(
      "The results would replace {.file {called[hit[[1]]]}}, which the study reads.",
      "i" = "Name another {.code folder} in the section {.field outputs}."
    ), "results", path = paths[[hit[[1L]]]], call = NULL)
  }
  for (i in which(file.exists(paths) | dir.exists(paths))) {
    if (was_ours(paths[[i]], known)) next
    written <- called[[i]] %in% marked_names(known)
    why <- if (dir.exists(paths[[i]])) {
      "is a folder"
    } else if (written) {
      say("has been changed since an earlier run wrote it")
    } else {
      say("was not written by an earlier run")
    }
    abort_nubrek(c(
      "{.file {paths[[i]]}} stands in the way.",
      "x" = "It {why}, and the results would replace it.",
      "i" = "Move it away, or name another {.code folder}."
    ), "results", path = paths[[i]], call = NULL)
  }
}

# All files that the study reads.
study_inputs <- function(study) {
  files <- c(
    unlist(lapply(study$data[names(study$data) != "keep"], files_named)),
    study$payback$spend$files,
    unlist(lapply(study$audiences, `[[`, "files")),
    unlist(lapply(study$campaigns, `[[`, "file")),
    study$wallet$files
  )
  unlist(lapply(study_files(study, files), expand_glob))
}

# The manifest: name, size and hash of every file that a run wrote here; of one name there may be
# two while files take their places. Whoever may write here may know it again.
read_manifest <- function(folder) {
  is_mark <- \(mark) {
    is.list(mark) && checkmate::test_string(mark$name) && basename(mark$name) == mark$name &&
      checkmate::test_string(mark$hash)
  }
  shape <- \(said) is.list(said$files) && all(vapply(said$files, is_mark, NA))
  read_sealed(file.path(folder, results_manifest), shape)$files %||% list()
}

write_manifest <- function(folder, marks) {
  write_sealed(list(files = unname(marks)), file.path(folder, results_manifest))
}

marked_names <- function(marks) vapply(marks, `[[`, "", "name")

was_ours <- function(path, known) {
  any(vapply(known, \(mark) mark$name == basename(path) && same_file(path, mark), NA))
}

# One run at a time in a folder. A lock whose process is gone is stale.
lock_results <- function(folder) {
  path <- file.path(folder, results_lock)
  holder <- if (file.exists(path)) {
    suppressWarnings(as.integer(readLines(path, n = 1L, warn = FALSE)))
  }
  if (
    length(holder) == 1L &&
      !is.na(holder) &&
      holder != Sys.getpid() &&
      isTRUE(tools::pskill(holder, 0L))
  ) {
    abort_nubrek(c(
      "Another run (process {holder}) is writing to {.file {folder}}.",
      "i" = "Wait for it, or name another {.code folder}."
    ), "busy", path = folder, call = NULL)
  }
  full <- \(e) {
    if (length(holder) == 0L) unlink(path)
    abort_disk(folder, "nothing can be written there")
  }
  tryCatch(writeLines(as.character(Sys.getpid()), path), error = full, warning = full)
  path
}

# What killed runs left behind: drafts, by the names that only they have.
sweep_drafts <- function(folder) {
  left <- list.files(
    folder, "^[.]nubrek-[0-9a-f]{8,}([.][a-z]+)?$", all.files = TRUE, full.names = TRUE
  )
  unlink(left[!is_link(left)], recursive = TRUE)
}

# The lists of the parts that a run has, by file name.
run_lists <- function(run) {
  contact <- run$study$outputs$contact
  if (!is.null(contact)) {
    check_columns_exist(
      meant_attributes(run$ledger, contact), attribute_names(run$ledger),
      say("the customer attributes")
    )
  }
  parts <- Filter(\(part) !is.null(run[[part$name]]), part_records())
  lapply(unlist(lapply(unname(parts), `[[`, "lists")), \(make) make(run))
}

# Everything goes to a draft folder first; only when all is there do the files take their places.
write_results <- function(run, folder) {
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE)) {
    abort_disk(folder, "the folder could not be made")
  }
  lock <- lock_results(folder)
  on.exit(unlink(lock))
  sweep_drafts(folder)
  check_results(run$study, folder)
  draft <- tempfile(".nubrek-", folder)
  if (!dir.create(draft)) abort_disk(folder, "nothing can be written there")
  on.exit(unlink(c(draft, lock), recursive = TRUE))
  signal_progress("writing lists")
  lists <- run_lists(run)
  for (name in names(lists)) {
    write_list(lists[[name]], file.path(draft, name))
  }
  files <- c(result_pages(run$study), names(lists))
  if ("report.html" %in% files) {
    signal_progress("writing the report")
    drawn <- write_report(run, file.path(draft, "report.html"))
  }
  if ("workbook.xlsx" %in% files) {
    signal_progress("writing the workbook")
    write_workbook(run, file.path(draft, "workbook.xlsx"))
  }
  earlier <- read_manifest(folder)
  marks <- lapply(files, \(name) c(list(name = name), file_mark(file.path(draft, name))))
  # the manifest knows old and new while files move, so that a killed run leaves nothing that the
  # next one would not know
  write_manifest(folder, c(earlier, marks))
  for (name in files) {
    move_file(file.path(draft, name), file.path(folder, name))
  }
  for (name in setdiff(marked_names(earlier), files)) {
    if (was_ours(file.path(folder, name), earlier)) unlink(file.path(folder, name))
  }
  write_manifest(folder, marks)
  signal_progress("keeping the run")
  keep_run(run, folder)
  if ("report.html" %in% files) keep_pictures(run$study, folder, drawn)
  structure(file.path(folder, files), consent = lists_consent(lists))
}

# Whom the lists of a run leave out, list by list.
lists_consent <- function(lists) {
  left <- unlist(lapply(lists, attr, "left_out"))
  if (length(left) == 0L) return(unlist(lapply(lists, attr, "consent"), use.names = FALSE)[1L])
  say(
    "Left out of the lists, as they did not agree to be contacted: %s.",
    paste(names(left), number_text(left), collapse = ", ")
  )
}
