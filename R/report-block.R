# What a page shows, said before anything is drawn. A part of a study gives blocks; the first block
# of a section stands open, the others fold under their questions.

# One question with its answer: a sentence (default: the title of its first figure), figures,
# tables, something to move by hand, and what to mind beside that of its part.
page_block <- function(
  id, question, sentence = NULL, figures = list(), tables = list(), control = NULL,
  remarks = character()
) {
  structure(
    list(
      id = id,
      question = question,
      sentence = sentence,
      figures = each_of(figures, "page_figure"),
      tables = each_of(tables, "page_table"),
      control = control,
      remarks = remarks
    ),
    class = "page_block"
  )
}

# An address in the page from a name of the user's.
page_id <- function(stem, name) paste0(stem, "-", gsub("[^A-Za-z0-9_]+", "-", name))

# The figure of a result; more arguments go to its `autoplot()`.
page_figure <- function(x, height = 3.6, ...) {
  structure(list(x = x, height = height, face = list(...)), class = "page_figure")
}

# The first rows of a result.
page_table <- function(x, rows = 12L, caption = NULL) {
  structure(list(x = x, rows = min(rows, 50L), caption = caption), class = "page_table")
}

# One, several, or none (NULL).
each_of <- function(x, class) if (inherits(x, class)) list(x) else Filter(Negate(is.null), x)

# All blocks of what a part's page function gave.
blocks_of <- function(given) each_of(given, "page_block")

# A page is narrower than a file.
page_columns <- function(x, without) {
  structure(x[setdiff(names(x), without)], basis = attr(x, "basis"))
}

# Columns of something shown with what is known of the whole.
with_basis <- function(columns, x) structure(columns, basis = attr(x, "basis"))

by_words <- function(x) gsub("_", " ", paste(basis_of(x, "by"), collapse = " and "))
