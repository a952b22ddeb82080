# Files are written whole or not at all.

# Writes beside the target and moves it there when all went well.
write_whole <- function(path, write) {
  if (!dir.exists(dirname(path))) abort_nubrek(c("There is no folder {.file {dirname(path)}}.", "i" = "Make it first."), "file")
  draft <- tempfile(".nubrek-", dirname(path), paste0(".", tools::file_ext(path)))
  on.exit(unlink(draft))
  write(draft)
  if (!file.rename(draft, path)) abort_nubrek("Cannot write {.file {path}}.", "file")
  invisible(path)
}

# Text into a file: saving belongs to the core, talking does not.
write_text <- function(text, path) writeLines(text, path)
