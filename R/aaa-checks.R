# One check a rule: asks checkmate, throws our classed error with the user's word and call, returns its input.

throw_unless <- function(verdict, arg, call, class = "argument") {
  if (!isTRUE(verdict)) {
    abort_nubrek(c("{.arg {arg}} is not what is needed here.", "x" = "{verdict}."), class, call = call)
  }
}

check_choice <- function(x, choices, arg = rlang::caller_arg(x), call = rlang::caller_env()) {
  if (!checkmate::test_choice(x, choices)) {
    found <- if (checkmate::test_scalar(x)) format(x) else paste0("a ", class(x)[[1L]], " of length ", length(x))
    abort_nubrek(c("{.arg {arg}} must be one of {.val {choices}}.", "x" = "It is {.val {found}}.", nearest_hint(found, choices)),
                 "argument", call = call)
  }
  invisible(x)
}

check_text <- function(x, arg = rlang::caller_arg(x), call = rlang::caller_env(), null = FALSE) {
  throw_unless(checkmate::check_string(x, min.chars = 1L, null.ok = null), arg, call)
  invisible(x)
}

check_number <- function(x, lower = -Inf, upper = Inf, arg = rlang::caller_arg(x), call = rlang::caller_env(), null = FALSE) {
  throw_unless(checkmate::check_number(x, lower = lower, upper = upper, finite = TRUE, null.ok = null), arg, call)
  invisible(x)
}

check_whole <- function(x, lower = 1L, arg = rlang::caller_arg(x), call = rlang::caller_env(), null = FALSE) {
  throw_unless(checkmate::check_int(x, lower = lower, null.ok = null), arg, call)
  invisible(x)
}

check_day <- function(x, arg = rlang::caller_arg(x), call = rlang::caller_env()) {
  if (is.null(x)) return(NULL)
  day <- if (inherits(x, "Date")) x else if (is.character(x)) as.Date(x, format = "%Y-%m-%d", optional = TRUE) else NA
  if (length(day) != 1L || is.na(day)) {
    abort_nubrek(c("{.arg {arg}} must be one day.", "x" = "It is {.val {format(x)}}.",
                   "i" = "Write a Date or a text such as {.val 2024-03-05}."), "argument", call = call)
  }
  day
}

check_ledger <- function(x, arg = rlang::caller_arg(x), call = rlang::caller_env()) {
  if (!inherits(x, "nubrek_ledger")) {
    abort_nubrek(c("{.arg {arg}} must be a ledger.", "x" = "It is a {.cls {class(x)}}.",
                   "i" = "Make one with {.fn open_ledger}."), "argument", call = call)
  }
  invisible(x)
}

# Measures of purchases need somebody who made one.
check_purchases <- function(ledger, call = rlang::caller_env()) {
  if (length(ledger$purchases$sales) == 0L) {
    abort_nubrek(c("Nobody in this ledger has made a purchase.", "x" = "{length(ledger$orders$sales)} order{?s} {?has/have} no net sales above 0.",
                   "i" = "{.fn audit} tells what was read."), "no_purchases", call = call)
  }
}

# "Did you mean": the nearest of the known words, if any is near.
nearest_hint <- function(found, known) {
  if (length(known) == 0L || length(found) != 1L || is.na(found)) return(NULL)
  distance <- utils::adist(found, known, ignore.case = TRUE)[1L, ]
  best <- which.min(distance)
  if (distance[[best]] > max(2, nchar(found) / 3)) return(NULL)
  word <- gsub("([{}])", "\\1\\1", known[[best]])             # it may come from a file: never let it be a template
  c("i" = paste0("Did you mean ", dQuote(word, FALSE), "?"))
}
