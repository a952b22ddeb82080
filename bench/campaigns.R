# Campaigns in worlds with a known effect, of a generator of its own (gamma rates, log-normal sales
# with sigma 1.5): do 95 % intervals hold the truth, is the power what was promised, and what is
# credited to a campaign that did nothing? Writes docs/campaigns.md. Usage: campaigns.R [WORLDS]
library(nubrek)
worlds <- as.integer(c(commandArgs(TRUE), 1000L)[[1L]])
first <- as.Date("2024-01-01")
window <- 60L
# The day of contact, and the last one; plans look at a longer history.
contact <- first + 180L
last <- 240L

# Orders of `n` customers from the first day to the last; those of `more` buy so many times more after the contact.
orders_of <- function(n, more = 0, reached = logical(n)) {
  rate <- rgamma(n, 0.8, 0.8 / 0.02) # a day
  level <- rlnorm(n, 3, 0.7)
  buy <- function(rate, from, until) {
    k <- rpois(n, rate * (until - from + 1L))
    data.frame(who = rep(seq_len(n), k), day = sample(from:until, sum(k), TRUE))
  }
  rows <- rbind(buy(rate, 0L, last), buy(
    more * reached / window, last - window + 1L, last
  ))
  rows$paid <- round(rlnorm(nrow(rows), 0, 1.5) * level[rows$who], 2) + 0.01
  data.frame(
    who = sprintf("C%05d", rows$who), order = seq_len(nrow(rows)), day = first + rows$day,
    paid = rows$paid
  )
}

ledger_of <- \(orders) suppressWarnings(open_ledger(
  orders, column_map("who", "day", order = "order", sales = "paid"),
  meanings(
    currency = "EUR", history_start = first, as_of = first + last, consent = "not recorded"
  )
))

# Who would be drawn: the draw depends on the id alone.
arms_of <- function(n, share, seed) {
  ids <- sprintf("C%05d", seq_len(n))
  nubrek:::keyed_draws(ids, seed) < share
}

covered <- function(world, n, share, more, lost) {
  set.seed(world)
  held <- arms_of(n, share, world)
  reached <- !held & runif(n) > lost
  ledger <- ledger_of(orders_of(n, more, reached))
  drawn <- draw_control(
    audience(ledger, purchases >= 0), ledger, share, seed = world, day = contact, days = window
  )
  got <- measure_campaign(ledger, drawn, outcomes = c("purchases", "sales"))
  truth <- more * (1 - lost) * c(1, exp(3 + 0.7^2 / 2 + 1.5^2 / 2) + 0.01)
  c(got$lower <= truth & truth <= got$upper, got$p < 0.05)
}

# The effect that the plan promises to see with a chance of 80 %.
powered <- function(world, n, share) {
  set.seed(world)
  held <- arms_of(n, share, world)
  state <- .Random.seed
  known <- ledger_of(orders_of(n))
  known <- ledger_slice(known, until = contact, first = "any")
  plan <- plan_campaign(
    known, audience(known, purchases >= 1), "purchases", days = window, control = share
  )
  assign(".Random.seed", state, globalenv()) # the same customers
  ledger <- ledger_of(orders_of(n, plan$detectable, !held))
  drawn <- draw_control(
    audience(ledger, purchases >= 1, as_of = contact), ledger, share, seed = world, day = contact,
    days = window
  )
  measure_campaign(ledger, drawn, outcomes = "purchases")$p < 0.05
}

# Nothing was done to the longest silent: what do a control and a comparison with before say?
credited <- function(world, n) {
  set.seed(world)
  ledger <- ledger_of(orders_of(n))
  silent <- audience(ledger, purchases >= 2, open_gap > 50, as_of = contact)
  drawn <- draw_control(silent, ledger, 0.5, seed = world, day = contact, days = window)
  got <- measure_campaign(ledger, drawn, outcomes = "purchases")
  past <- nubrek:::campaign_outcomes(
    ledger, nubrek:::ledger_codes(ledger, silent$customer),
    nubrek:::campaign_window(ledger, drawn)
  )
  naive <- t.test(past$after$purchases - past$before$purchases, alternative = "greater")
  c(control = got$p < 0.05 && got$effect > 0, two_sided = got$p < 0.05, naive = naive$p.value < 0.05)
}

over <- function(call) do.call(rbind, parallel::mclapply(seq_len(worlds), call, mc.cores = 2L))
percent <- \(x) sprintf("%.1f %%", 100 * x)
cells <- list(
  "1,000 : 1,000, an effect of 0.3 purchases" = c(2000, 0.5, 0.3, 0),
  "1,000 : 1,000, one in twenty not reached" = c(2000, 0.5, 0.3, 0.05),
  "9,000 : 1,000" = c(10000, 0.1, 0.3, 0),
  "1,000 : 1,000, no effect" = c(2000, 0.5, 0, 0)
)
rows <- vapply(names(cells), \(name) {
  a <- cells[[name]]
  seen <- colMeans(over(\(world) covered(world, a[[1]], a[[2]], a[[3]], a[[4]])))
  paste0("| ", name, " | ", paste(percent(seen), collapse = " | "), " |")
}, "")
tail <- colMeans(over(\(world) credited(world, 1500L)))
contact <- first + 480L
last <- 540L
power <- c(mean(over(\(world) powered(world, 2000L, 0.5))), mean(
  over(\(world) powered(world, 3000L, 0.2))
))
writeLines(c(
  "# Campaigns in worlds with a known effect", "",
  sprintf(
    "Made by `make campaigns`: %d worlds a row. Customers buy by gamma rates, with log-normal sales (sigma 1.5), from a generator of its own. The standard error of a share of 95 %% is %s.",
    worlds, percent(sqrt(0.95 * 0.05 / worlds))
  ), "",
  "## How often 95 % intervals hold the truth, and how often an effect is seen", "",
  "| arms | held: purchases | held: sales | seen: purchases | seen: sales |",
  "|---|---|---|---|---|", rows, "",
  "## Power, planned from sixteen months of history", "",
  "| promised | seen, 1,000 : 1,000 | seen, 2,400 : 600 |", "|---|---|---|",
  sprintf("| 80.0 %% | %s | %s |", percent(power[[1L]]), percent(power[[2L]])), "",
  "## A campaign that did nothing, to the longest silent", "",
  sprintf("With a control, an effect was seen in %s of worlds at the 5 %% level (above zero in %s).", percent(tail[["two_sided"]]), percent(tail[["control"]])),
  sprintf("Before and after, compared without a control, would have credited it in %s.", percent(tail[["naive"]]))
), "docs/campaigns.md")
cat(readLines("docs/campaigns.md"), sep = "\n")
