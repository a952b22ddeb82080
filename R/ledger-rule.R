# Rules: conditions written as R expressions over a documented vocabulary. They are parsed, looked
# at node by node, and worked out by the functions below; nothing of a rule is evaluated by R.
#
# A value has a `type` ("number", "text", "date", "truth"), `x`, one for each row (or one for all),
# `from`, the names it was read from, and of texts `there`, those that may be meant. Truth knows
# three answers: missing is "cannot be told".
#
# A scope says what a rule may speak of: `column(name)` gives a value or NULL, `names` all of them,
# `belongs(name)` a hint where a name that is not known may stand, `calls` functions of the node and
# the scope, and `text` the rule as it was written.

rule_value <- function(type, x, from = character(), there = NULL) {
  list(type = type, x = x, from = from, there = there)
}

# The expressions of texts, each one condition.
parse_rule <- function(text, call = rlang::caller_env()) {
  if (!validUTF8(text)) {
    abort_nubrek(c(
      "A condition cannot be read.", "x" = "It holds bytes that are no text in UTF-8."
    ), "rule", call = call)
  }
  parsed <- tryCatch(
    suppressWarnings(parse(text = text, keep.source = FALSE, encoding = "UTF-8")),
    error = \(e) NULL
  )
  if (is.null(parsed) || length(parsed) != 1L) {
    abort_nubrek(c(
      "A condition cannot be read.",
      "x" = "It says {.val {text}}.",
      "i" = "One condition is one expression, such as {.code sales >= 200}."
    ), "rule", call = call)
  }
  check_depth(parsed[[1L]], text)
  parsed[[1L]]
}

# Texts that are none, and deeper than people write, are refused before anything walks through it.
check_depth <- function(node, text, depth = 0L) {
  if (depth > 60L) abort_rule(list(text = text), "(", "A condition is nested too deeply.")
  if (!is.call(node) && !validUTF8(paste(as.character(node), collapse = ""))) {
    abort_nubrek(c(
      "A condition cannot be read.", "x" = "An escape in it stands for no text in UTF-8."
    ), "rule")
  }
  if (!is.call(node)) return(invisible())
  lapply(given_parts(as.list(node)), check_depth, text, depth + 1L)
  invisible()
}

# Parts of a call without those that are left empty.
given_parts <- function(parts) {
  parts[!vapply(parts, \(part) identical(part, rlang::missing_arg()), NA)]
}

rule_text <- function(node) paste(deparse(node, width.cutoff = 500L), collapse = " ")

# An error of a rule, with a caret under the word that it is about.
abort_rule <- function(scope, word, message, ..., .envir = rlang::caller_env()) {
  before <- text_before(word, scope$text)
  shown <- if (!is.null(before) && nchar(scope$text, "bytes") <= 200L) {
    stats::setNames(
      c(scope$text, paste0(strrep("-", cli::utf8_nchar(before, "width")), "^")), c(" ", " ")
    )
  }
  shown <- gsub("}", "}}", gsub("{", "{{", gsub(" ", "\u00a0", shown), fixed = TRUE), fixed = TRUE)
  abort_nubrek(
    c(message, stats::setNames(shown, rep(" ", length(shown))), ...),
    "rule",
    rule = scope$text,
    call = NULL,
    .envir = .envir
  )
}

# What stands before a word, whatever the locale; NULL where it does not stand there as it is.
text_before <- function(word, text) {
  place <- regexpr(word, text, fixed = TRUE, useBytes = TRUE)[[1L]]
  if (place < 1L) return(NULL)
  before <- rawToChar(utils::head(charToRaw(text), place - 1L))
  Encoding(before) <- "UTF-8"
  if (validUTF8(before)) before
}

# Works a node out; deeper than people write is refused.
work_rule <- function(node, scope, depth = 0L) {
  if (depth > 40L) abort_rule(scope, "(", "A condition is nested too deeply.")
  scope$depth <- depth + 1L
  if (is.symbol(node)) return(rule_column(as.character(node), scope))
  if (is.call(node)) return(rule_call(node, scope))
  if (length(node) == 1L && is.numeric(node) && !is.na(node)) {
    return(rule_value("number", as.double(node)))
  }
  if (is.character(node) && length(node) == 1L && !is.na(node)) {
    return(rule_value("text", enc2utf8(node)))
  }
  if (is.logical(node) && length(node) == 1L && !is.na(node)) return(rule_value("truth", node))
  abort_rule(scope, rule_text(node), "{.code {rule_text(node)}} is nothing that a rule can say.")
}

work_part <- function(node, scope) work_rule(node, scope, scope$depth)

rule_column <- function(name, scope) {
  found <- if (nzchar(name)) scope$column(name)
  if (is.null(found)) {
    abort_rule(
      scope,
      name,
      "{.field {name}} is not known here.",
      scope$belongs(name) %||% nearest_hint(name, scope$names),
      "i" = "Known are {.field {scope$names}}."
    )
  }
  found
}

