#' A small ledger for examples
#'
#' Twelve made-up customers of Pellmere Yarn Company over fourteen months, with a return, a
#' cancelled order, a repeated row, a row without a customer, and a customer whose repeat fell on
#' the first day.
#'
#' @param ... Passed to [meanings()].
#' @return A `nubrek_ledger`.
#' @examples
#' example_ledger()
#' customers(example_ledger(purchase_unit = "day"))
#' @export
example_ledger <- function(...) {
  open_ledger(
    example_orders(),
    column_map(
      customer = "customer",
      order = "receipt",
      date = "day",
      sales = "amount",
      channel = "shop",
      attributes = c(state = "state")
    ),
    meanings(
      currency = "EUR", cancelled = order_rule("state", "cancelled"), consent = "not recorded", ...
    )
  )
}

example_orders <- function() {
  text <- "customer receipt day amount shop
    P01 1 2024-01-03 20.00 Web | P01 2 2024-02-10 35.50 Web | P01 3 2024-05-20 12.00 Mill
    P01 4 2024-11-02 48.00 Web | P02 5 2024-01-15 15.25 Mill | P03 6 2024-01-20 60.00 Web
    P03 7 2024-01-20 5.00 Web | P04 8 2024-02-02 22.00 Mill | P04 9 2024-03-02 18.00 Mill
    P04 10 2024-04-06 -18.00 Mill | P05 11 2024-02-29 75.10 Web | P05 12 2024-08-30 64.90 Web
    P05 13 2025-02-01 80.00 Web | P06 14 2024-03-11 9.99 Mill | P07 15 2024-03-28 31.00 Web
    P07 16 2024-06-28 29.00 Web | P08 17 2024-04-04 44.00 Quay | P09 18 2024-05-05 27.30 Quay
    P09 19 2024-05-25 27.30 Quay | P09 20 2024-06-14 27.30 Quay | P09 21 2024-07-04 27.30 Quay
    P10 22 2024-08-08 120.00 Web | P11 23 2024-10-31 16.80 Mill | P11 24 2024-12-24 51.20 Mill
    P12 25 2025-01-06 38.40 Web | P12 25 2025-01-06 38.40 Web | . 26 2025-01-07 11.00 Mill
    P02 27 2025-01-08 14.00 Mill"
  rows <- trimws(strsplit(gsub("\n", "|", sub("^[^\n]*\n", "", text)), "|", fixed = TRUE)[[1L]])
  cells <- do.call(rbind, strsplit(rows[rows != ""], " +"))
  result <- as.data.frame(cells)
  names(result) <- c("customer", "receipt", "day", "amount", "shop")
  result$customer[result$customer == "."] <- ""
  result$state <- ifelse(result$receipt == "27", "cancelled", "paid")
  result
}
