# The rows of a table that stays in its database: each distinct text is read here, by the same code
# as in memory, and sent back as numbers; the rows themselves stay where they are.

# `rows` in the workspace: `place`, the number of the row, and the columns as texts `c1`, `c2` ...
stage_rows <- function(db, source) {
  make_table(
    db, "rows", "SELECT ", db$dialect$numbered, " AS place, ", columns_as_texts(db, source),
    " FROM ", source$from
  )
  db$place <- stats::setNames(paste0("c", seq_along(source$columns)), source$columns)
  db$n <- ask_workspace(db, "SELECT COUNT(*) AS n FROM ", db$named("rows"))$n
  if (db$n == 0) abort_nubrek("{.val {source$name}} has no rows.", "database", call = db$call)
  db$rows_mark <- rows_mark(db, source, db$named("rows"))
  db
}

columns_as_texts <- function(db, source) {
  paste0(
    "CAST(", db_name(db, source$columns), " AS ", db$dialect$text, ") AS c",
    seq_along(source$columns), collapse = ", "
  )
}

# A column of the rows; what is NULL reads as blank.
raw_cell <- function(db, column) sprintf("COALESCE(r.%s, '')", db$place[[column]])

# The distinct texts of some columns together, in the order of their first rows: `cells`, a list of
# factors by column; `first`, the row where each stands first.
distinct_texts <- function(db, columns) {
  raw <- vapply(columns, \(column) raw_cell(db, column), "")
  found <- ask_workspace(
    db, "SELECT MIN(r.place) AS first_place, ",
    paste0(raw, " AS k", seq_along(raw), collapse = ", "),
    " FROM ", db$named("rows"), " r GROUP BY ", paste(raw, collapse = ", "), " ORDER BY 1"
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
  c(list(join = join), read[c("currency", "decimals", "mark")])
}

# The ids that rows are written with, and the one that stands for each.
stage_people <- function(db, map, meaning, lookup) {
  found <- distinct_texts(db, map[["customer"]])
  written <- trim_text(found$texts[[1L]])
  id <- resolve_aliases(written, lookup)
  people <- unique(id)
  join <- send_meanings(db, "people_read", map[["customer"]], found, list(
    person = match(id, people),
    no_customer = as.integer(is_blank(id)),
    excluded = as.integer(written %in% meaning$excluded_ids | id %in% meaning$excluded_ids)
  ))
  list(join = join, people = people)
}

# `facts` in the workspace: what every row says, with a flag for each fault but those that only the
# rows around it tell.
stage_facts <- function(db, map, meaning, days, amounts, people) {
  rule <- \(rule) {
    if (is.null(rule)) return("0")
    # what is missing is not picked by a blank
    sprintf(
      "CASE WHEN %s IN (%s) THEN 1 ELSE 0 END",
      trimmed(db, paste0("r.", db$place[[rule$column]])),
      paste(db_text(db, rule$values), collapse = ", ")
    )
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
      "CASE WHEN units < 0 THEN 1 ELSE 0 END"
    } else {
      "0"
    }
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
