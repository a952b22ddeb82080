# A study that notes which of its sections are read, so that what was made of it is known to rest on
# these alone.

# One inside another tells that one too.
noted_study <- function(study) {
  attr(study, "noted") <- c(list(new.env(parent = emptyenv())), attr(study, "noted"))
  class(study) <- union("nubrek_noted_study", class(study))
  study
}

sections_read <- function(study) ls(attr(study, "noted")[[1L]], all.names = TRUE)

note_reading <- function(study, sections) {
  for (notes in attr(study, "noted")) {
    for (section in sections) assign(section, TRUE, envir = notes)
  }
}

#' @export
`$.nubrek_noted_study` <- function(x, name) x[[name]]

#' @export
`[[.nubrek_noted_study` <- function(x, i, ...) {
  note_reading(x, if (is.character(i)) i else attr(x, "names")[[i]])
  .subset2(x, i)
}

#' @export
`[.nubrek_noted_study` <- function(x, i, ...) {
  found <- NextMethod()
  note_reading(x, c("section names", attr(found, "names")))
  found
}

#' @export
names.nubrek_noted_study <- function(x) {
  note_reading(x, "section names")
  attr(x, "names")
}

#' @export
as.list.nubrek_noted_study <- function(x, ...) {
  note_reading(x, c("section names", attr(x, "names")))
  NextMethod()
}
