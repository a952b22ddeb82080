# A slice of a ledger in its database: tables of its own beside those of the whole, which go when
# the slice goes.

#' @export
cut_ledger.nubrek_database <- function(ledger, lines, chosen, from, until) {
  if (is.null(sql_store(ledger))) return(NextMethod())
  db <- ledger$db
  own <- slice_workspace(db)
  inside <- paste0("o.day BETWEEN ", as.integer(from), " AND ", as.integer(until))
  if (!is.null(chosen)) {
    send_table(db, "chosen", list(customer = which(chosen)))
    inside <- paste0(inside, " AND o.customer IN (SELECT customer FROM ", db$named("chosen"), ")")
  }
  if (length(lines) > 0L) inside <- paste(inside, "AND", lines_where(ledger, lines))
  whole <- reduce_sums(ledger, "orders")
  make_table(
    own, "lines", "SELECT ", all_named(
      "l", c("seat", "number", "sales", "place", "customer", ledger$line_cells)
    ), " FROM ", db$named("lines"), " l JOIN ", db$named("orders"),
    " o ON o.number = l.number WHERE ", inside
  )
  make_index(own, "lines", "number")
  make_index(own, "lines", c("customer", "seat"))
  cost <- ".cost" %in% ledger$line_names
  # the cost of an order cannot be split among its lines
  if (length(lines) > 0L && cost && ledger$meaning$cost_per != "line") {
    cost <- FALSE
    ledger$line_names <- setdiff(ledger$line_names, ".cost")
  }
  make_table(
    own, "orders", "SELECT t.*, ", purchase_places(db, "number", purchase_sql(ledger)),
    " FROM (SELECT ",
    all_named("o", c("number", "customer", "day", "order_id")), ", ",
    all_named("s", bought_columns(ledger)), ", s.n_lines AS n_lines",
    if (cost) paste0(", ", all_named(if (length(lines) > 0L) "s" else "o", "cost")), " FROM ",
    db$named("orders"), " o JOIN (SELECT number, SUM(sales) AS sales, COUNT(*) AS n_lines",
    free_sql(ledger$meaning, "sales", sign_sql("sales", goods_sql(names(ledger$line_cells)))),
    if (cost) paste0(", SUM(", line_cell(ledger, ".cost"), ") AS cost"), " FROM ",
    own$named("lines"), " GROUP BY number) s ON s.number = o.number) t"
  )
  make_index(own, "orders", c("customer", "number"))
  make_days(own, purchase_sql(ledger))
  ledger$db <- own
  left <- reduce_sums(ledger, "orders")
  outside <- list(sales = whole$sales - left$sales, n_lines = whole$n_lines - left$n_lines)
  ledger$outside <- if (is.null(ledger$outside)) outside else Map(`+`, outside, ledger$outside)
  ledger$parts <- database_parts(ledger)
  ledger
}

#' @export
only_customers.nubrek_database <- function(ledger, codes) {
  if (is.null(sql_store(ledger))) return(NextMethod())
  db <- ledger$db
  own <- slice_workspace(db, "days")
  send_table(db, "chosen", list(customer = sort(unique(codes))))
  make_table(
    own, "days", "SELECT d.* FROM ", db$named("days"), " d WHERE customer IN (SELECT customer ",
    "FROM ", db$named("chosen"), ")"
  )
  make_index(own, "days", c("customer", "day"))
  ledger$db <- own
  ledger
}

# Names of a slice's own; the tables go when nothing names them any more.
slice_workspace <- function(db, mine = c("orders", "lines", "days")) {
  mark <- basename(tempfile("part_"))
  own <- db
  own$named <- \(name, ...) {
    db$named(if (name %in% mine) paste(name, mark, sep = "_") else name, ...)
  }
  # a finalizer may run in the middle of a query: it only says what may go
  said <- list(shared = db$shared, tables = vapply(mine, own$named, ""))
  own$alive <- new.env()
  own$alive$above <- db$alive
  reg.finalizer(own$alive, \(gone) {
    assign("tables", c(said$shared$tables, said$tables), said$shared)
  })
  own
}
