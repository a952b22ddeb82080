# How much is bought on discount, and what becomes of those who began with one.

#' What becomes of customers by the discount of their first order
#'
#' An order is on discount where its discount is at least the first of `breaks` of what it would
#' have cost without.
#'
#' @param ledger `[nubrek_ledger]` With a `discount` among its columns.
#' @param breaks `[double]` Ascending shares; reaching one reaches the group from there on. Default
#'   5 % and 15 %.
#' @param within `[integer(1)]` Days in which a second purchase counts as come back. Default 365.
#' @return A `nubrek_discounts`, one row per group, the lowest discount first: `first_discount`;
#'   `customers`; `share` back within the days (Kaplan and Meier) with `lower` and `upper`;
#'   `rate_ratio`, how many times as fast they come back as all who began in the same month and
#'   channel, `ratio_lower`, `ratio_upper`, `adjusted_p`, as in [first_products()];
#'   `later_purchases`; `full_price`, the share of these that were on no discount; `mean_first`,
#'   `mean_later`, net sales of the first and of later purchases; `sales_per_customer`, all their
#'   net sales so far. In its basis `on_discount`, the share of all purchases on discount.
#'   Who takes discounts differs from others in more than month and channel: what they would have
#'   done without is not known from orders alone.
#' @section Errors: `nubrek_error_attribute`: the ledger knows no discounts.
#' @examples
#' orders <- data.frame(
#'   who = c("A", "B", "A"), day = as.Date("2025-01-01") + c(0, 1, 9), receipt = 1:3,
#'   paid = c(8, 10, 10), off = c(2, 0, 0)
#' )
#' ledger <- open_ledger(orders, column_map(
#'   "who", "day", "receipt", "paid", discount = "off"
#' ), meanings(currency = "EUR"))
#' discount_starts(ledger, within = 5)
#' @export
discount_starts <- function(ledger, breaks = c(0.05, 0.15), within = 365L) {
  check_ledger(ledger)
  check_whole(within, lower = 1L)
  throw_unless(checkmate::check_numeric(
    breaks, lower = 0.001, upper = 1, min.len = 1L, any.missing = FALSE, sorted = TRUE,
    unique = TRUE
  ), "breaks", rlang::current_env())
  check_discounts(ledger)
  check_purchases(ledger)
  habits <- reduce_discounts(ledger, breaks[[1L]])
  w <- reduce_waits(ledger, 2L)
  group <- findInterval(habits$first_share[w$code], breaks) + 1L
  people <- data.table(
    group, time = time_waited(w, ledger), event = !is.na(w$nth), habits[w$code]
  )
  rows <- people[!is.na(group), c(
    list(customers = .N), at_days(time, event, within),
    list(
      n_later = sum(later), full_price = sum(later - later_off) / sum(later),
      mean_first = sum(first_sales) / .N, mean_later = sum(later_sales) / sum(later),
      sales_per_customer = sum(net) / .N
    )
  ), keyby = group]
  adjust <- first_channel_of(ledger)
  alike <- people_alike(ledger, w, adjust)
  each <- beside_alike(alike[, label := group][!is.na(group)], few_customers)
  each <- each[match(rows$group, label)]
  words <- discount_words(breaks)
  known <- \(x) ifelse(is.finite(x), x, NA_real_)
  new_result(
    list(
      first_discount = words[rows$group],
      customers = rows$customers,
      share = rows$share,
      lower = rows$lower,
      upper = rows$upper,
      rate_ratio = exp(each$log_ratio),
      ratio_lower = exp(each$log_ratio - each$off),
      ratio_upper = exp(each$log_ratio + each$off),
      adjusted_p = each$p,
      later_purchases = rows$n_later,
      full_price = known(rows$full_price),
      mean_first = major(ledger, rows$mean_first),
      mean_later = known(major(ledger, rows$mean_later)),
      sales_per_customer = major(ledger, rows$sales_per_customer)
    ),
    "discounts",
    ledger,
    rbind(carried(ledger, c("as of", "history start")), known_earlier_remark(sum(w$known))),
    basis = list(
      breaks = breaks, within = within, on_discount = sum(habits$off) / sum(habits$bought),
      adjust = adjust,
      kinds = c(later_purchases = "count", adjusted_p = "p")
    )
  )
}

check_discounts <- function(ledger, call = rlang::caller_env()) {
  if (".discount" %in% line_names(ledger)) return(invisible(ledger))
  abort_nubrek(c(
    "The ledger knows no discounts.", "i" = "Map them: {.code column_map(discount = )}."
  ), "attribute", call = call)
}

discount_words <- function(breaks) {
  percent <- paste(format(100 * breaks, trim = TRUE, drop0trailing = TRUE), "%")
  c(
    paste("below", percent[[1L]]),
    if (length(breaks) > 1L) paste(utils::head(percent, -1L), "to", percent[-1L]),
    paste(utils::tail(percent, 1L), "or more")
  )
}
