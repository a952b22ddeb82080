# What the days of an event would have sold without it: from the days around them, and from the same
# days of other years.

# Days taken before and after an event, and the years beside its own.
usual_beside <- 28L
usual_years <- 2L

# Standard deviations on the scale of logs (and the days over which a stretch lasts); the spread of
# single days, as a factor of a first estimate.
usual_spreads <- merge(
  merge(
    data.frame(season = c(0.25, 0.5, 1)),
    data.frame(stretch = c(0, 0.1, 0.2, 0.2, 0.4), lasting = c(3, 3, 3, 10, 3))
  ),
  data.frame(noise = c(0.35, 0.7, 1.4))
)
# Where the first fit begins; its season also stands for one of which nothing was seen.
usual_first <- list(season = 0.5, stretch = 0.1, lasting = 3)

# The shifts in days to other years, whole weeks, whose days are all known; the nearest first.
usual_shifts <- function(from, until, first, last) {
  if (until - from > 250L) return(integer())
  shifts <- 364L * c(-1L, 1L, -2L, 2L, -3L, 3L)
  whole <- from + shifts - usual_beside >= first & until + shifts + usual_beside <= last
  utils::head(shifts[whole], usual_years)
}

# `beside`: days that were like others, in and around the event (`shift` to its year, 0: its own),
# with what they `sold`. Returns the usual sales of the days from `from` until `until`, the ends of
# the interval that holds what such days sell in `level` of cases, and in how many other years these
# days were seen.
usual_sales <- function(beside, from, until, level = 0.95) {
  asked <- from:until
  span <- length(asked)
  beside$place <- beside$day - beside$shift - from
  beside$inside <- beside$place >= 0L & beside$place < span
  years <- length(unique(beside$shift[beside$inside]))
  none <- list(usual = NA_real_, lower = NA_real_, upper = NA_real_, years = years)
  own <- beside$shift == 0L
  sells <- tapply(beside$sold[own], factor(beside$day[own] %% 7L, 0:6), sum)
  on_asked <- sells[asked %% 7L + 1L]
  if (anyNA(on_asked) || sum(own) < 14L || sum(beside$sold) <= 0) return(none)
  # days of the week on which nothing is ever sold
  asked <- asked[on_asked > 0]
  beside <- beside[beside$day %% 7L %in% (which(sells > 0) - 1L), ]
  own <- beside$shift == 0L
  if (length(asked) == 0L) return(list(usual = 0, lower = 0, upper = 0, years = years))
  all <- rbind(
    data.frame(beside[c("day", "shift", "place")], sold = beside$sold),
    data.frame(day = asked, shift = 0L, place = asked - from, sold = NA)
  )
  known <- !is.na(all$sold)
  y <- all$sold[known]
  cover_of <- usual_cover(all)
  noise <- day_noise(beside$day, y)
  start <- work_logs(y, cover_of(usual_first)[known, known], noise)
  spreads <- usual_spreads
  if (years == 0L) spreads <- spreads[spreads$season == usual_first$season, ]
  fits <- vapply(seq_len(nrow(spreads)), \(i) {
    usual_fit(cover_of(spreads[i, ]), known, start, noise * spreads$noise[[i]])
  }, numeric(3))
  weight <- exp(fits[1L, ] - max(fits[1L, ]))
  weight <- weight / sum(weight)
  # the chance that nothing at all is sold
  idle <- tapply(beside$sold[own] == 0, factor(beside$day[own] %% 7L, 0:6), mean)
  idle <- prod(idle[asked %% 7L + 1L])
  tail <- (1 - level) / 2
  ends <- mixture_quantiles(c(tail, 1 - tail), weight, fits[2L, ], fits[3L, ])
  list(
    usual = sum(weight * fits[2L, ]), lower = if (idle >= tail) 0 else ends[[1L]],
    upper = ends[[2L]], years = years
  )
}

# The covariance of the logs of the means of days (`day`, `place` in the event, `shift` of the
# year), a function of the spreads.
usual_cover <- function(days) {
  apart <- abs(outer(days$place, days$place, "-"))
  same_year <- outer(days$shift, days$shift, "==")
  fixed <- 25 + 4 * same_year + outer(days$day %% 7L, days$day %% 7L, "==")
  \(s) {
    fixed + s$season^2 * exp(-apart / 15) + s$stretch^2 * same_year * exp(-apart / s$lasting)
  }
}

# Quantiles of a mixture of gamma distributions.
mixture_quantiles <- function(share, weight, mean, variance) {
  shape <- mean^2 / variance
  most <- max(mean + 20 * sqrt(variance))
  vapply(share, \(one) {
    stats::uniroot(
      \(q) sum(weight * stats::pgamma(q * shape / mean, shape)) - one, c(0, most),
      tol = most * 1e-7
    )$root
  }, 0)
}

# What single days vary by, in units of their mean: from days a week apart. It is too much where
# stretches differ, which the factors of `usual_spreads` allow for. Never nothing: days that sold
# exactly the same still may not.
day_noise <- function(day, y) {
  before <- match(day - 7L, day)
  if (all(is.na(before))) return(mean(y))
  sums <- pmax(y + y[before], 0) + mean(y)
  max(mean((y - y[before])^2 / sums, na.rm = TRUE) * 1.5, mean(y) / 1e4)
}

# Logs of means fitted by weighted least squares again and again, as of counts (McCullagh and Nelder
# 1989), with a covariance of the logs.
work_logs <- function(y, cover, noise) {
  log_mean <- log((pmax(y, 0) + mean(y)) / 2)
  for (step in 1:10) {
    mean <- exp(log_mean)
    z <- log_mean + (y - mean) / mean
    gain <- cover + diag(noise / mean, length(y))
    by <- solve(gain, cbind(z, 1))
    centre <- sum(by[, 1L]) / sum(by[, 2L])
    to <- centre + as.vector(cover %*% (by[, 1L] - centre * by[, 2L]))
    # no step is longer than a factor of e
    log_mean <- log_mean + pmax(-1, pmin(1, to - log_mean))
  }
  mean <- exp(log_mean)
  list(z = log_mean + (y - mean) / mean - centre, mean = mean, centre = centre)
}

# The log likelihood, mean and variance of the sales of the days asked.
usual_fit <- function(cover, known, start, noise) {
  gain <- cover[known, known]
  diag(gain) <- diag(gain) + noise / start$mean
  root <- chol(gain)
  e <- forwardsolve(root, start$z, upper.tri = TRUE, transpose = TRUE)
  to <- forwardsolve(root, cover[known, !known, drop = FALSE], upper.tri = TRUE, transpose = TRUE)
  spread <- cover[!known, !known, drop = FALSE] - crossprod(to)
  mean <- exp(start$centre + as.vector(crossprod(to, e)) + diag(spread) / 2)
  c(
    -sum(log(diag(root))) - sum(e^2) / 2,
    sum(mean),
    as.vector(mean %*% expm1(spread) %*% mean) + noise * sum(mean)
  )
}
