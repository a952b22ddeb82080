# A watch on whether customers come back: it may be looked at as often as anybody likes, and gives a
# false alarm no more often than it says.

#' Has the share of customers who come back changed?
#'
#' Of each customer it is known `within` days after the first purchase whether there was a second
#' one by then (on another day). The customers who reached that age since `from` are held against
#' those who did in the 365 days before. The evidence for a change grows and shrinks with each of
#' them; with a probability of `false_alarms` at most it is ever enough in a year in
#' which nothing has changed, whatever the number of looks, over all groups together.
#'
#' @param ledger `[nubrek_ledger]`
#' @param within `[integer(1)]` Days from the first to the second purchase, default 30.
#' @param by `[character(1)]` An attribute: its groups are watched together.
#' @param from `[Date(1) | character(1)]` The day the watch begins; it begins anew a year later.
#'   Default: the first of January of the year of the as-of day.
#' @param false_alarms `[double(1)]` False alarms a year, of all groups together.
#' @param direction `[character(1)]` `"either"` (default), `"falls"` or `"rises"`.
#' @return A `nubrek_watch`, one row per group, sorted by name: `group` (`"all"` without `by`),
#'   `customers_before`, `rate_before`; `customers`, `rate`, since `from`; `evidence`, the highest
#'   until now; `needed`; `fired` `[logical]`; `day`, on which the evidence was first enough. Groups
#'   with fewer than 30 customers before are left out, which a remark says.
#' @details The evidence is the likelihood of what was seen, of a rate that changed at the beginning
#'   of some week (each week alike, rates by Jeffreys' prior), against that of the rate of before:
#'   the least over all rates in its exact interval (Clopper and Pearson 1934), which may miss the
#'   rate with a tenth of the false alarms. By the inequality of Ville (1939) it exceeds 1/a with
#'   probability a at most, at whatever times one looks; the mixture is that of Robbins (1970).
#' @section Errors: `nubrek_error_unidentified`: no group has enough customers in the year before.
#' @examples
#' watch_returns(study_ledger(system.file("pellmere", "study.yaml", package = "nubrek")))
#' @export
watch_returns <- function(
  ledger, within = 30L, by = NULL, from = NULL, false_alarms = 0.2, direction = "either"
) {
  check_ledger(ledger)
  check_whole(within, lower = 1L)
  check_text(by, null = TRUE)
  by <- meant_attributes(ledger, by)
  check_share(false_alarms, lower = 0.001, upper = 1)
  check_choice(direction, c("either", "falls", "rises"))
  start <- watch_start(check_day(from), ledger)
  waits <- reduce_waits(ledger, 2L)
  aged <- waits$first + as.integer(within)
  use <- aged <= as.integer(ledger$as_of) & aged >= start - 365L
  people <- data.table(
    group = if (is.null(by)) "all" else group_of(ledger, by)[[1L]][waits$code],
    day = aged,
    came = (waits$nth - waits$first) %in% seq_len(within)
  )[use]
  watched(people, ledger, start, list(
    what = "again", within = as.integer(within), by = by, false_alarms = false_alarms,
    direction = direction
  ))
}

#' Has the size of purchases changed?
#'
#' The purchases of the year before have a middle one. If nothing has changed, half of the purchases
#' since `from` are larger. One purchase of each customer counts in each of the two times, the
#' first, so that a few who buy often do not speak for all.
#'
#' @inheritParams watch_returns
#' @return A `nubrek_watch` as of [watch_returns()]: `rate_before`, `rate` are the shares of
#'   purchases above the middle of the year before, in net sales; in its basis `middle`, a number
#'   for each group.
#' @details As in [watch_returns()]. That the middle is itself taken from the purchases of before is
#'   in the interval of their rate: the limits of an order statistic are those of Clopper and
#'   Pearson.
#' @examples
#' watch_baskets(study_ledger(system.file("pellmere", "study.yaml", package = "nubrek")))
#' @export
watch_baskets <- function(
  ledger, by = NULL, from = NULL, false_alarms = 0.2, direction = "either"
) {
  check_ledger(ledger)
  check_text(by, null = TRUE)
  by <- meant_attributes(ledger, by)
  check_share(false_alarms, lower = 0.001, upper = 1)
  check_choice(direction, c("either", "falls", "rises"))
  start <- watch_start(check_day(from), ledger)
  orders <- as.data.table(ledger_rows(
    ledger, "orders", c("customer", "day", bought_columns(ledger)),
    from = start - 365L, until = ledger$as_of
  ))[!is.na(customer)]
  people <- purchases_of(ledger, orders[order(row)])
  people[, late := day >= start]
  people <- people[!duplicated(people[, .(customer, late)])]
  people[, group := if (is.null(by)) "all" else group_of(ledger, by)[[1L]][customer]]
  middle <- people[, .(middle = stats::median(sales[!late])), keyby = group]
  people[, came := sales > middle$middle[match(group, middle$group)]]
  watched(people[!is.na(came)], ledger, start, list(
    what = "basket", by = by, false_alarms = false_alarms, direction = direction,
    middle = stats::setNames(major(ledger, middle$middle), middle$group)
  ))
}

