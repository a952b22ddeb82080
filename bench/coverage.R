# Do the intervals hold what they say? Worlds drawn from known parameters, each opened as a ledger
# of three years and held against the year that follows: sales and purchases of today's customers,
# in all and month by month, as `forecast_sales()` tells them. Writes docs/coverage.md. Usage:
# coverage.R [WORLDS]
suppressPackageStartupMessages(library(nubrek))
wanted <- as.numeric(commandArgs(TRUE))
worlds <- if (length(wanted) > 0L) wanted[[1L]] else 1000
customers <- 900L
start <- as.Date("2022-01-01")
end <- as.Date("2024-12-31")
months <- c(0.7, 0.75, 0.9, 1, 0.95, 0.85, 0.8, 0.9, 1.05, 1.2, 1.4, 1.5)

truths <- list(
  list(
    says = "pareto-nbd, gamma-gamma",
    purchases = "pareto-nbd",
    spend = "gamma-gamma",
    season = FALSE,
    returns = 0,
    buys = c(r = 0.85, alpha = 9.5, s = 0.75, beta = 20),
    spends = c(p = 4.2, q = 5.5, gamma = 38)
  ),
  list(
    says = "bg-nbd, log-normal, with a season and returns",
    purchases = "bg-nbd",
    spend = "log-normal",
    season = TRUE,
    returns = 0.06,
    buys = c(r = 0.6, alpha = 6, a = 0.8, b = 2.5),
    spends = c(mu = 3.4, sigma = 0.5, tau = 0.4)
  )
)

amounts <- function(truth, customer) {
  p <- truth$spends
  if (truth$spend == "log-normal") {
    return(exp(rnorm(
      length(customer), rnorm(customers, p[["mu"]], p[["tau"]])[customer], p[["sigma"]]
    )))
  }
  rgamma(length(customer), p[["p"]], rgamma(customers, p[["q"]], p[["gamma"]])[customer])
}

# Business days gone by at the end of each day: a season makes the days of its high months longer.
days <- 0:(as.integer(end - start) + 366L)
business <- c(0, cumsum((months / mean(months))[as.POSIXlt(start + days)$mon + 1L]))

# Orders of three years and of the one after.
draw_world <- function(truth, seed) {
  set.seed(seed)
  first <- sample.int(as.integer(end - start) + 1L, customers, TRUE) - 1L
  clock <- if (truth$season) business else c(0, days + 1)
  began <- clock[first + 1L]
  bought <- simulate(
    purchase_model(truth$purchases, truth$buys),
    seed = seed,
    history = data.frame(span = (max(clock) - began) / 7),
    times = TRUE
  )
  day <- pmax(0L, findInterval(began[bought$customer] + bought$time * 7, clock) - 1L)
  orders <- data.frame(customer = c(seq_len(customers), bought$customer), day = c(first, day))
  orders$amount <- pmax(0.01, round(amounts(truth, orders$customer), 2))
  back <- orders[runif(nrow(orders)) < truth$returns, ]
  orders <- rbind(orders, transform(back, day = day + 5L, amount = -amount))
  orders <- orders[order(orders$day), ]
  transform(
    orders,
    day = start + day,
    receipt = seq_len(nrow(orders)),
    customer = sprintf("C%04d", customer)
  )
}

one_world <- function(truth, seed) {
  orders <- draw_world(truth, seed)
  before <- orders[orders$day <= end, ]
  after <- orders[
    orders$day > end & orders$day <= end + 365L & orders$customer %in% before$customer,
  ]
  ledger <- open_ledger(
    before,
    column_map("customer", "day", order = "receipt", sales = "amount"),
    meanings(currency = "EUR", as_of = end)
  )
  season <- tryCatch(season_index(ledger), nubrek_error_unidentified = \(e) FALSE)
  models <- forecast_models(truth$purchases, truth$spend, season = season)
  month <- factor(format(after$day, "%m"), sprintf("%02d", 1:12))
  came <- as.vector(tapply(after$amount, month, sum, default = 0))
  positive <- unique(after[after$amount > 0, c("customer", "day")])
  visits <- as.vector(table(factor(format(positive$day, "%m"), sprintf("%02d", 1:12))))
  inside <- \(x, lower, upper) x >= lower & x <= upper
  of_level <- function(level) {
    f <- forecast_sales(ledger, "month", 12L, acquisitions = 0, level = level, models = models)
    total <- attr(f, "total")
    c(
      sales = inside(sum(came), total$sales_lower, total$sales_upper),
      purchases = inside(sum(visits), total$purchases_lower, total$purchases_upper),
      monthly_sales = mean(inside(came, f$sales_lower, f$sales_upper)),
      monthly_purchases = mean(inside(visits, f$purchases_lower, f$purchases_upper)),
      off = total$sales / sum(came) - 1
    )
  }
  rbind(of_level(0.8), of_level(0.95))
}

options(nubrek.threads = 1L)
rows <- lapply(truths, function(truth) {
  found <- parallel::mclapply(
    seq_len(worlds), \(i) tryCatch(one_world(truth, i), nubrek_error = \(e) NULL), mc.cores = 2L
  )
  found <- simplify2array(Filter(Negate(is.null), found))
  n <- dim(found)[[3L]]
  cover <- apply(found, 1:2, mean)
  error <- apply(found, 1:2, sd) / sqrt(n)
  words <- c(
    sales = "sales of the year",
    purchases = "purchase days of the year",
    monthly_sales = "sales of single months",
    monthly_purchases = "purchase days of single months"
  )
  c(
    sprintf(
      "| %s | %s | %.1f (%.1f) | %.1f (%.1f) |",
      truth$says,
      words,
      100 * cover[1L, 1:4],
      100 * error[1L, 1:4],
      100 * cover[2L, 1:4],
      100 * error[2L, 1:4]
    ),
    sprintf(
      "| | mean error of the sales of the year, %d worlds | %.1f %% | |", n, 100 * cover[1L, 5L]
    )
  )
})
text <- c(
  "# Do the intervals hold what they say?",
  "",
  sprintf(paste0(
    "Made by `make coverage`: %d worlds for each pair of models, %d customers each, won over ",
    "three years, opened as a ledger and held against the following year."
  ), worlds, customers),
  paste0(
    "Share of intervals of `forecast_sales()`, in percent (its standard error in brackets), that ",
    "hold what today's customers then did."
  ),
  "",
  "| worlds | interval of | 80 % holds | 95 % holds |",
  "|---|---|---|---|",
  unlist(rows)
)
writeLines(text)
writeLines(text, "docs/coverage.md")
