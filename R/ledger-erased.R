# Customers who asked to be erased: their ids are known again by the user's key alone, and their
# rows come into a ledger without them.

# The record of who was erased, beside a study or in a saved ledger: a hash of each id by the user's
# key, the day, and whether the orders went too.
erased_file <- "nubrek-erased.json"

# What the record says; NULL where nobody was erased.
erased_record <- function(path) {
  if (!file.exists(path)) return(NULL)
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

write_erased <- function(path, people, deleted, secret) {
  stay <- others_erased(path, people, secret)
  new <- data.frame(
    hash = erased_hash(people, secret), deleted = deleted, day = format(Sys.Date())
  )
  store_erased(rbind(stay, new), path, secret)
}

let_in_again <- function(path, people, secret) {
  stay <- others_erased(path, people, secret)
  if (nrow(stay) == length(erased_record(path)$hash)) {
    abort_nubrek("These ids were not erased here.", "erased")
  }
  store_erased(stay, path, secret)
}

# The rows of the record that are not of these people.
others_erased <- function(path, people, secret) {
  known <- erased_record(path)[c("hash", "deleted", "day")]
  rows <- as.data.frame(Filter(Negate(is.null), known), stringsAsFactors = FALSE)
  rows[!rows$hash %in% erased_hash(people, secret), , drop = FALSE]
}

store_erased <- function(rows, path, secret) {
  rows <- lapply(seq_len(nrow(rows)), \(i) as.list(rows[i, ]))
  privately(write_sealed(list(erased = rows), path, own = secret))
}

# What an erased row keeps: what was sold, when, in which order; nothing that tells who bought it.
kept_of_erased <- c(
  "order", "line", "date", "sales", "quantity", "unit_price", "gross", "discount", "tax",
  "shipping", "cost", "currency", "product", "category", "channel", "return_of"
)

erased_hash <- function(ids, secret) cpp_keyed_names(enc2utf8(as.character(ids)), secret)

# `erased` are the `hash` of each id, whether its orders are `deleted`, and the `secret`.
is_erased <- function(ids, erased) {
  if (length(erased$hash) == 0L) return(logical(length(ids)))
  erased_hash(trim_text(as.character(ids)), erased$secret) %in% erased$hash
}

is_deleted <- function(ids, erased) {
  is_erased(ids, list(hash = erased$hash[erased$deleted], secret = erased$secret))
}

# Cells in which the `rows` of the erased name nobody; `deleted` are those whose orders go too.
without_erased <- function(cells, map, meaning) {
  erased <- meaning$erased
  if (is.null(erased)) return(list(cells = cells, rows = integer(), deleted = integer()))
  who <- role_cells(cells, map, "customer")
  texts <- levels(who)
  rows <- rows_where(who, is_erased(texts, erased))
  deleted <- rows_where(who, is_deleted(texts, erased))
  rules <- vapply(row_rules(meaning), `[[`, "", "column")
  kept <- c(unlist(unclass(map)[intersect(kept_of_erased, names(map))]), rules)
  for (name in setdiff(names(cells), setdiff(kept, map[["customer"]]))) {
    if (length(rows) > 0L) {
      cells[[name]] <- with_labels(cells[[name]], rows, rep("", length(rows)))
      cells[[name]] <- narrow_cells(cells[[name]], seq_along(cells[[name]]))
    }
  }
  list(cells = cells, rows = rows, deleted = deleted)
}

# Rows of a database that are excluded: of the erased, nothing that was read is shown.
nameless_rows <- function(rows, db, map, meaning) {
  if (is.null(meaning$erased)) return(rows)
  place <- c(db$place, db$joined)
  hit <- which(is_erased(rows[[place[[map[["customer"]]]]]], meaning$erased))
  for (column in place) data.table::set(rows, hit, column, "")
  rows
}

# A table of customers without the erased.
drop_erased <- function(table, erased) {
  if (is.null(table) || is.null(erased)) return(table)
  gone <- is_erased(table$id, erased)
  table$attributes <- table$attributes[!gone]
  table$id <- table$id[!gone]
  table
}
