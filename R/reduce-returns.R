# What was sold and what was returned, of goods alone.

# Per customer code, in the currency's smallest unit: sales of the lines above 0, returns (without
# their sign) of those below, and who has an order.
reduce_returns <- function(ledger) UseMethod("reduce_returns")

#' @export
reduce_returns.nubrek_ledger <- function(ledger) {
  by_customer(ledger, \(part, codes) {
    n <- n_customers(part)
    whose <- part$orders$customer[part$lines$number]
    above <- part$lines$sales > 0
    goods <- goods_lines(part$lines)
    sum_of <- \(lines) cpp_group_sums(
      as.double(part$lines$sales[lines]), whose[lines], 0L, n
    )$sums
    list(
      gross = sum_of(which(above & goods)), returned = -sum_of(which(!above & goods)),
      seen = tabulate(part$orders$customer, n) > 0L
    )
  })
}

# The same by the values of a column of the lines, with the customers who bought there and the sums
# of squares and products over customers (lines without one: over orders).
reduce_returns_by <- function(ledger, by) UseMethod("reduce_returns_by")

#' @export
reduce_returns_by.nubrek_ledger <- function(ledger, by) {
  sums <- data.table::rbindlist(each_part(ledger, \(part, codes) {
    lines <- part$lines
    customer <- part$orders$customer[lines$number]
    whose <- ifelse(is.na(customer), -lines$number, customer)
    rows <- data.table(group = with_missing(lines[[by]]), units = lines$sales, whose)[
      rep_len(goods_lines(lines), nrow(lines))
    ]
    each <- rows[,
      .(gross = sum(units[units > 0]), returned = -sum(units[units < 0]), bought = any(units > 0)),
      by = .(group, whose)
    ]
    each[, c(
      .(customers = data.table::uniqueN(pmax(whose[bought], 0L))), returns_sums(gross, returned)
    ), by = group]
  }))
  sums[, lapply(.SD, sum), keyby = group]
}

returns_sums <- function(gross, returned) {
  list(
    gross = sum(gross), returned = sum(returned), gross2 = sum(gross^2),
    product = sum(gross * returned), returned2 = sum(returned^2)
  )
}
