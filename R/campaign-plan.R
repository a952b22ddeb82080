# Before a campaign: what can be seen, what it may cost, what it may bring.

#' Plan a campaign
#'
#' What such customers do in a window of this length without a campaign, from past windows for the
#' same rule; the smallest effect that can be seen with this audience for several shares held back
#' (definition 54); and what the campaign brings where an uplift is assumed.
#'
#' @param ledger `[nubrek_ledger]`
#' @param audience `[nubrek_audience]` From [audience()].
#' @param outcome `[character(1)]` `"sales"` (default), `"purchases"`, `"bought_again"`.
#' @param days `[integer(1)]` Length of the window.
#' @param cost_per_contact,offer_cost `[double(1)]` In major units; an offer costs when it is taken.
#' @param margin_rate `[double(1)]` Margin by sales.
#' @param uplift `[double(1)]` Assumed effect, as a share of what is done without a campaign.
#' @param control `[numeric]` Shares held back.
#' @param power `[double(1)]` Chance to see an effect that is there, at 5 % two-sided.
#' @param day,contact_by,quiet,most As in [draw_control()]: only who may be contacted on that day is
#'   planned for, the same people that the draw takes, and looked at in past windows.
#' @return A `nubrek_plan`, one row per share held back: `control_share`; `contacted`, `held_back`,
#'   customers; `detectable`, the smallest effect per customer that can be seen; `detectable_share`,
#'   by what is done anyway; `expected`, the assumed effect; `break_even`, the effect that pays for
#'   the contacts; `net`, the expected net gain, with `lower` and `upper`, within which the measured
#'   one will lie (95 %). The basis has `without`, the mean without a campaign, its `spread`,
#'   `explained`, the share that the window before explains, `needed`, customers needed to see the
#'   assumed effect with half of them held back, `before`, the mean in the window before such
#'   customers were chosen, and `advised`, the share held back that is enough
#'   to see the assumed effect, or sees most.
#' @section Method: Detectable: what the analysis of [measure_campaign()] sees with a chance of
#'   `power`, worked out on held-back groups drawn from past windows, so that a small one of skewed
#'   amounts is as uncertain as it will be; the contacted do what they would do anyway, times one
#'   number. With many held back, and a small effect, that is (z of 0.975 + z of power) spread
#'   sqrt(1 - explained) sqrt(1 / contacted + 1 / held back). Past windows end at the ledger's last
#'   day and go back by their length, as far as there is a window before them; at most four, fewer
#'   where these hold 200,000 customers. Rules that name tiers or other results are not known for
#'   past days: then today's members are looked at, whose past is better than their future, and that
#'   is said.
#' @section Errors: `nubrek_error_unidentified` where the audience is too small, or no past window
#'   tells what such customers do.
#' @examples
#' ledger <- example_ledger()
#' back <- audience(ledger, purchases >= 1, name = "all")
#' plan_campaign(ledger, back, days = 60, cost_per_contact = 0.8, margin_rate = 0.4, uplift = 0.2)
#' @export
plan_campaign <- function(
  ledger, audience, outcome = "sales", days = 90L, cost_per_contact = 0, offer_cost = 0,
  margin_rate = NULL, uplift = NULL, control = c(0.05, 0.1, 0.2, 0.3, 0.5), power = 0.8,
  day = NULL, contact_by = NULL, quiet = NULL, most = NULL
) {
  check_ledger(ledger)
  throw_unless(
    checkmate::check_class(audience, "nubrek_audience"), "audience", rlang::current_env()
  )
  check_choice(outcome, c("sales", "purchases", "bought_again"))
  check_whole(days, lower = 1L)
  for (one in control) {
    check_share(one, arg = "control")
  }
  check_share(power)
  if (!is.null(uplift)) check_number(uplift, lower = -1)
  costs <- campaign_costs(cost_per_contact, offer_cost, margin_rate)
  rules <- \(ids, day) contact_rules(
    ledger, ids, day, contact_by, quiet, most, left = "not planned for"
  )
  today <- rules(audience$customer, check_day(day) %||% (ledger$as_of + 1))
  past <- past_windows(ledger, audience, days, outcome, allowed = \(ids, day) {
    rules(ids, day + 1L)$allowed
  })
  customers <- sum(today$allowed)
  shares <- shares_that_fit(control, customers)
  seen <- plan_numbers(past, shares, outcome, costs, uplift, power)
  new_result(
    seen$columns,
    "plan",
    ledger,
    rbind(carried(ledger), today$remarks, past$remarks, shares$remarks),
    basis = c(costs, seen$basis, list(
      name = basis_of(audience, "name"),
      outcome = outcome,
      days = as.integer(days),
      power = power,
      uplift = uplift,
      customers = customers,
      without = past$without,
      before = past$before,
      spread = past$spread,
      explained = past$explained,
      windows = past$windows,
      kinds = plan_kinds
    ))
  )
}

