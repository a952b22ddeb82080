# What a record holds: a part of a study, and what serves it. Records stand beside the code they are
# of; whatever lists such things reads the records.

# A part: how it is made and when, how each face shows it, what it writes. Study run, command,
# report, lists, figures and help read the records and know no part by name.

#' One part of a study
#'
#' @param name `[character(1)]` The word for it on the command line and in a run.
#' @param about `[character(1)]` One line that says what it tells.
#' @param section `[character(1)]` The section of the report it belongs to, and its group.
#' @param make `[function]` Of `study`, `ledger` and the parts it needs, by their names; those with
#'   a default may be lacking.
#' @param wanted `[function(study)]` Does a run make it?
#' @param may_lack `[logical(1)]` May a short history or a small group be without it?
#' @param shown `[logical(1)]` Is it shown by the command? Others serve parts.
#' @param kept `[logical(1)]` Does the run keep it?
#' @param figure `[numeric(1) | function(x) | NULL]` Height of its figure in inches, if it has one.
#' @param options `[character]` Options of the command that it understands.
#' @param measures `[function() | NULL]` The words that its option `measure` knows.
#' @param read `[function(x, job, study, ledger)]` What the command shows of it.
#' @param face `[function(job)]` Further arguments of its print and figure.
#' @param lists `[list]` Functions of the run, by the names of the files that they fill.
#' @param page `[function(run) | NULL]` What its section of the report shows of it: blocks.
#' @param findings `[function(run) | NULL]` What may stand on the first screen of the report.
#' @param remarks `[character]` Parts whose remarks are marked there.
#' @return A `nubrek_part`.
#' @keywords internal
#' @noRd
study_part <- function(
  name, about, section, make, wanted = \(study) TRUE, may_lack = FALSE, shown = TRUE, in_run = TRUE,
  figure = NULL, options = character(), measures = NULL, read = \(x, job, study, ledger) x,
  face = \(job) list(), lists = list(), page = NULL, findings = NULL, remarks = name
) {
  part <- as.list(environment())
  part$needs <- setdiff(names(formals(make)), c("study", "ledger"))
  structure(part, class = "nubrek_part")
}

# A study that asks for a forecast has the section; that no key stands in it is no matter.
asks_forecast <- function(study) "forecast" %in% names(study)
asks_never <- function(study) FALSE
