# A watch on whether customers come back: it may be looked at as often as anybody likes, and gives a
# false alarm no more often than it says.

#' Has the share of customers who come back changed?
#'
#' Of each customer it is known `within` days after the first purchase whether there was a second
#' one by then (on another day). The customers who reached that age since `from` are held against
#' those of the 365 days before, week by week, and up to two earlier years say what the time of year
#' does and how much weeks differ anyway. With a probability of `false_alarms` at most the evidence
#' for a change is ever enough in a year in which there was none, whatever the number of looks, over
#' all groups together. More or fewer new customers are no change.
#'
#' @param ledger `[nubrek_ledger]`
#' @param within `[integer(1)]` Days from the first to the second purchase, default 30.
#' @param by `[character(1)]` An attribute: its groups are watched together.
#' @param from `[Date(1) | character(1)]` The day the watch begins; it begins anew a year later.
#'   Default: the first of January of the year of the as-of day.
#' @param false_alarms `[double(1)]` False alarms a year, of all groups together.
#' @param direction `[character(1)]` `"either"` (default), `"falls"` or `"rises"`; a fall alone is
#'   seen sooner.
#' @return A `nubrek_watch`, one row per group, sorted by name: `group` (`"all"` without `by`),
#'   `customers_before`, `rate_before`, of the 365 days before; `customers`, `rate`, since `from`;
#'   `expected`, the rate expected of the same weeks without a change (missing before the first
#'   step is over); `fired` `[logical]`; `day`, on which the evidence was first enough; `evidence`,
#'   the highest until now; `needed`; `steps`, the weeks after each of which the evidence is looked
#'   at: 1, 2 or 4, so that at least 4 come back in a step. Groups with fewer than 30 customers
#'   before, or of whom fewer than 3 come back (or stay away) in four weeks, are left out, which a
#'   remark says; another says when fewer than two years lie before the watch, so that the season is
#'   hardly known.
#' @details The evidence is the likelihood of what was seen, of a rate that changed at the beginning
#'   of some step (each alike, up or down by an amount of unknown size), against that of an
#'   unchanged one. Both know a season (weeks near each other in the year are alike), stretches of
#'   some weeks in which more or fewer come back (holidays, weather), scatter of single weeks and
#'   the level of the year before; how large each is, is averaged over by what the data say of it.
#'   Shares are taken as the arcsine of their root, with 1/4 added (Brown, Cai and Zhou 2010), so
#'   that their spread does not depend on them. By the inequality of Ville (1939) such evidence
#'   exceeds 1/a with probability a at most, at whatever times one looks, where the model is true;
#'   the mixture is that of Robbins (1970). How often it did in worlds that are not made by the
#'   model: `docs/promises.md` of the source.
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
  use <- aged <= as.integer(ledger$as_of) & aged >= start - watched_past
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
#' since `from` are larger. One purchase of each customer counts in each year, the first, so that a
#' few who buy often do not speak for all.
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
    from = start - watched_past, until = ledger$as_of
  ))[!is.na(customer)]
  people <- purchases_of(ledger, orders[order(row)])
  people[, year := (day - start) %/% 365L]
  people <- people[!duplicated(people[, .(customer, year)])]
  people[, group := if (is.null(by)) "all" else group_of(ledger, by)[[1L]][customer]]
  middle <- people[, .(middle = stats::median(sales[year == -1L])), keyby = group]
  people[, came := sales > middle$middle[match(group, middle$group)]]
  watched(people[!is.na(came)], ledger, start, list(
    what = "basket", by = by, false_alarms = false_alarms, direction = direction,
    middle = stats::setNames(major(ledger, middle$middle), middle$group)
  ))
}

# `people`: the `group` of each, the `day` on which it was known, and whether he `came`.
watched <- function(people, ledger, start, basis, call = rlang::caller_env()) {
  last <- people[day < start & day >= start - 365L]
  before <- last[, .(n = .N, k = sum(came)), keyby = group]
  history <- start - as.integer(ledger$history_start)
  weeks <- min(365L, max(7L, history - (basis$within %||% 0L))) / 7
  before[, steps := watch_steps(pmin(k, n - k) / weeks)]
  groups <- before$group[before$n >= few_customers & !is.na(before$steps)]
  if (length(groups) == 0L) {
    abort_nubrek(c(
      "There is nothing to hold the newest customers against.",
      "x" = paste(
        "It takes 30 customers in the year before, and in four weeks 3 with a repeat purchase and",
        "3 without."
      ),
      "i" = "Begin later, watch fewer groups, or more days (`within`)."
    ), "unidentified", call = call)
  }
  chance <- basis$false_alarms / length(groups)
  each <- lapply(groups, \(one) {
    watched_group(
      before[group == one], people[group == one], start, as.integer(ledger$as_of), chance,
      basis$direction
    )
  })
  left <- setdiff(people$group, groups)
  basis$season_known <- history >= 2L * 365L
  new_result(
    as.list(rbindlist(each)),
    "watch",
    ledger,
    rbind(
      carried(ledger),
      if (!basis$season_known) {
        remark_table("short history", say(paste(
          "With less than two years of history before it begins, the season is hardly known: a",
          "change must be larger to trigger the alert, and may still be the time of year."
        )))
      },
      if (length(left) > 0L) {
        remark_table("small groups", say(
          paste(
            "Too small to watch (fewer than 30 customers in the year before, or fewer than 3 in",
            "four weeks with or without a repeat purchase): %s."
          ),
          paste(sort(left), collapse = ", ")
        ))
      }
    ),
    basis = c(basis, list(
      from = date_of_number(start),
      kinds = c(
        rate_before = "share", expected = "share", evidence = "number", needed = "number"
      )
    ))
  )
}

# The weeks of a step, so that at least 4 of the rarer kind fall into one; missing: too few.
watch_steps <- function(a_week) {
  data.table::fcase(
    a_week >= 4, 1L, 2 * a_week >= 4, 2L, 4 * a_week >= 3, 4L, default = NA_integer_
  )
}

# The beginning of the year of watching in which the as-of day lies.
watch_start <- function(from, ledger) {
  end <- as.integer(ledger$as_of)
  if (is.null(from)) return(as.integer(as.Date(format(ledger$as_of, "%Y-01-01"))))
  from <- as.integer(from)
  from + 365L * max(0L, (end - from) %/% 365L)
}

watched_group <- function(before, people, start, end, chance, direction) {
  step <- 7L * before$steps
  since <- people[day >= start]
  # a step is looked at when it is over
  bins <- people[, .(n = .N, k = sum(came)), keyby = .(at = (day - start) %/% step)]
  bins <- bins[(at + 1L) * step - 1L <= end - start]
  found <- watch_evidence((bins$at + 0.5) * step / 7, bins$n, bins$k, direction)
  now <- bins[at >= 0L]
  needed <- 1 / chance
  over <- which(found$evidence >= needed)
  data.table(
    group = before$group,
    customers_before = before$n,
    rate_before = before$k / before$n,
    customers = nrow(since),
    rate = if (nrow(since) > 0L) mean(since$came) else NA_real_,
    expected = if (nrow(now) > 0L) sum(found$expected * now$n) / sum(now$n) else NA_real_,
    fired = length(over) > 0L,
    day = date_of_number(
      if (length(over) > 0L) start + (now$at[[over[[1L]]]] + 1L) * step - 1L else NA_integer_
    ),
    evidence = max(found$evidence, 0),
    needed = needed,
    steps = before$steps
  )
}
