# The folded tables of a ledger in its database: orders, lines, the orders before the history, days
# with a purchase; and the ledger over them.

# `orders`, `lines`, `before`, `days` in the workspace; what remarks need to know of the rows.
make_folded_tables <- function(db, formed, meaning, intake, suspects, part) {
  ends <- ask_workspace(
    db, "SELECT MIN(day) AS low, MAX(day) AS high, COUNT(*) AS orders, ",
    "COUNT(DISTINCT customer) AS people, SUM(CASE WHEN last_day - day > 1 THEN 1 ELSE 0 END) ",
    "AS spread FROM ", db$named("every_order"), by = character(), low = "low", high = "high"
  )
  # a part of the rows may lie before the history
  start <- if (part) {
    meaning$history_start %||% ends$low
  } else {
    ledger_span(meaning, c(ends$low, ends$high), db$call)$start
  }
  told <- told_of_staged(db, ends, suspects)
  fold_tables(db, formed, meaning, start, least_units(meaning, intake$decimals))
  drop_tables(db, c(staging_tables, paste0("joined", seq_along(db$key_of))))
  c(told, list(spread = ends$spread, days = c(ends$low, ends$high)))
}

# The ledger over folded tables, from what was found while they were folded.
ledger_of_tables <- function(db, ids, meaning, folded, record, found) {
  every <- paste0(
    "(SELECT day FROM ", db$named("orders"), " UNION ALL SELECT day FROM ", db$named("before"),
    ") t"
  )
  days <- ask_workspace(db, "SELECT DISTINCT day FROM ", every, " ORDER BY day", by = "day")$day
  span <- ledger_span(meaning, range(days), db$call)
  least <- least_units(meaning, found$decimals)
  early <- ask_workspace(
    db, "SELECT customer, MIN(day) AS day FROM ", db$named("before"), " WHERE ",
    purchase_sql(list(meaning = meaning, least = least)), " GROUP BY customer"
  )
  of <- \(names) as.list(folded$sums[names])
  returns <- if (folded$linked) lapply(of(summed$returns), as.integer)
  facts <- list(
    ids = ids,
    attributes = data.table(),
    least = least,
    known_first = replace(
      rep(NA_integer_, length(ids)), early$customer, as.integer(early$day)
    ),
    history_start = span$start,
    as_of = span$as_of,
    meaning = meaning,
    currency = found$currency,
    decimals = found$decimals,
    day_order = folded$written$dates,
    bands = list(),
    intake = record,
    returns = returns
  )
  ledger <- over_tables(facts, db, found$line_names)
  ledger$folded <- folded[names(folded) != "days"]
  intake <- c(
    found[c("currency", "decimals")],
    folded[c("written", "names", "exported_twice")],
    list(
      read = list(remarks = NULL),
      conflicts = folded$sums[["conflicts"]],
      replaced = seq_len(folded$sums[["replaced"]])
    )
  )
  told <- c(of(summed$told), list(days = days, same_ids = \() folded$same_ids))
  formed <- c(of(summed$formed), list(moved = returns))
  attr(ledger, "remarks") <- rbind(
    never_run_remark(db$dialect), defined_remark(db), ledger_remarks(
      formed, intake, told, record, span$start, span$as_of, meaning
    )
  )
  ledger
}

# The tables that stay: orders from the history's start on, those before it, lines, days.
fold_tables <- function(db, formed, meaning, start, least) {
  bought <- purchase_sql(list(meaning = meaning, least = least))
  free <- if (counts_free(meaning)) "free"
  # the cost of an order stands in its first row
  of_order <- formed$cost && meaning$cost_per == "order"
  cost <- if (of_order) {
    paste0(", p.l", match(".cost", formed$names), " AS cost")
  } else if (formed$cost) {
    ", o.cost AS cost"
  }
  make_table(
    db, "orders", "SELECT t.*, ", purchase_places(db, "number", bought), " FROM (SELECT ",
    all_named("o", c("number", "customer", "day", "sales", "n_lines", free)),
    ", o.key_order AS order_id", cost, " FROM ", db$named("every_order"), " o",
    if (of_order) paste0(" LEFT JOIN ", db$named("placed"), " p ON p.place = o.first_place"),
    " WHERE o.day >= ", as.integer(start), ") t"
  )
  make_table(
    db, "before", "SELECT ", all_named("o", c("customer", "day", "sales", "n_lines", free)),
    " FROM ", db$named("every_order"), " o WHERE day < ", as.integer(start)
  )
  make_table(
    db, "lines", "SELECT l.* FROM ", db$named("every_line"), " l WHERE number IN (SELECT number ",
    "FROM ", db$named("orders"), ")"
  )
  make_days(db, bought)
  index_tables(db)
}

