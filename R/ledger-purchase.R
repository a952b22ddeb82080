# What makes an order a purchase: net sales of the minimum or more; without a minimum, of more than
# 0. Where a minimum of 0 is written, an order worth 0 counts too if it has lines of goods and none
# of them is negative (definition 65). Such an order is `free`.

counts_free <- function(meaning) identical(meaning$minimum_sales, 0)

# What an order must be worth to be a purchase, in the currency's smallest unit, unless it is free.
least_units <- function(meaning, decimals) {
  max(1, ceiling((meaning$minimum_sales %||% 0) * 10^decimals))
}

# The columns of orders that tell whether they are purchases.
bought_columns <- function(ledger) c("sales", if (counts_free(ledger$meaning)) "free")

is_purchase <- function(ledger, orders) {
  bought <- orders$sales >= ledger$least
  if (is.null(orders$free)) bought else bought | orders$free == 1L
}

# Sums of orders that are a purchase together: free where all of them are.
orders_together <- function(orders, by) {
  if (is.null(orders$free)) return(orders[, .(sales = sum(sales)), keyby = by])
  orders[, .(sales = sum(sales), free = min(free)), keyby = by]
}

# What a line says of an order worth nothing: -1 a negative line of goods, 1 other goods, 0 no
# goods. NULL where no such order counts.
free_signs <- function(ledger, lines) {
  if (!counts_free(ledger$meaning)) return(NULL)
  as.integer(goods_lines(lines)) * ifelse(lines$sales < 0, -1L, 1L)
}

# Lines (`units`, and `sign` where there is one) added up: `sales`, and whether they are `free`.
lines_together <- function(lines, by) {
  if (is.null(lines$sign)) return(lines[, .(sales = sum(units)), keyby = by])
  sums <- lines[, .(sales = sum(units), low = min(sign), high = max(sign)), keyby = by]
  sums[, free := as.integer(sales == 0 & low >= 0 & high > 0)][, c("low", "high") := NULL][]
}

# The orders with `free` beside their sales, where the meanings let such orders count.
with_free <- function(orders, lines, meaning) {
  if (!counts_free(meaning)) return(orders)
  n <- length(orders$sales)
  of <- \(some) tabulate(lines$number[some], n) > 0L
  goods <- rep_len(goods_lines(lines), length(lines$sales))
  orders$free <- as.integer(
    orders$sales == 0 & of(goods) & !of(goods & lines$sales < 0)
  )
  orders
}

# The same as SQL: what is a purchase, by its `money`; the sign of a line, of its `money` and a
# condition that goods fulfil (see `goods_sql()`); the column `free` of sums over lines.
purchase_sql <- function(ledger, money = "sales") {
  bought <- paste(money, ">=", ledger$least)
  if (counts_free(ledger$meaning)) paste0("(", bought, " OR free = 1)") else bought
}

sign_sql <- function(money, goods) {
  sign <- paste0("CASE WHEN ", money, " < 0 THEN -1 ELSE 1 END")
  if (goods == "") return(sign)
  paste0("CASE WHEN", sub("^ AND", "", goods), " THEN ", sign, " ELSE 0 END")
}

free_sql <- function(meaning, money, sign) {
  if (!counts_free(meaning)) return(NULL)
  paste0(
    ", CASE WHEN SUM(", money, ") = 0 AND MIN(", sign, ") >= 0 AND MAX(", sign,
    ") > 0 THEN 1 ELSE 0 END AS free"
  )
}
