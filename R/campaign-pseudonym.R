# Ids that only who has the key can tell.

#' Pseudonyms of customers
#'
#' A keyed hash of each id (SipHash-2-4, twice): the same id has the same pseudonym under a key, and
#' without the key nobody can tell which id it is, nor try all ids that there may be.
#'
#' @param ids `[character]`
#' @param key `[character(1)]` A file whose first line is the key, 32 hexadecimal digits, such as
#'   `openssl rand -hex 16` prints. Default: the key stands in the environment variable
#'   `NUBREK_KEY`. A key itself is never given as an argument, where others could read it.
#' @return `[character]` 32 hexadecimal digits for each id.
#' @section Errors: `nubrek_error_key` where there is no key, or it is none.
#' @references Aumasson and Bernstein (2012), SipHash: a fast short-input PRF.
#' @examples
#' key <- tempfile()
#' writeLines("00112233445566778899aabbccddeeff", key)
#' pseudonyms(c("P01", "P02"), key)
#' @export
pseudonyms <- function(ids, key = NULL) {
  check_text(key, null = TRUE)
  cpp_keyed_names(enc2utf8(as.character(ids)), read_key(key))
}

read_key <- function(path, call = rlang::caller_env()) {
  where <- if (is.null(path)) {
    "the environment variable {.envvar NUBREK_KEY}"
  } else {
    "the file {.file {path}}"
  }
  text <- if (is.null(path)) {
    Sys.getenv("NUBREK_KEY", NA)
  } else if (file.exists(path)) {
    trim_text(readLines(path, n = 1L, warn = FALSE))
  }
  if (length(text) == 0L || is.na(text)) {
    abort_nubrek(c("There is no key.", "x" = paste("Looked for it in", where)), "key", call = call)
  }
  if (!grepl("^[0-9A-Fa-f]{32}$", text)) {
    abort_nubrek(c(
      "A key is 32 hexadecimal digits.",
      "x" = paste("Something else stands in", where),
      "i" = "Make one: {.code openssl rand -hex 16}."
    ), "key", call = call)
  }
  as.raw(strtoi(substring(text, seq(1L, 31L, 2L), seq(2L, 32L, 2L)), 16L))
}
