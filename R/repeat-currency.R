# Growth as it was, and as it would have been had the rates stayed.

#' Growth at constant currency
#'
#' Sales of a time are converted anew, with the rates of the earlier one: for each currency the rate
#' at which the earlier time's sales were converted on the whole. What is left between both is what
#' the rates did.
#'
#' @param ledger `[nubrek_ledger]`
#' @param currency `[character(1)]` A column of the lines that says in which currency each was paid,
#'   kept as an attribute: `column_map(currency = "paid_in", attributes = c(paid_in = "paid_in"))`.
#' @param during,against `[character]` Two parts of time, as in [sales_by()].
#' @param rates `[nubrek_rates]` From [currency_rates()]; default those that the ledger was opened
#'   with.
#' @return A `nubrek_constant_currency`, one row per currency, the most sales first, then one of all
#'   (`"(all)"`): `currency`; `sales_before`, `sales`, in home currency as converted; `rate_before`,
#'   `rate_now`, home units for one of it; `sales_constant`, sales at the earlier rates; `change`,
#'   `change_constant`, `from_rates` (`change = change_constant + from_rates`); `growth`,
#'   `growth_constant`, by the sales before. A currency without sales before keeps its own rate.
#' @examples
#' orders <- data.frame(
#'   who = c("A", "B", "A", "B"), receipt = 1:4, paid = c(10, 100, 10, 110),
#'   day = as.Date(c("2024-03-01", "2024-03-02", "2025-03-01", "2025-03-02")),
#'   paid_in = c("EUR", "DKK", "EUR", "DKK")
#' )
#' rates <- currency_rates(data.frame(
#'   date = c("2024-01-01", "2025-01-01"), currency = "DKK", rate = c("0.130", "0.140")
#' ))
#' ledger <- open_ledger(orders, column_map(
#'   "who", "day", "receipt", "paid", currency = "paid_in", attributes = c(paid_in = "paid_in")
#' ), meanings(currency = "EUR"), rates = rates)
#' constant_currency(ledger, "paid_in", "2025", "2024")
#' @export
constant_currency <- function(
  ledger, currency, during, against, rates = ledger$source$rates
) {
  check_ledger(ledger)
  check_line_column(currency, ledger)
  if (is.null(rates)) {
    abort_nubrek(c(
      "The ledger was opened without rates.", "i" = "Give them: {.fn currency_rates}."
    ), "currency")
  }
  throw_unless(checkmate::check_class(rates, "nubrek_rates"), "rates", rlang::current_env())
  now <- read_during(during, ledger)
  before <- earlier_span(against, now, ledger)
  rows <- paid_in(ledger, currency, rates)
  sums <- \(span) rows[day >= as.integer(span$from) & day <= as.integer(span$until), .(
    units = sum(units), foreign = sum(units / rate)
  ), keyby = place]
  a <- sums(before)
  b <- sums(now)
  names <- sort(unique(c(a$place, b$place)), method = "radix")
  if (length(names) == 0L) abort_nubrek("Nobody bought in either time.", "no_purchases")
  of <- \(table, column) {
    found <- table[[column]][match(names, table$place)]
    ifelse(is.na(found), 0, found)
  }
  rate_before <- of(a, "units") / of(a, "foreign")
  rate_now <- of(b, "units") / of(b, "foreign")
  at <- ifelse(is.finite(rate_before), rate_before, rate_now)
  constant <- ifelse(of(b, "foreign") == 0, 0, of(b, "foreign") * at)
  table <- data.table(
    currency = names, before = of(a, "units"), now = of(b, "units"), rate_before, rate_now, constant
  )[order(-now, currency)]
  table <- rbind(table, list("(all)", sum(table$before), sum(table$now), NA, NA, sum(constant)))
  constant <- round(table$constant)
  new_result(
    list(
      currency = table$currency,
      sales_before = major(ledger, table$before),
      sales = major(ledger, table$now),
      rate_before = ifelse(is.finite(table$rate_before), table$rate_before, NA_real_),
      rate_now = ifelse(is.finite(table$rate_now), table$rate_now, NA_real_),
      sales_constant = major(ledger, constant),
      change = major(ledger, table$now - table$before),
      change_constant = major(ledger, constant - table$before),
      from_rates = major(ledger, table$now - constant),
      growth = ifelse(table$before > 0, table$now / table$before - 1, NA_real_),
      growth_constant = ifelse(table$before > 0, constant / table$before - 1, NA_real_)
    ),
    "constant_currency",
    ledger,
    rbind(carried(ledger), so_far_remark(now, before)),
    basis = list(
      column = currency, during = c(now$from, now$until), against = c(before$from, before$until),
      kinds = c(rate_before = "number", rate_now = "number")
    )
  )
}

# Lines with the currency they were paid in and the rate that converted them; home money is 1.
paid_in <- function(ledger, currency, rates) {
  rows <- lines_by(ledger, currency)
  rows[, place := toupper(trim_text(place))]
  rows[place %in% c("", "(MISSING)"), place := ledger$currency]
  rows <- rows[, .(units = sum(units)), keyby = .(place, day)]
  rows[, rate := 1]
  rows[place != ledger$currency, rate := as.double(rate_of(rates, place, day))]
  unknown <- unique(rows$place[is.na(rows$rate)])
  if (length(unknown) > 0L) {
    abort_nubrek(c(
      "There is no rate for {.val {unknown[[1L]]}}.", "i" = "Add it to the rates."
    ), "currency")
  }
  rows
}
