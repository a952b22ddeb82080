# Making parts: each once, with the parts it needs made before it.

# A maker of the parts of one study and ledger. It gives a part by name and remembers it; one that
# is lacking is the error that says why. What is `kept` of the same study is not made again.
part_maker <- function(study, ledger, records = part_records(), kept = NULL) {
  # of each its value, and the key of all that it depends on
  made <- list()
  get_part <- function(name) have_part(name)$value
  have_part <- function(name) {
    if (!name %in% names(made)) made[[name]] <<- recalled_part(name) %||% attempt_part(name)
    made[[name]]
  }
  # with TRUE for those that can be done without; of these only what the study asks for
  needs_of <- function(part) {
    optional <- vapply(
      formals(part$make)[part$needs], \(default) !identical(default, rlang::missing_arg()), NA
    )
    asked <- vapply(part$needs, \(need) records[[need]]$wanted(study), NA)
    optional[asked | !optional]
  }
  key_of <- function(name) {
    if (name %in% names(made)) return(made[[name]]$key)
    known <- kept$known[[name]]
    if (is.null(known)) return(NULL)
    needs <- lapply(stats::setNames(nm = names(needs_of(records[[name]]))), key_of)
    key <- key_of_part(kept, name, study, known$read, needs)
    if (identical(key, known$key)) key
  }
  recalled_part <- function(name) {
    key <- key_of(name)
    if (!is.null(key)) recall_part(kept, key)
  }
  attempt_part <- function(name) {
    part <- records[[name]]
    optional <- needs_of(part)
    needs <- lapply(stats::setNames(nm = names(optional)), have_part)
    values <- lapply(needs, `[[`, "value")
    lacking <- vapply(values, is_lacking, NA)
    stops <- lacking & !optional
    noted <- noted_study(study)
    # what proves the numbers does so each time, and who warns does so again
    again <- part$section == "proof"
    value <- if (any(stops)) {
      values[[which(stops)[[1L]]]]
    } else {
      signal_progress(paste("computing", name))
      withCallingHandlers(
        make_part(part, noted, ledger, values[!lacking]), warning = \(w) again <<- TRUE
      )
    }
    read <- sections_read(noted)
    found <- list(
      value = value, key = key_of_part(kept, name, study, read, lapply(needs, `[[`, "key"))
    )
    if (!again) keep_part(kept, name, read, found)
    found
  }
  get_part
}

make_part <- function(part, study, ledger, needs) {
  tryCatch(
    do.call(part$make, c(list(study = study, ledger = ledger), needs)),
    nubrek_error_unidentified = \(e) lacking_part(e, part),
    nubrek_error_no_purchases = \(e) lacking_part(e, part)
  )
}

lacking_part <- function(error, part) if (part$may_lack) error else stop(error)

is_lacking <- function(x) inherits(x, "nubrek_error")

# The part itself, or the error that it is lacking.
ask_part <- function(name, study, ledger, kept = NULL) {
  found <- part_maker(study, ledger, kept = kept)(name)
  if (is_lacking(found)) stop(found)
  found
}

# All parts that a study wants, by name; a run has none that is lacking or only served others.
wanted_results <- function(study, ledger, records = part_records(), kept = NULL) {
  get_part <- part_maker(study, ledger, records, kept)
  wanted <- names(Filter(\(part) part$wanted(study), records))
  found <- lapply(stats::setNames(nm = wanted), get_part)
  in_run <- vapply(wanted, \(name) records[[name]]$in_run, NA)
  Filter(\(x) !is.null(x) && !is_lacking(x), found[in_run])
}
