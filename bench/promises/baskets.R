# Customers who buy at their own rate and level (who buys often spends more); the size of purchases
# has a season, dear days before a holiday, and weeks that differ; the number of customers grows.
basket_years <- function(seed, cell) {
  set.seed(seed)
  from <- -365L * cell$years
  n <- cell$customers
  joined <- floor(log(runif(n, (1 + cell$growth)^(from / 365) * 0.5, 1 + cell$growth)) /
    log(1 + cell$growth) * 365)
  rate <- rgamma(n, 1, 365 / 4)
  level <- exp(0.3 * log(rate * 365 / 4 + 0.1) + rnorm(n, 3, 0.5))
  open <- 365L - pmax(joined, from)
  bought <- rpois(n, rate * open) + (joined >= from)
  who <- rep(seq_len(n), bought)
  day <- pmax(joined, from)[who] + floor(runif(length(who)) * open[who])
  first <- !duplicated(who) & joined[who] >= from
  day[first] <- joined[who[first]]
  dear <- 1 + cell$season * sin(2 * pi * (day %% 365) / 365)
  dear <- dear * ifelse((day %% 365) >= 330 & (day %% 365) < 358, 1 + cell$holiday, 1)
  week <- day %/% 7 - from %/% 7 + 1
  if (cell$scatter > 0) dear <- dear * exp(rnorm(max(week), 0, cell$scatter))[week]
  rows <- data.frame(
    who = sprintf("C%06d", who), order = seq_along(who), day = as.Date("2025-01-01") + day,
    paid = round(level[who] * dear * rlnorm(length(who), 0, 0.6), 2) + 0.01
  )
  rows <- rows[rows$day <= as.Date("2025-12-31"), ]
  ledger <- open_ledger(rows, column_map("who", "day", order = "order", sales = "paid"), meanings(
    currency = "EUR", history_start = as.Date("2025-01-01") + from, as_of = "2025-12-31"
  ))
  watch_baskets(ledger)$day
}

promise(
  "watch-baskets",
  paste(
    "`watch_baskets()` raises an alert in at most 20 % of the years in which people buy as before",
    "(`false_alarms = 0.2`). The number of customers grows by a fifth a year."
  ),
  of = c("R/watch-returns.R", "R/watch-evidence.R"),
  cells = within(
    rbind(
      expand.grid(customers = c(400, 4000), years = c(1, 3), season = 0, holiday = 0, scatter = 0),
      expand.grid(
        customers = c(400, 4000), years = c(1, 3), season = 0.1, holiday = 0.3, scatter = 0.05
      )
    ),
    {
      growth <- 0.2
      world <- sprintf(
        "%s; %s customers, %s before", ifelse(
          season == 0, "nothing moves", "season of 10 %, dear weeks before a holiday, weeks differ"
        ), format_count(customers), ifelse(years == 1, "1 year", "3 years")
      )
    }
  ),
  measure = \(seed, cell) c(fired = !is.na(basket_years(seed, cell))),
  holds = list(fired = c(0, 0.2)),
  worlds = 200L
)
