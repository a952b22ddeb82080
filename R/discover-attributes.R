# What groups may be described by: attributes in bins, each bin with its place in a rule.

# Attributes that are asked for (all that can describe groups where none is), of the customers
# `codes`, each with the text of its `word` in a rule, `bin` (raw), and what a bin stands for.
search_attributes <- function(ledger, using, codes, start, more, least, call) {
  words <- offered_words(ledger, start)
  if (!is.null(using)) {
    others <- c(attribute_names(ledger), names(audience_measures(ledger)), names(more))
    others <- setdiff(others, names(words))
    words <- c(words, stats::setNames(vapply(others, rule_name, ""), others))
    check_values(using, names(words), "using", call = call)
    words <- words[using]
  }
  scope <- audience_scope(ledger, more)
  nodes <- lapply(words, parse_rule)
  ask_lines_once(nodes, words, scope)
  found <- Map(\(name, word, node) {
    scope$text <- word
    one_attribute(name, word, work_rule(node, scope), ledger, codes, least)
  }, names(words), words, nodes)
  Filter(Negate(is.null), found)
}

rule_name <- function(name) paste(deparse(as.name(name), backtick = TRUE), collapse = " ")

# Words that are known before the target's window begins: attributes, and with a `start` measures of
# the time before it.
offered_words <- function(ledger, start) {
  names <- setdiff(attribute_names(ledger), c("cohort", latest_attributes(ledger)))
  words <- stats::setNames(vapply(names, rule_name, ""), names)
  if (is.null(start)) return(words)
  until <- sprintf("until = \"%s\"", format(start - 1))
  c(
    words,
    `purchases before` = sprintf("purchases(%s)", until),
    `sales before` = sprintf("sales(%s)", until),
    `mean sales before` = sprintf("mean_sales(%s)", until),
    `days since before` = sprintf("days_since(%s)", until)
  )
}

one_attribute <- function(name, word, value, ledger, codes, least) {
  x <- value$x[codes]
  if (value$type == "date") return(number_bins(name, days_word(word), day_age(ledger, x), x))
  if (value$type == "number") return(number_bins(name, word, as.double(x)))
  if (value$type == "truth") return(level_bins(name, word, x, least))
  text_attribute(name, word, as.character(x), ledger, least)
}

# A text is numbers or days where all of it is.
text_attribute <- function(name, word, x, ledger, least) {
  levels <- unique(x[!is.na(x)])
  if (length(levels) < 2L) return(level_bins(name, word, x, least))
  day <- level_days(levels, name, ledger)[match(x, levels)]
  if (!all(is.na(day))) {
    return(number_bins(name, days_word(word), day_age(ledger, day), day))
  }
  number <- suppressWarnings(as.double(levels))
  if (!anyNA(number) && length(levels) > 12L) {
    return(number_bins(name, sprintf("number_of(%s)", word), number[match(x, levels)]))
  }
  level_bins(name, word, x, least)
}

# Days as rules read them, however they are written; none where a level is no day.
level_days <- function(levels, name, ledger) {
  none <- as.Date(rep(NA, length(levels)))
  if (!all(grepl(day_pattern, levels) | grepl("^(19|20)[0-9]{6}$", levels))) return(none)
  day <- tryCatch(attribute_days(ledger, levels, name), nubrek_error_dates = \(e) NA)
  if (anyNA(day)) none else date_of_number(day)
}

days_word <- function(word) sprintf("years_since(%s)", word)
day_age <- function(ledger, day) as.double(ledger$as_of - as.Date(day)) / 365.25

# Tenths, and closer at both ends.
cut_shares <- c(0.01, 0.03, 0.05, seq(0.1, 0.9, 0.1), 0.95, 0.97, 0.99)

# Ranges between cut points from quantiles; missing values in a bin of their own, the last.
number_bins <- function(name, word, x, day = NULL) {
  there <- x[!is.na(x)]
  if (length(there) == 0L) return(NULL)
  cuts <- unique(signif(stats::quantile(there, cut_shares, names = FALSE), 2L))
  cuts <- cuts[cuts > min(there) & cuts <= max(there)]
  if (length(cuts) == 0L && !anyNA(x)) return(NULL)
  bin <- findInterval(x, cuts)
  missing <- if (anyNA(x)) length(cuts) + 1L else -1L
  bin[is.na(x)] <- missing
  list(
    name = name, word = word, bin = as.raw(bin), bins = length(cuts) + 1L + (missing > 0L),
    ordered = TRUE, missing = missing, rest = -1L, cuts = cuts, values = x, day = day
  )
}

