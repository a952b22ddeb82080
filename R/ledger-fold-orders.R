# Lines become orders in the database, by the rules of `form_orders()`.

# The columns of the lines, as expressions over the rows `r` and the judged rows `k`; `join`, what
# they need beside.
line_expressions <- function(db, map, meaning, products, intake) {
  named <- line_roles(map)
  columns <- vapply(stats::setNames(nm = named), \(name) {
    cell <- sprintf("NULLIF(%s, '')", trimmed(db, raw_cell(db, map[[name]])))
    if (name %in% c("product", "category")) kind_sql(db, meaning, cell, kind_label) else cell
  }, "")
  join <- character()
  if (!is.null(products) && "product" %in% named) {
    more <- setdiff(names(products$attributes), named)
    first <- !duplicated(products$id)
    values <- lapply(
      products$attributes[first, more, with = FALSE], \(x) ifelse(is_blank(x), NA, as.character(x))
    )
    send_table(db, "products", c(list(product = products$id[first]), unname_as("a", values)))
    columns[more] <- vapply(paste0("p.a", seq_along(more)), \(cell) {
      kind_sql(db, meaning, cell, kind_label)
    }, "")
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
  if (!is.null(meaning$kinds)) {
    columns[["line_kind"]] <- kind_sql(db, meaning)
    if (".quantity" %in% names(columns)) {
      columns[[".quantity"]] <- sprintf(
        "CASE WHEN %s = 'goods' THEN %s END", columns[["line_kind"]], columns[[".quantity"]]
      )
    }
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
    db, "sold", "SELECT ",
    all_named("k", c("place", "customer", "order_id", "day", "seconds", "units")),
    sprintf(", %s AS l%d", lines$columns, seq_along(names)),
    " FROM ", db$named("kept"), " k JOIN ", db$named("rows"), " r ON r.place = k.place", lines$join
  )
  unknown <- stage_derived_cost(db, names, meaning, intake)
  if (derives_cost(meaning)) names <- union(names, ".cost")
  moved <- stage_returns(db, names, meaning)
  stage_orders(db, names, meaning)
  c(list(names = names, unknown_cost = unknown, cost = ".cost" %in% names), moved, ask_workspace(
    db, "SELECT COALESCE(SUM(CASE WHEN order_id = '' THEN 1 ELSE 0 END), 0) AS no_id FROM ",
    db$named("sold"), by = character()
  ))
}

# Cost by sales or by the cost of a piece, worked out here for each combination of what makes it.
stage_derived_cost <- function(db, names, meaning, intake) {
  if (!derives_cost(meaning) || ".cost" %in% names) return(0L)
  attribute <- meaning$unit_cost %||% meaning$cost_rate
  check_columns_exist(attribute, names, "the lines and products")
  read <- c(attribute, intersect(
    c(if (!is.null(meaning$unit_cost)) ".quantity", "line_kind"), names
  ))
  cells <- paste0("l", match(read, names))
  keys <- paste0("k", seq_along(read))
  found <- ask_workspace(
    db, "SELECT units, ", paste0(cells, " AS ", keys, collapse = ", "), ", COUNT(*) AS n FROM ",
    db$named("sold"), " GROUP BY units, ", paste(cells, collapse = ", "), by = c("units", keys)
  )
  texts <- stats::setNames(lapply(keys, \(key) as.character(found[[key]])), read)
  other <- if ("line_kind" %in% read) texts$line_kind != "goods"
  if (!is.null(other)) texts[[attribute]][other] <- NA # a label stands there
  lines <- c(list(sales = found$units, .kind = as.integer(other)), lapply(texts, code_column))
  if (is.null(other)) lines$.kind <- NULL
  costs <- derived_costs(lines, meaning, intake)
  send_table(db, "costs", c(
    list(of_units = found$units),
    stats::setNames(lapply(keys, \(key) as.character(found[[key]])), keys),
    list(cost = costs$cost)
  ))
  wide <- paste0("l", length(names) + 1L)
  same <- vapply(seq_along(keys), \(k) {
    sprintf(db$dialect$same, paste0("c.", keys[[k]]), paste0("s.", cells[[k]]))
  }, "")
  make_table(
    db, "sold_with_cost", "SELECT s.*, c.cost AS ", wide, " FROM ", db$named("sold"), " s JOIN ",
    db$named("costs"), " c ON c.of_units = s.units AND ", paste(same, collapse = " AND ")
  )
  make_table(db, "sold", "SELECT * FROM ", db$named("sold_with_cost"))
  drop_tables(db, "sold_with_cost")
  sum(found$n[costs$unknown])
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
  goods <- goods_sql(names)
  named <- if (is.na(of)) "0" else sprintf(
    "CASE WHEN units < 0%s AND l%d IS NOT NULL THEN 1 ELSE 0 END", goods, of
  )
  target <- if (linked && !is.na(of)) {
    paste0(
      " LEFT JOIN (SELECT DISTINCT customer AS t_customer, order_id AS t_order FROM ",
      db$named("sold"), " WHERE units > 0 AND order_id <> ''", goods,
      ") t ON t_customer = customer AND t_order = l", of, " AND units < 0", goods
    )
  }
  found <- if (is.null(target)) "0" else "CASE WHEN t_order IS NOT NULL THEN 1 ELSE 0 END"
  late <- paste0(
    "CASE WHEN units < 0 AND order_id <> '' AND day > start_day", goods, " THEN 1 ELSE 0 END"
  )
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
    "COALESCE(SUM(CASE WHEN units < 0", goods, " THEN 1 ELSE 0 END), 0) AS back FROM ",
    db$named("placed"),
    by = character()
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
    free_sql(meaning, "units", sign_sql("units", goods_sql(names))),
    if (!is.na(cost) && meaning$cost_per != "order") paste0(", SUM(l", cost, ") AS cost"),
    " FROM ", db$named("placed"), " GROUP BY ", key
  )
  make_table(
    db, "every_order", "SELECT ROW_NUMBER() OVER (ORDER BY customer, day, moment, ",
    sprintf(db$dialect$bytes, "key_order"), ", first_place)", db$after,
    " AS number, t.* FROM (", summed, ") t"
  )
  make_index(db, "every_order", c("customer", "key_order"))
  make_table(
    db, "every_line", "SELECT ROW_NUMBER() OVER (ORDER BY o.number, p.place)", db$after,
    " AS seat, o.number AS number, p.units AS sales, ",
    all_named("p", c("place", "customer", sprintf("l%d", seq_along(names)))), " FROM ",
    db$named("placed"), " p JOIN ",
    db$named("every_order"), " o ON o.customer = p.customer AND o.key_order = p.key_order AND ",
    "o.key_day = p.key_day AND o.alone = p.alone"
  )
  make_index(db, "every_line", "number")
}
