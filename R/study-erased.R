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
  stay <- others_erased(study, people, secret)
  new <- data.frame(
    hash = erased_hash(people, secret), deleted = deleted, day = format(Sys.Date())
  )
  store_erased(rbind(stay, new), path, secret)
}

let_in_again <- function(study, path, people, secret) {
  stay <- others_erased(study, people, secret)
  if (nrow(stay) == length(erased_customers(study)$hash)) {
    abort_nubrek("These ids were not erased in this study.", "erased")
  }
  store_erased(stay, path, secret)
}

# The rows of the record that are not of these people.
others_erased <- function(study, people, secret) {
  known <- erased_customers(study)[c("hash", "deleted", "day")]
  rows <- as.data.frame(Filter(Negate(is.null), known), stringsAsFactors = FALSE)
  rows[!rows$hash %in% erased_hash(people, secret), , drop = FALSE]
}

store_erased <- function(rows, path, secret) {
  rows <- lapply(seq_len(nrow(rows)), \(i) as.list(rows[i, ]))
  privately(write_sealed(list(erased = rows), path, own = secret))
}
