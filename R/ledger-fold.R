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
  ledger <- know_first_purchases(ledger, meaning)
  ledger$bands <- bands
  for (name in names(bands)) {
    band_values(ledger, name)
  }
  if (length(lookup) > 0L) ledger$aliases <- lookup
  done <- TRUE
  ledger
}

check_staged_some_left <- function(record, call) {
  if (any(record$counts$reason == "kept")) return(invisible())
  counts <- sort(tapply(record$counts$rows, droplevels(record$counts$reason), sum), TRUE)
  abort_nubrek(c(
    "No row can be used.",
    "x" = "{paste0(names(counts), ': ', counts, collapse = ', ')}.",
    "i" = "Look at the column map and the meanings."
  ), "no_rows", reasons = counts, call = call)
}

# The same look at columns of currency codes as in memory, at those with few texts.
check_staged_currency <- function(db, map, meaning) {
  if (has_role(map, "currency") || meaning$currencies == "one") return(invisible())
  roles <- unname(unclass(map)[intersect(names(map), column_roles)])
  cells <- lapply(stats::setNames(nm = setdiff(names(db$place), roles)), \(column) {
    raw <- raw_cell(db, column)
    found <- ask_workspace(
      db, "SELECT ", raw, " AS k, COUNT(*) AS n FROM ", db$named("rows"), " r GROUP BY ", raw,
      " LIMIT 5001"
    )
    if (nrow(found) > 5000L) return(factor())
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
    list(person = as.integer(used), customer = match(seq_along(used), sorted))
  )
  make_table(
    db, "kept", "SELECT j.*, c.customer FROM ", db$named("judged"), " j JOIN ", db$named("codes"),
    " c ON c.person = j.person WHERE reason = 0"
  )
  list(ids = everybody[sorted])
}

# The columns of the lines, as expressions over the rows `r` and the judged rows `k`; `join`, what
# they need beside.
line_expressions <- function(db, map, meaning, products, intake) {
  named <- setdiff(names(map), c(
    "customer", "order", "date", "sales", "line", "currency", "unit_price", "gross", "discount",
    "quantity", "tax", "shipping", "cost"
  ))
  columns <- vapply(stats::setNames(nm = named), \(name) {
    sprintf("NULLIF(%s, '')", trimmed(db, raw_cell(db, map[[name]])))
  }, "")
  join <- character()
  if (!is.null(products) && "product" %in% named) {
    more <- setdiff(names(products$attributes), named)
    first <- !duplicated(products$id)
    values <- lapply(
      products$attributes[first, more, with = FALSE], \(x) ifelse(is_blank(x), NA, as.character(x))
    )
    send_table(db, "products", c(list(product = products$id[first]), unname_as("a", values)))
    columns[more] <- paste0("p.a", seq_along(more))
    join <- paste0(" LEFT JOIN ", db$named("products"), " p ON p.product = ", columns[["product"]])
  }
  beside <- list(
    quantity = \(cells) plain_quantities(cells, intake),
    discount = \(cells) side_amounts(cells, map, "discount", intake),
    cost = \(cells) side_amounts(cells, map, "cost", intake)
  )
  for (role in intersect(names(beside), names(map))) {
    found <- distinct_texts(db, map[[role]])
    value <- beside[[role]](trim_cells(found$cells[[1L]]))
    join <- c(join, send_meanings(db, paste0(role, "_read"), map[[role]], found, list(
      value = if (is.factor(value)) as.character(value) else value
    )))
    columns[[paste0(".", role)]] <- paste0(role, "_read.value")
  }
  list(columns = columns, join = paste(join, collapse = ""))
}

unname_as <- function(letter, values) {
  stats::setNames(unname(values), paste0(rep(letter, length(values)), seq_along(values)))
}

# `orders`, `before` and `lines` in the workspace (see `form_orders()`).
fold_orders <- function(db, map, meaning, products, intake) {
  lines <- line_expressions(db, map, meaning, products, intake)
  names <- names(lines$columns)
  make_table(
    db, "sold", "SELECT k.place, k.customer, k.order_id, k.day, k.seconds, k.units",
    sprintf(", %s AS l%d", lines$columns, seq_along(names)),
    " FROM ", db$named("kept"), " k JOIN ", db$named("rows"), " r ON r.place = k.place", lines$join
  )
  unknown <- stage_cost_rate(db, names, meaning)
  cost <- if (".cost" %in% names) "cost" else if (!is.null(meaning$cost_rate)) "cost"
  if (!is.null(meaning$cost_rate) && !".cost" %in% names) names <- c(names, ".cost")
  moved <- stage_returns(db, names, meaning)
  stage_orders(db, names, meaning)
  c(list(names = names, unknown_cost = unknown, cost = !is.null(cost)), moved, ask_workspace(
    db, "SELECT SUM(CASE WHEN order_id = '' THEN 1 ELSE 0 END) AS no_id FROM ", db$named("sold")
  ))
}

# Cost by a rate of the sales, rounded where everything else is rounded.
stage_cost_rate <- function(db, names, meaning) {
  if (is.null(meaning$cost_rate) || ".cost" %in% names) return(0L)
  check_columns_exist(meaning$cost_rate, names, "the lines and products")
  column <- paste0("l", match(meaning$cost_rate, names))
  found <- ask_workspace(
    db, "SELECT units, ", column, " AS rate, COUNT(*) AS n FROM ", db$named("sold"),
    " GROUP BY units, ", column
  )
  lines <- list(sales = found$units)
  lines[[meaning$cost_rate]] <- code_column(as.character(found$rate))
  rate <- cost_rates(lines, meaning)
  send_table(db, "costs", list(
    units = found$units, rate = as.character(found$rate),
    cost = round(found$units * ifelse(is.na(rate), 0, rate))
  ))
  wide <- paste0("l", length(names) + 1L)
  make_table(
    db, "sold_with_cost", "SELECT s.*, c.cost AS ", wide, " FROM ", db$named("sold"), " s JOIN ",
    db$named("costs"), " c ON c.units = s.units AND ",
    sprintf(db$dialect$same, "c.rate", paste0("s.", column))
  )
  make_table(db, "sold", "SELECT * FROM ", db$named("sold_with_cost"))
  drop_tables(db, "sold_with_cost")
  sum(found$n[is.na(rate)])
}

# `placed` in the workspace: each line with the order it belongs to (`key_order`, `key_day` of
# orders without an id, `alone` for returns on a day of their own) and whether it is `apart` (it
# takes no part in the order's time).
stage_returns <- function(db, names, meaning) {
  linked <- meaning$returns == "with original order"
  start <- paste0(
    "SELECT s.*, MIN(day) OVER (PARTITION BY customer, order_id, ",
    "CASE WHEN order_id = '' THEN day END) AS start_day FROM ", db$named("sold"), " s"
  )
  of <- match("return_of", names)
  named <- if (is.na(of)) "0" else sprintf(
    "CASE WHEN units < 0 AND l%d IS NOT NULL THEN 1 ELSE 0 END", of
  )
  target <- if (linked && !is.na(of)) {
    paste0(
      " LEFT JOIN (SELECT DISTINCT customer AS t_customer, order_id AS t_order FROM ",
      db$named("sold"), " WHERE units > 0 AND order_id <> '') t ON t_customer = customer AND ",
      "t_order = l", of, " AND units < 0"
    )
  }
  found <- if (is.null(target)) "0" else "CASE WHEN t_order IS NOT NULL THEN 1 ELSE 0 END"
  late <- "CASE WHEN units < 0 AND order_id <> '' AND day > start_day THEN 1 ELSE 0 END"
  make_table(
    db, "seen", "SELECT s.*, ", named, " AS named, ", found, " AS moved, ", late, " AS late FROM (",
    start, ") s", target
  )
  home <- if (linked) "late = 1 AND named = 0" else "0 = 1"
  to <- if (is.null(target)) "order_id" else paste0(
    "CASE WHEN moved = 1 THEN l", of, " ELSE order_id END"
  )
  make_table(
    db, "placed", "SELECT s.*, ", to, " AS key_order, CASE WHEN moved = 0 AND order_id = '' THEN ",
    "day ELSE 0 END AS key_day, CASE WHEN late = 1 AND moved = 0 AND NOT (", home,
    ") THEN day ELSE 0 END AS alone, CASE WHEN moved = 1 OR (", home,
    ") THEN 1 ELSE 0 END AS apart FROM ", db$named("seen"), " s"
  )
  sums <- ask_workspace(
    db, "SELECT COALESCE(SUM(CASE WHEN alone <> 0 THEN 1 ELSE 0 END), 0) AS split, ",
    "COALESCE(SUM(moved), 0) AS moved, COALESCE(SUM(CASE WHEN ", home,
    " THEN 1 ELSE 0 END), 0) AS home, COALESCE(SUM(named), 0) AS named, ",
    "COALESCE(SUM(CASE WHEN units < 0 THEN 1 ELSE 0 END), 0) AS back FROM ", db$named("placed")
  )
  drop_tables(db, "seen")
  list(returns_split = sums$split, moved = if (linked) {
    list(
      moved = as.integer(sums$moved + sums$home),
      not_found = as.integer(sums$named - sums$moved),
      unlinked = as.integer(sums$back - sums$named - sums$home)
    )
  })
}

stage_orders <- function(db, names, meaning) {
  time <- "CASE WHEN apart = 0 THEN %s END"
  cost <- match(".cost", names)
  key <- "customer, key_order, key_day, alone"
  summed <- paste0(
    "SELECT ", key, ", MIN(", sprintf(time, "day"), ") AS day, MAX(", sprintf(time, "day"),
    ") AS last_day, MIN(", sprintf(time, "day * 86400.0 + seconds"), ") AS moment, MIN(",
    sprintf(time, "place"), ") AS first_place, SUM(units) AS sales, COUNT(*) AS n_lines",
    if (!is.na(cost) && meaning$cost_per != "order") paste0(", SUM(l", cost, ") AS cost"),
    " FROM ", db$named("placed"), " GROUP BY ", key
  )
  make_table(
    db, "every_order", "SELECT ROW_NUMBER() OVER (ORDER BY customer, day, moment, ",
    sprintf(db$dialect$bytes, "key_order"), ", first_place) AS number, t.* FROM (", summed, ") t"
  )
  make_index(db, "every_order", c("customer", "key_order"))
  make_table(
    db, "every_line", "SELECT ROW_NUMBER() OVER (ORDER BY o.number, p.place) AS at, o.number, ",
    "p.units AS sales, p.place, p.customer",
    sprintf(", p.l%d", seq_along(names)), " FROM ", db$named("placed"), " p JOIN ",
    db$named("every_order"), " o ON o.customer = p.customer AND o.key_order = p.key_order AND ",
    "o.key_day = p.key_day AND o.alone = p.alone"
  )
  make_index(db, "every_line", "number")
}

# `orders`, `lines`, `before`, `days` in the workspace, and the ledger over them.
new_database_ledger <- function(db, formed, known, meaning, intake, record, suspects) {
  ends <- ask_workspace(
    db, "SELECT MIN(day) AS low, MAX(day) AS high, COUNT(*) AS orders, ",
    "COUNT(DISTINCT customer) AS people, SUM(CASE WHEN last_day - day > 1 THEN 1 ELSE 0 END) ",
    "AS spread FROM ", db$named("every_order")
  )
  last <- as.Date(ends$high, origin = "1970-01-01")
  start <- meaning$history_start %||% as.Date(ends$low, origin = "1970-01-01")
  as_of <- meaning$as_of %||% last
  if (last < start) {
    abort_nubrek(c(
      "No order is left after {.arg history_start}.", "x" = "The last one is of {format(last)}."
    ), "no_rows")
  }
  least <- max(1, ceiling(meaning$minimum_sales * 10^intake$decimals))
  cost <- if (formed$cost) {
    if (meaning$cost_per == "order") {
      paste0(
        ", (SELECT l", match(".cost", formed$names), " FROM ", db$named("placed"),
        " p WHERE p.place = o.first_place) AS cost"
      )
    } else {
      ", cost"
    }
  }
  told <- told_of_staged(db, ends, suspects, start)
  make_table(
    db, "orders", "SELECT number, customer, day, sales, key_order AS order_id, n_lines", cost,
    " FROM ", db$named("every_order"), " o WHERE day >= ", as.integer(start)
  )
  make_table(
    db, "before", "SELECT customer, day, sales, n_lines FROM ", db$named("every_order"),
    " WHERE day < ", as.integer(start)
  )
  make_table(
    db, "lines", "SELECT l.* FROM ", db$named("every_line"), " l JOIN ", db$named("orders"),
    " o ON o.number = l.number"
  )
  make_days(db, least)
  make_index(db, "orders", c("customer", "number"))
  make_index(db, "lines", c("customer", "at"))
  make_index(db, "lines", "number")
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
    history_start = start,
    as_of = as_of,
    meaning = meaning,
    currency = intake$currency,
    decimals = intake$decimals,
    bands = list(),
    intake = record,
    returns = formed$moved
  )
  formed$spread <- ends$spread
  ledger <- new_parts(facts, list(), c("number", "sales", formed$names), "nubrek_database")
  ledger$db <- db[c("con", "dialect", "temporary", "named", "shared", "alive", "call")]
  ledger$line_cells <- stats::setNames(
    sprintf("l%d", seq_along(formed$names)), formed$names
  )
  ledger$parts <- database_parts(ledger)
  attr(ledger, "remarks") <- ledger_remarks(
    formed, intake, told, record$identified, start, as_of, meaning
  )
  ledger
}

