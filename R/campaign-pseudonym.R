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