# `people`: the `group` of each, the `day` on which it was known, and whether he `came`.
watched <- function(people, ledger, start, basis, call = rlang::caller_env()) {
  before <- people[day < start, .(n = .N, k = sum(came)), keyby = group]
  groups <- before$group[before$n >= few_customers]
  if (length(groups) == 0L) {
    abort_nubrek(c(
      "There is nothing to hold the newest customers against.",
      "x" = "It takes 30 customers of whom it is known in the year before.",
      "i" = "Begin later, or watch fewer groups."
    ), "unidentified", call = call)
  }
  chance <- basis$false_alarms / length(groups)
  each <- lapply(groups, \(one) {
    watched_group(
      one, before[group == one], people[group == one & day >= start], start, chance,
      basis$direction
    )
  })
  left <- setdiff(people$group, groups)
  new_result(
    as.list(rbindlist(each)),
    "watch",
    ledger,
    rbind(carried(ledger), if (length(left) > 0L) {
      remark_table("small groups", say(
        "Not watched, because fewer than 30 customers stand before: %s.",
        paste(sort(left), collapse = ", ")
      ))
    }),
    basis = c(basis, list(
      from = date_of_number(start),
      kinds = c(rate_before = "share", evidence = "number", needed = "number")
    ))
  )
}

# The beginning of the year of watching in which the as-of day lies.
watch_start <- function(from, ledger) {
  end <- as.integer(ledger$as_of)
  if (is.null(from)) return(as.integer(as.Date(format(ledger$as_of, "%Y-01-01"))))
  from <- as.integer(from)
  from + 365L * max(0L, (end - from) %/% 365L)
}

watched_group <- function(name, before, since, start, chance, direction) {
  needed <- 1 / (0.9 * chance)
  days <- since[, .(n = .N, k = sum(came)), keyby = .(at = day - start)]
  course <- watch_evidence(before$n, before$k, days$at, days$n, days$k, chance)
  rate <- cumsum(days$k) / cumsum(days$n)
  towards <- switch(direction,
    either = TRUE, falls = rate < before$k / before$n, rises = rate > before$k / before$n
  )
  over <- which(course >= needed & towards)
  data.table(
    group = name,
    customers_before = before$n,
    rate_before = before$k / before$n,
    customers = sum(days$n),
    rate = if (sum(days$n) > 0L) sum(days$k) / sum(days$n) else NA_real_,
    evidence = if (length(course) > 0L) max(course) else 0,
    needed = needed,
    fired = length(over) > 0L,
    day = date_of_number(if (length(over) > 0L) start + days$at[[over[[1L]]]] else NA_integer_)
  )
}

# The evidence after each day of a year (`at` from 0): `n` customers of whom `k` came back, after
# `n0` and `k0` of before. A tenth of the false alarms is left to the rate of before lying outside
# of its interval; for the rest the evidence is the least over all rates inside.
watch_evidence <- function(n0, k0, at, n, k, chance) {
  if (length(at) == 0L) return(numeric())
  miss <- chance / 10
  # exact limits (Clopper and Pearson 1934)
  ends <- c(
    if (k0 == 0) 1e-9 else stats::qbeta(miss / 2, k0, n0 - k0 + 1),
    if (k0 == n0) 1 - 1e-9 else stats::qbeta(1 - miss / 2, k0 + 1, n0 - k0)
  )
  odds <- stats::qlogis(ends)
  rates <- stats::plogis(seq(odds[[1L]], odds[[2L]], length.out = 41L))
  n <- cumsum(n)
  k <- cumsum(k)
  weeks <- 0:52
  sum <- matrix(0, length(at), length(rates))
  for (week in weeks) {
    # what was seen before the week says nothing of a change in it
    early <- findInterval(7 * week - 0.5, at)
    n_post <- pmax(0, n - c(0, n)[[early + 1L]])
    k_post <- pmax(0, k - c(0, k)[[early + 1L]])
    steady <- outer(k_post, log(rates)) + outer(n_post - k_post, log1p(-rates))
    sum <- sum + exp(log_mixture(n_post, k_post) - steady)
  }
  apply(sum, 1L, min) / length(weeks)
}

# The likelihood of one order of k of n, of a rate by Jeffreys' prior.
log_mixture <- function(n, k) lbeta(k + 0.5, n - k + 0.5) - lbeta(0.5, 0.5)
