# A ledger that stays in its database: its rows are folded there into orders, lines and purchase
# days, whole numbers all; the same functions work on it as on one in memory.

open_in_database <- function(orders, workspace, origin, meaning, bands, call) {
  check_text(workspace)
  sources <- tables_of_servers(orders, call)
  lookup <- alias_lookup(origin$aliases)
  found <- fold_sources(sources, workspace, origin, meaning, lookup, call)
  done <- FALSE
  on.exit(if (!done) try(drop_tables(found$db), silent = TRUE))
  origin <- c(list(orders = lapply(sources, `[`, c("table", "query", "added"))), origin)
  ledger <- ledger_of_tables(found$db, found$ids, meaning, found$folded, found$intake, found)
  ledger <- with_origin(ledger, origin, meaning, bands, lookup)
  done <- TRUE
  ledger
}

# The ledger with what stands beside its rows.
with_origin <- function(ledger, origin, meaning, bands, lookup) {
  ledger$attributes <- customer_attributes(ledger$ids, origin$customers, lookup)
  ledger <- with_beside(ledger, meaning, bands, lookup)
  ledger$source <- origin
  ledger
}

# The folded rows of tables: the workspace with them, the ids, the record of intake, and what is
# known of the rows (see `folded_facts()`). Of a part of the rows of a ledger, `judged` says how
# copies among the others were judged (see `stage_duplicates()`); there may be none of them, and
# then there is no workspace.
fold_sources <- function(sources, workspace, origin, meaning, lookup, call, judged = NULL) {
  map <- origin$columns
  db <- open_workspace(lapply(sources, `[[`, "con"), workspace, call)
  done <- FALSE
  # nothing is left of what did not come to its end
  on.exit(if (!done) try(drop_tables(db), silent = TRUE))
  signal_progress("reading orders in the database")
  # before the rows are read: what comes in between is newer than this
  latest <- latest_added(db, sources)
  db <- stage_rows(db, sources, origin$joins)
  if (db$n == 0) {
    if (!is.null(judged)) return(list(ids = character(), folded = list(sums = no_sums)))
    abort_nubrek("{.val {sources[[1L]]$name}} has no rows.", "database", call = call)
  }
  check_staged_columns(db, map, meaning, sources[[1L]]$name)
  days <- stage_days(db, map, meaning)
  amounts <- stage_amounts(db, map, meaning, origin$rates)
  people <- stage_people(db, map, meaning, lookup)
  db$people <- people$people
  db$nameless <- \(rows) nameless_rows(rows, db, map, meaning)
  stage_facts(db, map, meaning, days, amounts, people)
  check_dealt_by_customer(db)
  signal_progress("looking for repeated rows")
  grows <- !is.null(sources[[1L]]$added)
  repeated <- stage_duplicates(
    db, has_role(map, "line"), meaning$duplicates, judged %||% if (grows) list(own = TRUE)
  )
  settled <- stage_conflicts(db, map, meaning, repeated$duplicate)
  stage_reasons(db, settled$duplicate)
  intake <- c(amounts[c("currency", "decimals", "other_mark")], list(
    written = list(dates = days$order, mark = amounts$mark),
    names = unclass(map)[intersect(c("customer", "order"), names(map))],
    exported_twice = repeated$exported_twice,
    conflicts = settled$orders,
    replaced = length(settled$replaced),
    judged = repeated$judged
  ))
  record <- staged_intake(
    db, file_names(sources[[1L]]$name), settled$replaced, origin$joins
  )
  if (!any(record$counts$reason == "kept")) {
    if (is.null(judged)) check_staged_some_left(record, call)
    return(list(ids = character(), intake = record, folded = folded_facts(intake)))
  }
  signal_progress("forming orders")
  known <- fold_people(db, if (is.null(judged)) origin$customers, lookup)
  formed <- fold_orders(db, map, meaning, origin$products, intake)
  told <- make_folded_tables(
    db, formed, meaning, intake, repeated$suspect, part = !is.null(judged)
  )
  formed$spread <- told$spread
  folded <- folded_facts(intake, told, formed)
  folded$added <- latest
  done <- TRUE
  c(list(
    db = db, ids = known$ids, intake = record, folded = folded,
    line_names = c("number", "sales", formed$names)
  ), amounts[c("currency", "decimals")])
}

check_staged_columns <- function(db, map, meaning, name) {
  check_columns_exist(
    c(unname(unclass(map)), vapply(row_rules(meaning), `[[`, "", "column")),
    c(names(db$place), names(db$joined)), name, db$call
  )
  check_staged_multiplying(db, map)
  check_staged_currency(db, map, meaning)
}

# What is known of the folded rows beside the record of intake: `sums` add up over customers.
folded_facts <- function(intake, told = NULL, formed = NULL) {
  sums <- no_sums
  known <- c(
    told, formed[names(formed) != "moved"], formed$moved, intake[summed$intake], intake$judged
  )
  for (name in intersect(names(sums), names(known))) sums[[name]] <- as.double(known[[name]])
  c(list(
    sums = sums,
    linked = !is.null(formed$moved),
    same_ids = told$same_ids %||% 0,
    days = told$days
  ), intake[c("written", "names", "exported_twice", "other_mark")])
}