plan_kinds <- c(
  control_share = "share", detectable_share = "share", detectable = "number", expected = "number",
  break_even = "number", net = "money", lower = "money", upper = "money"
)

# The shares with which each arm has two customers.
shares_that_fit <- function(control, n, call = rlang::caller_env()) {
  held <- round(n * control)
  fits <- held >= 2L & n - held >= 2L
  if (!any(fits)) {
    abort_nubrek(c(
      "The audience is too small to hold somebody back.",
      "x" = "It has {n} customer{?s}; each arm needs two."
    ), "unidentified", call = call)
  }
  list(
    control = control[fits],
    held = held[fits],
    contacted = n - held[fits],
    remarks = if (!all(fits)) {
      remark_table("shares", say(
        "Left out, because an arm would have fewer than two customers: %s held back.", toString(
          present_rate(control[!fits])
        )
      ))
    }
  )
}

plan_numbers <- function(past, shares, outcome, costs, uplift, power) {
  spread <- past$spread * sqrt(1 - past$explained)
  noise <- spread * sqrt(1 / shares$contacted + 1 / shares$held)
  reach <- stats::qnorm(0.975) + stats::qnorm(power)
  seen <- vapply(seq_along(noise), \(i) {
    by_lot <- least_seen(
      past$pairs, past$without, spread, shares$contacted[[i]], shares$held[[i]], power
    )
    by_lot %||% (reach * noise[[i]])
  }, 0)
  expected <- if (is.null(uplift)) NA_real_ else past$without * uplift
  worth <- worth_of_effect(outcome, past, costs)
  gain <- plan_gain(expected, worth, past, costs, shares$contacted)
  half <- 1.96 * noise * worth * shares$contacted
  n <- length(noise)
  assumed <- !is.na(expected) && expected != 0
  list(
    columns = list(
      control_share = shares$control,
      contacted = as.integer(shares$contacted),
      held_back = as.integer(shares$held),
      detectable = seen,
      detectable_share = if (past$without > 0) {
        seen / past$without
      } else {
        rep(NA_real_, n)
      },
      expected = rep(expected, n),
      break_even = rep(costs$cost_per_contact / worth, n),
      net = gain,
      lower = gain - half,
      upper = gain + half
    ),
    basis = list(
      needed = if (assumed) {
        ceiling(2 * (1 + (1 + uplift)^2) * (reach * spread / expected)^2)
      } else {
        NA_real_
      },
      advised = advised_share(shares$control, seen, expected)
    )
  )
}

# The least effect that is seen with a chance of `power` when the contacted do u times more than
# they would: by held-back groups drawn with replacement from `pairs` (before, after), each as it
# would be measured. The contacted, and more than 2,000 held back, are as many as a mean needs to be
# normal. NULL where nothing is done without a campaign.
least_seen <- function(pairs, mean, spread, contacted, held, power, draws = 1000L) {
  if (mean <= 0 || spread == 0) return(NULL)
  normal <- \(n) {
    list(value = mean + spread / sqrt(n) * stats::rnorm(draws), variance = spread^2 / n)
  }
  by_lot <- with_seed(1L, list(
    normal(contacted), if (held > 2000L) normal(held) else drawn_arms(pairs, held, draws)
  ))
  limit <- stats::qt(0.975, contacted + held - 4L)
  rest <- if (held <= 2000L) line_at(pairs$before, pairs$after, mean(pairs$before))$rest
  if (!is.null(rest)) {
    # few held back: the measurement will allow for skewness
    arm <- rep(c(TRUE, FALSE), c(contacted, held))
    limit <- skewed(limit, skew_of(rest[rep_len(seq_along(rest), length(arm))], arm))
  }
  chance <- \(u) {
    effect <- (1 + u) * by_lot[[1L]]$value - by_lot[[2L]]$value
    error <- sqrt((1 + u)^2 * by_lot[[1L]]$variance + by_lot[[2L]]$variance)
    mean(effect > limit * error)
  }
  top <- 0.5
  while (chance(top) < power) {
    top <- 2 * top
    if (top > 1e4) return(NULL)
  }
  mean * stats::uniroot(\(u) chance(u) - power, c(0, top), tol = 1e-4)$root
}

drawn_arms <- function(pairs, n, draws) {
  centre <- mean(pairs$before)
  each <- vapply(seq_len(draws), \(draw) {
    rows <- sample.int(nrow(pairs), n, TRUE)
    x <- pairs$before[rows]
    y <- pairs$after[rows]
    arm <- line_at(x, y, centre) %||% list(value = mean(y), variance = stats::var(y) / n)
    c(arm$value, arm$variance)
  }, numeric(2))
  list(value = each[1L, ], variance = each[2L, ])
}

