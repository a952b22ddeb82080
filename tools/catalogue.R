# The catalogue of all texts of the faces, po/R-nubrek.pot: what say() is given in the sources, in
# the scripts of the page, and what stands in the records of parts, sections, measures and columns.
# Run by `make catalogue`; a test says when it is not what the sources say.

is_name <- function(code, names) is.name(code) && as.character(code) %in% names

# The constant texts that calls of say(), or of what goes through it, begin with.
texts_said <- function(code) {
  if (!is.call(code) && !is.pairlist(code)) return(character())
  own <- character()
  if (is.call(code) && length(code) > 1L && is_name(code[[1L]], c("say", "with_strong"))) {
    own <- constant_texts(code[[2L]])
  }
  inside <- as.list(code)
  inside <- inside[!vapply(inside, identical, NA, quote(expr = ))]
  c(own, unlist(lapply(inside, texts_said), use.names = FALSE))
}

# A text, several pasted together, or the branches of a choice between some.
constant_texts <- function(code) {
  if (is.character(code)) return(code)
  if (!is.call(code)) return(character())
  called <- as.character(code[[1L]])[[1L]]
  if (called %in% c("paste0", "paste", "c")) {
    found <- tryCatch(eval(code, baseenv()), error = \(e) character())
    return(as.character(found))
  }
  if (called %in% c("if", "ifelse", "switch")) {
    return(unlist(lapply(as.list(code)[-(1:2)], constant_texts), use.names = FALSE))
  }
  character()
}

# The names in the list that a function gives.
names_listed <- function(code) {
  if (!is.call(code)) return(character())
  if (identical(code[[1L]], as.name("list"))) return(setdiff(names(code), ""))
  unlist(lapply(as.list(code)[-1L], names_listed), use.names = FALSE)
}

catalogue_texts <- function(root = ".") {
  files <- list.files(file.path(root, "R"), "[.]R$", full.names = TRUE)
  from_code <- unlist(lapply(files, \(file) {
    unlist(lapply(as.list(parse(file, keep.source = FALSE, encoding = "UTF-8")), texts_said))
  }), use.names = FALSE)
  scripts <- list.files(file.path(root, "inst", "report"), "[.]js$", full.names = TRUE)
  from_pages <- unlist(lapply(scripts, \(file) {
    text <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
    found <- regmatches(text, gregexpr("(?<=say\\()\"[^\"]*\"", text, perl = TRUE))[[1L]]
    vapply(found, \(one) eval(parse(text = one)[[1L]]), "", USE.NAMES = FALSE)
  }), use.names = FALSE)
  ours <- asNamespace("nubrek")
  terms <- unlist(lapply(grep("_terms$", ls(ours), value = TRUE), \(name) {
    names_listed(body(ours[[name]]))
  }))
  records <- c(
    terms,
    vapply(ours$report_sections, `[[`, "", "title"),
    vapply(ours$report_sections, `[[`, "", "link"),
    vapply(ours$grid_measures, `[[`, "", "label"),
    unlist(ours$wait_measures),
    unlist(ours$column_titles),
    gsub("_", " ", c(unlist(ours$column_kinds), ours$day_columns))
  )
  # blanks around a text are no part of it for gettext
  texts <- trimws(enc2utf8(c(from_code, from_pages, unname(records))))
  sort(unique(texts[nzchar(texts)]), method = "radix")
}

po_quoted <- function(text) {
  text <- gsub("\\", "\\\\", text, fixed = TRUE)
  text <- gsub("\"", "\\\"", text, fixed = TRUE)
  paste0("\"", gsub("\n", "\\n", text, fixed = TRUE), "\"")
}

catalogue_lines <- function(texts) {
  format <- ifelse(grepl("%[-+ 0-9.]*[a-z]", texts), "#, c-format\n", "")
  c(
    "msgid \"\"",
    "msgstr \"\"",
    "\"Project-Id-Version: nubrek\\n\"",
    "\"MIME-Version: 1.0\\n\"",
    "\"Content-Type: text/plain; charset=UTF-8\\n\"",
    "\"Content-Transfer-Encoding: 8bit\\n\"",
    paste0("\n", format, "msgid ", po_quoted(texts), "\nmsgstr \"\"")
  )
}

if (sys.nframe() == 0L) {
  dir.create("po", showWarnings = FALSE)
  writeLines(catalogue_lines(catalogue_texts()), "po/R-nubrek.pot", useBytes = TRUE)
}
