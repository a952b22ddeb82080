#' The wait for the next purchase
#'
#' For each cohort, how many customers made their `nth` purchase after how many periods, and how
#' many have not yet. Customers who have not had the time are not customers who did not come: beside
#' the counts stands the number at risk, and [waiting_curve()] gives the share by days.
#'
#' Purchases count on different days. Waits are differences of calendar periods. Customers who may
#' have bought before the history (a known earlier first purchase) are left out: their second
#' purchase is not known.
#'
#' @param ledger `[nubrek_ledger]`
#' @param nth `[integer(1)]` The purchase waited for. Default 2.
#' @param clock `[character(1)]` Period; default the ledger's.
#' @return A `nubrek_waits`, one row per cohort and wait that could be observed at least in part,
#'   and one for those not back yet: `cohort` `[Date]`; `waited` in periods, missing for "not yet";
#'   `customers`; `at_risk`, of the cohort, not back before it and observed through it (missing
#'   where the period is not over); `share_of_row`, of the cohort; `share_of_column`, of all with
#'   this wait; `share_of_table`. Totals both ways: [waiting_totals()].
#' @examples
#' next_purchase(example_ledger())
#' waiting_totals(next_purchase(example_ledger()))
#' waiting_curve(example_ledger())
#' @export
next_purchase <- function(ledger, nth = 2L, clock = NULL) {
  check_ledger(ledger)
  check_whole(nth, lower = 2L)
  check_purchases(ledger)
  clock <- ledger_clock(ledger, clock)
  w <- reduce_waits(ledger, nth, clock)
  frame <- w$frame
  n <- length(frame$number)
  back <- waiting_grid(w$cohort, w$waited, n)
  size <- tabulate(w$cohort, n)
  over <- period_end(frame$number, clock) <= ledger$as_of
  rows <- wait_rows(back, size, over)
  column <- rows[, .(customers = sum(customers)), by = waited]
  column <- column$customers[match(rows$waited, column$waited)]
  absent <- sum(size) - sum(back)
  new_result(
    list(
      cohort = frame$start[rows$cohort],
      waited = rows$waited,
      customers = rows$customers,
      at_risk = rows$at_risk,
      share_of_row = rows$customers / size[rows$cohort],
      share_of_column = ifelse(column > 0L, rows$customers / column, NA_real_),
      share_of_table = rows$customers / sum(size)
    ),
    "waits",
    ledger,
    rbind(
      carried(ledger, c("as of", "history start")),
      known_earlier_remark(sum(w$known)),
      not_yet_remark(sum(size), absent)
    ),
    basis = list(nth = nth, clock = clock)
  )
}

# A row for each cohort and wait that can be seen, and one for who has not come back (no wait). At
# risk are those who had not come back before; where the period is not over, that is not known.
wait_rows <- function(back, size, over) {
  n <- length(size)
  pending <- which(size > 0L)
  place <- expand.grid(waited = seq_len(n) - 1L, cohort = pending)
  place <- place[place$cohort + place$waited <= n, ]
  before <- back_before(back, place$cohort, place$waited)
  rows <- rbind(
    data.table(
      cohort = place$cohort,
      waited = place$waited,
      customers = back[cbind(place$cohort, place$waited + 1L)],
      at_risk = ifelse(over[place$cohort + place$waited], size[place$cohort] - before, NA_integer_)
    ),
    data.table(
      cohort = pending,
      waited = rep(NA_integer_, length(pending)),
      customers = as.integer((size - rowSums(back))[pending]),
      at_risk = rep(NA_integer_, length(pending))
    )
  )
  data.table::setorderv(rows, c("cohort", "waited"), na.last = TRUE)
}

known_earlier_remark <- function(n) {
  if (n == 0L) return(NULL)
  remark_table("known earlier", say(
    "%s with a purchase known from before the data left out.", n_of(n, "customer")
  ))
}