rule_call <- function(node, scope) {
  head <- node[[1L]]
  name <- if (is.symbol(head)) as.character(head) else ""
  if (!name %in% names(scope$calls)) {
    word <- if (nzchar(name)) name else rule_text(head)
    abort_rule(
      scope,
      word,
      "{.code {word}} is no word of a rule.",
      nearest_hint(word, names(scope$calls)),
      "i" = "Words are {.code {names(scope$calls)[grepl('^[a-z]', names(scope$calls))]}}."
    )
  }
  parts <- as.list(node)[-1L]
  if (any(vapply(parts, \(part) identical(part, rlang::missing_arg()), NA))) {
    abort_rule(scope, name, "{.code {name}} lacks a part.")
  }
  scope$calls[[name]](parts, scope, name)
}

# So many parts, none of them named.
check_parts <- function(parts, n, scope, name) {
  if (length(parts) == n && is.null(names(parts))) return(invisible())
  abort_rule(scope, name, "{.code {name}} takes {n} part{?s}, without names.")
}

wanted_type <- function(value, types, scope, name, node) {
  if (value$type %in% types) return(invisible())
  word <- rule_text(node)
  abort_rule(
    scope, word, "{.code {name}} needs {.or {types}}; {.code {word}} is {.emph {value$type}}."
  )
}

# Values that stand in the rule itself: they have no column.
is_constant <- function(value) length(value$from) == 0L

# All of, any of, none of: truth of three answers, as R's own `&` and `|` have it.
joined_truth <- function(join) {
  function(parts, scope, name) {
    if (length(parts) == 0L || !is.null(names(parts))) {
      abort_rule(scope, name, "{.code {name}} needs conditions, without names.")
    }
    values <- lapply(parts, \(part) {
      value <- work_part(part, scope)
      wanted_type(value, "truth", scope, name, part)
      value
    })
    rule_value(
      "truth", join(lapply(values, `[[`, "x")), unique(unlist(lapply(values, `[[`, "from")))
    )
  }
}

negated <- function(parts, scope, name) {
  check_parts(parts, 1L, scope, name)
  value <- work_part(parts[[1L]], scope)
  wanted_type(value, "truth", scope, name, parts[[1L]])
  rule_value("truth", !value$x, value$from)
}

# Numbers, and days: a day less a day is a number of days, a day and a number is a day.
reckoned <- function(parts, scope, name) {
  if (length(parts) == 1L && name == "-") {
    value <- work_part(parts[[1L]], scope)
    wanted_type(value, "number", scope, name, parts[[1L]])
    return(rule_value("number", -value$x, value$from))
  }
  check_parts(parts, 2L, scope, name)
  values <- lapply(parts, work_part, scope)
  types <- vapply(values, `[[`, "", "type")
  type <- reckoned_type(types, name)
  if (is.null(type)) abort_rule(scope, name, "{.code {name}} does not go with {.emph {types}}.")
  x <- match.fun(name)(as.double(values[[1L]]$x), as.double(values[[2L]]$x))
  x[!is.finite(x)] <- NA_real_
  if (type == "date") x <- as.Date(x, origin = "1970-01-01")
  rule_value(type, x, union(values[[1L]]$from, values[[2L]]$from))
}

reckoned_type <- function(types, name) {
  if (all(types == "number")) return("number")
  if (name == "-" && all(types == "date")) return("number")
  if (name %in% c("+", "-") && identical(types, c("date", "number"))) "date"
}

# Texts that are numbers; others cannot be told.
number_of <- function(parts, scope, name) {
  check_parts(parts, 1L, scope, name)
  value <- work_part(parts[[1L]], scope)
  wanted_type(value, c("text", "number"), scope, name, parts[[1L]])
  read <- \(x) suppressWarnings(as.double(x))
  number <- if (is.factor(value$x)) read(levels(value$x))[as.integer(value$x)] else read(value$x)
  number[!is.finite(number)] <- NA_real_
  rule_value("number", number, value$from)
}

rule_operators <- list(
  is_missing = \(parts, scope, name) {
    check_parts(parts, 1L, scope, name)
    value <- work_part(parts[[1L]], scope)
    rule_value("truth", is.na(value$x), value$from)
  },
  number_of = number_of,
  `(` = \(parts, scope, name) work_part(parts[[1L]], scope),
  `==` = compare_values,
  `!=` = compare_values,
  `<` = compare_values,
  `<=` = compare_values,
  `>` = compare_values,
  `>=` = compare_values,
  `%in%` = in_values,
  between = between_values,
  `&` = joined_truth(\(x) Reduce(`&`, x)),
  `|` = joined_truth(\(x) Reduce(`|`, x)),
  `!` = negated,
  all_of = joined_truth(\(x) Reduce(`&`, x)),
  any_of = joined_truth(\(x) Reduce(`|`, x)),
  none_of = joined_truth(\(x) !Reduce(`|`, x)),
  `+` = reckoned,
  `-` = reckoned,
  `*` = reckoned,
  `/` = reckoned
)

# The truth of a condition for each of `n` rows.
rule_truth <- function(node, scope, n) {
  value <- work_rule(node, scope)
  wanted_type(value, "truth", scope, "a condition", node)
  list(x = rep_len(value$x, n), from = value$from)
}