# What the workspace holds only while a ledger is opened.
staging_tables <- c(
  "rows", "facts", "judged", "kept", "sold", "sold_with_cost", "seen", "placed", "every_order",
  "every_line", "copies", "touched", "in_doubt", "set_aside", "codes", "suspects", "days_read",
  "amounts_read", "people_read", "quantity_read", "discount_read", "cost_read", "products", "costs"
)

#' Take a ledger's tables out of its database
#'
#' Temporary tables go with their connection; those in a schema of yours stay until this is called.
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

make_days <- function(db, least) {
  make_table(
    db, "days", "SELECT customer, day, SUM(sales) AS sales FROM ", db$named("orders"),
    " WHERE sales >= ", least, " GROUP BY customer, day"
  )
  make_index(db, "days", c("customer", "day"))
}

# What remarks need to know of the rows (see `told_of_rows()`).
told_of_staged <- function(db, ends, suspects, start) {
  send_table(db, "suspects", list(place = as.double(suspects)))
  sums <- ask_workspace(
    db, "SELECT COALESCE(SUM(rounded), 0) AS rounded, COALESCE(SUM(CASE WHEN rounded = 1 THEN ",
    "rest END), 0) AS rest, COALESCE(SUM(converted), 0) AS converted FROM ", db$named("kept")
  )
  suspect <- ask_workspace(
    db, "SELECT COUNT(*) AS n, COALESCE(SUM(units), 0) AS units FROM ", db$named("kept"), " k JOIN ",
    db$named("suspects"), " s ON s.place = k.place"
  )
  lost <- paste0(" FROM ", db$named("judged"), " WHERE reason > 1 AND order_id <> '' AND ")
  partly <- ask_workspace(
    db, "SELECT COUNT(*) AS n, COALESCE(SUM(units), 0) AS units FROM (SELECT k.person, k.order_id, ",
    "SUM(units) AS units FROM ", db$named("kept"), " k LEFT JOIN (SELECT DISTINCT order_id", lost,
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
      db, "SELECT DISTINCT order_id FROM ", db$named("kept")
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

# The rows come from the workspace in parts of so many orders, when a reduction has no SQL.
rows_of_part <- 500000

database_parts <- function(ledger) {
  db <- ledger$db
  found <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS n FROM ", db$named("orders"),
    " GROUP BY customer ORDER BY customer"
  )
  n <- replace(numeric(length(ledger$ids)), found$customer, found$n)
  part <- cumsum(n) %/% rows_of_part
  lapply(split(seq_along(n), part), \(codes) {
    list(codes = codes, open = \() fetch_part(ledger, codes[[1L]], codes[[length(codes)]]))
  }) |> unname()
}

fetch_part <- function(ledger, low, high) {
  db <- ledger$db
  names <- setdiff(ledger$line_names, c("number", "sales"))
  mine <- paste(" WHERE customer BETWEEN", low, "AND", high)
  orders <- ask_workspace(
    db, "SELECT * FROM ", db$named("orders"), mine, " ORDER BY number"
  )
  lines <- ask_workspace(
    db, "SELECT number, sales", sprintf(", %s", ledger$line_cells[names]), " FROM ",
    db$named("lines"), mine, " ORDER BY at"
  )
  before <- ask_workspace(db, "SELECT * FROM ", db$named("before"), mine)
  columns <- c("number", "sales", names)
  data.table::setnames(lines, columns)
  for (name in names) {
    value <- lines[[name]]
    data.table::set(lines, NULL, name, if (name %in% c(".cost", ".discount")) {
      as.double(value)
    } else {
      code_column(as.character(value))
    })
  }
  data.table::set(lines, NULL, "number", match(lines$number, orders$number))
  data.table::set(lines, NULL, "sales", as.double(lines$sales))
  list(
    orders = c(
      list(
        customer = as.integer(orders$customer) - low + 1L,
        day = as.integer(orders$day),
        sales = as.double(orders$sales),
        order = as.character(orders$order_id),
        n_lines = as.integer(orders$n_lines)
      ),
      if (!is.null(orders$cost)) list(cost = as.double(orders$cost))
    ),
    lines = data.table::setcolorder(lines, c("sales", names, "number")),
    before = list(
      customer = as.integer(before$customer) - low + 1L,
      day = as.integer(before$day),
      sales = as.double(before$sales),
      n_lines = as.integer(before$n_lines)
    )
  )
}
