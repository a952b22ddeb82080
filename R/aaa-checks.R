# One check a rule: asks checkmate, throws our classed error with the user's word and call, returns
# its input.

throw_unless <- function(verdict, arg, call, class = "argument") {
  if (!isTRUE(verdict)) {
    verdict <- sub("^Element ([0-9]+) is", "Its value \\1 is", verdict)
    verdict <- sub("is not >= ", "is not at least ", sub("is not <= ", "is not at most ", verdict))
    abort_nubrek(
      c("{.arg {arg}} is not what is needed here.", "x" = "{verdict}."), class, call = call
    )
  }
}

check_choice <- function(x, choices, arg = rlang::caller_arg(x), call = rlang::caller_env()) {
  if (!checkmate::test_choice(x, choices)) {
    found <- if (checkmate::test_scalar(x)) {
      format(x)
    } else {
      paste0("a ", class(x)[[1L]], " of length ", length(x))
    }
    abort_nubrek(c(
      "{.arg {arg}} must be one of {.val {choices}}.",
      "x" = "It is {.val {found}}.",
      nearest_hint(found, choices)
    ), "argument", call = call)
  }
  invisible(x)
}

check_text <- function(x, arg = rlang::caller_arg(x), call = rlang::caller_env(), null = FALSE) {
  throw_unless(checkmate::check_string(x, min.chars = 1L, null.ok = null), arg, call)
  invisible(x)
}

check_number <- function(
  x, lower = -Inf, upper = Inf, arg = rlang::caller_arg(x), call = rlang::caller_env(), null = FALSE
) {
  throw_unless(
    checkmate::check_number(x, lower = lower, upper = upper, finite = TRUE, null.ok = null),
    arg,
    call
  )
  invisible(x)
}

# A share of one. A number that only makes sense in percent is told what it is as a share.
check_share <- function(
  x, lower = 0, upper = 1, arg = rlang::caller_arg(x), call = rlang::caller_env(), null = FALSE
) {
  if (
    checkmate::test_numeric(x, any.missing = FALSE, finite = TRUE, min.len = 1L) &&
      any(x > 1 & x <= 100) &&
      upper <= 1
  ) {
    percent <- x[x > 1][[1L]]
    abort_nubrek(c(
      "{.arg {arg}} is a share, from {lower} to {upper}.",
      "x" = "It is {format(percent)}.",
      "i" = "For {format(percent)} % write {format(percent / 100)}."
    ), "argument", call = call)
  }
  check_number(x, lower, upper, arg, call, null)
}

# Each of these values must be among those that are there: a filter that names nothing is never
# silent.
check_values <- function(wanted, there, what, call = rlang::caller_env()) {
  wanted <- as.character(wanted)
  lacking <- wanted[!wanted %in% there]
  if (length(lacking) == 0L) return(invisible(wanted))
  some <- utils::head(there, 8L)
  abort_nubrek(c(
    "There is no {.val {lacking[[1L]]}} among the values of {.field {what}}.",
    "x" = if (length(there) == 0L) {
      "It has none."
    } else {
      "It has {.val {some}}{if (length(there) > 8L) ' and others' else ''}."
    },
    nearest_hint(lacking[[1L]], there)
  ), "value", values = lacking, call = call)
}

check_whole <- function(
  x, lower = 1L, upper = Inf, arg = rlang::caller_arg(x), call = rlang::caller_env(), null = FALSE
) {
  throw_unless(checkmate::check_int(x, lower = lower, upper = upper, null.ok = null), arg, call)
  invisible(x)
}

check_day <- function(x, arg = rlang::caller_arg(x), call = rlang::caller_env()) {
  if (is.null(x)) return(NULL)
  day <- if (inherits(x, "Date")) {
    x
  } else if (is.character(x)) {
    as.Date(x, format = "%Y-%m-%d", optional = TRUE)
  } else {
    NA
  }
  if (length(day) != 1L || is.na(day)) {
    abort_nubrek(c(
      "{.arg {arg}} must be one day.",
      "x" = "It is {.val {format(x)}}.",
      "i" = "Write a Date or a text such as {.val 2024-03-05}."
    ), "argument", call = call)
  }
  day
}

check_ledger <- function(x, arg = rlang::caller_arg(x), call = rlang::caller_env()) {
  if (!inherits(x, "nubrek_ledger")) {
    abort_nubrek(c(
      "{.arg {arg}} must be a ledger.",
      "x" = "It is a {.cls {class(x)}}.",
      "i" = "Make one with {.fn open_ledger}."
    ), "argument", call = call)
  }
  invisible(x)
}

# "Did you mean": the nearest of the known words, if any is near; a part of a longer one, such as
# the town of a time zone; the word that is used here for one that others use.
nearest_hint <- function(found, known) {
  if (length(known) == 0L || length(found) != 1L || is.na(found) || !nzchar(found)) return(NULL)
  found <- as.character(found)
  best <- nearest_word(found, known)
  if (is.null(best)) return(NULL)
  word <- gsub("([{}])", "\\1\\1", best) # it may come from a file: never let it be a template
  c("i" = paste0("Did you mean ", dQuote(word, FALSE), "?"))
}

nearest_word <- function(found, known) {
  distance <- utils::adist(found, known, ignore.case = TRUE)[1L, ]
  if (min(distance) <= min(2, nchar(found) / 2)) return(known[[which.min(distance)]])
  whole <- which(endsWith(tolower(known), paste0("/", tolower(found))))
  if (length(whole) > 0L) return(known[[whole[[1L]]]])
  ours <- other_words[[tolower(found)]]
  if (!is.null(ours) && ours %in% known) return(ours)
  ends <- which(endsWith(tolower(known), paste0("_", tolower(found))))
  if (length(ends) > 0L) return(known[[ends[[length(ends)]]]])
  starts <- which(startsWith(tolower(known), tolower(found)) & nchar(found) >= 3L)
  if (length(starts) > 0L) return(known[[starts[[1L]]]])
  if (nchar(found) > 2L && min(distance) <= max(2, nchar(found) / 3)) known[[which.min(distance)]]
}

# Words of the trade for what has another name here.
other_words <- list(
  revenue = "sales", turnover = "sales", spend = "sales", income = "sales", profit = "margin",
  orders = "purchases", frequency = "purchases", client = "customer", shopper = "customer",
  store = "channel", shop = "channel", lifetime = "forecast", churn = "retention",
  cohort = "cohorts", basket = "mean_sales"
)