# Levels of customers enough to be a group; the others together, which are never named.
level_bins <- function(name, word, x, least) {
  x <- as.character(x)
  count <- sort(table(x), decreasing = TRUE)
  named <- sort(utils::head(names(count)[count >= least], 40L), method = "radix")
  if (length(named) == 0L || length(named) + anyNA(x) < 2L && length(count) < 2L) return(NULL)
  bin <- match(x, named) - 1L
  n <- length(named)
  rest <- if (any(is.na(bin) & !is.na(x))) n else -1L
  missing <- if (anyNA(x)) n + (rest >= 0L) else -1L
  bin[is.na(bin) & !is.na(x)] <- rest
  bin[is.na(x)] <- missing
  list(
    name = name, word = word, bin = as.raw(bin), bins = n + (rest >= 0L) + (missing >= 0L),
    ordered = FALSE, missing = missing, rest = rest, levels = named, values = NULL,
    truth = word != "" && all(named %in% c("TRUE", "FALSE"))
  )
}

# The texts of a condition: bins inside as a rule says them.
condition_text <- function(attribute, inside) {
  word <- attribute$word
  missing <- attribute$missing %in% inside
  bins <- setdiff(inside, attribute$missing)
  gone <- sprintf("is_missing(%s)", plain_word(word))
  if (length(bins) == 0L) return(gone)
  all <- setdiff(seq_len(attribute$bins) - 1L, attribute$missing)
  if (setequal(bins, all)) return(paste0("!", gone))
  said <- if (attribute$ordered) range_text(attribute, bins) else set_text(attribute, bins, all)
  if (missing) paste(gone, "|", said) else said
}

# `is_missing()` looks at the attribute itself, not at the number that is read from it.
plain_word <- function(word) sub("^(number_of|years_since)\\((.*)\\)$", "\\2", word)

range_text <- function(attribute, bins) {
  cut <- vapply(attribute$cuts, format, "", digits = 15L, scientific = FALSE)
  low <- min(bins)
  high <- max(bins) + 1L
  paste(c(
    if (low > 0L) sprintf("%s >= %s", attribute$word, cut[[low]]),
    if (high <= length(cut)) sprintf("%s < %s", attribute$word, cut[[high]])
  ), collapse = " & ")
}

set_text <- function(attribute, bins, all) {
  named <- \(bins) encodeString(attribute$levels[bins + 1L], quote = "\"")
  within <- \(bins) {
    if (length(bins) == 1L) {
      sprintf("%s == %s", attribute$word, named(bins))
    } else {
      sprintf("%s %%in%% c(%s)", attribute$word, paste(named(bins), collapse = ", "))
    }
  }
  if (isTRUE(attribute$truth)) {
    return(if (attribute$levels[[bins[[1L]] + 1L]] == "TRUE") {
      attribute$word
    } else {
      paste0("!", attribute$word)
    })
  }
  others <- setdiff(all, bins)
  if (says_others(attribute, bins, others)) {
    return(if (length(others) == 1L) {
      sprintf("%s != %s", attribute$word, named(others))
    } else {
      sprintf("!(%s)", within(others))
    })
  }
  within(bins)
}

# The same in the words of people.
condition_words <- function(attribute, inside) {
  name <- gsub("_", " ", attribute$name)
  missing <- attribute$missing %in% inside
  bins <- setdiff(inside, attribute$missing)
  all <- setdiff(seq_len(attribute$bins) - 1L, attribute$missing)
  if (length(bins) == 0L) return(paste(name, "not known"))
  if (setequal(bins, all)) return(paste(name, "known"))
  said <- if (attribute$ordered) range_words(attribute, bins) else set_words(attribute, bins, all)
  paste(name, if (missing) paste(said, "or not known") else said)
}

range_words <- function(attribute, bins) {
  cut <- vapply(attribute$cuts, number_text, "")
  low <- min(bins)
  high <- max(bins) + 1L
  unit <- if (grepl("^years_since", attribute$word)) " years ago" else ""
  from <- if (low > 0L) cut[[low]]
  until <- if (high <= length(cut)) cut[[high]]
  paste0(if (is.null(until)) {
    paste("from", from)
  } else if (is.null(from)) {
    paste("under", until)
  } else {
    paste(from, "to under", until)
  }, unit)
}

set_words <- function(attribute, bins, all) {
  named <- \(bins, by) paste(attribute$levels[bins + 1L], collapse = by)
  others <- setdiff(all, bins)
  if (says_others(attribute, bins, others)) {
    paste("not", named(others, ", "))
  } else {
    named(bins, " or ")
  }
}

# Whether the levels outside are the shorter way to say it, or the only one.
says_others <- function(attribute, bins, others) {
  attribute$rest %in% bins || length(others) < length(bins) && !attribute$rest %in% others
}
