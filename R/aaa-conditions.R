# How the package speaks up: one thrower for errors, one signal for progress.

# Every error has a class of its own and the family's; fields in `...` can be read by a program.
abort_nubrek <- function(
  message, class, ..., call = rlang::caller_env(), .envir = rlang::caller_env()
) {
  rlang::abort(
    folded(inline_texts(message, .envir)),
    class = c(paste0("nubrek_error_", class), "nubrek_error"),
    ...,
    call = call
  )
}

# What stands in braces, in all lines of a message at once: each look at a text alone costs as much.
# Lines with plurals are looked at alone, because these belong to the last number before them.
inline_texts <- function(message, envir) {
  alone <- grepl("{?", message, fixed = TRUE)
  together <- !alone & grepl("{", message, fixed = TRUE)
  message[alone] <- vapply(message[alone], cli::format_inline, "", .envir = envir)
  if (any(together)) {
    apart <- "\u2029"
    texts <- cli::format_inline(paste(message[together], collapse = apart), .envir = envir)
    message[together] <- strsplit(paste0(texts, apart), apart, fixed = TRUE)[[1L]]
  }
  message
}

# Lines no wider than the console, behind the room that a mark takes. A no-break blank stands where
# blanks must stay.
folded <- function(message) {
  width <- cli::console_width() - 2L
  for (i in which(cli::ansi_nchar(message) > width)) {
    message[[i]] <- paste(
      cli::ansi_strwrap(message[[i]], width, exdent = 2L * any(nzchar(names(message)[i]))),
      collapse = "\n"
    )
  }
  message[] <- gsub("\u00a0", " ", message, fixed = TRUE)
  message
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