# The least share held back with which the assumed effect can be seen; without one the share that
# sees most.
advised_share <- function(control, seen, expected) {
  enough <- if (is.na(expected)) logical() else control[seen <= abs(expected)]
  if (length(enough) > 0L) min(enough) else control[[which.min(seen)]]
}

# What one unit of the outcome is worth in margin; missing where no margin is known.
worth_of_effect <- function(outcome, past, costs) {
  rate <- costs$margin_rate %||% NA_real_
  switch(outcome, sales = rate, purchases = rate * past$basket, bought_again = rate * past$basket)
}

plan_gain <- function(expected, worth, past, costs, contacted) {
  more <- if (is.na(expected) || past$without == 0) 1 else 1 + expected / past$without
  taken <- past$buying * more
  contacted * (expected * worth - costs$cost_per_contact - costs$offer_cost * min(1, taken))
}

# What the customers of the rule did in past windows of this length, and how well the window before
# tells it.
past_windows <- function(
  ledger, audience, days, outcome, then = ledgers_then(ledger),
  allowed = \(ids, day) rep(TRUE, length(ids)), call = rlang::caller_env()
) {
  room <- as.integer(ledger$as_of - ledger$history_start) + 1L
  windows <- min(4L, room %/% days - 1L)
  if (windows < 1L) {
    abort_nubrek(c(
      "The history is too short for a window of {days} days and one before it.",
      "x" = "It has {room} days.",
      "i" = "Plan a shorter window."
    ), "unidentified", call = call)
  }
  each <- list()
  for (k in seq_len(windows)) { # as many as are needed to know the spread well
    each[[k]] <- one_past_window(
      ledger, audience, ledger$as_of - k * days, days, outcome, then, allowed
    )
    if (sum(vapply(each, `[[`, 0L, "n")) >= 200000L) break
  }
  each <- Filter(\(one) one$n > 2L, each)
  if (length(each) == 0L) {
    abort_nubrek(c(
      "In no past window three customers or more met the rule.",
      "i" = "Choose a wider rule or a shorter window."
    ), "unidentified", call = call)
  }
  average <- \(field) stats::weighted.mean(
    vapply(each, `[[`, 0, field), vapply(each, \(one) as.double(one$n), 0)
  )
  purchases <- sum(vapply(each, `[[`, 0, "purchases"))
  list(
    windows = length(each),
    without = average("mean"),
    before = average("before"),
    same_rule = all(vapply(each, `[[`, NA, "same_rule")),
    spread = sqrt(average("variance")),
    explained = average("explained"),
    buying = average("buying"),
    pairs = do.call(rbind, lapply(each, `[[`, "pairs")),
    basket = if (purchases > 0) sum(vapply(each, `[[`, 0, "sales")) / purchases else NA_real_,
    remarks = if (!all(vapply(each, `[[`, NA, "same_rule"))) {
      remark_table("past windows", say(paste0(
        "The rule names what is not known for past days, so today's members are looked at: what ",
        "they did before they were chosen is more than they will do."
      )))
    }
  )
}

one_past_window <- function(ledger, audience, day, days, outcome, then, allowed) {
  then <- members_then(audience, then(day))
  then$ids <- then$ids[allowed(then$ids, day)]
  window <- list(
    days = days,
    before = list(from = day - days + 1, until = day),
    after = list(from = day + 1, until = day + days)
  )
  seen <- campaign_outcomes(ledger, ledger_codes(ledger, then$ids), window)
  after <- seen$after[[outcome]]
  before <- seen$before[[outcome]]
  told <- length(after) > 2L && stats::var(before) > 0 && stats::var(after) > 0
  some <- with_seed(1L, sample.int(length(after), min(length(after), 20000L)))
  list(
    n = length(after),
    mean = mean(after),
    before = mean(before),
    variance = stats::var(after),
    explained = if (told) stats::cor(before, after)^2 else 0,
    buying = mean(seen$after$bought_again),
    sales = sum(seen$after$sales),
    purchases = sum(seen$after$purchases),
    same_rule = then$same_rule,
    pairs = data.frame(before = before[some], after = after[some])
  )
}

# Who met the rule on a past day; where that cannot be known, today's members.
members_then <- function(audience, ledger) {
  then <- tryCatch(
    audience(ledger, rule = basis_of(audience, "rule"), among = basis_of(audience, "among")),
    nubrek_error = \(e) NULL
  )
  list(ids = (then %||% audience)$customer, same_rule = !is.null(then))
}

# The ledger as it was on days of the past, each made once.
ledgers_then <- function(ledger) {
  made <- list()
  \(day) {
    key <- format(day)
    if (is.null(made[[key]])) made[[key]] <<- ledger_at(ledger, day)
    made[[key]]
  }
}
