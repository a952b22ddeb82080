# The part that looks back at the run before.

run_change_parts <- list(
  study_part(
    "changes",
    "what has changed since the run before, and through what",
    "changes",
    make = \(study, ledger) {
      record <- earlier_run(study, ledger, results_folder(study), call = NULL)
      changes_since(study, ledger, record, call = NULL)
    },
    wanted = \(study) {
      !is.null(study$path) && !isFALSE(study$outputs$runs) &&
        length(known_runs(results_folder(study))) > 0L
    },
    may_lack = TRUE,
    figure = 6.5,
    lists = list("changes.csv" = \(run) plain_table(run$changes)),
    page = \(run) page_changes(run),
    findings = \(run) findings_changes(run)
  ),
  study_part(
    "watches",
    "the numbers that the study watches, and which of them fire",
    "changes",
    make = \(study, ledger) study_watches(study, ledger),
    wanted = \(study) !is.null(study$watches),
    may_lack = TRUE,
    lists = list("watches.csv" = \(run) plain_table(run$watches)),
    page = \(run) page_watches(run),
    findings = \(run) findings_watches(run)
  ),
  study_part(
    "notes",
    "notes of those who read the results, and which of them are stale",
    "changes",
    make = \(study, ledger) {
      lacking <- setdiff(unlist(lapply(study$notes, `[[`, "part")), names(part_records()))
      if (length(lacking) > 0L) {
        # it comes from a file: never let it be a template
        word <- gsub("([{}])", "\\1\\1", lacking[[1L]])
        abort_study(
          study$source, "notes", paste0("There is no part \u201c", word, "\u201d."),
          nearest_hint(lacking[[1L]], names(part_records()))
        )
      }
      study_notes(study, ledger)
    },
    wanted = \(study) !is.null(study$notes),
    page = \(run) page_notes(run)
  )
)
