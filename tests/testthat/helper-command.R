# The command, called in this process.

# The same in this process, for what needs none of its own.
nubrek_here <- function(...) {
  err <- capture.output(
    out <- capture.output(status <- command_main(as.character(unlist(list(...))))), type = "message"
  )
  list(status = status, out = out, err = paste(err, collapse = "\n"))
}
