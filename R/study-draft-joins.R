# How the files of a stranger hang together, for the first study file: which are further exports of
# the orders, which hold more about their rows.

# Of the other files: `more`, exports with the columns of the orders; `joins`, each with the columns
# it is joined by and the share of the orders' keys that stand in it; what the joins bring is added
# to the orders and their guess.
join_files <- function(tables, guesses, main) {
  orders <- tables[[main]]
  guess <- guess_rows(guesses[[main]])
  own <- names(orders)
  others <- setdiff(seq_along(tables), main)
  more <- Filter(\(i) identical(names(tables[[i]]), own), others)
  joins <- list()
  for (i in setdiff(others, more)) {
    if (is_beside(tables[[i]], orders, guess)) next
    key <- common_key(orders, tables[[i]])
    if (is.null(key)) next
    brought <- setdiff(names(tables[[i]]), c(names(orders), key$by))
    beside <- guess_rows(guesses[[i]])
    beside <- beside[beside$column %in% brought, ]
    beside$role[beside$role %in% c(guess$role, money_roles)] <- NA
    place <- match(keys_of(orders, names(key$by)), keys_of(tables[[i]], key$by))
    orders <- cbind(orders, tables[[i]][place, brought, with = FALSE])
    guess <- rbind(guess, beside)
    joins <- c(joins, list(c(key, list(file = i))))
  }
  list(orders = orders, guess = guess, more = more, joins = joins)
}

guess_rows <- function(guess) as.data.frame(guess, stringsAsFactors = FALSE)

# A table of customers or products: a column of it holds each of their ids once.
is_beside <- function(rows, orders, guess) {
  any(vapply(c("customer", "product"), \(role) {
    name <- guess$column[match(role, guess$role)]
    !is.na(name) && !is.null(key_among(orders[[name]], rows))
  }, NA))
}

# The column of a table that holds each of these ids at most once, and half of them at least; the
# share of them that it holds.
key_among <- function(ids, rows) {
  ids <- distinct_ids(ids)
  for (name in names(rows)) {
    key <- trim_text(rows[[name]])
    key <- key[!is_blank(key)]
    share <- mean(ids %in% key)
    if (!anyDuplicated(key) && isTRUE(share >= 0.5)) return(list(name = name, share = share))
  }
}

distinct_ids <- function(cells) {
  ids <- unique(trim_text(as.character(cells)))
  ids[!is_blank(ids)]
}

# Columns that stand in the orders and, once for each row, in the other table: one that is called
# alike, else two such, else one whose many texts are nearly all there. `by` as in `join_table()`;
# `share`, that of the orders' keys that stand in the table.
common_key <- function(orders, rows) {
  alike <- called_alike(names(orders), names(rows))
  pairs <- if (nrow(alike) > 1L) utils::combn(nrow(alike), 2L, \(i) alike[i, ], simplify = FALSE)
  distinct <- Filter(\(pair) !anyDuplicated(pair$own) && !anyDuplicated(pair$other), pairs)
  best <- first_key(orders, rows, c(split(alike, seq_len(nrow(alike))), distinct), 0.5, 1L)
  if (!is.null(best)) return(best)
  every <- expand.grid(own = names(orders), other = names(rows), stringsAsFactors = FALSE)
  first_key(orders, rows, split(every, seq_len(nrow(every))), 0.95, 20L)
}

called_alike <- function(own, other) {
  words <- lapply(stats::setNames(nm = unique(c(own, other))), header_words)
  both <- expand.grid(own = own, other = other, stringsAsFactors = FALSE)
  shared <- vapply(seq_len(nrow(both)), \(i) {
    length(intersect(words[[both$own[[i]]]], words[[both$other[[i]]]])) /
      max(1, length(union(words[[both$own[[i]]]], words[[both$other[[i]]]])))
  }, 0)
  both <- both[shared > 0, ]
  both[order(-shared[shared > 0]), ]
}

# The first key that is unique in the table and holds enough of the orders' keys, of which there are
# at least so many.
first_key <- function(orders, rows, keys, enough, least) {
  for (key in keys) {
    there <- keys_of(rows, key$other)
    there <- there[!is.na(there)]
    if (length(there) == 0L || anyDuplicated(there)) next
    asked <- unique(keys_of(orders, key$own))
    asked <- asked[!is.na(asked)]
    share <- mean(asked %in% there)
    if (length(asked) < least || share < enough) next
    return(list(by = stats::setNames(key$other, key$own), share = share))
  }
}

# The texts of some columns as one; missing where all are blank.
keys_of <- function(rows, columns) {
  texts <- lapply(rows[, columns, with = FALSE], trim_text)
  ifelse(
    Reduce(`&`, lapply(texts, is_blank)), NA,
    do.call(paste, c(unname(texts), list(sep = key_mark)))
  )
}

# The section `joins` of the study file.
join_lines <- function(joins, files, places) {
  if (length(joins) == 0L) return(NULL)
  names <- make.unique(vapply(joins, \(join) {
    plain_name(sub("[.].*$", "", basename(files[[join$file]])))
  }, ""), "_")
  c("  joins:", unlist(Map(\(join, name) {
    by <- if (identical(names(join$by), unname(join$by))) {
      paste0("[", paste(quoted_each(join$by), collapse = ", "), "]")
    } else {
      paste0(
        "{", paste0(quoted_each(names(join$by)), ": ", quoted_each(join$by), collapse = ", "), "}"
      )
    }
    c(
      paste0("    ", name, ":"),
      paste0("      files: ", quoted(places[[join$file]])),
      paste0(
        "      by: ", by, "  # ", present_share(join$share), " of these in the orders stand there"
      )
    )
  }, joins, names), use.names = FALSE))
}
