# What a study file may say. A node is a section (named list of nodes) or a leaf (a function from
# text to value that returns a string when the value is wrong).

# `known` are the words it may say, for "did you mean".
leaf <- function(read, wants, known = NULL) {
  structure(list(read = read, wants = wants, known = known), class = "study_leaf")
}
wrong <- structure(list(), class = "study_wrong")

as_number <- function(x) {
  if (length(x) == 1L && grepl("^[-+]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][-+]?[0-9]+)?$", x)) {
    as.numeric(x)
  } else {
    NA_real_
  }
}

leaf_text <- function() {
  leaf(\(x) if (checkmate::test_string(x, min.chars = 1L)) x else wrong, "a text")
}
leaf_texts <- function() {
  leaf(
    \(x) {
      if (checkmate::test_character(unlist(x), any.missing = FALSE, min.len = 1L)) {
        as.character(unlist(x))
      } else {
        wrong
      }
    },
    "a text or a list of texts"
  )
}
leaf_choice <- function(choices) {
  leaf(
    \(x) if (checkmate::test_choice(x, choices)) x else wrong,
    paste("one of", paste(choices, collapse = ", ")),
    choices
  )
}
leaf_choices <- function(choices) {
  leaf(
    \(x) {
      if (checkmate::test_subset(unlist(x), choices, empty.ok = FALSE)) {
        as.character(unlist(x))
      } else {
        wrong
      }
    },
    paste("one or several of", paste(choices, collapse = ", ")),
    choices
  )
}
leaf_flag <- function() {
  leaf(
    \(x) {
      if (checkmate::test_choice(tolower(x), c("yes", "no", "true", "false"))) {
        tolower(x) %in% c("yes", "true")
      } else {
        wrong
      }
    },
    "yes or no"
  )
}
leaf_people <- function() {
  leaf(
    \(x) if (identical(x, "pseudonyms")) x else leaf_flag()$read(x), "yes, no or pseudonyms"
  )
}
leaf_day <- function() {
  leaf(
    \(x) {
      d <- if (checkmate::test_string(x)) as.Date(x, "%Y-%m-%d", optional = TRUE) else NA
      if (is.na(d)) wrong else d
    },
    "a day such as 2024-03-05"
  )
}
leaf_days <- function() {
  leaf(
    \(x) {
      d <- as.Date(as.character(unlist(x)), "%Y-%m-%d", optional = TRUE)
      if (length(d) == 0L || anyNA(d)) wrong else d
    },
    "a day such as 2024-03-05, or several in brackets"
  )
}
leaf_number <- function(low, high) {
  leaf(
    \(x) {
      v <- as_number(x)
      if (is.na(v) || v < low || v > high) wrong else v
    },
    paste("a number from", low, "to", high)
  )
}
leaf_whole <- function(low, high) {
  leaf(
    \(x) {
      v <- as_number(x)
      if (is.na(v) || v < low || v > high || v != round(v)) wrong else as.integer(v)
    },
    paste("a whole number from", low, "to", high)
  )
}
leaf_season <- function() {
  leaf(\(x) if (identical(x, "auto")) x else leaf_flag()$read(x), "auto, true or false")
}
leaf_penalty <- function() {
  leaf(
    \(x) {
      v <- as_number(x)
      if (identical(x, "cross-validated")) x else if (is.na(v) || v < 0) wrong else v
    },
    "a number from 0 up, or cross-validated"
  )
}
leaf_columns <- function() {
  leaf(
    \(x) {
      if (
        is.list(x) &&
          checkmate::test_names(names(x), type = "unique") &&
          all(vapply(x, checkmate::test_string, NA))
      ) {
        unlist(x)
      } else if (checkmate::test_character(unlist(x), min.len = 1L) && is.null(names(x))) {
        stats::setNames(unlist(x), unlist(x))
      } else {
        wrong
      }
    },
    "columns, as a list or as name: column"
  )
}
# One column, or one for each of several names.
leaf_consent <- function() {
  leaf(
    \(x) if (checkmate::test_string(x, min.chars = 1L)) x else leaf_columns()$read(x),
    "a column, or ways of contact with a column each"
  )
}
leaf_numbers <- function() {
  leaf(
    \(x) {
      v <- vapply(as.list(x), \(one) if (identical(one, "-Inf")) -Inf else as_number(one), 0)
      if (length(v) == 0L || anyNA(v) || is.null(names(v))) wrong else v
    },
    "names with numbers"
  )
}