not_yet_remark <- function(all, missing) {
  if (all == 0L) return(NULL)
  remark_table("not yet", say(
    "Of %s, %s back yet; some have not had the time.",
    n_of(all, "customer"),
    if (missing == 1) "1 is not" else paste(number_text(missing), "are not")
  ))
}

#' Who waited how long, and who is not back yet
#'
#' @inheritParams next_purchase
#' @return A `nubrek_waiters`, one row per customer whose first purchase lies in the data, those not
#'   back yet first, the longest silent on top: `customer`; `cohort` `[Date]`, period of the first
#'   purchase; `first`, `back` `[Date]`, day of the first and the nth purchase (missing: not yet);
#'   `waited`, periods; `days` between, or so far; `state`, `back` or `not yet`.
#' @examples
#' waiting_customers(example_ledger())
#' @export
waiting_customers <- function(ledger, nth = 2L, clock = NULL) {
  check_ledger(ledger)
  check_whole(nth, lower = 2L)
  check_purchases(ledger)
  clock <- ledger_clock(ledger, clock)
  frame <- period_frame(ledger, clock)
  w <- reduce_waits(ledger, nth, clock)
  late <- is.na(w$nth)
  days <- ifelse(late, as.integer(ledger$as_of), w$nth) - w$first
  place <- order(!late, -days, w$code)
  columns <- list(
    customer = ledger_ids(ledger, w$code),
    cohort = frame$start[w$cohort],
    first = as.Date(w$first, origin = "1970-01-01"),
    back = as.Date(w$nth, origin = "1970-01-01"),
    waited = w$waited,
    days = days,
    state = ifelse(late, "not yet", "back")
  )
  new_result(
    lapply(columns, `[`, place),
    "waiters",
    ledger,
    carried(ledger, c("as of", "history start")),
    basis = list(nth = nth, clock = clock)
  )
}

waiting_grid <- function(cohort, waited, n) {
  place <- !is.na(waited)
  matrix(tabulate(cohort[place] + n * waited[place], n * n), n)
}

# How many of each cohort were back before a wait.
back_before <- function(back, cohort, waited) {
  sums <- t(apply(cbind(0L, back), 1L, cumsum))
  as.integer(sums[cbind(cohort, waited + 1L)])
}

#' Totals of a waiting table, both ways
#'
#' @param waits `[nubrek_waits]` From [next_purchase()].
#' @return A data frame: `cohort` (missing in the totals of the waits), `waited` (missing for "not
#'   yet" and in the totals of the cohorts), `total_of` (`"cohort"`, `"wait"` or `"not yet"`),
#'   `customers`, `share`, of all.
#' @rdname next_purchase
#' @export
waiting_totals <- function(waits) {
  throw_unless(checkmate::check_class(waits, "nubrek_waits"), "waits", rlang::current_env())
  rows <- as.data.table(plain_table(waits))
  by_cohort <- rows[, .(customers = sum(customers)), by = cohort]
  by_wait <- rows[, .(customers = sum(customers)), keyby = waited]
  total <- sum(rows$customers)
  cohorts <- nrow(by_cohort)
  waits_seen <- nrow(by_wait)
  result <- rbind(
    data.frame(
      cohort = by_cohort$cohort,
      waited = rep(NA_integer_, cohorts),
      total_of = rep("cohort", cohorts),
      customers = by_cohort$customers
    ),
    data.frame(
      cohort = rep(as.Date(NA), waits_seen),
      waited = by_wait$waited,
      total_of = ifelse(is.na(by_wait$waited), "not yet", "wait"),
      customers = by_wait$customers
    )
  )
  result$share <- result$customers / total
  new_result(
    as.list(result),
    "wait_totals",
    remarks = remarks(waits)[remarks(waits)$about != "not yet", ],
    basis = attr(waits, "basis")
  )
}

