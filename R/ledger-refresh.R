# A ledger in its database whose table only grows: customers with new rows are folded anew, all
# others are copied.

# The latest value of the column that tells when rows were added, on each server, as a literal.
latest_added <- function(db, sources) {
  if (is.null(sources[[1L]]$added)) return(NULL)
  column <- db_name(db, sources[[1L]]$added)
  from <- from_each(sources)
  value <- ask_each(db, "SELECT MAX(", column, ") AS latest FROM ", from)
  text <- ask_each(
    db, "SELECT CAST(MAX(", column, ") AS ", db$dialect$text, ") AS latest FROM ", from
  )
  vapply(seq_along(value), \(k) {
    latest <- value[[k]]$latest
    # numbers are compared as numbers, all else as the engine reads it
    if (is.na(latest)) {
      "NULL"
    } else if (is.numeric(latest) && !inherits(latest, c("Date", "POSIXct"))) {
      format(latest, digits = 17L, scientific = FALSE)
    } else {
      db_text(db, as.character(text[[k]]$latest))
    }
  }, "")
}

# The tables of the servers with only those rows that `where` holds for.
narrowed <- function(sources, where) {
  Map(\(source, where) {
    source$from <- paste0("(SELECT * FROM ", source$from, " WHERE ", where, ") AS nubrek_rows")
    source
  }, sources, where)
}

# The ledger with the rows that were added since it was folded; NULL where that takes a whole fold:
# rows were changed or went, too many are new, or what was decided over all may be otherwise now.
refreshed_by_new <- function(ledger, sources, call) {
  db <- ledger$db
  was <- ledger$folded
  seen <- was$added
  if (is.null(seen) || any(seen == "NULL") || !is.null(was$exported_twice) || !db$writes) {
    return(NULL)
  }
  column <- db_name(db, sources[[1L]]$added)
  until <- \(latest) sprintf("(%s <= %s OR %s IS NULL)", column, latest, column)
  old <- until(seen)
  if (!identical(mark_of_sources(db, narrowed(sources, old)), db$rows_mark)) return(NULL)
  # what comes in the meantime is for the next time
  latest <- latest_added(db, sources)
  sources <- narrowed(sources, until(latest))
  mark <- mark_of_sources(db, sources)
  own <- open_workspace(db$cons, db$workspace, call)
  done <- FALSE
  on.exit(if (!done) try(drop_tables(own), silent = TRUE))
  lookup <- alias_lookup(ledger$source$aliases)
  touched <- touched_rows(own, sources, sprintf("%s > %s", column, seen), ledger, lookup)
  if (is.null(touched)) return(NULL)
  fold <- \(where, judged) fold_sources(
    narrowed(sources, where), db$workspace, ledger$source[names(ledger$source) != "orders"],
    as_written(ledger$meaning, was$written), lookup, call, judged
  )
  signal_progress("folding what was touched, as it was")
  before <- fold(sprintf("%s AND %s", touched, old), list(own = FALSE, sums = was$sums))
  on.exit(if (!is.null(before$db)) drop_tables(before$db), add = TRUE)
  signal_progress("folding what was touched, as it is")
  others <- was$sums - before$folded$sums[names(was$sums)]
  after <- fold(touched, list(own = TRUE, sums = others))
  on.exit(if (!is.null(after$db)) drop_tables(after$db), add = TRUE)
  sums <- others + after$folded$sums[names(others)]
  if (decided_otherwise(ledger, before, after, sums)) return(NULL)
  if (!identical(mark_of_sources(db, sources), mark)) return(NULL)
  own$rows_mark <- mark
  was[c("sums", "added")] <- list(sums, latest)
  fresh <- merged_ledger(ledger, own, before, after, was, lookup)
  done <- TRUE
  fresh
}

# What was found out about the writing of days and amounts, said.
as_written <- function(meaning, written) {
  meaning$dates <- written$dates
  meaning$decimal_mark <- written$mark
  meaning
}

