# Building blocks of the page. Everything goes through htmltools, which escapes text; only our own
# style and script are raw.

html_table <- function(x, rows = 12L, caption = NULL) {
  found <- shown_rows(x, rows)
  shown <- found$shown
  cells <- present(shown)
  right <- mapply(
    is_number_column,
    names(shown),
    plain_table(shown),
    MoreArgs = list(kinds = basis_of(x, "kinds", NULL))
  )
  side <- ifelse(right, "number", "words")
  unread <- lapply(plain_table(shown), \(column) {
    if (is.numeric(column) || inherits(column, "Date")) {
      format(as.double(column), digits = 15, trim = TRUE)
    } else {
      NULL
    }
  })
  tags <- htmltools::tags
  head <- Map(
    \(name, class) tags$th(
      class = class, scope = "col", tags$button(type = "button", gsub("_", " ", name))
    ),
    names(cells),
    side
  )
  cell <- \(name, class, i) tags$td(
    class = class, `data-sort` = unread[[name]][i], cells[[name]][[i]]
  )
  content <- lapply(seq_len(nrow(cells)), \(i) tags$tr(unname(Map(cell, names(cells), side, i))))
  left <- nrow(x) - nrow(shown)
  tags$div(
    class = "table",
    tags$table(
      if (!is.null(caption)) tags$caption(caption),
      tags$thead(tags$tr(unname(head))),
      tags$tbody(content)
    ),
    if (left > 0L) {
      tags$p(class = "left-out", paste0(
        if (found$newest) "The newest " else "The first ",
        nrow(shown),
        " of ",
        format_count(nrow(x)),
        " rows."
      ))
    }
  )
}

# A figure inside the page, as a picture of its own so that nothing in it can reach the page.
html_figure <- function(result, width = 11, height = 6, ...) {
  path <- tempfile(fileext = ".svg")
  on.exit(unlink(path))
  drawing <- tryCatch(ggplot2::autoplot(result, ...), nubrek_error_no_purchases = \(e) NULL)
  if (is.null(drawing)) {
    return(htmltools::tags$p(describe(result)$finding %||% "There is nothing to draw yet."))
  }
  write_figure(drawing, path, width, height)
  told <- paste(c(drawing$labels$title, drawing$labels$subtitle), collapse = ". ")
  # in one line, so that nothing in it need be escaped
  picture <- gsub(
    "\n", "", jsonlite::base64_enc(readBin(path, "raw", file.size(path))), fixed = TRUE
  )
  htmltools::tags$figure(htmltools::tags$img(
    src = paste0("data:image/svg+xml;base64,", picture), alt = gsub("\n", " ", told)
  ))
}

html_remarks <- function(said) {
  if (length(said) == 0L) return(NULL)
  htmltools::tags$ul(class = "remarks", lapply(said, htmltools::tags$li))
}

html_section <- function(id, title, ..., finding = NULL) {
  htmltools::tags$section(
    id = id,
    htmltools::tags$h2(title),
    if (!is.null(finding)) htmltools::tags$p(class = "finding", finding),
    ...
  )
}

html_terms <- function(terms) {
  htmltools::tags$details(
    htmltools::tags$summary("What the words mean"),
    htmltools::tags$dl(unname(Map(
      \(term, meaning) htmltools::tagList(htmltools::tags$dt(term), htmltools::tags$dd(meaning)),
      names(terms),
      terms
    )))
  )
}

report_asset <- function(name) {
  htmltools::HTML(paste(
    readLines(system.file("report", name, package = "nubrek", mustWork = TRUE), encoding = "UTF-8"),
    collapse = "\n"
  ))
}

html_subject <- function(title, finding) {
  htmltools::tagList(htmltools::tags$h3(title), if (!is.null(finding)) htmltools::tags$p(finding))
}

# A page is narrower than a file.
with_basis <- function(columns, x) structure(columns, basis = attr(x, "basis"))
report_columns <- function(x, without) x[setdiff(names(x), without)]
