# Shops whose new customers come back within 30 days with a chance that has a season, two holidays
# (one of which moves), weeks that differ and weekends; with or without a change in the year of the
# watch.

shop_years <- function(seed, cell) {
  set.seed(seed)
  years <- cell$years
  days <- seq(-365L * years - 30L, 364L)
  year <- days %/% 365L
  of_year <- days %% 365L
  rate <- cell$rate * (1 + cell$season * sin(2 * pi * of_year / 365 + runif(1L, 0, 2 * pi)))
  holiday <- sample.int(365L, 1L) - 1L
  rate <- rate * ifelse((of_year - holiday) %% 365L < 21L, 1 - cell$holiday, 1)
  moving <- 80L + sample.int(40L, years + 2L, TRUE)[year + years + 2L]
  rate <- rate * ifelse(of_year >= moving & of_year < moving + 14L, 1 - cell$holiday, 1)
  if (cell$scatter > 0) {
    week <- days %/% 7L - min(days %/% 7L) + 1L
    own <- rgamma(max(week), 1 / cell$scatter^2, 1 / cell$scatter^2)
    rate <- rate * own[week]
  }
  # known on a day 30 days later
  day <- days - 30L
  changed <- days >= cell$changes
  rate <- pmin(0.95, ifelse(changed, rate * (1 + cell$change), rate))
  new <- rpois(length(days), cell$monthly * 12 / 365 * (1 + cell$growth)^(days / 365) *
    ifelse(day %% 7L < 2L, 1.6, 0.76))
  first <- rep(day, new)
  again <- which(runif(length(first)) < rep(rate, new))
  rows <- data.frame(
    who = sprintf("C%06d", c(seq_along(first), again)),
    day = as.Date("2025-01-01") + c(first, first[again] + sample.int(30L, length(again), TRUE)),
    paid = 20
  )
  rows <- rows[rows$day <= as.Date("2025-12-31"), ]
  ledger <- open_ledger(rows, column_map("who", "day", sales = "paid"), meanings(
    currency = "EUR", history_start = min(rows$day), as_of = "2025-12-31"
  ))
  found <- watch_returns(ledger, direction = cell$direction)
  found$day - as.Date("2025-01-01")
}

watch_cell <- function(..., monthly = c(50, 200, 1000), direction = "either") {
  plain <- list(
    rate = 0.25, season = 0, holiday = 0, scatter = 0, growth = 0, change = 0, changes = 999L
  )
  said <- utils::modifyList(plain, list(...))
  do.call(expand.grid, c(
    list(monthly = monthly, years = c(1, 3), direction = direction), said, stringsAsFactors = FALSE
  ))
}
busy <- list(season = 0.25, holiday = 0.4, scatter = 0.15, growth = 0.5)
with_words <- \(cells, words) cbind(world = sprintf(
  "%s; %s new a month, %s before", words, format_count(cells$monthly),
  ifelse(cells$years == 1, "1 year", "3 years")
), cells)

watch_code <- c(
  "watch_returns", "watched", "watch_start", "watch_steps", "watched_group", "watched_past",
  "watch_evidence", "watch_fit", "watch_spreads", "watch_changes"
)

promise(
  "watch-quiet",
  paste(
    "`watch_returns()` raises an alert in at most 20 % of the years in which nothing changes",
    "(`false_alarms = 0.2`)."
  ),
  of = watch_code,
  cells = rbind(
    with_words(watch_cell(), "nothing moves"),
    with_words(watch_cell(season = 0.25), "season of 25 %"),
    with_words(do.call(watch_cell, busy), paste(
      "season of 25 %, two holidays (-40 %), weeks that scatter by 15 %, growth of 50 % a year"
    ))
  ),
  measure = \(seed, cell) c(fired = !is.na(shop_years(seed, cell))),
  holds = list(fired = c(0, 0.2))
)

promise(
  "watch-fall",
  paste(
    "`watch_returns(direction = \"falls\")` sees a fall of the rate of coming back. No rate is",
    "promised; this is how often and how soon, in weeks after the first customers of whom it shows",
    "(the first purchase lies 30 days before)."
  ),
  of = watch_code,
  cells = do.call(rbind, lapply(c(-0.2, -0.5), \(change) rbind(
    with_words(
      watch_cell(change = change, changes = 60L, direction = "falls"),
      sprintf("%d %%, nothing else moves", round(100 * change))
    ),
    with_words(
      do.call(watch_cell, c(busy, change = change, changes = 60L, direction = "falls")),
      sprintf("%d %%, all that moves above", round(100 * change))
    )
  ))),
  measure = \(seed, cell) {
    day <- as.integer(shop_years(seed, cell))
    c(`seen in the year` = !is.na(day) && day > 60L, weeks = (day - 60L) / 7)
  },
  show = list(weeks = \(x) {
    if (mean(is.na(x)) > 0.75) return("")
    x[is.na(x)] <- Inf
    q <- quantile(x, c(0.25, 0.5, 0.75), type = 1)
    paste0(ifelse(is.finite(q), sprintf("%.0f", q), "never"), collapse = " / ")
  })
)
