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

# The columns that an erased row keeps.
kept_columns <- function(map, meaning) {
  roles <- unlist(unclass(map)[intersect(kept_of_erased, names(map))])
  setdiff(c(roles, rule_columns(meaning)), map[["customer"]])
}

rule_columns <- function(meaning) vapply(row_rules(meaning), `[[`, "", "column")

# Cells in which the `rows` of the erased name nobody; `deleted` are those whose orders go too.
without_erased <- function(cells, map, meaning) {
  erased <- meaning$erased
  if (is.null(erased)) return(list(cells = cells, rows = integer(), deleted = integer()))
  who <- role_cells(cells, map, "customer")
  texts <- levels(who)
  rows <- rows_where(who, is_erased(texts, erased))
  deleted <- rows_where(who, is_deleted(texts, erased))
  for (name in setdiff(names(cells), kept_columns(map, meaning))) {
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

# The exports of a ledger without these people: of each its `rows`, and how many it held (`hit`).
exports_without <- function(origin, people, meaning, deleted) {
  lapply(found_again(origin$orders, NULL), \(part) {
    frame <- if (is.data.frame(part)) part else read_source(part)$table
    rows_without(
      as.data.frame(frame, optional = TRUE), people, origin$columns, meaning, deleted
    )
  })
}

contacts_without <- function(ledger, people) {
  rows <- ledger$contacts
  if (!is.null(rows)) ledger$contacts <- lapply(rows, `[`, !rows$customer %in% people)
  ledger
}

# Rows that name one of these in any cell.
names_people <- function(table, people) {
  Reduce(`|`, lapply(table, \(x) trim_text(as.character(x)) %in% people), logical(nrow(table)))
}

# All ids of these people, by the aliases of the ledger.
every_id_of <- function(people, aliases) {
  if (is.null(aliases)) return(unique(people))
  lookup <- alias_lookup(aliases)
  main <- unique(resolve_aliases(people, lookup))
  unique(c(people, main, names(lookup)[lookup %in% main]))
}

# The rows of an export, of which those of these people name nobody or are gone, and how many.
rows_without <- function(frame, people, map, meaning, deleted) {
  hit <- names_people(frame, people)
  if (deleted) return(list(rows = frame[!hit, , drop = FALSE], hit = sum(hit)))
  rules <- rule_columns(meaning)
  for (name in setdiff(names(frame), kept_columns(map, meaning))) {
    frame[[name]] <- replace(as.character(frame[[name]]), hit, "")
  }
  # a word in the place of an amount may tell who it was
  amounts <- setdiff(unlist(unclass(map)[intersect(money_roles, names(map))]), rules)
  for (name in intersect(amounts, names(frame))) {
    text <- as.character(frame[[name]])
    frame[[name]] <- replace(text, hit & grepl("[[:alpha:]]", text), "")
  }
  list(rows = frame, hit = sum(hit))
}

# Tables beside the orders without these people: a row of a joined table names nobody, as one of the
# export; in all others it goes.
beside_without <- function(origin, people, meaning, deleted) {
  beside <- origin[names(origin) != "orders"]
  for (name in c("customers", "products", "aliases")) {
    table <- beside[[name]]
    if (is.null(table)) next
    gone <- table$id %in% people | names_people(as.data.frame(table$attributes), people)
    table$id <- table$id[!gone]
    table$attributes <- table$attributes[!gone]
    beside[[name]] <- table
  }
  beside$joins <- lapply(beside$joins, \(join) {
    named <- as.data.frame(join$attributes, optional = TRUE)
    if (deleted) {
      stay <- !names_people(named, people)
      join$id <- join$id[stay]
      join$attributes <- join$attributes[stay]
    } else {
      join$attributes <- as.data.table(
        rows_without(named, people, origin$columns, meaning, FALSE)$rows
      )
    }
    join
  })
  beside
}
