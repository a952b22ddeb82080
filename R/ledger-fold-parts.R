# The folded rows of a ledger in its database, fetched part by part.

# The rows come from the workspace in parts of so many orders, when a reduction has no SQL.
rows_of_part <- 500000

database_parts <- function(ledger) {
  db <- ledger$db
  found <- ask_workspace(
    db, "SELECT customer, COUNT(*) AS n FROM ", db$named("orders"),
    " GROUP BY customer ORDER BY customer", sort = "customer"
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
    db, "SELECT * FROM ", db$named("orders"), mine, " ORDER BY customer, number",
    sort = c("customer", "number")
  )
  lines <- ask_workspace(
    db, "SELECT number, sales", sprintf(", %s", ledger$line_cells[names]), " FROM ",
    db$named("lines"), mine, " ORDER BY customer, seat"
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
  if (length(db$cons) > 1L) data.table::setorderv(lines, "number")
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
      if (!is.null(orders$cost)) list(cost = as.double(orders$cost)),
      if (!is.null(orders$free)) list(free = as.integer(orders$free))
    ),
    lines = data.table::setcolorder(lines, c("sales", names, "number")),
    before = list(
      customer = as.integer(before$customer) - low + 1L,
      day = as.integer(before$day),
      sales = as.double(before$sales),
      n_lines = as.integer(before$n_lines),
      free = if (!is.null(before$free)) as.integer(before$free)
    ) |> Filter(f = Negate(is.null))
  )
}
