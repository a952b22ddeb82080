# Do the intervals hold what they say? Worlds drawn from known parameters, each fitted on two years and held against the year that follows: totals of cohorts and of predicted tenths, single
# customers, and where the purchases that came lie in the predicted distributions. Writes docs/coverage.md. Usage: coverage.R [WORLDS]
suppressPackageStartupMessages(library(nubrek))
options(nubrek.threads = 2)
wanted <- as.numeric(commandArgs(TRUE))
worlds <- if (length(wanted) > 0L) wanted[[1L]] else 1000
customers <- 3000
levels <- c(0.8, 0.95)
tails <- c(0.025, 0.1, 0.9, 0.975)
truths <- list(list(purchases = "pareto-nbd", spend = "gamma-gamma", buys = c(r = 0.85, alpha = 9.5, s = 0.75, beta = 20), spends = c(p = 4.2, q = 5.5, gamma = 38)),
               list(purchases = "bg-nbd", spend = "log-normal", buys = c(r = 0.6, alpha = 6, a = 0.8, b = 2.5), spends = c(mu = 3.4, sigma = 0.5, tau = 0.4)))

# Amounts of each purchase, the customer's level drawn first.
amounts <- function(truth, customer) {
  p <- truth$spends
  if (truth$spend == "gamma-gamma") { level <- rgamma(customers, p[["q"]], p[["gamma"]]); rgamma(length(customer), p[["p"]], level[customer]) }
  else { level <- rnorm(customers, p[["mu"]], p[["tau"]]); exp(rnorm(length(customer), level[customer], p[["sigma"]])) }
}

one_world <- function(truth, seed) {
  set.seed(seed)
  span <- runif(customers, 0.1, 104)
  bought <- simulate(purchase_model(truth$purchases, truth$buys), seed = seed, history = data.frame(span = span + 52), times = TRUE)
  bought$amount <- amounts(truth, bought$customer)
  before <- bought[bought$time <= span[bought$customer], ]
  after <- bought[bought$time > span[bought$customer], ]
  by <- factor(before$customer, seq_len(customers))
  n <- as.integer(table(by))
  sums <- \(x) { s <- tapply(x, by, sum); ifelse(is.na(s), 0, s) }
  logs <- sums(log(before$amount)) / n
  history <- data.frame(repeats = n, last = ifelse(n > 0, tapply(before$time, by, max), 0), span, spend = ifelse(n > 0, sums(before$amount) / n, NA),
                        log_spend = ifelse(n > 0, logs, NA), log_spread = ifelse(n > 0, pmax(0, sums(log(before$amount)^2) - n * logs^2), NA))
  fit <- fit_purchases(history, truth$purchases)
  spend <- fit_spend(history, truth$spend)
  came <- as.double(tapply(after$amount, factor(after$customer, seq_len(customers)), sum)); came[is.na(came)] <- 0
  expected <- predict(fit, history, horizon = 52) * predict(spend, history)
  cohort <- ceiling(span / 13)
  tenth <- ceiling(rank(-expected, ties.method = "first") / customers * 10)
  group <- as.integer(factor(paste(cohort, tenth), unique(paste(cohort, tenth))))
  of_cohort <- cohort[match(seq_len(max(group)), group)]
  of_tenth <- tenth[match(seq_len(max(group)), group)]
  drawn <- nubrek:::draw_values(nubrek:::drawn_worlds(history, fit, spend, 50L, seed), 52, 0, tails, 10L, seed, group, max(group))
  inside <- function(by_group, by_row) {
    draws <- t(rowsum(t(drawn$totals), by_group))
    actual <- as.double(rowsum(came, by_row))
    ends <- apply(draws, 2L, quantile, tails)
    c(mean(actual >= ends[2, ] & actual <= ends[3, ]), mean(actual >= ends[1, ] & actual <= ends[4, ]))
  }
  each <- c(mean(came >= drawn$quantiles[, 2] & came <= drawn$quantiles[, 3]), mean(came >= drawn$quantiles[, 1] & came <= drawn$quantiles[, 4]))
  some <- sample.int(customers, 200L)
  number <- as.integer(table(factor(after$customer, seq_len(customers))))[some]
  place <- nubrek:::predicted_place(fit, history[some, ], 52, number)
  all <- rowSums(drawn$totals)
  list(cover = rbind(cohort = inside(of_cohort, cohort), tenth = inside(of_tenth, tenth), all = c(mean(sum(came) >= quantile(all, 0.1) & sum(came) <= quantile(all, 0.9)),
         mean(sum(came) >= quantile(all, 0.025) & sum(came) <= quantile(all, 0.975))), customer = each),
       uniform = tabulate(ceiling(10 * pmin(1, pmax(1e-9, place$below + runif(200L) * place$at))), 10L), off = sum(expected) / sum(came) - 1)
}

rows <- character()
places <- character()
for (truth in truths) {
  found <- lapply(seq_len(worlds), function(i) { if (i %% 50 == 0) message(truth$purchases, " ", i); one_world(truth, i) })
  cover <- Reduce(`+`, lapply(found, `[[`, "cover")) / worlds
  error <- apply(simplify2array(lapply(found, `[[`, "cover")), 1:2, sd) / sqrt(worlds)
  uniform <- Reduce(`+`, lapply(found, `[[`, "uniform"))
  words <- c(cohort = "totals of the 8 quarterly cohorts", tenth = "totals of predicted tenths", all = "total of all", customer = "single customers")
  rows <- c(rows, sprintf("| %s, %s | %s | %.1f (%.1f) | %.1f (%.1f) |", truth$purchases, truth$spend, words[rownames(cover)], 100 * cover[, 1], 100 * error[, 1], 100 * cover[, 2], 100 * error[, 2]))
  places <- c(places, sprintf("| %s | %s | %.2f |", truth$purchases, paste(sprintf("%.2f", 100 * uniform / sum(uniform)), collapse = " | "), 100 * mean(vapply(found, `[[`, 0, "off"))))
}
text <- c("# Do the intervals hold what they say?", "",
  sprintf("Made by `make coverage`: %d worlds for each pair of models, %d customers each, fitted on up to two years, held against the following year. Share of intervals,", worlds, customers),
          "in percent (its standard error in brackets), that hold the sales that came. Intervals as `forecast_value()` makes them: 50 draws of the parameters, 10 courses of each customer for each.",
          "Single customers: many bring nothing at all, and an interval from 0 upwards holds more than its level.", "",
          "| models | interval of | 80 % holds | 95 % holds |", "|---|---|---|---|", rows, "",
          "Where the number of purchases that came lies in the predicted distribution of each customer (randomised, 200 customers of each world), in tenths of it; each should hold 10 percent. Last column:",
          "mean error of the total of all in percent.", "",
          "| model | 1 | 2 | 3 | 4 | 5 | 6 | 7 | 8 | 9 | 10 | error |", "|---|---|---|---|---|---|---|---|---|---|---|---|", places)
writeLines(text)
writeLines(text, "docs/coverage.md")