leaf_ascending <- function() {
  leaf(
    \(x) {
      v <- vapply(as.list(unlist(x)), as_number, 0)
      if (length(v) == 0L || anyNA(v) || is.unsorted(v, strictly = TRUE)) wrong else v
    },
    "ascending numbers"
  )
}

leaf_amounts <- function() {
  leaf(
    \(x) {
      v <- vapply(as.list(unlist(x)), as_number, 0)
      if (length(v) == 0L || anyNA(v)) wrong else v
    },
    "numbers"
  )
}
# A list between brackets is cut at every comma, also at those inside a condition: pieces are put
# together until their brackets close.
whole_conditions <- function(pieces) {
  depth <- cumsum(vapply(pieces, \(piece) {
    bare <- gsub("\"[^\"]*\"|'[^']*'", "", piece)
    nchar(gsub("[^(]", "", bare)) - nchar(gsub("[^)]", "", bare))
  }, 0))
  group <- cumsum(c(TRUE, depth[-length(depth)] <= 0))
  unname(vapply(split(pieces, group), paste, "", collapse = ", "))
}

# An audience: conditions alone, or a section.
leaf_audience <- function() {
  leaf(read_audience, "conditions, or a section with rule, or with files and key")
}
read_audience <- function(x) {
  said <- if (is.null(names(x))) list(rule = x) else as.list(x)
  keys <- c("rule", "files", "key", "description", "among")
  texts <- all(vapply(said, \(one) {
    checkmate::test_character(unlist(one), any.missing = FALSE, min.len = 1L)
  }, NA))
  how <- c("rule", "files") %in% names(said)
  whole <- sum(how) == 1L && how[[2L]] == ("key" %in% names(said))
  if (!texts || !all(names(said) %in% keys) || !whole) return(wrong)
  said <- lapply(said, \(one) as.character(unlist(one)))
  if (!is.null(said$rule)) said$rule <- whole_conditions(said$rule)
  said
}

leaf_limits <- function() {
  leaf(
    \(x) if (length(x) == 0L || identical(x, "")) numeric() else leaf_numbers()$read(x),
    "measures with numbers, or nothing for the last tier"
  )
}
leaf_cut <- function() {
  leaf(
    \(x) {
      if (identical(x, "median")) {
        x
      } else {
        v <- vapply(as.list(unlist(x)), as_number, 0)
        if (!length(v) %in% 1:2 || anyNA(v)) wrong else v
      }
    },
    "median, a quantile from 0 to 1, or two numbers"
  )
}

leaf_share <- function(low, high) {
  leaf(
    \(x) {
      v <- as_number(x)
      if (is.na(v) || v < low || v > high) wrong else v
    },
    paste("a share from", low, "to", high, "(0.45, not 45)")
  )
}
# A length of time such as 24 months, in R's words for it.
leaf_span <- function() {
  leaf(
    \(x) {
      form <- "^[1-9][0-9]{0,3} (day|week|month|year)s?$"
      if (checkmate::test_string(x, pattern = form)) x else wrong
    },
    "a length of time such as 24 months"
  )
}
leaf_zone <- function() {
  leaf(
    \(x) if (checkmate::test_choice(x, OlsonNames())) x else wrong,
    "a time zone such as Europe/Vienna",
    OlsonNames()
  )
}

study_required <- c("data", "data: orders", "data: orders: files", "data: orders: columns")