# A condition for the rows of customers with new rows, and those of nobody in orders of theirs; NULL
# where these are more than half of all.
touched_rows <- function(db, sources, is_new, ledger, lookup) {
  map <- ledger$source$columns
  from <- from_each(sources)
  cell <- \(role) trimmed(db, sprintf(
    "COALESCE(CAST(%s AS %s), '')", db_name(db, map[[role]]), db$dialect$text
  ))
  who <- cell("customer")
  ask <- \(...) unlist(lapply(ask_each(db, ...), `[[`, "k"))
  written <- ask("SELECT DISTINCT ", who, " AS k FROM ", from, " WHERE ", on_each(is_new))
  if (has_role(map, "order")) {
    order <- cell("order")
    lost <- ask(
      "SELECT DISTINCT ", order, " AS k FROM ", from, " WHERE ", who, " = '' AND ", order,
      " <> '' AND ", on_each(is_new)
    )
    send_table(db, "orders_touched", list(k = unique(as.character(lost))))
    if (length(lost) > 0L) {
      written <- c(written, ask(
        "SELECT DISTINCT ", who, " AS k FROM ", from, " WHERE ", order, " IN (SELECT k FROM ",
        db$named("orders_touched"), ")"
      ))
    }
  }
  people <- unique(resolve_aliases(as.character(written), lookup))
  others <- names(lookup)[resolve_aliases(names(lookup), lookup) %in% people]
  send_table(db, "touched_people", list(k = unique(c(people, others, as.character(written)))))
  theirs <- paste0(who, " IN (SELECT k FROM ", db$named("touched_people"), ")")
  theirs <- vapply(sources, \(source) {
    if (!has_role(map, "order")) return(theirs)
    paste0(
      "(", theirs, " OR ", who, " = '' AND ", order, " <> '' AND ", order, " IN (SELECT ", order,
      " FROM ", source$from, " WHERE ", theirs, "))"
    )
  }, "")
  n <- ask_workspace(
    db, "SELECT COUNT(*) AS n, SUM(CASE WHEN ", on_each(theirs), " THEN 1 ELSE 0 END) AS here ",
    "FROM ", from, by = character()
  )
  if (n$here <= n$n / 2) theirs
}

# Whether a whole fold may read or judge the rows in another way than those before were.
decided_otherwise <- function(ledger, before, after, sums) {
  was <- ledger$folded
  unread <- \(folded) {
    counts <- folded$intake$counts
    sum(counts$rows[grepl("^unreadable", counts$reason)])
  }
  start <- \(folded) min(folded$folded$days[[1L]], Inf)
  one_each <- \(sums) sums[["several"]] == 0 && sums[["no_id_units"]] == 0
  unread(after) > unread(before) || isTRUE(after$folded$other_mark) ||
    one_each(was$sums) != one_each(sums) ||
    sums[["twice"]] >= 0.9 * max(1, sums[["several"]]) ||
    (is.null(ledger$meaning$history_start) && start(after) != start(before) &&
      min(start(after), start(before)) <= as.integer(ledger$history_start)) ||
    (!is.null(after$decimals) && after$decimals != ledger$decimals)
}

# What stands of the touched customers `after`, beside the others of the ledger.
merged_ledger <- function(ledger, own, before, after, folded, lookup) {
  db <- ledger$db
  origin <- ledger$source
  others <- setdiff(seq_along(ledger$ids), match(resolved_ids(own, lookup), ledger$ids))
  ids <- c(ledger$ids[others], after$ids)
  ids <- c(ids, customer_only_ids(origin$customers, lookup, ids))
  ids <- ids[cpp_order_texts(ids)]
  send_table(own, "moved", list(code = others, to_code = match(ledger$ids[others], ids)))
  make_index(own, "moved", "code")
  if (!is.null(after$db)) {
    send_table(own, "moved_too", list(code = seq_along(after$ids), to_code = match(after$ids, ids)))
  }
  merge_tables(own, db, after, ledger)
  drop_tables(own, c("touched_people", "orders_touched", "moved", "moved_too"))
  record <- merged_record(ledger$intake, before$intake, after$intake)
  fresh <- ledger_of_tables(
    own, ids, ledger$meaning, folded, record, ledger[c("currency", "decimals", "line_names")]
  )
  with_origin(fresh, origin, ledger$meaning, ledger$bands, lookup)
}

# The customers that were touched, under the ids that stand for them.
resolved_ids <- function(db, lookup) {
  touched <- ask_workspace(db, "SELECT k FROM ", db$named("touched_people"))$k
  unique(resolve_aliases(as.character(touched), lookup))
}

