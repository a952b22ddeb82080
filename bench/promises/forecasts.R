fit_code <- c(
  "R/forecast-fit.R", "R/forecast-fit-spend.R", "R/forecast-climb.R", "R/forecast-interval.R",
  "src/pareto_nbd.cpp", "src/bg_nbd.cpp", "src/bg_bb.cpp", "src/gamma_gamma.cpp",
  "src/log_normal.cpp"
)

# Customers won over three years, drawn from known models; the year that follows is held against
# `forecast_sales()` of today's customers.

forecast_start <- as.Date("2022-01-01")
forecast_end <- as.Date("2024-12-31")
forecast_truths <- list(
  "pareto-nbd, gamma-gamma" = list(
    purchases = "pareto-nbd", spend = "gamma-gamma", season = FALSE, returns = 0,
    buys = c(r = 0.85, alpha = 9.5, s = 0.75, beta = 20),
    spends = c(p = 4.2, q = 5.5, gamma = 38)
  ),
  "bg-nbd, log-normal, with a season and returns" = list(
    purchases = "bg-nbd", spend = "log-normal", season = TRUE, returns = 0.06,
    buys = c(r = 0.6, alpha = 6, a = 0.8, b = 2.5),
    spends = c(mu = 3.4, sigma = 0.5, tau = 0.4)
  )
)
# Business days gone by at the end of each day: a season makes the days of its high months longer.
forecast_clock <- function(season) {
  days <- 0:(as.integer(forecast_end - forecast_start) + 366L)
  if (!season) return(c(0, days + 1))
  months <- c(0.7, 0.75, 0.9, 1, 0.95, 0.85, 0.8, 0.9, 1.05, 1.2, 1.4, 1.5)
  c(0, cumsum((months / mean(months))[as.POSIXlt(forecast_start + days)$mon + 1L]))
}
forecast_amounts <- function(truth, customer, n) {
  p <- truth$spends
  if (truth$spend == "log-normal") {
    return(exp(rnorm(length(customer), rnorm(n, p[["mu"]], p[["tau"]])[customer], p[["sigma"]])))
  }
  rgamma(length(customer), p[["p"]], rgamma(n, p[["q"]], p[["gamma"]])[customer])
}
# Orders of three years and of the one after.
forecast_orders <- function(truth, seed, n) {
  set.seed(seed)
  first <- sample.int(as.integer(forecast_end - forecast_start) + 1L, n, TRUE) - 1L
  clock <- forecast_clock(truth$season)
  began <- clock[first + 1L]
  bought <- simulate(
    purchase_model(truth$purchases, truth$buys),
    seed = seed, history = data.frame(span = (max(clock) - began) / 7), times = TRUE
  )
  day <- pmax(0L, findInterval(began[bought$customer] + bought$time * 7, clock) - 1L)
  orders <- data.frame(customer = c(seq_len(n), bought$customer), day = c(first, day))
  orders$amount <- pmax(0.01, round(forecast_amounts(truth, orders$customer, n), 2))
  back <- orders[runif(nrow(orders)) < truth$returns, ]
  orders <- rbind(orders, transform(back, day = day + 5L, amount = -amount))
  transform(
    orders[order(orders$day), ],
    day = forecast_start + day, receipt = seq_along(day), customer = sprintf("C%04d", customer)
  )
}
forecast_world <- function(seed, cell) {
  truth <- forecast_truths[[cell$world]]
  orders <- forecast_orders(truth, seed, 900L)
  before <- orders[orders$day <= forecast_end, ]
  after <- orders[
    orders$day > forecast_end & orders$day <= forecast_end + 365L &
      orders$customer %in% before$customer,
  ]
  ledger <- open_ledger(
    before, column_map("customer", "day", order = "receipt", sales = "amount"),
    meanings(currency = "EUR", as_of = forecast_end)
  )
  season <- tryCatch(season_index(ledger), nubrek_error_unidentified = \(e) FALSE)
  models <- forecast_models(truth$purchases, truth$spend, season = season)
  month <- factor(format(after$day, "%m"), sprintf("%02d", 1:12))
  came <- as.vector(tapply(after$amount, month, sum, default = 0))
  positive <- unique(after[after$amount > 0, c("customer", "day")])
  visits <- as.vector(table(factor(format(positive$day, "%m"), sprintf("%02d", 1:12))))
  inside <- \(x, lower, upper) mean(x >= lower & x <= upper)
  of_level <- function(level) {
    f <- forecast_sales(ledger, "month", 12L, acquisitions = 0, level = level, models = models)
    total <- attr(f, "total")
    list(off = total$sales / sum(came) - 1, held = c(
      `sales of the year` = inside(sum(came), total$sales_lower, total$sales_upper),
      `purchase days of the year` = inside(
        sum(visits), total$purchases_lower, total$purchases_upper
      ),
      `sales of single months` = inside(came, f$sales_lower, f$sales_upper),
      `purchase days of single months` = inside(visits, f$purchases_lower, f$purchases_upper)
    ))
  }
  lower <- of_level(0.8)
  cbind(
    `80 % holds` = lower$held, `95 % holds` = of_level(0.95)$held,
    `mean error` = c(lower$off, NA, NA, NA)
  )
}
promise(
  "forecast-sales",
  paste(
    "The intervals of `forecast_sales()` hold what today's customers do in the next year, where",
    "the models are true (900 customers won over three years). In businesses that change they do",
    "not yet."
  ),
  of = c(
    "R/forecast-sales.R", "R/forecast-draws.R", "R/forecast-doubts.R", "R/forecast-season.R",
    "R/forecast-season-doubt.R", "src/course_kernels.cpp", fit_code
  ),
  cells = data.frame(world = names(forecast_truths)),
  measure = forecast_world,
  holds = list(`80 % holds` = c(0.78, 0.82), `95 % holds` = c(0.93, 0.97)),
  show = list(`mean error` = \(x) sprintf("%+.1f (%.1f)", 100 * mean(x), 100 * sd(x) / sqrt(
    length(x)
  ))),
  worlds = 200L
)

