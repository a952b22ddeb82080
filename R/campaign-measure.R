# What a campaign changed.

#' Did the campaign work, and did it pay?
#'
#' Compares those who were contacted with those who were held back, everybody as drawn, reached or
#' not: the outcome in the window after the day of contact, adjusted for the same outcome in a
#' window of the same length before it (definitions 50 to 52).
#'
#' @param ledger `[nubrek_ledger]` The ledger of today.
#' @param campaign `[nubrek_campaign | character(1)]` From [draw_control()], or the file of
#'   [save_campaign()].
#' @param by `[character(1)]` A customer attribute: the effect in each of its levels.
#' @param outcomes `[character]` Of `purchases`, `sales`, `margin` (where a margin is known),
#'   `bought_again` (share), `visits_per_year`, `gap` (days to the next purchase, at most the
#'   window).
#' @param level `[double(1)]` Of the intervals.
#' @param key `[character(1)]` The key's file where the campaign is kept in [pseudonyms()].
#' @return A `nubrek_effect`, one row per outcome (and offer, and level): `contacted`, `held_back`,
#'   customers; `mean_held_back`; `effect` per contacted customer with `lower`, `upper`, `p`;
#'   `plain` difference of means; `difference_in_differences`; with several rows of an outcome
#'   `together`, the effects drawn towards the common one; of `margin` also `net` gain after costs
#'   with `net_lower`, `net_upper` and `chance_paid`. [campaign_course()] has the effect week by
#'   week. Before the window's end these are the effects to date: the intervals allow for a check
#'   every day, and `p` and what it paid are missing.
#' @section Method: Effect: regression of the outcome on contact, the outcome before (centred) and
#'   their product, HC2 errors. Net gain: effect on margin times contacted, less contacts and offers
#'   taken (contacted customers who responded, as the ledger's contacts tell, else those who
#'   bought); the chance that it paid is that of a positive net gain
#'   under a normal with this mean and error.
#'   Where the arms differ in size and a few large amounts decide the smaller one, intervals, `p`
#'   and chance follow the skewness of the estimate (a skewness of 0.2 or more; Hall 1992), told in
#'   [remarks()].
#'   Before the end, intervals stand at the level that spends the error over the days of the window;
#'   at the end the ordinary one stands, as the end was fixed at the draw.
#' @references Hall (1992), On the removal of skewness by transformation; Lan and DeMets (1983),
#'   Discrete sequential boundaries for clinical trials; Lin (2013), Agnostic notes on regression
#'   adjustments to experimental data; MacKinnon and White (1985); DerSimonian and Laird (1986).
#' @examples
#' ledger <- example_ledger()
#' drawn <- draw_control(
#'   audience(ledger, purchases >= 1, as_of = "2024-06-30"), ledger, share = 0.5,
#'   day = "2024-07-01", days = 120
#' )
#' measure_campaign(ledger, drawn)
#' @export
measure_campaign <- function(
  ledger, campaign, by = NULL, outcomes = NULL, level = 0.95, key = NULL
) {
  check_ledger(ledger)
  if (is.character(campaign)) campaign <- open_campaign(campaign)
  check_campaign(campaign)
  check_text(by, null = TRUE)
  by <- meant_attributes(ledger, by)
  check_number(level, lower = 0.5, upper = 0.999)
  window <- campaign_window(ledger, campaign)
  drawn <- drawn_now(ledger, with_ids(campaign, ledger, key))
  rate <- basis_of(campaign, "margin_rate")
  known <- c("purchases", "sales", if (!is.null(rate)) "margin", "bought_again", "visits_per_year",
    "gap")
  outcomes <- outcomes %||% known
  check_values(outcomes, known, "outcomes")
  seen <- campaign_outcomes(ledger, drawn$code, window, rate)
  rows <- effect_rows(ledger, drawn, seen, outcomes, by, window$level(level, window$days))
  skew_remark <- skew_remark_of(rows)
  rows <- with_net(rows, campaign, drawn, seen, level, by)
  if (window$running) {
    rows[intersect(c("p", "net", "net_lower", "net_upper", "chance_paid"), names(rows))] <- NA_real_
  }
  new_result(
    as.list(rows),
    "effect",
    ledger,
    rbind(
      carried(ledger), drawn$remarks, contact_check(ledger, campaign, drawn), data_check(
        ledger, campaign
      ), window$remarks, skew_remark
    ),
    basis = list(
      name = basis_of(campaign, "name"),
      by = by,
      day = window$day,
      days = window$days,
      wanted = window$wanted,
      level = level,
      margin = if (!is.null(rate)) sprintf("%s of sales", present_rate(rate)),
      offers = if (length(drawn$offers) > 1L) drawn$offers,
      cost_per_contact = basis_of(campaign, "cost_per_contact"),
      offer_cost = basis_of(campaign, "offer_cost"),
      kinds = effect_kinds
    ),
    course = effect_course(ledger, drawn, window, level)
  )
}

