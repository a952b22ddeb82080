# After which first goods customers come back, held against those who are alike.

#' @param within `[integer(1)]` Days in which the second purchase counts as come back. Default 365.
#' @param adjust `[character]` Customer attributes in which customers are held against those alike,
#'   beside the month of the first purchase. Default the first channel, where there is one.
#' @return `first_products()`: a `nubrek_first_products`, one row per label of the first purchase,
#'   most customers first: `first`; `customers`; `back` of them so far; `share` back by `within`
#'   days (Kaplan and Meier), `lower`, `upper`; `rate_ratio`, how many times as fast they come back
#'   as others who began in the same month and are alike in `adjust` (Peto's estimate from the
#'   stratified log-rank), `ratio_lower`, `ratio_upper`; `adjusted_p` (Benjamini and Hochberg),
#'   missing below `at_least` customers.
#' @references Yusuf, Peto, Lewis, Collins, Sleight (1985), Beta blockade during and after
#'   myocardial infarction: the one-step ratio of hazards.
#' @rdname product_steps
#' @export
first_products <- function(
  ledger, by = goods_of(ledger), within = 365L, adjust = first_channel_of(ledger), basket = FALSE,
  at_least = 30L
) {
  check_ledger(ledger)
  check_whole(within, lower = 1L)
  check_whole(at_least, lower = 1L)
  found <- first_and_second(ledger, by, basket)
  people <- people_alike(ledger, reduce_waits(ledger, 2L), adjust)
  first <- labels_of_purchase(found, 1L)[, .(customer, label)]
  rows <- people[first, on = "customer", nomatch = NULL]
  each <- beside_alike(rows, at_least)
  curves <- rows[, at_days(time, event, within), keyby = label]
  each <- cbind(each, curves[, .(share, lower, upper)])
  each <- each[order(-customers, found$labels[label])]
  new_result(
    list(
      first = found$labels[each$label],
      customers = each$customers,
      back = each$back,
      share = each$share,
      lower = each$lower,
      upper = each$upper,
      rate_ratio = exp(each$log_ratio),
      ratio_lower = exp(each$log_ratio - each$off),
      ratio_upper = exp(each$log_ratio + each$off),
      adjusted_p = each$p
    ),
    "first_products",
    ledger,
    rbind(carried(ledger, c("as of", "history start")), found$remarks),
    basis = list(
      by = by, within = within, adjust = adjust, basket = basket, at_least = at_least,
      kinds = c(back = "count", adjusted_p = "p")
    )
  )
}

# The default of `adjust`: the channel of the first purchase, where the ledger has channels.
first_channel_of <- function(ledger) intersect("first_channel", attribute_names(ledger))

# Who waits for the second purchase (`waits`), beside those who began in the same month and are
# alike in `adjust`: `customer`, `event`, `time`, the hazard of their stratum.
people_alike <- function(ledger, waits, adjust) {
  alike <- if (length(adjust) > 0L) group_of(ledger, adjust)[waits$code] else list()
  people <- data.table(
    customer = waits$code, event = !is.na(waits$nth), time = time_waited(waits, ledger)
  )
  people[, stratum := data.table::frankv(
    c(list(label_of_day(waits$first, "month")), unname(as.list(alike))), ties.method = "dense"
  )]
  with_hazard(people)
}

# Each `label` of some of these people against all in their strata: `customers`, `back` and
# `expected`, the log of the rate ratio with half of its interval (`off`), and `p` over all labels
# of `at_least` customers.
beside_alike <- function(rows, at_least) {
  data.table::setorderv(rows, c("label", "stratum", "time"), c(1L, 1L, -1L))
  rows[, rank := seq_len(.N), by = .(label, stratum)]
  # ties in time share the risk set: all of them count as there
  rows[, rank := max(0L, rank), by = .(label, stratum, time)]
  rows[, ties := .N, by = .(label, stratum, time)]
  each <- rows[, .(
    customers = .N, back = sum(event), expected = sum(hazard),
    variance = sum(w1) - sum(w2 * (2 * rank - ties))
  ), keyby = label]
  # where all have the same label nothing varies, but for rounding
  each[variance < 1e-9, variance := 0]
  each[, log_ratio := ifelse(variance > 0, (back - expected) / variance, NA_real_)]
  each[, off := stats::qnorm(0.975) / sqrt(variance)]
  each[, p := ifelse(
    customers >= at_least & variance > 0,
    2 * stats::pnorm(-abs(back - expected) / sqrt(variance)), NA_real_
  )]
  each[, p := stats::p.adjust(p, "BH")]
  each[]
}

# For each of `people` (stratum, time, event) what the pooled hazard of the stratum lets expect up
# to the time, and the terms of the log-rank variance: `w1` sums d (n - d) / (n - 1) / n, `w2` the
# same by n squared. On equal days events come before those who were seen no longer.
with_hazard <- function(people) {
  times <- people[, .(d = sum(event), n = .N), keyby = .(stratum, time)]
  times[, n := rev(cumsum(rev(n))), by = stratum]
  times[, spread := ifelse(n > 1, d * (n - d) / (n - 1), 0)]
  times[, c("hazard", "w1", "w2") := list(
    cumsum(d / n), cumsum(spread / n), cumsum(spread / as.double(n)^2)
  ), by = stratum]
  times[, c("d", "n", "spread") := NULL]
  times[people, on = c("stratum", "time")]
}

# The share with the event by some day (Kaplan and Meier), missing beyond the longest time.
at_days <- function(time, event, days) {
  if (max(-1, time) < days) return(list(share = NA_real_, lower = NA_real_, upper = NA_real_))
  curve <- one_curve(time, event)
  at <- findInterval(days, curve$days) + 1L
  list(
    share = c(0, curve$share)[[at]],
    lower = c(NA_real_, curve$lower)[[at]],
    upper = c(NA_real_, curve$upper)[[at]]
  )
}
