# Several groups beside each other: how far each is from all of them beyond chance.

# How much of its distance from all a group keeps, given its sampling variance.
kept_of <- function(estimate, variance) {
  if (length(estimate) < 2L) return(rep(0, length(estimate)))
  if (all(variance <= 0)) return(rep(1, length(estimate)))
  variance <- pmax(variance, 1e-12 * max(variance))
  weight <- 1 / variance
  average <- sum(weight * estimate) / sum(weight)
  between <- max(
    0,
    (sum(weight * (estimate - average)^2) - (length(estimate) - 1)) /
      (sum(weight) - sum(weight^2) / sum(weight))
  )
  between / (between + variance)
}

# Which of several groups is the highest and which the lowest, each drawn towards all of them as far
# as chance may have put it there; NULL where they do not differ: by `p` where a test of its own has
# told it, else by chi-square.
clear_extremes <- function(estimate, error, p = NULL) {
  known <- which(is.finite(estimate) & is.finite(error) & error > 0)
  if (length(known) < 2L) return(NULL)
  x <- estimate[known]
  weight <- 1 / error[known]^2
  average <- sum(weight * x) / sum(weight)
  apart <- sum(weight * (x - average)^2)
  p <- p %||% stats::pchisq(apart, length(x) - 1L, lower.tail = FALSE)
  if (is.na(p) || p >= 0.05) return(NULL)
  shrunk <- average + kept_of(x, error[known]^2) * (x - average)
  sorting <- known[order(shrunk, x)]
  list(high = sorting[[length(sorting)]], low = sorting[[1L]])
}

# The standard error behind a 95 % interval.
interval_error <- function(lower, upper) (upper - lower) / (2 * stats::qnorm(0.975))

# Of shares `hits` of `n`, by the share of all.
clear_share_extremes <- function(hits, n) {
  all <- sum(hits) / sum(n)
  clear_extremes(hits / n, sqrt(all * (1 - all) / n))
}
