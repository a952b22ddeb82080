# What is asked of the lines of a ledger in its database.

# A column of the lines in the workspace.
line_cell <- function(ledger, name) {
  ledger$line_cells[[name]]
}

# What is asked only of goods, over lines `l`.
goods_of_lines <- function(ledger) goods_sql(names(ledger$line_cells), "l.l")
free_of_lines <- function(ledger) {
  free_sql(ledger$meaning, "l.sales", sign_sql("l.sales", goods_of_lines(ledger)))
}

#' @export
reduce_values.nubrek_database <- function(ledger, name) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  as.character(ask_workspace(
    db, "SELECT DISTINCT ", line_cell(ledger, name), " AS value FROM ", db$named("lines"),
    by = "value"
  )$value)
}

# Conditions on line columns by their values (`wanted`, a list by column), over lines `l`.
lines_where <- function(ledger, wanted) {
  one <- vapply(names(wanted), \(name) {
    cell <- paste0("l.", line_cell(ledger, name))
    texts <- as.character(wanted[[name]])
    said <- setdiff(texts, "(missing)")
    c <- c(
      if (length(said) > 0L) {
        sprintf("%s IN (%s)", cell, paste(db_text(ledger$db, said), collapse = ", "))
      },
      if ("(missing)" %in% texts) paste(cell, "IS NULL")
    )
    paste0("(", paste(c, collapse = " OR "), ")")
  }, "")
  paste(one, collapse = " AND ")
}

# The text of a line column for each customer: of the largest line of the first purchase (the
# earliest of equals) or of the first order, or of the latest line.
#' @export
reduce_line_texts.nubrek_database <- function(ledger, name, which, place) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  cell <- line_cell(ledger, name)
  found <- if (which == "latest") {
    ask_workspace(
      db, "SELECT l.customer, l.", cell, " AS value FROM ", db$named("lines"),
      " l JOIN (SELECT MAX(seat) AS seat FROM ", db$named("lines"),
      " GROUP BY customer) m ON m.seat = l.seat"
    )
  } else {
    ask_workspace(
      db, "SELECT customer, value FROM (SELECT l.customer AS customer, l.", cell,
      " AS value, ROW_NUMBER() OVER (PARTITION BY l.customer ORDER BY ",
      if ("line_kind" %in% names(ledger$line_cells)) {
        paste0("CASE WHEN l.", line_cell(ledger, "line_kind"), " = 'goods' THEN 0 ELSE 1 END, ")
      },
      "l.sales DESC, l.seat) AS nth FROM ", db$named("lines"),
      " l JOIN (SELECT MIN(number) AS number FROM ",
      db$named("orders"), if (which == "first") paste(" WHERE", purchase_sql(ledger)),
      " GROUP BY customer) f ON f.number = l.number) t WHERE nth = 1"
    )
  }
  found$value <- as.character(found$value)
  at_codes(ledger, found, "value", NA_character_)
}

#' @export
reduce_first_discount.nubrek_database <- function(ledger, place) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  found <- ask_workspace(
    db, "SELECT f.customer AS customer, SUM(l.", line_cell(ledger, ".discount"), ") AS off, ",
    "SUM(l.sales) AS sales FROM ", db$named("lines"), " l JOIN (SELECT customer, MIN(number) AS ",
    "number FROM ", db$named("orders"), " WHERE ", purchase_sql(ledger),
    " GROUP BY customer) f ON f.number = l.number GROUP BY f.customer"
  )
  found$share <- share_off(as.double(found$off), as.double(found$sales) + as.double(found$off))
  at_codes(ledger, found, "share", NA_real_)
}

#' @export
reduce_lines.nubrek_database <- function(ledger, questions) {
  if (is.null(sql_store(ledger))) return(NextMethod())
  lapply(questions, \(question) ask_lines_sql(ledger, question))
}

