# How the package speaks up: one thrower for errors, one signal for progress.

# Every error has a class of its own and the family's; fields in `...` can be read by a program.
abort_nubrek <- function(
  message, class, ..., call = rlang::caller_env(), .envir = rlang::caller_env()
) {
  cli::cli_abort(
    message,
    class = c(paste0("nubrek_error_", class), "nubrek_error"),
    ...,
    call = call,
    .envir = .envir
  )
}

# Long work says where it stands: as a condition, and to whoever the option `nubrek.progress` names.
# A face may draw it, everybody else is not disturbed.
signal_progress <- function(step, share = NA_real_) {
  signalCondition(structure(class = c("nubrek_progress", "condition"), list(
    message = "", call = NULL, step = step, share = share
  )))
  draw <- getOption("nubrek.progress")
  if (is.function(draw)) draw(step, share)
}