# Checks a parsed study against the schema; `at` is the path of keys so far.
check_study <- function(node, schema, source, at = character()) {
  if (inherits(schema, "study_leaf")) {
    value <- schema$read(node)
    if (inherits(value, "study_wrong")) {
      abort_study(
        source,
        at,
        "Here belongs {schema$wants}.",
        c(
          "x" = "It is {.val {shown}}.",
          if (!is.list(node) && length(node) == 1L) nearest_hint(node, schema$known)
        ),
        shown = shorten(node),
        schema = schema
      )
    }
    return(value)
  }
  if (is.null(node)) return(list())
  if (inherits(schema, "study_each")) {
    if (!is.list(node) || !checkmate::test_names(names(node), type = "unique")) {
      abort_study(source, at, "Here belong names of your own, each with a section.")
    }
    return(lapply(
      stats::setNames(nm = names(node)),
      \(key) check_study(node[[key]], schema$schema, source, c(at, key))
    ))
  }
  if (!is.list(node) || is.null(names(node))) {
    abort_study(
      source, at, "Here belongs a section with the keys {.field {keys}}.", keys = names(schema)
    )
  }
  unknown <- setdiff(names(node), names(schema))
  if (length(unknown) > 0L) {
    hint <- moved_keys[[unknown[[1L]]]] %||% nearest_hint(unknown[[1L]], names(schema))
    abort_study(
      source,
      c(at, unknown[[1L]]),
      "Unknown key {.field {key}}.",
      c(hint, "i" = "Known here: {.field {keys}}."),
      key = unknown[[1L]],
      keys = names(schema)
    )
  }
  result <- lapply(
    stats::setNames(names(node), names(node)),
    \(key) check_study(node[[key]], schema[[key]], source, c(at, key))
  )
  for (path in study_required) {
    keys <- strsplit(path, ": ", fixed = TRUE)[[1L]]
    instead <- if (identical(utils::tail(keys, 1L), "files")) c("table", "query")
    if (
      identical(keys[-length(keys)], at) && !any(c(utils::tail(keys, 1L), instead) %in% names(node))
    ) {
      abort_study(
        source, at, "The key {.field {key}} is missing here.", key = utils::tail(keys, 1L)
      )
    }
  }
  result
}

shorten <- function(x) {
  text <- paste(unlist(x), collapse = ", ")
  if (nchar(text) > 60L) paste0(substr(text, 1L, 57L), "...") else text
}

abort_study <- function(source, at, message, more = character(), ...) {
  line <- line_of_key(source$text, at)
  where <- paste0(
    source$path,
    if (!is.na(line)) paste0(", line ", line),
    if (length(at) > 0L) paste0(" (", paste(at, collapse = ": "), ")")
  )
  words <- rlang::env(where = where, ...)
  abort_nubrek(
    c("{.file {where}}: ", paste0(message)) |> paste(collapse = "") |> c(more),
    "study",
    line = line,
    key = at,
    call = NULL,
    .envir = words
  )
}

# The line of a key in block-style YAML, found by indentation; the nearest line above where a part
# is in flow style.
line_of_key <- function(text, at) {
  from <- 0L
  depth <- -1L
  found <- NA_integer_
  for (key in at) {
    lines <- seq_along(text)[seq_along(text) > from]
    indent <- nchar(sub("^(\\s*).*", "\\1", text[lines]))
    filled <- grepl("\\S", text[lines]) & !grepl("^\\s*#", text[lines])
    end <- which(filled & indent <= depth)
    if (length(end) > 0L && from > 0L) {
      keep <- seq_along(lines) < end[[1L]]
      lines <- lines[keep]
      indent <- indent[keep]
    }
    name <- sub("^\\s*[\"']?([^\"':#]+?)[\"']?\\s*:(\\s.*)?$", "\\1", text[lines], perl = TRUE)
    hit <- which(name == key & indent > depth)
    if (length(hit) == 0L) return(found)
    found <- from <- lines[[hit[[1L]]]]
    depth <- indent[[hit[[1L]]]]
  }
  found
}