# What is summed: of the rows as told (see `told_of_rows()`), of orders as formed, of returns that
# went to their orders, of orders in two states, of copies.
summed <- list(
  told = c(
    "orders", "people", "rounded", "rest", "converted", "suspects", "suspect_units", "partly",
    "partly_units"
  ),
  formed = c("spread", "returns_split", "no_id", "unknown_cost"),
  returns = c("moved", "not_found", "unlinked"),
  intake = c("conflicts", "replaced"),
  judged = c("several", "no_id_units", "twice")
)
no_sums <- stats::setNames(numeric(length(unlist(summed))), unlist(summed))

# The orders in their database: one table, or one on each of several servers.
tables_of_servers <- function(orders, call) {
  sources <- if (inherits(orders, "nubrek_db_table")) list(orders) else orders
  if (!is_servers(sources)) {
    abort_nubrek(c(
      "{.arg workspace} is for orders that live in a database.",
      "i" = "They come from {.fn db_table}."
    ), "argument", call = call)
  }
  one <- sources[[1L]]
  for (other in sources[-1L]) {
    if (!setequal(other$columns, one$columns)) {
      odd <- c(setdiff(one$columns, other$columns), setdiff(other$columns, one$columns))
      abort_nubrek(c(
        "The tables of the servers do not have the same columns.",
        "x" = "Not in all of them: {.field {odd}}."
      ), "database", call = call)
    }
  }
  cons <- lapply(sources, `[[`, "con")
  again <- vapply(seq_along(cons), \(k) {
    any(vapply(cons[seq_len(k - 1L)], identical, NA, cons[[k]]))
  }, NA)
  if (any(again)) {
    abort_nubrek(c(
      "Several tables are several servers, each with a connection of its own.",
      "i" = "Put tables of one into a query: {.code db_table(con, query = \"... UNION ALL ...\")}."
    ), "database", call = call)
  }
  sources
}

# A customer whose rows stand on several servers would be counted on each.
check_dealt_by_customer <- function(db) {
  if (length(db$cons) < 2L) return(invisible())
  found <- ask_workspace(
    db, "SELECT DISTINCT person FROM ", db$named("facts"), " WHERE f2 = 0"
  )$person
  twice <- unique(found[duplicated(found)])
  if (length(twice) == 0L) return(invisible())
  abort_nubrek(c(
    "The rows of a customer must stand on one server.",
    "x" = paste0(
      "{length(twice)} customer{?s} {?has/have} rows on several: ",
      "{.val {utils::head(db$people[twice], 5)}}."
    ),
    "i" = "Deal the rows to the servers by a hash of the customer, after aliases."
  ), "database", call = db$call)
}

check_staged_some_left <- function(record, call) {
  if (any(record$counts$reason == "kept")) return(invisible())
  counts <- tapply(record$counts$rows, droplevels(record$counts$reason), sum)
  abort_none_left(sort(counts, decreasing = TRUE), call)
}

# The same look at columns of currency codes as in memory, at those with few texts.
check_staged_currency <- function(db, map, meaning) {
  if (has_role(map, "currency") || meaning$currencies == "one") return(invisible())
  roles <- unname(unclass(map)[intersect(names(map), column_roles)])
  others <- setdiff(c(names(db$place), names(db$joined)), roles)
  cells <- lapply(stats::setNames(nm = others), \(column) {
    raw <- raw_cell(db, column)
    many <- ask_workspace(
      db, "SELECT COUNT(DISTINCT ", raw, ") AS n FROM ", db$named("rows"), " r", by = character(),
      high = "n"
    )$n
    if (many > 5000) return(factor())
    found <- ask_workspace(
      db, "SELECT ", raw, " AS k, COUNT(*) AS n FROM ", db$named("rows"), " r GROUP BY ", raw,
      by = "k"
    )
    # shares are what counts: so many rows in ten thousand as there are
    times <- ceiling(found$n / sum(found$n) * 1e4)
    factor(rep(as.character(found$k), times))
  })
  check_one_currency(cells, map, meaning, db$call)
}

# `kept` in the workspace: the rows that count, with the codes of their customers; the ids.
fold_people <- function(db, customers, lookup) {
  used <- ask_workspace(
    db, "SELECT DISTINCT person FROM ", db$named("judged"), " WHERE reason = 0", by = "person"
  )$person
  ids <- db$people[used]
  extra <- customer_only_ids(customers, lookup, ids)
  everybody <- c(ids, extra)
  sorted <- cpp_order_texts(everybody)
  send_table(
    db, "codes",
    list(of_person = as.integer(used), customer = match(seq_along(used), sorted))
  )
  make_table(
    db, "kept", "SELECT j.*, c.customer FROM ", db$named("judged"), " j JOIN ", db$named("codes"),
    " c ON c.of_person = j.person WHERE reason = 0"
  )
  list(ids = everybody[sorted])
}
