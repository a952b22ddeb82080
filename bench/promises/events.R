# Shops in which nothing happens in the days of an event: days of the week, an Advent twice as busy,
# days that depend on each other, skewed baskets, growth.

quiet_december <- function(seed, cell) {
  set.seed(seed)
  day <- 0:(365 * cell$years + 29)
  left <- (day - 365 * cell$years) %% 365
  season <- 1 + 0.15 * sin(2 * pi * left / 365) + 0.8 * exp(-((left - 345) / 14)^2)
  shock <- as.numeric(arima.sim(list(ar = 0.6), length(day))) * 0.8
  week <- c(0.3, 0.8, 0.9, 1, 1.2, 1.6, 1.2)[day %% 7 + 1]
  bought <- rpois(
    length(day), cell$buyers * 1.2^(day / 365) * season * week * exp(0.15 * shock)
  )
  from <- 365L * cell$years - 31L + sample(0:14, 1L)
  n <- sum(bought)
  start <- as.Date("2023-01-01")
  rows <- data.frame(
    who = sprintf("C%06d", sample.int(n, n, TRUE)), day = start + rep(day, bought),
    order = seq_len(n), paid = round(rlnorm(n, 3, 1), 2) + 0.01
  )
  ledger <- open_ledger(rows, column_map("who", "day", order = "order", sales = "paid"), meanings(
    currency = "EUR", history_start = start, as_of = start + max(day)
  ))
  x <- event_sales(with_events(ledger, data.frame(
    event = "Nothing", from = start + from, until = start + from + cell$days - 1L, kind = "other"
  )))
  c(
    holds = x$sales >= x$usual_lower && x$sales <= x$usual_upper,
    below = x$sales < x$usual_lower, `usual against true` = x$usual / x$sales - 1
  )
}
promise(
  "event-usual",
  paste(
    "The interval of `event_sales()` (`usual_lower`, `usual_upper`) holds what the days sell when",
    "nothing happens, in 95 % of cases. `usual against true` is the median error."
  ),
  of = c(
    "event_sales", "one_event", "days_beside", "usual_beside", "usual_years", "usual_spreads",
    "usual_first", "usual_shifts", "usual_sales", "usual_cover", "mixture_quantiles", "day_noise",
    "work_logs", "usual_fit"
  ),
  cells = within(expand.grid(buyers = c(5, 50), years = 1:3, days = c(1L, 5L, 14L)), {
    world <- sprintf(
      "%d day%s in December, %d buyers a day, %d year%s known", days, ifelse(days == 1L, "", "s"),
      buyers, years, ifelse(years == 1L, "", "s")
    )
  }),
  measure = quiet_december,
  holds = list(holds = c(0.93, 1)),
  show = list(`usual against true` = \(x) sprintf("%+.1f", 100 * median(x))),
  worlds = 400L
)
