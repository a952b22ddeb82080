# The record of who was erased, beside the study: a hash of each id by the user's key, the day, and
# whether the orders went too.

erased_file <- "nubrek-erased.json"

# The erasures of a study; NULL where nobody was erased.
erased_customers <- function(study) {
  path <- file.path(dirname(study$path %||% "."), erased_file)
  if (is.null(study$path) || !file.exists(path)) return(NULL)
  secret <- user_secret()
  said <- tryCatch(opened_seal(path, public_key, FALSE, secret), error = \(e) NULL)
  sound <- \(one) {
    is.list(one) && checkmate::test_string(one$hash, pattern = "^[0-9a-f]{32}$") &&
      checkmate::test_flag(one$deleted) && checkmate::test_string(one$day)
  }
  if (!isTRUE(attr(said, "sealed_by_us")) || !all(vapply(said$erased, sound, NA))) {
    abort_nubrek(c(
      "The record of erasures {.file {path}} cannot be used.",
      "x" = "It is damaged, or another user or machine wrote it.",
      "i" = paste(
        "Nobody who was erased is let in by mistake: restore it, or erase them again and remove",
        "the file first."
      )
    ), "erased", path = path, call = NULL)
  }
  list(
    hash = vapply(said$erased, `[[`, "", "hash"),
    deleted = vapply(said$erased, `[[`, NA, "deleted"),
    day = vapply(said$erased, `[[`, "", "day"), secret = secret
  )
}

write_erased <- function(study, path, people, deleted, secret) {
  before <- erased_customers(study)
  new <- erased_hash(people, secret)
  stay <- !before$hash %in% new
  one <- \(hash, deleted, day) list(hash = hash, deleted = deleted, day = day)
  all <- c(
    unname(Map(one, before$hash[stay], before$deleted[stay], before$day[stay])),
    lapply(new, one, deleted, format(Sys.Date()))
  )
  privately(write_sealed(list(erased = all), path, own = secret))
}

let_in_again <- function(study, path, people, secret) {
  before <- erased_customers(study)
  stay <- !before$hash %in% erased_hash(people, secret)
  if (is.null(before) || all(stay)) {
    abort_nubrek("These ids were not erased in this study.", "erased")
  }
  one <- \(hash, deleted, day) list(hash = hash, deleted = deleted, day = day)
  all <- unname(Map(one, before$hash[stay], before$deleted[stay], before$day[stay]))
  privately(write_sealed(list(erased = all), path, own = secret))
}
