# What an offer to a group trades.

#' What an offer brings in against what it costs in staying
#'
#' A group of customers won by an offer (a first discount, say) may be worth less than the others;
#' it pays when it brings in so many more.
#'
#' @param value `[nubrek_value_by]` From [value_by()], by what was offered.
#' @param base `[character(1)]` The group without the offer; default the largest.
#' @return A data frame, one row per other group: the group; `value`, `base_value`; `more_needed`,
#'   the share of additional customers that makes up for the difference (negative where the group is
#'   worth more); `conversion`, `base_conversion`, `more_won`, the share of additional customers
#'   that it did win of as many registered; `pays`, whether that is enough. The last four are
#'   missing where conversion is not known.
#' @examples
#' \donttest{
#' ledger <- open_ledger(
#'   system.file("pellmere", "order-lines.csv.gz", package = "nubrek"),
#'   column_map(
#'     "customer_no", "sold_at", order = "receipt", sales = "net_amount", currency = "currency",
#'     channel = "sold_in"
#'   ),
#'   meanings(currency = "EUR", history_start = "2023-01-01")
#' )
#' offer_trade(value_by(ledger, "first_channel", money = economics(0.48)))
#' }
#' @export
offer_trade <- function(value, base = NULL) {
  throw_unless(checkmate::check_class(value, "nubrek_value_by"), "value", rlang::current_env())
  grouped_by <- basis_of(value, "by")
  rows <- plain_table(value)
  base <- base %||% rows[[grouped_by]][[which.max(rows$customers)]]
  check_choice(base, rows[[grouped_by]])
  worth <- rows[[if (basis_of(value, "money") == "sales") "sales" else "value"]]
  place <- rows[[grouped_by]] == base
  conversion <- rows$conversion
  needed <- worth[place] / worth[!place] - 1
  won <- conversion[!place] / conversion[place] - 1
  result <- c(stats::setNames(list(rows[[grouped_by]][!place]), grouped_by), list(
    value = worth[!place],
    base_value = rep(worth[place], sum(!place)),
    more_needed = needed,
    conversion = conversion[!place],
    base_conversion = rep(conversion[place], sum(!place)),
    more_won = won,
    pays = won > needed
  ))
  side_table(
    result,
    "offer_trade",
    value,
    c(
      value = "money", base_value = "money", more_needed = "share", conversion = "share",
      base_conversion = "share", more_won = "share"
    )
  )
}