#' @param by `[character(1)]` A customer or first-order attribute: one curve for each group, and a
#'   log-rank comparison.
#' @param level `[double(1)]` Of the interval. Default 0.95.
#' @return [waiting_curve()]: a `nubrek_curve`, one row per group and day on which somebody came:
#'   `group`; `days` since the first purchase; `share` who have come by then (Kaplan and Meier
#'   1958); `lower`, `upper` (Greenwood's variance on the log-log scale); `at_risk` that day.
#'   Missing beyond the longest time seen. `attr(, "logrank")`: `chi_square`, `df`, `p` over all
#'   groups.
#' @rdname next_purchase
#' @export
waiting_curve <- function(ledger, nth = 2L, by = NULL, level = 0.95) {
  check_ledger(ledger)
  check_whole(nth, lower = 2L)
  check_share(level, lower = 0.5, upper = 0.999)
  check_text(by, null = TRUE)
  by <- meant_attributes(ledger, by)
  check_purchases(ledger)
  w <- reduce_waits(ledger, nth)
  time <- time_waited(w, ledger)
  group <- if (is.null(by)) rep("all", length(time)) else group_of(ledger, by)[[1L]][w$code]
  rows <- risk_table(group, time, !is.na(w$nth))
  curve <- rows[, kaplan_meier(time, events, at_risk, level), by = group]
  names_in_order <- unique(c(if (!is.null(by)) natural_order(ledger, by), curve$group))
  curve <- curve[order(match(group, names_in_order), days)]
  new_result(
    list(
      group = curve$group,
      days = curve$days,
      share = curve$share,
      lower = curve$lower,
      upper = curve$upper,
      at_risk = curve$at_risk
    ),
    "curve",
    ledger,
    carried(ledger, c("as of", "history start")),
    basis = list(
      nth = nth,
      by = by,
      level = level,
      longest = max(time, 0L),
      customers = length(time),
      back = sum(rows$events)
    ),
    logrank = if (!is.null(by)) log_rank(rows)
  )
}

#' Shares by some days, read off a waiting curve
#'
#' @param curve `[nubrek_curve]` From [waiting_curve()].
#' @param days `[integer]` Days since the first purchase; those beyond the longest time seen of a
#'   group are left out.
#' @return A `nubrek_curve_days`, one row per group and day: `group`, `by_day`, `share` who have
#'   made the purchase by then with `lower` and `upper`, in `[0, 1]`, and `at_risk`, customers seen
#'   at least so long and not back before.
#' @examples
#' shares_by_day(waiting_curve(example_ledger()), c(30, 90, 180))
#' @export
shares_by_day <- function(curve, days = c(30L, 60L, 90L, 180L, 365L, 730L)) {
  throw_unless(checkmate::check_class(curve, "nubrek_curve"), "curve", rlang::current_env())
  throw_unless(
    checkmate::check_integerish(days, lower = 0, any.missing = FALSE, min.len = 1L),
    "days",
    rlang::current_env()
  )
  read_off <- function(group) {
    curve <- curve[curve$group == group, ]
    known <- as.integer(days[days <= max(curve$days)])
    place <- findInterval(known, curve$days) + 1L
    data.frame(
      group = rep(group, length(place)),
      by_day = known,
      share = c(0, curve$share)[place],
      lower = c(NA, curve$lower)[place],
      upper = c(NA, curve$upper)[place],
      at_risk = c(curve$at_risk[[1L]], curve$at_risk)[place]
    )
  }
  nothing <- data.frame(
    group = character(),
    by_day = integer(),
    share = double(),
    lower = double(),
    upper = double(),
    at_risk = integer()
  )
  rows <- c(list(nothing), lapply(unique(curve$group), read_off))
  new_result(
    as.list(do.call(rbind, unname(rows))),
    "curve_days",
    remarks = remarks(curve),
    basis = attr(curve, "basis")
  )
}

# Days from the first purchase to the nth, or so far.
time_waited <- function(w, ledger) {
  ifelse(is.na(w$nth), as.integer(ledger$as_of), w$nth) - w$first
}
