# The rows of a table that stays in its database: each distinct text is read here, by the same code
# as in memory, and sent back as numbers; the rows themselves stay where they are.

# `rows` in the workspace: `place`, the number of the row, the columns as texts `c1`, `c2` ..., and
# those of joined tables, `j1`, `j2` ... `sources` has the table of each server.
stage_rows <- function(db, sources, joins) {
  source <- sources[[1L]]
  from <- from_each(sources)
  db <- number_servers(db, from)
  if (db$n == 0) return(db)
  db$place <- stats::setNames(paste0("c", seq_along(source$columns)), source$columns)
  joined <- stage_joins(db, source, joins)
  db[c("joined", "key_of")] <- joined[c("place", "key_of")]
  texts <- columns_as_texts(db, source)
  rows <- if (db$writes) {
    number <- sprintf(db$dialect$numbered, db$dialect$any_order)
    list("SELECT ", number, db$after, " AS place, ", texts, " FROM ", from)
  } else {
    # each question must find them in the same order
    by <- paste0("ORDER BY ", paste(sprintf(db$dialect$bytes, db$place), collapse = ", "))
    number <- sprintf(db$dialect$numbered, by)
    list(
      "SELECT ", number, db$after, " AS place, t.* FROM (SELECT ", texts, " FROM ", from, ") t"
    )
  }
  make_table(db, "rows", joined$head, rows, joined$tail)
  db$rows_mark <- if (db$writes) {
    rows_mark(db, source, db$named("rows"))
  } else {
    mark_of_sources(db, sources)
  }
  # what is not written down may change from one question to the next
  if (!db$writes) db$rows_now <- sources
  db
}

# The table of each server, in a statement.
from_each <- function(sources) on_each(vapply(sources, `[[`, "", "from"))

# How many rows there are, and how many on the servers before each: what is numbered on a server
# goes on from there.
number_servers <- function(db, from) {
  n <- vapply(ask_each(db, "SELECT COUNT(*) AS n FROM ", from), \(one) as.double(one$n), 0)
  db$n <- sum(n)
  after <- cumsum(n) - n
  db$after <- on_each(ifelse(after > 0, sprintf(" + %.0f", after), ""))
  db
}

columns_as_texts <- function(db, source) {
  paste0(
    "CAST(", db_name(db, source$columns), " AS ", db$dialect$text, ") AS c",
    seq_along(source$columns), collapse = ", "
  )
}

# A column of the rows; what is NULL reads as blank.
raw_cell <- function(db, column) sprintf("COALESCE(r.%s, '')", raw_place(db, column))

raw_place <- function(db, column) c(db$place, db$joined)[[column]]

# The distinct texts of some columns together, in the order of their first rows: `cells`, a list of
# factors by column; `first`, the row where each stands first.
distinct_texts <- function(db, columns) {
  raw <- vapply(columns, \(column) raw_cell(db, column), "")
  found <- ask_workspace(
    db, "SELECT MIN(r.place) AS first_place, ",
    paste0(raw, " AS k", seq_along(raw), collapse = ", "),
    " FROM ", db$named("rows"), " r GROUP BY ", paste(raw, collapse = ", "), " ORDER BY 1",
    by = paste0("k", seq_along(raw)), low = "first_place", sort = "first_place"
  )
  texts <- lapply(found[, -1L], as.character)
  list(
    cells = stats::setNames(lapply(texts, code_column), columns),
    texts = texts,
    first = found$first_place,
    n = nrow(found)
  )
}

# What was read of distinct texts, sent back under a name; `join` is how rows find it.
send_meanings <- function(db, name, columns, distinct, values) {
  keys <- stats::setNames(distinct$texts, paste0("k", seq_along(columns)))
  send_table(db, name, c(keys, values))
  make_index(db, name, names(keys))
  paste0(" JOIN ", db$named(name), " ", name, " ON ", paste(
    sprintf("%s.%s = %s", name, names(keys), vapply(columns, \(x) raw_cell(db, x), "")),
    collapse = " AND "
  ))
}

flags <- function(n, places) as.integer(seq_len(n) %in% places)

stage_days <- function(db, map, meaning) {
  column <- map[["date"]]
  found <- distinct_texts(db, column)
  read <- read_day_cells(found$cells[[1L]], column, meaning, db$call, \(place) found$first[[place]])
  join <- send_meanings(db, "days_read", column, found, list(
    day = read$day[seq_len(found$n)],
    seconds = if (length(read$seconds) > 0L) read$seconds else numeric(found$n),
    no_date = flags(found$n, read$blank),
    bad_date = flags(found$n, read$unreadable)
  ))
  list(join = join, order = read$order)
}

