# Comparisons in a rule: both sides of one type, texts that are there.

# Both sides of a comparison of one type. A day may be written as text; a text must be one that is
# there, or it is a slip of the pen.
alike <- function(a, b, nodes, scope, name) {
  if (a$type == "date" && b$type == "text") b <- rule_day(b, nodes[[2L]], scope)
  if (b$type == "date" && a$type == "text") a <- rule_day(a, nodes[[1L]], scope)
  if (a$type != b$type) {
    abort_rule(scope, name, paste0(
      "{.code {rule_text(nodes[[1]])}} is {.emph {a$type}}, ",
      "{.code {rule_text(nodes[[2]])}} is {.emph {b$type}}."
    ), number_hint(a, b, nodes))
  }
  if (a$type == "text" && is_constant(b)) check_level(b$x, a, scope)
  if (b$type == "text" && is_constant(a)) check_level(a$x, b, scope)
  list(a, b)
}

# A text that is compared with a number may hold numbers.
number_hint <- function(a, b, nodes) {
  texts <- c(a$type, b$type) == "text"
  if (!any(texts) || !any(c(a$type, b$type) == "number")) return(NULL)
  c("i" = sprintf("Where it holds numbers, write {.code number_of(%s)}.", gsub(
    "([{}])", "\\1\\1", rule_text(nodes[[which(texts)]])
  )))
}

check_level <- function(text, value, scope) {
  if (length(value$from) != 1L) return(invisible())
  there <- value$there %||% if (is.factor(value$x)) levels(value$x) else unique(value$x)
  odd <- setdiff(text, there)
  if (length(odd) == 0L) return(invisible())
  there <- there[!is.na(there)]
  abort_rule(
    scope,
    odd[[1L]],
    "{.field {value$from}} has no value {.val {odd[[1]]}}.",
    nearest_hint(odd[[1L]], there),
    "i" = "It has {.val {utils::head(sort(unique(there)), 12)}}."
  )
}

rule_day <- function(value, node, scope) {
  day <- as.Date(as.character(value$x), format = "%Y-%m-%d", optional = TRUE)
  if (is_constant(value) && anyNA(day)) {
    word <- rule_text(node)
    abort_rule(scope, word, "{.code {word}} is no day; write {.code \"2025-03-31\"}.")
  }
  rule_value("date", day, value$from)
}

# Of texts that stand many times, each is looked at once.
by_level <- function(x, test) {
  if (!is.factor(x)) return(test(as.character(x)))
  test(levels(x))[as.integer(x)]
}

compare_values <- function(parts, scope, name) {
  check_parts(parts, 2L, scope, name)
  both <- alike(work_part(parts[[1L]], scope), work_part(parts[[2L]], scope), parts, scope, name)
  a <- both[[1L]]
  b <- both[[2L]]
  from <- union(a$from, b$from)
  if (a$type == "truth" || (a$type == "text" && !name %in% c("==", "!="))) {
    abort_rule(
      scope, name, "{.code {name}} does not compare {.emph {a$type}}.",
      if (a$type == "text") number_hint(a, list(type = "number"), parts)
    )
  }
  compare <- match.fun(name)
  if (a$type != "text") {
    return(rule_value("truth", compare(as.double(a$x), as.double(b$x)), from))
  }
  truth <- if (is_constant(b)) {
    by_level(a$x, \(x) compare(x, b$x))
  } else {
    compare(as.character(a$x), as.character(b$x))
  }
  rule_value("truth", truth, from)
}

# `x %in% c("a", "b")`: the right side is a list of constants.
in_values <- function(parts, scope, name) {
  check_parts(parts, 2L, scope, name)
  value <- work_part(parts[[1L]], scope)
  listed <- parts[[2L]]
  nodes <- if (is.call(listed) && identical(listed[[1L]], quote(c))) {
    as.list(listed)[-1L]
  } else {
    list(listed)
  }
  each <- lapply(nodes, \(node) {
    one <- work_part(node, scope)
    if (!is_constant(one)) {
      abort_rule(scope, rule_text(node), "{.code %in%} needs values, such as {.code c(1, 2)}.")
    }
    one
  })
  types <- unique(vapply(each, `[[`, "", "type"))
  if (length(types) != 1L) {
    abort_rule(scope, "%in%", "{.code %in%} needs values of one type, such as {.code c(1, 2)}.")
  }
  values <- rule_value(types, do.call(c, lapply(each, `[[`, "x")))
  wanted <- alike(value, values, list(parts[[1L]], listed), scope, name)[[2L]]$x
  truth <- if (value$type == "text") {
    by_level(value$x, \(x) ifelse(is.na(x), NA, x %in% wanted))
  } else {
    ifelse(is.na(value$x), NA, as.double(value$x) %in% as.double(wanted))
  }
  rule_value("truth", truth, value$from)
}

between_values <- function(parts, scope, name) {
  check_parts(parts, 3L, scope, name)
  low <- compare_values(parts[c(1L, 2L)], scope, ">=")
  high <- compare_values(parts[c(1L, 3L)], scope, "<=")
  rule_value("truth", low$x & high$x, union(low$from, high$from))
}
