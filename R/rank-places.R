# Who is ranked within an attribute of the lines: what was bought there, not whole customers
# (definition 61).

# Of each customer and place with a purchase there in a part of time, what `spanned()` says of a
# customer, by what was bought there; the `code` of each row's group with its `labels`, and of each
# group the money of all lines (`total`). `whole` is the customer's money everywhere in that time.
spanned_places <- function(ledger, during, within, call = rlang::caller_env()) {
  check_purchases(ledger, call)
  span <- read_during(during, ledger, call = call)
  everywhere <- reduce_span(ledger, span, FALSE)
  groups <- reduce_group_orders(ledger, within, call)
  orders <- ledger_rows(ledger, "orders", c("customer", "day"))
  at <- match(groups$order, orders$row)
  lines <- data.table(
    group = groups$code, customer = orders$customer[at], order = groups$order, units = groups$units,
    day = orders$day[at], sign = groups$sign
  )[!is.na(customer) & day >= as.integer(span$from) & day <= as.integer(span$until)]
  labels <- ordered_labels(ledger, groups$labels)
  lines[, group := labels$place[group]]
  rows <- bought_there(lines, ledger)
  if (nrow(rows) == 0L) {
    abort_nubrek("Nobody has made a purchase in {.arg during}.", "no_purchases", call = call)
  }
  total <- cpp_group_sums(lines$units, lines$group, 0L, length(labels$labels[[1L]]))$sums
  unit <- 10^ledger$decimals
  list(
    codes = rows$customer,
    m = rows,
    span = span,
    ids = ledger_ids(ledger)[rows$customer],
    measure = \(name) customer_measures[[name]](rows, unit, as.integer(span$until)),
    units = rows$sales,
    group = rows$group,
    labels = labels$labels,
    total = total,
    whole = everywhere$sales[rows$customer]
  )
}

# Money, orders and purchases of each customer in each group; rows only of those with a purchase.
bought_there <- function(lines, ledger) {
  each <- lines_together(lines, c("group", "customer", "day", "order"))
  bought <- each[is_purchase(ledger, each)]
  if (ledger$meaning$purchase_unit == "day") {
    bought <- unique(bought, by = c("group", "customer", "day"))
  }
  rows <- bought[, .(purchases = .N, last = max(day)), keyby = .(group, customer)]
  sums <- each[, .(sales = sum(sales), orders = .N), keyby = .(group, customer)]
  rows[sums, on = c("group", "customer"), nomatch = NULL]
}

# Labels in their own order, each once, and where each of those given stands among them.
ordered_labels <- function(ledger, labels) {
  keys <- lapply(names(labels), \(name) {
    words <- unique(labels[[name]])
    known <- natural_order(ledger, name) %||% sort(setdiff(words, "(missing)"), method = "radix")
    match(labels[[name]], c(known, "(missing)"))
  })
  sorted <- do.call(order, keys)
  list(labels = lapply(labels, `[`, sorted), place = order(sorted))
}

places_remark <- function(within) {
  remark_table("places", say(
    "Only what was bought there counts; a customer may stand in several groups of %s.",
    paste(gsub("_", " ", within), collapse = " and ")
  ))
}