# The folded tables: rows of the others under their new codes, and of the touched ones, whose orders
# and lines are numbered on from there.
merge_tables <- function(own, db, after, ledger) {
  line_names <- ledger$line_names
  free <- if (counts_free(ledger$meaning)) "free"
  cells <- sprintf("l%d", seq_along(setdiff(line_names, c("number", "sales"))))
  columns <- list(
    orders = c(
      "day", "sales", "n_lines", "order_id", if (".cost" %in% line_names) "cost", free,
      "nth", "before_day"
    ),
    before = c("day", "sales", "n_lines", free),
    lines = c("sales", "place", cells),
    days = c("day", "sales", "nth", "before_day")
  )
  numbers <- list(orders = "number", lines = c("number", "seat"))
  most <- ask_each(
    db, "SELECT o.n AS number, l.n AS seat FROM (SELECT COALESCE(MAX(number), 0) AS n FROM ",
    db$named("orders"), ") o CROSS JOIN (SELECT COALESCE(MAX(seat), 0) AS n FROM ",
    db$named("lines"), ") l"
  )
  # numbers stay apart on all servers
  on <- \(name) on_each(rep(sprintf(
    " + %.0f", max(vapply(most, \(one) as.double(one[[name]]), 0))
  ), length(own$cons)))
  for (name in names(columns)) {
    numbered <- numbers[[name]]
    make_table(
      own, name, "SELECT m.to_code AS customer, ", all_named("t", c(numbered, columns[[name]])),
      " FROM ", db$named(name), " t JOIN (SELECT code, to_code FROM ", own$named("moved"),
      ") m ON m.code = t.customer",
      if (!is.null(after$db)) {
        list(
          " UNION ALL SELECT m.to_code AS customer, ",
          lapply(numbered, \(one) list("t.", one, on(one), " AS ", one, ", ")),
          all_named("t", columns[[name]]), " FROM ", after$db$named(name), " t JOIN (SELECT code, ",
          "to_code FROM ", own$named("moved_too"), ") m ON m.code = t.customer"
        )
      }
    )
  }
  index_tables(own)
}

# The record of intake of the whole: without what it said of the touched rows, with what it says.
merged_record <- function(was, before, after) {
  parts <- list(was, before, after)
  sign <- c(1, -1, 1)[!vapply(parts, is.null, NA)]
  parts <- Filter(Negate(is.null), parts)
  counts <- rbindlist(Map(\(part, sign) {
    part$counts[, .(
      file, reason, currency, rows = sign * rows, units = sign * units, unknown = sign * unknown,
      example
    )]
  }, parts, sign))
  counts <- counts[,
    .(
      rows = as.integer(sum(rows)), units = sum(units), unknown = as.integer(sum(unknown)),
      example = example[1L]
    ),
    by = .(file, reason, currency)
  ][rows > 0L]
  data.table::setorderv(counts, c("file", "reason", "currency"))
  identified <- rbindlist(Map(\(part, sign) {
    part$identified[, .(day, identified = sign * identified, all = sign * all)]
  }, parts, sign))[, .(identified = sum(identified), all = sum(all)), keyby = day]
  list(
    counts = counts,
    aside = merged_aside(was$aside, before$aside, after$aside, was$rows),
    rows = as.integer(sum(sign * vapply(parts, `[[`, 0L, "rows"))),
    identified = identified[identified != 0 | all != 0],
    joins = added_joins(lapply(parts, `[[`, "joins"), sign)
  )
}

# Rows that are set aside: one is taken away for each of the touched ones as they were. Those that
# came anew are numbered behind all that were there.
merged_aside <- function(was, before, after, n) {
  if (is.null(after)) after <- was[0L, ]
  same <- setdiff(names(was), "row")
  nth <- \(rows) cbind(rows[same], nth = data.table::rowidv(rows[same]))
  kept <- rep(TRUE, nrow(was))
  if (!is.null(before)) {
    kept <- is.na(as.data.table(nth(before))[as.data.table(nth(was)),
      on = c(same, "nth"), which = TRUE
    ])
  }
  after$row <- n + after$row
  out <- rbind(was[kept, , drop = FALSE], after)
  rownames(out) <- NULL
  out
}