# One question: conditions are worked out here for the distinct texts (and sales) that they read.
ask_lines_sql <- function(ledger, question) {
  db <- ledger$db
  joins <- lapply(seq_along(question$filter), \(k) {
    send_truth(ledger, question$filter[[k]], question$text, paste0("truth_", letters[[k]]))
  })
  counted <- if (question$units) send_quantities(ledger, question)
  bought <- paste0("(", purchase_sql(ledger, "money"), " AND bought = 1)")
  whole <- paste0("o.sales >= ", ledger$least, if (counts_free(ledger$meaning)) " OR o.free = 1")
  found <- ask_workspace(
    db, "SELECT customer, SUM(money) AS sales, SUM(returned) AS returned, SUM(units) AS units, ",
    if (ledger$meaning$purchase_unit == "day") {
      paste0("COUNT(DISTINCT CASE WHEN ", bought, " THEN day END)")
    } else {
      paste0("SUM(CASE WHEN ", bought, " THEN 1 ELSE 0 END)")
    },
    " AS purchases, MAX(CASE WHEN ", bought, " THEN day END) AS last FROM (",
    "SELECT ", order_columns, ", SUM(l.sales) AS money, SUM(CASE WHEN l.sales < 0",
    goods_of_lines(ledger), " THEN 1 ELSE 0 END) AS returned, SUM(",
    if (question$units) "COALESCE(q.units, 0)" else "0",
    ") AS units", free_of_lines(ledger), ", MIN(CASE WHEN ", whole,
    " THEN 1 ELSE 0 END) AS bought FROM ", db$named("lines"), " l JOIN ",
    db$named("orders"), " o ON o.number = l.number", unlist(joins), counted,
    " WHERE o.day BETWEEN ", as.integer(question$span$from), " AND ",
    as.integer(question$span$until),
    " GROUP BY o.customer, o.number, o.day) t GROUP BY customer"
  )
  list(
    sales = as.double(at_codes(ledger, found, "sales")),
    units = if (question$units) as.double(at_codes(ledger, found, "units")) else numeric(),
    purchases = as.integer(at_codes(ledger, found, "purchases", 0L)),
    last = as.integer(at_codes(ledger, found, "last", NA_integer_)),
    returned = as.integer(at_codes(ledger, found, "returned", 0L))
  )
}

# The texts for which a condition holds, sent under a name; how lines `l` find them.
send_truth <- function(ledger, condition, text, name) {
  db <- ledger$db
  read <- intersect(all.vars(condition), c("sales", line_columns(ledger)))
  cell <- \(column) if (column == "sales") "sales" else line_cell(ledger, column)
  cells <- vapply(read, cell, "")
  found <- if (length(read) > 0L) {
    ask_workspace(
      db, "SELECT DISTINCT ", paste0(cells, " AS k", seq_along(cells), collapse = ", "), " FROM ",
      db$named("lines"), by = paste0("k", seq_along(cells))
    )
  } else {
    data.table(k = 1L)
  }
  rows <- as.list(found)
  names(rows) <- if (length(read) > 0L) read else "number"
  for (column in setdiff(read, "sales")) {
    texts <- used_texts(ledger, column)
    rows[[column]] <- factor(as.character(rows[[column]]), texts)
  }
  rows$sales <- as.double(rows$sales %||% numeric(nrow(found)))
  few <- structure(list(
    lines = data.table::setDT(c(rows, list(number = seq_len(nrow(found))))[unique(c(
      names(rows), "number"
    ))]),
    decimals = ledger$decimals
  ), class = c("nubrek_memory", "nubrek_ledger"))
  test <- line_test(condition, few, text)
  code <- as.integer(test$code)
  holds <- if (is.factor(test$code)) {
    test$holds[ifelse(is.na(code), 0L, code) + 1L]
  } else {
    replace(code, is.na(code), 0L)
  }
  mine <- which(holds == 1L)
  keys <- stats::setNames(as.list(found[mine]), paste0("k", seq_along(found)))
  send_table(db, name, keys)
  if (length(read) == 0L) {
    return(paste0(
      " JOIN (SELECT 1 AS one) ", name, " ON ", if (length(mine) > 0L) "1 = 1" else "0 = 1"
    ))
  }
  paste0(" JOIN ", db$named(name), " ", name, " ON ", paste(
    sprintf(db$dialect$same, paste0(name, ".", names(keys)), paste0("l.", cells)),
    collapse = " AND "
  ))
}