# Parameters of 5,000 customers, fitted again.
fit_spans <- rep_len(seq(26, 104, length.out = 79), 5000L)
fit_base <- c(r = 0.8, alpha = 9, s = 0.7, beta = 18)
fit_effects <- c("rate: channel web" = 0.4, "dropout: channel web" = -0.3)
fit_truths <- list(
  "pareto-nbd" = fit_base, "bg-nbd" = c(r = 0.9, alpha = 8, a = 0.9, b = 2.4),
  "mbg-nbd" = c(r = 0.9, alpha = 8, a = 0.9, b = 2.4),
  "bg-bb" = c(alpha = 1.2, beta = 0.8, gamma = 0.7, delta = 2.8),
  "pareto-nbd, a covariate" = c(fit_base, fit_effects),
  "gamma-gamma" = c(p = 4, q = 5, gamma = 30), "log-normal" = c(mu = 3.2, sigma = 0.5, tau = 0.6)
)
fit_again <- function(seed, name) {
  truth <- fit_truths[[name]]
  drawn <- \(truth, seed, span) simulate(
    purchase_model(sub(",.*", "", name), truth), seed = seed, history = data.frame(span = span)
  )
  if (name %in% c("gamma-gamma", "log-normal")) {
    repeats <- rep_len(c(1, 1, 1, 2, 2, 3, 5, 9), 5000L)
    return(fit_spend(simulate(spend_model(name, truth), seed = seed, repeats = repeats), name))
  }
  if (grepl("covariate", name)) {
    shop <- seq_len(5000L) <= 3000L
    web <- fit_base * c(1, exp(-0.4), 1, exp(0.3))
    both <- rbind(drawn(fit_base, seed, fit_spans[shop]), drawn(web, seed + 1e6, fit_spans[!shop]))
    return(fit_purchases(cbind(both, channel = ifelse(shop, "shop", "web")), covariates = ~channel))
  }
  fit_purchases(drawn(truth, seed, if (name == "bg-bb") {
    rep_len(6:12, 5000L)
  } else {
    fit_spans
  }), name)
}
promise(
  "fitted-parameters",
  paste(
    "The 95 % intervals of `confint()` hold the true parameters. `error`: mean and spread of what",
    "was fitted less the truth, in logs (of effects and mu themselves)."
  ),
  of = fit_code,
  cells = data.frame(world = names(fit_truths)),
  measure = \(seed, cell) {
    truth <- fit_truths[[cell$world]]
    fit <- fit_again(seed, cell$world)
    bounds <- confint(fit)
    log_of <- \(x) ifelse(grepl("^(rate|dropout): |^mu$", names(truth)), x, log(x))
    cbind(
      holds = bounds[, 1] <= truth & truth <= bounds[, 2], error = log_of(coef(fit)) - log_of(truth)
    ) |> `rownames<-`(names(truth))
  },
  holds = list(holds = c(0.93, 0.97)),
  show = list(error = \(x) sprintf("%+.4f (%.4f)", mean(x), sd(x))),
  worlds = 200L
)
