# Making parts: each once, with the parts it needs made before it.

# A maker of the parts of one study and ledger. It gives a part by name and remembers it; one that
# is lacking is the error that says why.
part_maker <- function(study, ledger, records = part_records()) {
  made <- list()
  get_part <- function(name) {
    if (!name %in% names(made)) made[[name]] <<- list(attempt_part(name))
    made[[name]][[1L]]
  }
  attempt_part <- function(name) {
    part <- records[[name]]
    optional <- vapply(
      formals(part$make)[part$needs], \(default) !identical(default, rlang::missing_arg()), NA
    )
    # what can be done without is not made for a study that does not ask for it
    asked <- vapply(part$needs, \(need) records[[need]]$wanted(study), NA)
    needs <- lapply(stats::setNames(nm = part$needs[asked | !optional]), get_part)
    lacking <- vapply(needs, is_lacking, NA)
    stops <- lacking & !optional[names(needs)]
    if (any(stops)) return(needs[[which(stops)[[1L]]]])
    signal_progress(paste("computing", name))
    tryCatch(
      do.call(part$make, c(list(study = study, ledger = ledger), needs[!lacking])),
      nubrek_error_unidentified = \(e) lacking_part(e, part),
      nubrek_error_no_purchases = \(e) lacking_part(e, part)
    )
  }
  get_part
}

lacking_part <- function(error, part) if (part$may_lack) error else stop(error)

is_lacking <- function(x) inherits(x, "nubrek_error")

# The part itself, or the error that it is lacking.
ask_part <- function(name, study, ledger) {
  found <- part_maker(study, ledger)(name)
  if (is_lacking(found)) stop(found)
  found
}

# All parts that a study wants, by name; a run has none that is lacking or only served others.
wanted_results <- function(study, ledger, records = part_records()) {
  get_part <- part_maker(study, ledger, records)
  wanted <- names(Filter(\(part) part$wanted(study), records))
  found <- lapply(stats::setNames(nm = wanted), get_part)
  kept <- vapply(wanted, \(name) records[[name]]$kept, NA)
  Filter(\(x) !is.null(x) && !is_lacking(x), found[kept])
}