index_tables <- function(db) {
  make_index(db, "orders", c("customer", "number"))
  make_index(db, "lines", c("customer", "seat"))
  make_index(db, "lines", "number")
  make_index(db, "days", c("customer", "day"))
}

# What the workspace holds only while a ledger is opened: rows in their stages, and what was sent.
staged_tables <- c(
  "rows", "facts", "judged", "kept", "sold", "sold_with_cost", "seen", "placed", "every_order",
  "every_line", "copies", "touched", "in_doubt"
)
staging_tables <- c(
  staged_tables, "set_aside", "codes", "suspects", "days_read", "amounts_read", "people_read",
  "quantity_read", "discount_read", "cost_read", "products", "costs"
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
make_days <- function(db, bought) {
  make_table(
    db, "days", "SELECT customer, day, sales, ", purchase_places(db, "day"),
    " FROM (SELECT customer, day, SUM(sales) AS sales FROM ", db$named("orders"),
    " WHERE ", bought, " GROUP BY customer, day) d"
  )
}

# Where each purchase stands among those of its customer (`nth`), and the day of the one before
# (`before_day`), so that no question sorts them again; both are NULL for what is worth no purchase.
purchase_places <- function(db, by, bought = NULL) {
  worth <- if (!is.null(bought)) paste("CASE WHEN", bought, "THEN")
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
    "rest END), 0) AS rest, COALESCE(SUM(converted), 0) AS converted FROM ", db$named("kept"),
    by = character()
  )
  suspect <- ask_workspace(
    db, "SELECT COUNT(*) AS n, COALESCE(SUM(units), 0) AS units FROM ", db$named("kept"),
    " k JOIN ", db$named("suspects"), " s ON s.place = k.place", by = character()
  )
  lost <- paste0(" FROM ", db$named("judged"), " WHERE reason > 1 AND order_id <> '' AND ")
  # rows of nobody may stand on another server than the others of their order
  nobodys <- paste0("SELECT DISTINCT order_id", lost, "f2 = 1")
  if (length(db$cons) > 1L) {
    send_table(db, "nobodys", as.list(ask_workspace(db, nobodys, by = "order_id")))
    nobodys <- paste0("SELECT order_id FROM ", db$named("nobodys"))
  }
  partly <- ask_workspace(
    db, "SELECT COUNT(*) AS n, COALESCE(SUM(units), 0) AS units FROM (SELECT k.person AS person, ",
    "k.order_id AS order_id, SUM(units) AS units FROM ", db$named("kept"),
    " k LEFT JOIN (", nobodys, ") a ON a.order_id = k.order_id LEFT JOIN (SELECT DISTINCT person, ",
    "order_id", lost, "f2 = 0) b ON b.order_id = k.order_id AND b.person = k.person WHERE ",
    "a.order_id IS NOT NULL OR b.order_id IS NOT NULL GROUP BY k.person, k.order_id) t",
    by = character()
  )
  drop_tables(db, c("suspects", "nobodys"))
  # asked only where nearly every customer has one order
  same <- if (ends$people >= 0.95 * ends$orders) {
    mean(db$people %in% ask_workspace(
      db, "SELECT DISTINCT order_id FROM ", db$named("judged"), by = "order_id"
    )$order_id)
  } else {
    0
  }
  list(
    orders = ends$orders,
    people = ends$people,
    same_ids = same,
    rounded = sums$rounded,
    rest = sums$rest,
    converted = sums$converted,
    suspects = suspect$n,
    suspect_units = suspect$units,
    partly = partly$n,
    partly_units = partly$units
  )
}
