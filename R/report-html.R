# Building blocks of the page. Everything goes through htmltools, which escapes text; only our own
# style, script and drawings are raw.

# What a page needs while it is made: whom it may show, and what its blocks share.
new_page <- function(run) {
  page <- new.env()
  page$ledger <- run$ledger
  page$contact <- run$study$outputs$contact
  page$contact_by <- run$study$outputs$contact_by
  page$people <- people_shown(run$study)
  page$key <- run$study$outputs$key
  page$least <- least_shown(run$study)
  page$figures <- 0L
  page$styles <- character()
  page$remarks <- character()
  page$rows <- list()
  page
}

html_block <- function(page, block, open = FALSE) {
  tags <- htmltools::tags
  sentence <- block$sentence
  if (is.null(sentence) && length(block$figures) > 0L) {
    sentence <- figure_title(block$figures[[1L]])
  }
  content <- htmltools::tagList(
    if (!is.null(sentence)) {
      tags$p(class = if (open) "finding", sentence, html_marks(page, block$remarks))
    },
    if (is.null(sentence) && length(block$remarks) > 0L) tags$p(html_marks(page, block$remarks)),
    lapply(block$notes, \(note) tags$p(class = "note", note)),
    lapply(block$figures, \(figure) html_figure(page, figure, sentence)),
    block$control,
    lapply(block$tables, \(table) html_table(page, table))
  )
  if (open) return(tags$div(id = block$id, class = "lead", content))
  marked <- if (length(block$notes) > 0L) tags$small(class = "noted", say("with a note"))
  tags$details(id = block$id, class = "fold", tags$summary(block$question, marked), content)
}

figure_title <- function(figure) {
  told <- describe(figure$x)
  told$finding %||% told$heading
}

html_table <- function(page, table) {
  tags <- htmltools::tags
  x <- table$x
  if (of_people(x)) {
    x <- people_rows(page, x)
    if (is.null(x)) {
      return(tags$p(class = "left-out", paste0(
        sub("[.]$", "", table$caption), say(". Customers are not shown here (outputs: people: no).")
      )))
    }
  }
  held <- large_enough(x, page$least)
  found <- shown_rows(held$rows, table$rows)
  tags$div(
    class = "table",
    tags$table(
      if (!is.null(table$caption)) tags$caption(table$caption),
      table_rows(found$shown, basis_of(x, "kinds", NULL), basis_of(x, "currency", NULL))
    ),
    table_notes(found, nrow(held$rows), held$left, page$least)
  )
}

table_rows <- function(shown, kinds, currency) {
  tags <- htmltools::tags
  plain <- plain_table(shown)
  cells <- present(shown)
  number <- mapply(is_number_column, names(plain), plain, MoreArgs = list(kinds = kinds))
  side <- ifelse(number, "number", "words")
  unread <- lapply(plain, \(column) {
    if (is.numeric(column) || inherits(column, "Date")) {
      format(as.double(column), digits = 15, trim = TRUE)
    }
  })
  head <- Map(
    \(name, column, class) tags$th(class = class, scope = "col", tags$button(
      type = "button", column_title(name, column, kinds, currency)
    )),
    names(cells),
    plain,
    side
  )
  # a tag for each cell is most of a report's work: rows are written as they stand in the page
  columns <- Map(\(text, class, sort) paste0(
    "<td class=\"", class, "\"", if (!is.null(sort)) paste0(" data-sort=\"", sort, "\""), ">",
    htmltools::htmlEscape(text), "</td>"
  ), cells, side, unread)
  rows <- paste0(
    "<tr", ifelse(few_rows(plain), " class=\"few\"", ""), ">", do.call(paste0, unname(columns)),
    "</tr>\n", recycle0 = TRUE
  )
  htmltools::tagList(
    tags$thead(tags$tr(unname(head))), tags$tbody(htmltools::HTML(paste(rows, collapse = "")))
  )
}

few_rows <- function(x) {
  size <- size_column(x)
  if (is.null(size)) logical(nrow(x)) else x[[size]] %in% 0:(few_customers - 1L)
}

# What stands over a column: its words, with the unit where the cells do not say it.
column_title <- function(name, column, kinds = NULL, currency = NULL) {
  unit <- if (kind_of(name, column, kinds) == "money") {
    currency
  } else if (is.numeric(column) && name %in% day_columns) {
    "days"
  }
  words <- say(if (name %in% names(column_titles)) column_titles[[name]] else gsub("_", " ", name))
  paste(c(words, unit[nzchar(unit %||% "")]), collapse = ", ")
}

table_notes <- function(found, rows, small, least) {
  notes <- table_words(nrow(found$shown), rows, found$newest, small, least)
  if (length(notes) > 0L) htmltools::tags$p(class = "left-out", paste(notes, collapse = " "))
}

# What of a table is not shown.
table_words <- function(shown, rows, newest, small, least) {
  c(
    if (rows > shown) {
      say(
        "The %s %d of %s rows.", if (newest) "newest" else "first", shown, format_count(rows)
      )
    },
    if (small > 0L) {
      say(
        "%s of fewer than %d customers %s not shown apart.",
        n_of(small, "row"),
        least,
        if (small == 1L) "is" else "are"
      )
    }
  )
}

# Marks that open what is to be minded; the text stands once, at the end of the page.
html_marks <- function(page, remarks) {
  page$remarks <- union(page$remarks, remarks)
  lapply(match(remarks, page$remarks), \(i) htmltools::tagList(" ", htmltools::tags$a(
    class = "mark", href = paste0("#remark-", i), `aria-label` = paste("remark", i), i
  )))
}

html_terms <- function(page, terms) {
  tags <- htmltools::tags
  told <- \(meaning) if (inherits(meaning, "page_table")) html_table(page, meaning) else meaning
  tags$dl(unname(Map(
    \(term, meaning) htmltools::tagList(tags$dt(say(term)), tags$dd(told(meaning))),
    names(terms),
    terms
  )))
}

report_asset <- function(name) {
  htmltools::HTML(paste(
    readLines(system.file("report", name, package = "nubrek", mustWork = TRUE), encoding = "UTF-8"),
    collapse = "\n"
  ))
}

page_scripts <- c("report.js", "move.js")

# The texts of the scripts that the reader's language words otherwise.
page_texts <- function() {
  found <- unlist(lapply(page_scripts, \(name) {
    script <- as.character(report_asset(name))
    regmatches(script, gregexpr("(?<=say\\()\"[^\"]*\"", script, perl = TRUE))[[1L]]
  }))
  texts <- unique(substr(found, 2L, nchar(found) - 1L))
  told <- vapply(texts, say, "")
  told <- told[told != texts]
  if (length(told) == 0L) return(NULL)
  text <- jsonlite::toJSON(as.list(told), auto_unbox = TRUE)
  htmltools::tags$script(
    type = "application/json", id = "texts",
    htmltools::HTML(gsub("<", "\\u003c", text, fixed = TRUE))
  )
}