skew_remark_of <- function(rows) {
  outcomes <- unique(rows$outcome[rows$skew != 0])
  if (length(outcomes) == 0L) return(NULL)
  remark_table("interval", say(
    paste0(
      "The arms differ in size, and a few large amounts decide the smaller one (%s): the interval ",
      "reaches further to one side."
    ),
    paste(gsub("_", " ", outcomes), collapse = ", ")
  ))
}

effect_kinds <- c(
  effect = "number", lower = "number", upper = "number", mean_held_back = "number",
  plain = "number", plain_lower = "number", plain_upper = "number",
  difference_in_differences = "number", did_lower = "number", did_upper = "number",
  together = "number", p = "p", net = "money", net_lower = "money", net_upper = "money",
  chance_paid = "share"
)

# The window as far as the data go, shortened for all alike.
campaign_window <- function(ledger, campaign, call = rlang::caller_env()) {
  day <- basis_of(campaign, "day")
  wanted <- basis_of(campaign, "days")
  days <- min(wanted, as.integer(ledger$as_of - day))
  if (days < 1L) {
    abort_nubrek(c(
      "There is nothing to measure yet.",
      "x" = "The day of contact is {format_day(day)}, the data go to {format_day(ledger$as_of)}.",
      "i" = "Measure with a ledger that goes on after that day."
    ), "argument", call = call)
  }
  young <- day - days < ledger$history_start
  list(
    day = day,
    days = days,
    wanted = wanted,
    running = days < wanted,
    level = \(level, day) if (days < wanted) look_level(day, wanted, level) else level,
    before = list(from = day - days, until = day - 1),
    after = list(from = day + 1, until = day + days),
    remarks = rbind(
      if (days < wanted) {
        remark_table("window", say(
          paste0(
            "The campaign runs until %s: these are the first %s of its %s days. The intervals ",
            "allow for a check every day."
          ),
          format_day(day + wanted), days, wanted
        ))
      },
      if (young) {
        remark_table("window", say("The window before the contact begins before the history does."))
      }
    )
  )
}

present_rate <- function(rate) paste0(number_text(100 * rate), "\u00a0%")

# Each outcome of each customer `before` and `after`; margin by its rate, where there is one. The
# `plain` ones are purchases and sales alone.
campaign_outcomes <- function(ledger, code, window, rate = NULL, plain = FALSE) {
  one <- function(span, days) {
    found <- reduce_span(ledger, span)
    gone <- anyNA(code)
    of <- \(x) {
      x <- as.double(x[code])
      if (gone) x[is.na(code)] <- 0
      x
    }
    purchases <- of(found$purchases)
    sales <- major(ledger, of(found$sales))
    if (plain) return(list(purchases = purchases, sales = sales))
    wait <- found$first[code] - as.integer(span$from) + 1L
    list(
      purchases = purchases,
      sales = sales,
      margin = if (!is.null(rate)) sales * rate,
      bought_again = as.double(purchases > 0),
      visits_per_year = purchases * 365.25 / days,
      gap = replace(wait, is.na(wait), days)
    )
  }
  list(before = one(window$before, window$days), after = one(window$after, window$days))
}

