# Campaigns with a known effect: gamma rates, each customer's own level of spend, log-normal sales
# with sigma 1.5.

first_day <- as.Date("2024-01-01")
campaign_days <- 60L

# Orders of `n` customers up to day `last`; those `reached` buy `more` times more after the contact.
campaign_orders <- function(n, last, more = 0, reached = logical(n)) {
  rate <- rgamma(n, 0.8, 0.8 / 0.02) # a day
  level <- rlnorm(n, 3, 0.7)
  buy <- function(rate, from, until) {
    k <- rpois(n, rate * (until - from + 1L))
    data.frame(who = rep(seq_len(n), k), day = sample(from:until, sum(k), TRUE))
  }
  rows <- rbind(
    buy(rate, 0L, last), buy(more * reached / campaign_days, last - campaign_days + 1L, last)
  )
  rows$paid <- round(rlnorm(nrow(rows), 0, 1.5) * level[rows$who], 2) + 0.01
  data.frame(
    who = sprintf("C%05d", rows$who), order = seq_len(nrow(rows)), day = first_day + rows$day,
    paid = rows$paid
  )
}
campaign_ledger <- \(orders, last) suppressWarnings(open_ledger(
  orders, column_map("who", "day", order = "order", sales = "paid"),
  meanings(
    currency = "EUR", history_start = first_day, as_of = first_day + last,
    consent = "not recorded"
  )
))
# Who would be drawn: the draw depends on the id alone.
held_arm <- \(n, share, seed) nubrek:::keyed_draws(sprintf("C%05d", seq_len(n)), seed) < share

campaign_covered <- function(seed, cell) {
  set.seed(seed)
  n <- cell$n
  reached <- !held_arm(n, cell$share, seed) & runif(n) > cell$lost
  ledger <- campaign_ledger(campaign_orders(n, 240L, cell$more, reached), 240L)
  drawn <- draw_control(
    audience(ledger, purchases >= 0), ledger, cell$share, seed = seed, day = first_day + 180L,
    days = campaign_days
  )
  got <- measure_campaign(ledger, drawn, outcomes = c("purchases", "sales"))
  truth <- cell$more * (1 - cell$lost) * c(1, exp(3 + 0.7^2 / 2 + 1.5^2 / 2) + 0.01)
  cbind(holds = got$lower <= truth & truth <= got$upper, seen = got$p < 0.05) |>
    `rownames<-`(got$outcome)
}
campaign_code <- c("R/campaign-effect.R", "R/campaign-measure.R", "R/campaign-drawn.R")

promise(
  "campaign-intervals",
  paste(
    "The 95 % interval of `measure_campaign()` holds the true effect. `seen` is how often an",
    "effect is told (p < 0.05): where there is none, in 5 % of the campaigns."
  ),
  of = campaign_code,
  cells = within(
    data.frame(
      n = c(2000, 2000, 2000, 10000, 2000, 500), share = c(0.5, 0.5, 0.5, 0.1, 0.1, 0.1),
      more = c(0, 0.3, 0.3, 0.3, 0, 0), lost = c(0, 0, 0.05, 0, 0, 0)
    ),
    world <- sprintf(
      "%s : %s customers, %s%s", format_count(n * (1 - share)), format_count(n * share),
      ifelse(more == 0, "no effect", "0.3 purchases more"),
      ifelse(lost == 0, "", ", one in twenty not reached")
    )
  ),
  measure = campaign_covered,
  holds = list(holds = c(0.93, 0.98)),
  worlds = 400L
)

# The effect that the plan promises to see with a chance of 80 %.
campaign_power <- function(seed, cell) {
  set.seed(seed)
  n <- cell$n
  held <- held_arm(n, cell$share, seed)
  state <- .Random.seed
  contact <- first_day + 480L
  known <- ledger_slice(campaign_ledger(campaign_orders(n, 540L), 540L), until = contact,
    first = "any")
  plan <- plan_campaign(
    known, audience(known, purchases >= 1), "purchases", days = campaign_days,
    control = cell$share
  )
  assign(".Random.seed", state, globalenv()) # the same customers
  ledger <- campaign_ledger(campaign_orders(n, 540L, plan$detectable, !held), 540L)
  drawn <- draw_control(
    audience(ledger, purchases >= 1, as_of = contact), ledger, cell$share, seed = seed,
    day = contact, days = campaign_days
  )
  c(seen = measure_campaign(ledger, drawn, outcomes = "purchases")$p < 0.05)
}
promise(
  "campaign-power",
  paste(
    "An effect as large as the one that `plan_campaign()` says can be seen is seen in 80 % of",
    "cases. The plan lets those who buy much be moved most; here everybody is moved alike, which",
    "is seen more often in arms of one size."
  ),
  of = c(campaign_code, "R/campaign-plan.R"),
  cells = data.frame(
    world = c("1,000 : 1,000 customers", "2,400 : 600", "2,700 : 300"),
    n = c(2000L, 3000L, 3000L), share = c(0.5, 0.2, 0.1)
  ),
  measure = campaign_power,
  holds = list(seen = c(0.75, 0.85)),
  worlds = 200L
)

# Nothing was done to those who were silent for long: what do a control and a comparison with the
# time before say?
campaign_nothing <- function(seed, cell) {
  set.seed(seed)
  contact <- first_day + 180L
  ledger <- campaign_ledger(campaign_orders(1500L, 240L), 240L)
  silent <- audience(ledger, purchases >= 2, open_gap > 50, as_of = contact)
  drawn <- draw_control(silent, ledger, 0.5, seed = seed, day = contact, days = campaign_days)
  got <- measure_campaign(ledger, drawn, outcomes = "purchases")
  past <- nubrek:::campaign_outcomes(
    ledger, nubrek:::ledger_codes(ledger, silent$customer),
    nubrek:::campaign_window(ledger, drawn)
  )
  naive <- t.test(past$after$purchases - past$before$purchases, alternative = "greater")
  c(`with a control` = got$p < 0.05, `before and after alone` = naive$p.value < 0.05)
}
promise(
  "campaign-nothing",
  paste(
    "Where nothing was done to the longest silent, `measure_campaign()` tells an effect in 5 % of",
    "cases; a comparison of before and after alone, which Nubrek does not make, nearly always."
  ),
  of = campaign_code,
  cells = data.frame(world = "750 : 750 customers who were silent for 50 days"),
  measure = campaign_nothing,
  holds = list(`with a control` = c(0.03, 0.07)),
  worlds = 400L
)