send_quantities <- function(ledger, question) {
  db <- ledger$db
  cells <- if (".quantity" %in% ledger$line_names) {
    found <- ask_workspace(
      db, "SELECT DISTINCT ", line_cell(ledger, ".quantity"), " AS k FROM ", db$named("lines"),
      by = "k"
    )
    code_column(as.character(found$k[!is.na(found$k)]))
  }
  few <- list(lines = list(.quantity = cells))
  units <- quantity_units(few, list(question))
  send_table(db, "quantities", list(k = as.character(levels(cells)), units = units))
  paste0(
    " LEFT JOIN ", db$named("quantities"), " q ON q.k = l.", line_cell(ledger, ".quantity")
  )
}

#' @export
reduce_groups.nubrek_database <- function(ledger, by, spans, call = rlang::caller_env()) {
  if (is.null(db <- sql_store(ledger))) return(NextMethod())
  of_lines <- by %in% line_columns(ledger)
  who <- NULL
  cells <- stats::setNames(character(length(by)), by)
  cells[of_lines] <- sprintf(
    "COALESCE(l.%s, '(missing)')", vapply(by[of_lines], \(x) line_cell(ledger, x), "")
  )
  if (!all(of_lines)) {
    known <- group_of(ledger, by[!of_lines], call)
    send_table(db, "who", c(
      list(customer = seq_len(n_customers(ledger))), unname_as("g", as.list(known))
    ))
    make_index(db, "who", "customer")
    cells[!of_lines] <- paste0("w.g", seq_len(sum(!of_lines)))
    who <- paste0(" JOIN ", db$named("who"), " w ON w.customer = o.customer")
  }
  group <- paste0("g", seq_along(by), collapse = ", ")
  rows <- paste0(
    "(SELECT ", paste0(cells, " AS g", seq_along(by), collapse = ", "),
    ", ", order_columns, ", ", if (any(of_lines)) "l.sales" else "o.sales", " AS sales",
    if (counts_free(ledger$meaning)) paste0(
      ", ", if (any(of_lines)) sign_sql("l.sales", goods_of_lines(ledger)) else "o.free", " AS sign"
    ),
    " FROM ",
    db$named("orders"), " o",
    if (any(of_lines)) paste0(" JOIN ", db$named("lines"), " l ON l.number = o.number"), who, ") r"
  )
  labels <- if (any(of_lines)) {
    ask_workspace(db, "SELECT DISTINCT ", group, " FROM ", rows, by = paste0("g", seq_along(by)))
  } else {
    unique(known)
  }
  data.table::setnames(labels, by)
  list(
    labels = lapply(as.list(labels), as.character),
    lines = any(of_lines),
    overlap = any(of_lines) && ask_workspace(
      db, "SELECT COUNT(*) AS n FROM ", db$named("orders"), " WHERE n_lines > 1", by = character()
    )$n > 0,
    sums = lapply(spans, \(span) group_sales_sql(ledger, group, rows, span, labels))
  )
}

group_sales_sql <- function(ledger, group, rows, span, labels) {
  db <- ledger$db
  bought <- purchase_sql(ledger, "money")
  found <- ask_workspace(
    db, "SELECT ", group, ", COUNT(*) AS orders, COUNT(DISTINCT customer) AS seen, ",
    "COUNT(DISTINCT CASE WHEN ", bought, " THEN customer END) AS customers, SUM(money) AS units, ",
    if (ledger$meaning$purchase_unit == "day") {
      paste0(
        "COUNT(DISTINCT CASE WHEN ", bought, " THEN ", sprintf(
          db$dialect$pair, "customer", "day"
        ), " END)"
      )
    } else {
      paste0("SUM(CASE WHEN ", bought, " THEN 1 ELSE 0 END)")
    },
    " AS purchases FROM (SELECT ", group, ", customer, number, day, SUM(sales) AS money",
    free_sql(ledger$meaning, "sales", "sign"), " FROM ", rows, " WHERE day BETWEEN ",
    as.integer(span$from), " AND ", as.integer(span$until),
    " GROUP BY ", group, ", customer, number, day) t GROUP BY ", group,
    by = paste0("g", seq_along(labels))
  )
  place <- found[labels, on = stats::setNames(names(labels), paste0("g", seq_along(labels))),
    which = TRUE]
  of <- \(name, whole = TRUE) {
    value <- found[[name]][place]
    value[is.na(value)] <- 0
    if (whole) as.integer(value) else as.double(value)
  }
  list(
    customers = of("customers"), seen = of("seen"), orders = of("orders"),
    purchases = of("purchases"), units = of("units", FALSE)
  )
}