# One row per outcome, offer and level.
effect_rows <- function(ledger, drawn, seen, outcomes, by, level) {
  group <- if (is.null(by)) {
    rep("", length(drawn$code))
  } else {
    with_missing(group_of(ledger, by)[[1L]][drawn$code])
  }
  cells <- expand.grid(
    outcome = outcomes, offer = drawn$offers, group = unique(group), stringsAsFactors = FALSE
  )
  rows <- lapply(seq_len(nrow(cells)), \(i) {
    here <- group == cells$group[[i]] & drawn$arm %in% c("held back", cells$offer[[i]])
    contacted <- drawn$arm[here] != "held back"
    if (min(sum(contacted), sum(!contacted)) < 2L) return(NULL)
    outcome <- cells$outcome[[i]]
    cbind(
      cells[i, ],
      contact_effects(
        seen$after[[outcome]][here], seen$before[[outcome]][here], contacted, level
      ),
      row.names = NULL
    )
  })
  rows <- do.call(rbind, rows)
  if (is.null(rows)) {
    abort_nubrek("Both arms need two customers or more.", "unidentified", call = NULL)
  }
  rows <- rows[order(match(rows$outcome, outcomes)), ]
  several <- length(drawn$offers) > 1L || !is.null(by)
  if (several) {
    rows$together <- unsplit(
      lapply(split(rows, rows$outcome), \(one) drawn_together(one$effect, one$error)), rows$outcome
    )
  }
  if (length(drawn$offers) < 2L) rows$offer <- NULL
  if (is.null(by)) {
    rows$group <- NULL
  } else {
    names(rows)[names(rows) == "group"] <- group_names(by, setdiff(names(rows), "group"))
  }
  rows
}

# Net gain of the rows of margin: what it brought, less contacts and the offers that were taken.
with_net <- function(rows, campaign, drawn, seen, level, by) {
  of_margin <- rows$outcome == "margin"
  shown <- setdiff(names(rows), c("error", "skew"))
  if (!any(of_margin)) return(rows[shown])
  bought <- drawn$responded %||% (seen$after$bought_again > 0)
  taken <- vapply(seq_len(nrow(rows)), \(i) {
    offer <- if ("offer" %in% names(rows)) rows$offer[[i]] else setdiff(drawn$arm, "held back")
    sum(bought[drawn$arm %in% offer]) / max(1L, sum(drawn$arm %in% offer)) * rows$contacted[[i]]
  }, 0)
  cost <- rows$contacted * basis_of(campaign, "cost_per_contact") +
    taken * basis_of(campaign, "offer_cost")
  net <- rows$effect * rows$contacted - cost
  error <- rows$error * rows$contacted
  end <- \(side) net - mapply(skewed, side * stats::qnorm((1 + level) / 2), rows$skew) * error
  only <- \(x) ifelse(of_margin, x, NA_real_)
  rows$net <- only(net)
  rows$net_lower <- only(end(1))
  rows$net_upper <- only(end(-1))
  rows$chance_paid <- only(stats::pnorm(unskewed(net / error, rows$skew)))
  rows[c(shown, "net", "net_lower", "net_upper", "chance_paid")]
}

# The effect on purchases and sales since the contact, week by week, or every few weeks.
effect_course <- function(ledger, drawn, window, level) {
  step <- 7L * max(1L, ceiling(window$days / 7 / 13))
  ends <- unique(c(seq(step, max(step, window$days), by = step), window$days))
  ends <- ends[ends <= window$days]
  contacted <- drawn$arm != "held back"
  rows <- lapply(ends, \(end) {
    here <- window
    here$after$until <- window$day + end
    here$before$from <- window$day - end
    here$days <- end
    seen <- campaign_outcomes(ledger, drawn$code, here, plain = TRUE)
    do.call(rbind, lapply(c("purchases", "sales"), \(outcome) {
      found <- lin_effect(seen$after[[outcome]], seen$before[[outcome]], contacted)
      ends <- effect_bounds(found, window$level(level, end))
      data.frame(
        outcome = outcome, days = end, effect = found$effect, lower = ends[[1L]], upper = ends[[2L]]
      )
    }))
  })
  do.call(rbind, rows)
}

#' The effect of a campaign week by week
#'
#' @param effect `[nubrek_effect]` From [measure_campaign()].
#' @return A `nubrek_effect_course`: `outcome` (purchases, sales), `days` since the contact,
#'   `effect` per contacted customer up to then, `lower`, `upper`.
#' @examples
#' ledger <- example_ledger()
#' drawn <- draw_control(
#'   audience(ledger, purchases >= 1, as_of = "2024-06-30"), ledger, share = 0.5,
#'   day = "2024-07-01", days = 120
#' )
#' campaign_course(measure_campaign(ledger, drawn))
#' @export
campaign_course <- function(effect) {
  throw_unless(checkmate::check_class(effect, "nubrek_effect"), "effect", rlang::current_env())
  side_table(attr(effect, "course"), "effect_course", effect, c(
    effect = "number", lower = "number", upper = "number"
  ))
}
