# What an exploration knows: the study, its ledger, the slices and results that were asked for.

new_exploration <- function(study) {
  state <- new.env()
  state$study <- study
  state$ledger <- open_study_ledger(study)
  state$kept <- list()
  state
}

# What was computed before is at hand; the oldest go.
kept_or <- function(state, key, make) {
  name <- rlang::hash(key)
  if (!name %in% names(state$kept)) {
    state$kept[[name]] <- make()
    state$kept <- utils::tail(state$kept, 60L)
  }
  state$kept[[name]]
}

# The ledger with the lines that are looked at: `lines` names values by line column.
explored_ledger <- function(state, lines) {
  lines <- Filter(length, lines)
  if (length(lines) == 0L) return(state$ledger)
  kept_or(state, list("ledger", lines), \() ledger_slice(state$ledger, lines = lines))
}

# The study as a view has set it.
explored_study <- function(state, view, values) {
  study <- state$study
  section <- view$section(values, study)
  study[names(section)] <- section
  study
}

explored_result <- function(state, view, values, lines = list()) {
  ledger <- explored_ledger(state, lines)
  kept_or(state, list(view$part, view$section(values, state$study), lines), \() {
    ask_part(view$part, explored_study(state, view, values), ledger)
  })
}

# The orders behind a row or cell, and whose they are.
explored_orders <- function(state, view, values, lines, picked) {
  x <- explored_result(state, view, values, lines)
  ledger <- explored_ledger(state, lines)
  do.call(rows_behind, c(list(x, ledger), picked))
}

# The call, with the slice it is of.
explored_call <- function(state, view, values, lines) {
  call <- view$call(values, explored_study(state, view, values))
  lines <- Filter(length, lines)
  if (length(lines) == 0L) return(call)
  c(sprintf("ledger <- ledger_slice(ledger, lines = %s)", call_value(lines)), call)
}

# The sections of a study that say the same, as a list to be written.
explored_section <- function(state, view, values, lines) {
  lines <- Filter(length, lines)
  c(
    lapply(view$section(values, state$study), plain_section),
    if (length(lines) > 0L) list(slice = list(lines = lapply(lines, as.list)))
  )
}

# Named numbers are keys with values, others lists.
plain_section <- function(x) {
  if (is.list(x)) return(lapply(Filter(Negate(is.null), x), plain_section))
  if (!is.null(names(x)) || length(x) > 1L) as.list(x) else x
}

# The study with what was set, beside it, with the call on top: read again it gives the same.
save_explored <- function(state, view, values, lines, path = NULL) {
  study <- state$study
  text <- paste(study$source$text, collapse = "\n")
  whole <- yaml::yaml.load(text, eval.expr = FALSE)
  section <- explored_section(state, view, values, lines)
  whole[names(section)] <- section
  path <- path %||% file.path(dirname(study$path), paste0("explored-", view$part, ".yaml"))
  write_text(paste0(
    paste0("# ", explored_call(state, view, values, lines), "\n", collapse = ""),
    yaml::as.yaml(whole, indent.mapping.sequence = TRUE)
  ), path)
  path
}
