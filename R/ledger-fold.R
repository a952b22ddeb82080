# A ledger that stays in its database: its rows are folded there into orders, lines and purchase
# days, whole numbers all; the same functions work on it as on one in memory.

open_in_database <- function(orders, workspace, origin, meaning, bands, call) {
  check_text(workspace)
  if (!inherits(orders, "nubrek_db_table")) {
    abort_nubrek(c(
      "{.arg workspace} is for orders that live in a database.",
      "i" = "They come from {.fn db_table}."
    ), "argument", call = call)
  }
  if (length(origin$joins) > 0L) {
    abort_nubrek(c(
      "Joins of a ledger that stays in the database belong into its query.",
      "i" = "Such as {.code db_table(con, query = \"SELECT ... JOIN ...\")}."
    ), "database", call = call)
  }
  map <- origin$columns
  rules <- Filter(Negate(is.null), list(meaning$test, meaning$cancelled))
  check_columns_exist(
    c(unname(unclass(map)), vapply(rules, `[[`, "", "column")), orders$columns, orders$name, call
  )
  lookup <- alias_lookup(origin$aliases)
  db <- open_workspace(orders$con, workspace, call)
  done <- FALSE
  # nothing is left of what did not come to its end
  on.exit(if (!done) try(drop_tables(db), silent = TRUE))
  signal_progress("reading orders in the database")
  db <- stage_rows(db, orders)
  check_staged_currency(db, map, meaning)
  days <- stage_days(db, map, meaning)
  amounts <- stage_amounts(db, map, meaning, origin$rates)
  people <- stage_people(db, map, meaning, lookup)
  db$people <- people$people
  stage_facts(db, map, meaning, days, amounts, people)
  signal_progress("looking for repeated rows")
  repeated <- stage_duplicates(db, has_role(map, "line"), meaning$duplicates)
  settled <- stage_conflicts(db, map, meaning, repeated$duplicate)
  stage_reasons(db, settled$duplicate)
  intake <- c(
    list(
      read = list(remarks = NULL),
      written = list(dates = days$order, mark = amounts$mark),
      names = unclass(map)[intersect(c("customer", "order"), names(map))],
      exported_twice = repeated$exported_twice,
      conflicts = settled$orders,
      replaced = settled$replaced,
      people = db$people
    ),
    amounts[c("currency", "decimals")]
  )
  record <- staged_intake(db, file_names(orders$name), settled$replaced)
  check_staged_some_left(record, call)
  signal_progress("forming orders")
  known <- fold_people(db, origin$customers, lookup)
  formed <- fold_orders(db, map, meaning, origin$products, intake)
  ledger <- new_database_ledger(db, formed, known, meaning, intake, record, repeated$suspect)
  ledger$attributes <- customer_attributes(known$ids, origin$customers, lookup)
  ledger <- with_beside(ledger, meaning, bands, lookup)
  ledger$source <- c(list(orders = list(orders[c("table", "query")])), origin)
  done <- TRUE
  ledger
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
  cells <- lapply(stats::setNames(nm = setdiff(names(db$place), roles)), \(column) {
    raw <- raw_cell(db, column)
    many <- ask_workspace(
      db, "SELECT COUNT(DISTINCT ", raw, ") AS n FROM ", db$named("rows"), " r"
    )$n
    if (many > 5000) return(factor())
    found <- ask_workspace(
      db, "SELECT ", raw, " AS k, COUNT(*) AS n FROM ", db$named("rows"), " r GROUP BY ", raw
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
    db, "SELECT DISTINCT person FROM ", db$named("judged"), " WHERE reason = 0"
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

# `orders`, `lines`, `before`, `days` in the workspace, and the ledger over them.
new_database_ledger <- function(db, formed, known, meaning, intake, record, suspects) {
  ends <- ask_workspace(
    db, "SELECT MIN(day) AS low, MAX(day) AS high, COUNT(*) AS orders, ",
    "COUNT(DISTINCT customer) AS people, SUM(CASE WHEN last_day - day > 1 THEN 1 ELSE 0 END) ",
    "AS spread FROM ", db$named("every_order")
  )
  span <- ledger_span(meaning, c(ends$low, ends$high))
  least <- least_units(meaning, intake$decimals)
  told <- told_of_staged(db, ends, suspects)
  fold_tables(db, formed, meaning, span$start, least)
  drop_tables(db, staging_tables)
  early <- ask_workspace(
    db, "SELECT customer, MIN(day) AS day FROM ", db$named("before"), " WHERE sales >= ", least,
    " GROUP BY customer"
  )
  first <- replace(rep(NA_integer_, length(known$ids)), early$customer, as.integer(early$day))
  facts <- list(
    ids = known$ids,
    attributes = data.table(),
    least = least,
    known_first = first,
    history_start = span$start,
    as_of = span$as_of,
    meaning = meaning,
    currency = intake$currency,
    decimals = intake$decimals,
    bands = list(),
    intake = record,
    returns = formed$moved
  )
  formed$spread <- ends$spread
  ledger <- over_tables(facts, db, c("number", "sales", formed$names))
  attr(ledger, "remarks") <- rbind(never_run_remark(db$dialect), ledger_remarks(
    formed, intake, told, record$identified, span$start, span$as_of, meaning
  ))
  ledger
}

# The tables that stay: orders from the history's start on, those before it, lines, days.
fold_tables <- function(db, formed, meaning, start, least) {
  # the cost of an order stands in its first row
  of_order <- formed$cost && meaning$cost_per == "order"
  cost <- if (of_order) {
    paste0(", p.l", match(".cost", formed$names), " AS cost")
  } else if (formed$cost) {
    ", o.cost AS cost"
  }
  make_table(
    db, "orders", "SELECT t.*, ", purchase_places(db, "number", least), " FROM (SELECT ",
    all_named("o", c("number", "customer", "day", "sales", "n_lines")),
    ", o.key_order AS order_id", cost, " FROM ", db$named("every_order"), " o",
    if (of_order) paste0(" LEFT JOIN ", db$named("placed"), " p ON p.place = o.first_place"),
    " WHERE o.day >= ", as.integer(start), ") t"
  )
  make_table(
    db, "before", "SELECT customer, day, sales, n_lines FROM ", db$named("every_order"),
    " WHERE day < ", as.integer(start)
  )
  make_table(
    db, "lines", "SELECT l.* FROM ", db$named("every_line"), " l WHERE number IN (SELECT number ",
    "FROM ", db$named("orders"), ")"
  )
  make_days(db, least)
  make_index(db, "orders", c("customer", "number"))
  make_index(db, "lines", c("customer", "seat"))
  make_index(db, "lines", "number")
}

# What the workspace holds only while a ledger is opened.
staging_tables <- c(
  "rows", "facts", "judged", "kept", "sold", "sold_with_cost", "seen", "placed", "every_order",
  "every_line", "copies", "touched", "in_doubt", "set_aside", "codes", "suspects", "days_read",
  "amounts_read", "people_read", "quantity_read", "discount_read", "cost_read", "products", "costs"
)

#' Take a ledger's tables out of its database
#'
#' Temporary tables go with their connection; those in a schema of yours stay until this is called,
#' so that [save_ledger()] can keep a ledger over the session.
#'
#' @param ledger `[nubrek_ledger]` One that stays in its database, see `workspace` in
#'   [open_ledger()]; it is of no use afterwards, nor are its slices.
#' @return Nothing.
#' @examplesIf requireNamespace("RSQLite", quietly = TRUE)
#' con <- DBI::dbConnect(RSQLite::SQLite())
#' DBI::dbWriteTable(con, "lines", data.frame(who = "A", on_day = "2024-03-05", paid = 5))
#' ledger <- open_ledger(db_table(con, "lines"), column_map(
#'   customer = "who", date = "on_day", sales = "paid"
#' ), meanings(currency = "EUR"), workspace = "main")
#' close_ledger(ledger)
#' DBI::dbListTables(con)
#' DBI::dbDisconnect(con)
#' @export
close_ledger <- function(ledger) {
  check_ledger(ledger)
  if (inherits(ledger, "nubrek_database")) drop_tables(ledger$db)
  invisible()
}

# `days` in the workspace: days with a purchase of each customer.
make_days <- function(db, least) {
  make_table(
    db, "days", "SELECT customer, day, sales, ", purchase_places(db, "day"),
    " FROM (SELECT customer, day, SUM(sales) AS sales FROM ", db$named("orders"),
    " WHERE sales >= ", least, " GROUP BY customer, day) d"
  )
  make_index(db, "days", c("customer", "day"))
}

# Where each purchase stands among those of its customer (`nth`), and the day of the one before
# (`before_day`), so that no question sorts them again; both are NULL for what is worth no purchase.
purchase_places <- function(db, by, least = NULL) {
  worth <- if (!is.null(least)) paste("CASE WHEN sales >=", least, "THEN")
  among <- paste0(
    " OVER (PARTITION BY customer", if (!is.null(worth)) paste0(", ", worth, " 1 ELSE 0 END"),
    " ORDER BY ", by, ")"
  )
  place <- \(what, name) paste(c(
    worth, paste0(what, among), if (!is.null(worth)) "END", "AS", name
  ), collapse = " ")
  paste(c(place("ROW_NUMBER()", "nth"), place(
    sprintf(db$dialect$lag, "day"), "before_day"
  )), collapse = ", ")
}

# What remarks need to know of the rows (see `told_of_rows()`).
told_of_staged <- function(db, ends, suspects) {
  send_table(db, "suspects", list(place = as.double(suspects)))
  sums <- ask_workspace(
    db, "SELECT COALESCE(SUM(rounded), 0) AS rounded, COALESCE(SUM(CASE WHEN rounded = 1 THEN ",
    "rest END), 0) AS rest, COALESCE(SUM(converted), 0) AS converted FROM ", db$named("kept")
  )
  suspect <- ask_workspace(
    db, "SELECT COUNT(*) AS n, COALESCE(SUM(units), 0) AS units FROM ", db$named("kept"),
    " k JOIN ", db$named("suspects"), " s ON s.place = k.place"
  )
  lost <- paste0(" FROM ", db$named("judged"), " WHERE reason > 1 AND order_id <> '' AND ")
  partly <- ask_workspace(
    db, "SELECT COUNT(*) AS n, COALESCE(SUM(units), 0) AS units FROM (SELECT k.person AS person, ",
    "k.order_id AS order_id, SUM(units) AS units FROM ", db$named("kept"),
    " k LEFT JOIN (SELECT DISTINCT order_id", lost,
    "f2 = 1) a ON a.order_id = k.order_id LEFT JOIN (SELECT DISTINCT person, order_id", lost,
    "f2 = 0) b ON b.order_id = k.order_id AND b.person = k.person WHERE a.order_id IS NOT NULL OR ",
    "b.order_id IS NOT NULL GROUP BY k.person, k.order_id) t"
  )
  drop_tables(db, "suspects")
  days <- ask_workspace(
    db, "SELECT DISTINCT day FROM ", db$named("every_order"), " ORDER BY day"
  )$day
  # asked only where nearly every customer has one order
  same <- if (ends$people >= 0.95 * ends$orders) {
    mean(db$people %in% ask_workspace(
      db, "SELECT DISTINCT order_id FROM ", db$named("judged")
    )$order_id)
  } else {
    0
  }
  list(
    orders = ends$orders,
    people = ends$people,
    same_ids = \() same,
    days = days,
    rounded = sums$rounded,
    rest = sums$rest,
    converted = sums$converted,
    suspects = suspect$n,
    suspect_units = suspect$units,
    partly = partly$n,
    partly_units = partly$units
  )
}
