# Whether a share has changed, in a world with a season, holidays and weeks that differ.

# Days before the watch that it learns from: the level of the last year, the season of all.
watched_past <- 3L * 365L

# Standard deviations on the scale of log odds: of the season, of stretches of some weeks, of single
# weeks; of the change that is looked for.
watch_spreads <- expand.grid(
  season = c(0, 0.1, 0.2, 0.4), stretch = c(0, 0.1, 0.2, 0.4), week = c(0, 0.15, 0.3)
)
watch_changes <- c(0.2, 0.4, 0.8)

# Steps with their middle `at` (weeks from the beginning of the watch; negative: before), `n` people
# of whom `k` came. Returns for each step of the watch the `evidence` after it and the share
# `expected` of it from before. The level of the year before goes on; earlier years have their own.
watch_evidence <- function(at, n, k, direction = "either") {
  watch <- which(at >= 0)
  if (length(watch) == 0L) return(list(evidence = numeric(), expected = numeric()))
  year <- pmin(0, ceiling(at * 7 / 365))
  last <- year == 0 & at < 0
  share <- sum(k[last]) / sum(n[last])
  scale <- 2 / sqrt(share * (1 - share))
  centre <- asin(sqrt(share))
  y <- (asin(sqrt((k + 0.25) / (n + 0.5))) - centre) * scale
  apart <- abs(outer(at * 7, at * 7, "-"))
  round_year <- apart %% 365.25
  season <- exp(-pmin(round_year, 365.25 - round_year) / 42)
  stretch <- exp(-apart / 21)
  level <- 4 + (outer(year, year, "==") & year < 0)
  fits <- lapply(seq_len(nrow(watch_spreads)), \(i) {
    s <- watch_spreads[i, ]
    cover <- level + s$season^2 * season + s$stretch^2 * stretch
    diag(cover) <- diag(cover) + s$week^2 + scale^2 / (4 * n)
    watch_fit(chol(cover), y, watch, direction)
  })
  column <- \(name) vapply(fits, \(fit) fit[[name]], numeric(length(watch)))
  weigh <- \(by, what) {
    by <- exp(by - apply(by, 1L, max))
    rowSums(by * what) / rowSums(by)
  }
  rows <- length(watch)
  known <- vapply(fits, \(fit) fit$past, 0)
  by_now <- matrix(column("likelihood"), rows)
  at_first <- matrix(known, rows, length(fits), byrow = TRUE)
  list(
    evidence = weigh(by_now, matrix(column("evidence"), rows)),
    expected = weigh(at_first, sin(matrix(column("mean"), rows) / scale + centre)^2)
  )
}

# For one set of spreads with the root of its covariance: the log likelihood without a change after
# each step, the mean of each from before, and the evidence for a change from some step on, of
# which those to come say nothing yet.
watch_fit <- function(root, y, watch, direction) {
  e <- forwardsolve(root, y, upper.tri = TRUE, transpose = TRUE)
  course <- cumsum(-0.5 * e^2 - log(diag(root)))
  m <- length(watch)
  past <- setdiff(seq_along(y), watch)
  begun <- outer(seq_len(m), seq_len(m), ">=") * 1
  x <- forwardsolve(root[watch, watch, drop = FALSE], begun, upper.tri = TRUE, transpose = TRUE)
  running <- \(z) matrix(apply(z, 2L, cumsum), m)
  s <- running(x * e[watch])
  q <- running(x^2)
  sign <- c(falls = -1, rises = 1)[direction]
  each <- vapply(watch_changes^2, \(v) {
    f <- 1 + v * q
    log <- -log(f) / 2 + v * s^2 / f / 2
    # a change of one direction: half of the normal curve
    if (!is.na(sign)) log <- log + log(2) + stats::pnorm(sign * s * sqrt(v / f), log.p = TRUE)
    # far beyond all that is needed, but a number
    rowMeans(exp(pmin(log, 600)))
  }, numeric(m))
  list(
    past = c(0, course)[[length(past) + 1L]],
    likelihood = course[watch],
    mean = as.vector(crossprod(root[past, watch, drop = FALSE], e[past])),
    evidence = rowMeans(matrix(each, m))
  )
}
