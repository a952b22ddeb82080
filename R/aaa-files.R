# Files are written whole or not at all.

# Writes a draft beside the target, looks whether all of it is there, and moves it to its place.
# `whole` says what is wrong with a draft that is not, or nothing: a full disk cuts files without a
# word.
write_whole <- function(path, write, whole = NULL) {
  if (!dir.exists(dirname(path))) {
    abort_nubrek(c("There is no folder {.file {dirname(path)}}.", "i" = "Make it first."), "file")
  }
  if (dir.exists(path)) abort_disk(path, "a folder of that name is in its place")
  draft <- tempfile(".nubrek-", dirname(path), paste0(".", tools::file_ext(path)))
  on.exit(unlink(draft))
  trouble <- NULL
  said <- list()
  withCallingHandlers(
    tryCatch(write(draft), error = \(e) {
      if (inherits(e, "nubrek_error") || !disk_trouble(conditionMessage(e))) stop(e)
      trouble <<- conditionMessage(e)
    }),
    warning = \(w) {
      if (disk_trouble(conditionMessage(w))) trouble <<- conditionMessage(w)
      # of a file that could not be written one error tells it all
      said <<- c(said, list(w))
      invokeRestart("muffleWarning")
    }
  )
  trouble <- trouble %||%
    if (!file.exists(draft)) {
      "nothing was written"
    } else if (file.size(draft) == 0) {
      "only an empty file could be written"
    }
  trouble <- trouble %||%
    if (!is.null(whole)) {
      tryCatch(whole(draft), error = conditionMessage, warning = conditionMessage)
    }
  if (!is.null(trouble)) abort_disk(path, trouble)
  for (w in said) warning(w)
  move_file(draft, path)
  invisible(path)
}

# What libraries say when a disk is full or gone.
disk_trouble <- function(text) {
  grepl(
    "no space left|\\bdisk\\b|cannot (open|write)|writing|I/O|quota|read-only|permission denied",
    text,
    ignore.case = TRUE
  )
}

abort_disk <- function(path, why, call = rlang::caller_env()) {
  abort_nubrek(c(
    "Cannot write {.file {path}}.",
    "x" = "{why}.",
    "i" = "Is the disk full, or the folder read-only? Nothing was replaced."
  ), "disk", path = path, call = call)
}

move_file <- function(from, to) {
  moved <- suppressWarnings(file.rename(from, to))
  if (!moved) abort_disk(to, "it could not be moved to its place")
}

copy_whole <- function(from, to) {
  trouble <- cpp_copy_file(path.expand(from), path.expand(to))
  if (nzchar(trouble)) abort_disk(to, trouble)
}

# Bytes of a known number: what stands in the file afterwards must be as many.
write_bytes <- function(bytes, path) {
  write_whole(
    path,
    \(to) writeBin(bytes, to),
    \(to) if (file.size(to) != length(bytes)) size_words(to, length(bytes))
  )
}

size_words <- function(path, wanted) {
  sprintf("%s of %s bytes could be written", format(file.size(path), scientific = FALSE), format(
    wanted, scientific = FALSE
  ))
}

# Text into a file, as UTF-8 with a newline after each line: saving belongs to the core, talking
# does not.
write_text <- function(text, path) {
  write_bytes(charToRaw(paste0(paste(enc2utf8(as.character(text)), collapse = "\n"), "\n")), path)
}

# A file's size and hash, to know it again.
file_mark <- function(path) list(size = file.size(path), hash = rlang::hash_file(path))

same_file <- function(path, mark) {
  file.exists(path) &&
    !dir.exists(path) &&
    isTRUE(file.size(path) == mark$size) &&
    identical(rlang::hash_file(path), mark$hash)
}

# Nobody can guess it; drawn beside R's own random numbers, which stay as they are.
secret_token <- function() {
  bytes <- tryCatch(
    suppressWarnings(readBin("/dev/urandom", "raw", 16L)), error = \(e) raw()
  )
  if (length(bytes) == 16L) return(paste(format(bytes), collapse = ""))
  rlang::hash(list(Sys.time(), Sys.getpid(), proc.time(), tempfile(), stats::runif))
}