stage_amounts <- function(db, map, meaning, rates) {
  mapped <- \(roles) unname(unclass(map)[intersect(roles, names(map))])
  columns <- unique(c(
    sales_columns(map), mapped(c("tax", "shipping", "currency")),
    if (!is.null(rates)) map[["date"]]
  ))
  found <- distinct_texts(db, columns)
  day <- if (!is.null(rates)) {
    read_day_cells(found$cells[[map[["date"]]]], map[["date"]], meaning, db$call)$day
  } else {
    rep(NA_integer_, found$n)
  }
  read <- read_amounts(found$cells, found$n, map, meaning, day, rates, db$call)
  rest <- replace(numeric(found$n), read$rounded, read$rest)
  foreign <- flags(found$n, read$foreign)
  join <- send_meanings(db, "amounts_read", columns, found, list(
    units = read$units[seq_len(found$n)],
    bad_amount = flags(found$n, read$unreadable),
    no_amount = flags(found$n, read$blank),
    is_foreign = foreign,
    rounded = flags(found$n, read$rounded),
    rest = rest,
    converted = flags(found$n, read$converted),
    currency = ifelse(foreign == 1L, as.character(read$row_currency), read$currency)
  ))
  other <- if (read$mark == ".") "," else "."
  amounts <- unlist(found$texts[columns %in% sales_columns(map)])
  other_mark <- any(grepl(other, amounts, fixed = TRUE))
  c(list(join = join, other_mark = other_mark), read[c("currency", "decimals", "mark")])
}

# Tables joined to the rows, sent by their keys: `place`, where their columns stand; `key_of`, the
# column of the rows that each belongs to; `head` and `tail`, what stands around the rows.
stage_joins <- function(db, source, joins) {
  if (length(joins) == 0L) return(NULL)
  cell <- stats::setNames(paste0("r.", db$place), names(db$place))
  tail <- character()
  key_of <- list()
  for (k in seq_along(joins)) {
    join <- joins[[k]]
    check_columns_exist(join$by, names(cell), source$name, db$call)
    names <- names_beside(join, names(cell))
    values <- lapply(join$attributes, as.character)
    ids <- data.table::tstrsplit(join$id, key_mark, fixed = TRUE, fill = "")
    ids <- c(ids, rep(list(rep("", length(join$id))), length(join$by) - length(ids)))
    send_table(db, paste0("joined", k), c(
      stats::setNames(ids, paste0("id", seq_along(ids))), unname_as("a", values)
    ))
    key <- trimmed(db, sprintf("COALESCE(%s, '')", cell[join$by]))
    tail <- c(tail, sprintf(
      " LEFT JOIN %s b%d ON %s", db$named(paste0("joined", k)), k,
      paste0("b", k, ".id", seq_along(ids), " = ", key, collapse = " AND ")
    ))
    cell <- c(cell, stats::setNames(sprintf("b%d.a%d", k, seq_along(names)), names))
    key_of[names] <- list(join$by)
  }
  own <- cell[names(key_of)]
  place <- stats::setNames(paste0("j", seq_along(own)), names(own))
  list(
    place = place,
    key_of = key_of,
    head = c("SELECT r.*", sprintf(", %s AS %s", own, place), " FROM ("),
    tail = c(") r", tail)
  )
}

# The rows that have none in each joined table, see `add_joins()`.
staged_joins <- function(db, joins) {
  found <- lapply(seq_along(joins), \(k) {
    key <- staged_key(db, joins[[k]]$by)
    of <- list(
      " FROM ", db$named("rows"), " r LEFT JOIN ", db$named(paste0("joined", k)), " b ON ",
      paste0("b.id", seq_along(key), " = ", key, collapse = " AND "), " WHERE b.id1 IS NULL"
    )
    n <- ask_workspace(db, "SELECT COUNT(*) AS n", of, by = character())$n
    if (n == 0) return(list(rows = 0, example = NA_character_))
    ordered <- paste(sprintf(db$dialect$bytes, key), collapse = ", ")
    said <- paste0("(", paste0(key, " <> ''", collapse = " OR "), ")")
    least <- ask_workspace(
      db, "SELECT ", paste0("k", seq_along(key), collapse = ", "), " FROM (SELECT ",
      paste0(key, " AS k", seq_along(key), collapse = ", "), ", ROW_NUMBER() OVER (ORDER BY ",
      ordered, ") AS nth", of, " AND ", said, ") t WHERE nth = 1", sort = NULL
    )
    list(rows = n, example = least_key(do.call(paste, c(as.list(least), list(sep = key_mark)))))
  })
  found_in_joins(found, joins)
}

