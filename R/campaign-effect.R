# The effect of a contact on an outcome, three ways (definition 51).

# `after` and `before` are the outcome of each customer, `contacted` is true for one arm. The
# adjusted effect is the coefficient of the contact in a regression on contact, the outcome before
# (centred) and their product, with HC2 errors (Lin 2013; MacKinnon & White 1985); the plain one the
# difference of means; the third the difference of changes.
contact_effects <- function(after, before, contacted, level = 0.95) {
  adjusted <- lin_effect(after, before, contacted)
  bounds <- \(one) effect_bounds(one, level)
  plain <- mean_difference(after, contacted)
  changes <- mean_difference(after - before, contacted)
  data.frame(
    contacted = sum(contacted),
    held_back = sum(!contacted),
    mean_held_back = mean(after[!contacted]),
    effect = adjusted$effect,
    lower = bounds(adjusted)[[1L]],
    upper = bounds(adjusted)[[2L]],
    error = adjusted$error,
    p = 2 * stats::pt(-abs(adjusted$effect / adjusted$error), adjusted$freedom),
    plain = plain$effect,
    plain_lower = bounds(plain)[[1L]],
    plain_upper = bounds(plain)[[2L]],
    difference_in_differences = changes$effect,
    did_lower = bounds(changes)[[1L]],
    did_upper = bounds(changes)[[2L]]
  )
}

effect_bounds <- function(one, level) {
  one$effect + c(-1, 1) * stats::qt((1 + level) / 2, one$freedom) * one$error
}

# The regression with the product has a line of its own in each arm; the effect is the distance of
# the two lines at the mean of everybody before.
lin_effect <- function(after, before, contacted) {
  centre <- mean(before)
  arms <- lapply(list(contacted, !contacted), \(arm) line_at(before[arm], after[arm], centre))
  flat <- length(after) < 6L || any(vapply(arms, is.null, NA))
  if (flat) return(mean_difference(after, contacted)) # nothing to adjust by
  list(
    effect = arms[[1L]]$value - arms[[2L]]$value,
    error = sqrt(arms[[1L]]$variance + arms[[2L]]$variance),
    freedom = length(after) - 4L
  )
}

# The line of least squares at a point, and its HC2 variance; NULL where x does not vary.
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
