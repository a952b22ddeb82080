# In an interactive session, work of more than two seconds says where it stands; the line is gone
# when the work is.

session_bar <- rlang::env(id = NULL, frame = NULL)

session_progress <- function(step, share = NA_real_) {
  ours <- Position(
    \(i) identical(topenv(environment(sys.function(i))), topenv()), seq_len(sys.nframe())
  )
  frame <- sys.frames()[[ours]]
  # the outermost call of ours: its end is the end of the work
  if (!identical(session_bar$frame, frame)) {
    session_bar$frame <- frame
    session_bar$id <- cli::cli_progress_bar(
      format = "{cli::pb_spin} {cli::pb_status}", total = NA, clear = TRUE, .envir = frame
    )
  }
  cli::cli_progress_update(id = session_bar$id, status = progress_text(step, share), .envir = frame)
}

progress_text <- function(step, share) {
  paste0(step, if (!is.na(share)) sprintf(", %.0f %%", 100 * share), "\u2026")
}

.onLoad <- function(libname, pkgname) {
  if (interactive() && is.null(getOption("nubrek.progress"))) {
    options(nubrek.progress = session_progress)
  }
}
