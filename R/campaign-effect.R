# The effect of a contact on an outcome, three ways (definition 51).

# `after` and `before` are the outcome of each customer, `contacted` is true for one arm. The
# adjusted effect is the coefficient of the contact in a regression on contact, the outcome before
# (centred) and their product, with HC2 errors (Lin 2013; MacKinnon & White 1985); the plain one the
# difference of means; the third the difference of changes. Their intervals and p allow for the
# skewness of the estimate, where it matters (`skew_of()`).
contact_effects <- function(after, before, contacted, level = 0.95) {
  adjusted <- lin_effect(after, before, contacted)
  bounds <- \(one) effect_bounds(one, level)
  plain <- skewed_difference(after, contacted)
  changes <- skewed_difference(after - before, contacted)
  data.frame(
    contacted = sum(contacted),
    held_back = sum(!contacted),
    mean_held_back = mean(after[!contacted]),
    effect = adjusted$effect,
    lower = bounds(adjusted)[[1L]],
    upper = bounds(adjusted)[[2L]],
    error = adjusted$error,
    skew = adjusted$skew,
    p = 2 * stats::pt(
      -abs(unskewed(adjusted$effect / adjusted$error, adjusted$skew)), adjusted$freedom
    ),
    plain = plain$effect,
    plain_lower = bounds(plain)[[1L]],
    plain_upper = bounds(plain)[[2L]],
    difference_in_differences = changes$effect,
    did_lower = bounds(changes)[[1L]],
    did_upper = bounds(changes)[[2L]]
  )
}

effect_bounds <- function(one, level) {
  ends <- stats::qt((1 + level) / 2, one$freedom) * c(1, -1)
  reach <- skewed(ends, one$skew %||% 0)
  # the correction is of no use in the far tails: there it may widen, not narrow
  if (ends[[1L]] > 3) reach <- c(max(reach[[1L]], ends[[1L]]), min(reach[[2L]], ends[[2L]]))
  one$effect - reach * one$error
}

# The skewness of the difference of two means, or 0 where it moves an interval's chance by less than
# a point: in arms of one size that of the customers cancels, in a small arm a few large amounts
# decide. Both arms tell it together (`rest`, of each customer); beyond 0.4 the correction would go
# too far (drawn worlds of log-normal sales, `docs/promises.md`).
skew_of <- function(rest, contacted) {
  n <- c(sum(contacted), sum(!contacted))
  spread <- mean(rest^2)
  if (spread == 0) return(0)
  skew <- mean(rest^3) / spread^1.5 * (1 / n[[1L]]^2 - 1 / n[[2L]]^2) / sum(1 / n)^1.5
  if (abs(skew) < 0.2) 0 else max(-0.4, min(0.4, skew))
}

# A difference in its errors whose mean is skewed, made symmetric, and back (Hall 1992).
unskewed <- function(t, skew) t + skew * t^2 / 3 + skew^2 * t^3 / 27 + skew / 6
skewed <- function(t, skew) {
  if (skew == 0) return(t)
  inner <- 1 + skew * (t - skew / 6)
  3 / skew * (sign(inner) * abs(inner)^(1 / 3) - 1)
}

# The regression with the product has a line of its own in each arm; the effect is the distance of
# the two lines at the mean of everybody before.
lin_effect <- function(after, before, contacted) {
  centre <- mean(before)
  arms <- lapply(list(contacted, !contacted), \(arm) line_at(before[arm], after[arm], centre))
  flat <- length(after) < 6L || any(vapply(arms, is.null, NA))
  if (flat) return(skewed_difference(after, contacted)) # nothing to adjust by
  rest <- replace(after, contacted, arms[[1L]]$rest)
  rest[!contacted] <- arms[[2L]]$rest
  list(
    effect = arms[[1L]]$value - arms[[2L]]$value,
    error = sqrt(arms[[1L]]$variance + arms[[2L]]$variance),
    freedom = length(after) - 4L,
    skew = skew_of(rest, contacted)
  )
}

# The line of least squares at a point, its HC2 variance and what it leaves; NULL where x does not
# vary.
line_at <- function(x, y, point) {
  n <- length(x)
  off <- x - mean(x)
  spread <- sum(off^2)
  if (n < 2L || spread == 0) return(NULL)
  slope <- sum(off * y) / spread
  rest <- y - mean(y) - slope * off
  weight <- 1 / n + (point - mean(x)) / spread * off
  leverage <- 1 / n + off^2 / spread
  list(
    rest = rest,
    value = mean(y) + slope * (point - mean(x)),
    variance = sum(weight^2 * rest^2 / pmax(1e-12, 1 - leverage))
  )
}

# Welch.
mean_difference <- function(x, contacted) {
  sides <- list(x[contacted], x[!contacted])
  n <- lengths(sides)
  share <- vapply(sides, stats::var, 0) / n
  error <- sqrt(sum(share))
  list(
    effect = mean(sides[[1L]]) - mean(sides[[2L]]),
    error = error,
    freedom = if (error > 0) sum(share)^2 / sum(share^2 / (n - 1)) else sum(n) - 2
  )
}

skewed_difference <- function(x, contacted) {
  rest <- x - ifelse(contacted, mean(x[contacted]), mean(x[!contacted]))
  c(mean_difference(x, contacted), skew = skew_of(rest, contacted))
}

# Several effects drawn towards their common one by moments (DerSimonian & Laird 1986): what is left
# of the spread beyond that of the errors is real.
drawn_together <- function(effect, error) {
  if (length(effect) < 2L || any(error == 0)) return(effect)
  weight <- 1 / error^2
  common <- sum(weight * effect) / sum(weight)
  excess <- sum(weight * (effect - common)^2) - (length(effect) - 1)
  spread <- max(0, excess / (sum(weight) - sum(weight^2) / sum(weight)))
  weight <- 1 / (error^2 + spread)
  common <- sum(weight * effect) / sum(weight)
  common + spread / (spread + error^2) * (effect - common)
}
