# The door of the page to explore: who may come in, and which values do.

# A browser shows the token once, in the address; from then on it has a cookie that no script reads
# and that no other page sends. Nothing of the token stays in the address or on a command line.
door_cookie <- function(port) paste0("nubrek_", port)

has_cookie <- function(request, token, port) {
  given <- trim_text(strsplit(request$HTTP_COOKIE %||% "", ";", fixed = TRUE)[[1L]])
  paste0(door_cookie(port), "=", token) %in% given
}

# Asked by the address that it listens on (under any name of this machine, if it is that), and by no
# other page.
is_own_request <- function(request, address, port) {
  names <- if (address %in% loopback) loopback else address
  hosts <- paste0(in_brackets(names), ":", port)
  origin <- request$HTTP_ORIGIN
  isTRUE(request$HTTP_HOST %in% hosts) &&
    (is.null(origin) || isTRUE(origin %in% paste0("http://", hosts)))
}

in_brackets <- function(names) {
  ifelse(grepl(":", names, fixed = TRUE), paste0("[", names, "]"), names)
}
loopback <- c("127.0.0.1", "::1", "localhost")

refused_page <- function() {
  shiny::httpResponse(403L, "text/plain; charset=UTF-8", say("403: not for you"), door_headers)
}

door_headers <- list("Cache-Control" = "no-store", "Referrer-Policy" = "no-referrer")

# Sets the cookie and goes on to the page, whose address says nothing any more.
let_in_page <- function(token, port) {
  shiny::httpResponse(
    200L, "text/html; charset=UTF-8",
    "<!DOCTYPE html><meta http-equiv=\"refresh\" content=\"0;url=/\"><title>nubrek</title>",
    c(door_headers, list("Set-Cookie" = paste0(
      door_cookie(port), "=", token, "; HttpOnly; SameSite=Strict; Path=/"
    )))
  )
}

# Opens the page in a browser by a file that only its owner reads: a command line is seen by all.
open_page <- function(where) {
  path <- tempfile("explore-", fileext = ".html")
  privately(write_text(paste0(
    "<!DOCTYPE html><meta http-equiv=\"refresh\" content=\"0;url=", where,
    "\"><title>nubrek</title>"
  ), path))
  utils::browseURL(paste0("file://", path))
}

# What came from the page, or NULL where no control of ours sends such a thing.
let_in <- list(
  view = function(given, start) if (is_one_of(given, names(start$knobs))) given,
  room = function(given, start) {
    if (checkmate::test_number(given, lower = 1, upper = 1e5)) given else 900
  },
  picked = function(given, start) {
    sound <- is.list(given) && is_one_of(given$view, names(start$knobs)) &&
      is_short_text(given$key, 2000L)
    key <- if (sound) tryCatch(jsonlite::fromJSON(given$key), error = \(e) NULL)
    plain <- \(x) is.null(x) || (is.atomic(x) && length(x) <= 1L)
    if (is.list(key) && length(key) > 0L && checkmate::test_names(names(key), "unique") &&
      all(vapply(key, plain, NA)) && all_texts_valid(key)) {
      given[c("view", "key")]
    }
  },
  lines = function(given, start) {
    Filter(length, lapply(stats::setNames(nm = names(start$filters)), \(name) {
      intersect(if (is.character(given[[name]])) given[[name]], start$filters[[name]])
    }))
  }
)

is_one_of <- function(x, choices) checkmate::test_string(x) && x %in% choices
is_short_text <- function(x, most) {
  checkmate::test_string(x) && nchar(x, "bytes") <= most && validUTF8(x)
}

# The value of a control: a number within its limits, one of its choices, a text of some length;
# anything else leaves it as it was.
knob_value <- function(knob, given) {
  sound <- switch(knob$kind,
    number = checkmate::test_number(given, finite = TRUE),
    choice = is_one_of(given, unlist(knob$choices)),
    text = is_short_text(given, 20000L)
  )
  if (!isTRUE(sound)) return(knob$value)
  if (knob$kind == "number") min(knob$high, max(knob$low, given)) else given
}
