# Pictures are drawn once for the same numbers. What a run drew stands beside its record, and the
# next run draws only what differs.

pictures_file <- "figures.json"

# All that a picture depends on beside its figure.
drawing_basis <- function() {
  version <- \(package) suppressWarnings(utils::packageDescription(package, fields = "Version"))
  list(code_and_texts(), lapply(c("ggplot2", "scales", "svglite"), version))
}

# What this session drew, the newest few hundred.
drawn_here <- new.env()

# The pictures of these figures, by the hash of all that each depends on: those that this session or
# a run in `folder` drew of the same numbers are taken from there, the others drawn by all threads.
page_pictures <- function(figures, folder = NULL) {
  basis <- rlang::hash(drawing_basis())
  keys <- vapply(figures, \(figure) rlang::hash(list(basis, unclass(figure))), "")
  known <- utils::modifyList(read_pictures(folder), as.list(drawn_here))
  known <- known[intersect(keys, names(known))]
  new <- which(!keys %in% names(known) & !duplicated(keys))
  known[keys[new]] <- draw_pictures(figures[new])
  if (length(drawn_here) > 300L) rm(list = ls(drawn_here), envir = drawn_here)
  list2env(known, drawn_here)
  known[keys]
}

# What an earlier run drew, by hash; nothing where the file is damaged or another's. Each picture
# passes the filter again: it goes into the page as it stands.
read_pictures <- function(folder) {
  place <- if (!is.null(folder)) file.path(folder, runs_folder)
  secret <- if (!is.null(place) && is_own_folder(place, runs_holds)) user_secret()
  if (is.null(secret)) return(list())
  shape <- \(said) is.list(said$pictures) && all(vapply(said$pictures, is_picture, NA))
  found <- read_sealed(file.path(place, pictures_file), shape, secret, simplify = TRUE)
  found$pictures %||% list()
}

is_picture <- function(one) {
  is.list(one) && all(vapply(one, is.character, NA)) && plain_markup(one)
}

# In the place of what an earlier run drew, where runs are kept.
keep_pictures <- function(study, folder, drawn) {
  place <- file.path(folder, runs_folder)
  secret <- if (!isFALSE(study$outputs$runs) && is_own_folder(place, runs_holds)) user_secret()
  if (is.null(secret)) return()
  drawn <- drawn[!duplicated(names(drawn))]
  # texts stay lists of texts
  drawn <- lapply(drawn, \(one) lapply(one, \(texts) as.list(enc2utf8(texts))))
  privately(write_sealed(list(pictures = drawn), file.path(place, pictures_file), secret))
}