staged_key <- function(db, by) vapply(by, \(name) trimmed(db, raw_cell(db, name)), "")

# An amount that stands once per key must not be counted for each of its lines (see
# `check_no_multiplying()`).
check_staged_multiplying <- function(db, map) {
  for (name in intersect(sales_columns(map), names(db$key_of))) {
    key <- staged_key(db, db$key_of[[name]])
    # a key may stand once on each of several servers
    k <- paste0("k", seq_along(key))
    found <- ask_workspace(
      db, "SELECT ", paste(key, "AS", k, collapse = ", "), ", COUNT(*) AS n FROM ",
      db$named("rows"), " r GROUP BY ", paste(key, collapse = ", "),
      if (length(db$cons) == 1L) " HAVING COUNT(*) > 1", by = k
    )
    found <- found[found$n > 1]
    twice <- do.call(paste, c(as.list(found)[k], list(sep = key_mark)))
    if (length(twice) > 0L) abort_multiplying(name, db$key_of[[name]], sort(twice), db$call)
  }
}

# The ids that rows are written with, and the one that stands for each.
stage_people <- function(db, map, meaning, lookup) {
  found <- distinct_texts(db, map[["customer"]])
  written <- trim_text(found$texts[[1L]])
  deleted <- is_deleted(written, meaning$erased)
  written[is_erased(written, meaning$erased)] <- ""
  id <- resolve_aliases(written, lookup)
  people <- unique(id)
  join <- send_meanings(db, "people_read", map[["customer"]], found, list(
    person = match(id, people),
    no_customer = as.integer(is_blank(id) & !deleted),
    excluded = as.integer(
      written %in% meaning$excluded_ids | id %in% meaning$excluded_ids | deleted
    )
  ))
  list(join = join, people = people)
}

# `facts` in the workspace: what every row says, with a flag for each fault but those that only the
# rows around it tell.
stage_facts <- function(db, map, meaning, days, amounts, people) {
  flag <- \(holds) sprintf("CASE WHEN %s THEN 1 ELSE 0 END", holds)
  rule <- \(rule) if (is.null(rule)) "0" else flag(rule_sql(db, rule))
  kind <- kind_sql(db, meaning)
  aside <- \(name) {
    if (is.null(meaning$kinds[[name]]) || in_sales(meaning, name)) return("0")
    flag(sprintf("%s = '%s'", kind, name))
  }
  order <- if (has_role(map, "order")) trimmed(db, raw_cell(db, map[["order"]])) else "''"
  late <- if (is.null(meaning$as_of)) {
    "0"
  } else {
    sprintf("CASE WHEN day > %d THEN 1 ELSE 0 END", as.integer(meaning$as_of))
  }
  faults <- c(
    "no customer" = "no_customer",
    "no date" = "no_date",
    "unreadable date" = "bad_date",
    "unreadable amount" = "bad_amount",
    "blank amount" = "no_amount",
    "test order" = rule(meaning$test),
    "cancelled order" = rule(meaning$cancelled),
    "after as of" = late,
    "foreign currency" = "is_foreign",
    "excluded id" = "excluded",
    "ignored return" = if (meaning$returns == "ignore") {
      flag(paste("units < 0 AND", kind, "= 'goods'"))
    } else {
      "0"
    },
    vapply(stats::setNames(names(line_kinds), kind_text(names(line_kinds))), aside, "")
  )
  stopifnot(identical(c("duplicate", names(faults)), set_aside_reasons))
  make_table(
    db, "facts", "SELECT r.place AS place, person, ", order, " AS order_id, day, seconds, units, ",
    "currency, rounded, rest, converted, ",
    paste0(faults, " AS f", seq_along(faults) + 1L, collapse = ", "),
    " FROM ", db$named("rows"), " r", days$join, amounts$join, people$join
  )
  make_index(db, "facts", c("person", "order_id"))
}
