# Simulation of what is to come: parameters from what is known of them, and for each of these draws
# the courses of all customers. Nothing here depends on the number of threads.

# What the simulations need: histories with amounts, and draws of the parameters of both models side
# by side.
drawn_worlds <- function(history, fit, spend, n, seed) {
  purchase <- draw_parameters(fit, n, seed)
  design <- if (!is.null(fit$design)) apply_design(fit$design, history)
  base <- base_places(fit$name)
  sets_of <- \(i) {
    if (is.null(design)) {
      as.matrix(purchase[i, base])
    } else {
      shifted_sets(fit, design$columns, purchase[i, base], purchase[i, -base])
    }
  }
  list(
    models = list(purchases = fit$name, spend = spend$name),
    histories = c(
      history_columns(history), spend_columns(history, spend$name, anybody = TRUE)[-1L]
    ),
    set = design$set %||% integer(),
    purchase = lapply(seq_len(n), sets_of),
    spend = draw_parameters(spend, n, seed + 1L)
  )
}

# Rows of worlds.
some_rows <- function(worlds, rows) {
  worlds$histories <- lapply(worlds$histories, `[`, rows)
  if (length(worlds$set) > 0L) worlds$set <- worlds$set[rows]
  worlds
}

# Draws of the parameters, normal on the scale they were fitted on, with exactly the mean and the
# covariance of the fit, so that few draws go far; the estimate itself where no covariance is known.
# Leaves the caller's random numbers alone.
draw_parameters <- function(fit, n, seed) {
  unit <- working_scale(fit)
  drawn <- matrix(unit$at, n, length(unit$at), byrow = TRUE)
  known <- if (!is.null(fit$vcov)) which(!is.na(diag(fit$vcov))) # not those on the edge
  if (length(known) > 0L) {
    drawn[, known] <- drawn[, known] +
      with_seed(seed, normal_draws(n, fit$vcov[known, known, drop = FALSE]))
  }
  drawn[, unit$logs] <- exp(drawn[, unit$logs])
  drawn
}

# Deviations from the mean with this covariance, a row per draw.
normal_draws <- function(n, covariance) {
  root <- if (inherits(covariance, "covariance_root")) unclass(covariance) else chol(covariance)
  standardised(matrix(stats::rnorm(n * nrow(root)), n)) %*% root
}

# The ends of the interval of sums, from draws of them (a column for each sum). Few draws have rough
# tails, whose quantiles lie too far inside; their mean and variance are sure, because the parameter
# draws have exactly those of the fit. So the ends are those of the gamma distribution with this
# mean and variance, of the normal where sums of both signs are drawn.
draw_interval <- function(drawn, level) {
  tails <- tails_of(level)
  average <- colMeans(drawn)
  variance <- pmax(0, colMeans(drawn^2) - average^2)
  mixed <- colSums(drawn > 0) > 0 & colSums(drawn < 0) > 0
  flat <- variance <= 1e-14 * average^2
  end <- function(tail) {
    size <- abs(average)
    result <- stats::qgamma(
      ifelse(average < 0, 1 - tail, tail),
      ifelse(flat, 1, size^2 / variance),
      ifelse(flat, 1, size / variance)
    )
    result <- ifelse(flat, size, result) * sign(average)
    # also where nothing is known
    as.double(ifelse(mixed, average + stats::qnorm(tail) * sqrt(variance), result))
  }
  rbind(end(tails[[1L]]), end(tails[[2L]]))
}

# Columns of mean 0 whose covariance is the identity, as far as there are rows for it.
standardised <- function(z) {
  z <- sweep(z, 2L, colMeans(z))
  if (nrow(z) < ncol(z) + 2L) return(z)
  z %*% backsolve(chol(crossprod(z) / nrow(z)), diag(ncol(z)))
}

with_seed <- function(seed, code) {
  old <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(
    if (is.null(old)) {
      rm(".Random.seed", envir = globalenv())
    } else {
      assign(".Random.seed", old, globalenv())
    }
  )
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}

rows_a_block <- 131072L

# Quantiles of each customer's discounted spend, and the draws of the totals of groups: one row per
# draw, one column per group.
draw_values <- function(
  worlds, horizon, rate, levels, individual, seed,
  group = rep(1L, length(worlds$histories$repeats)), groups = 1L
) {
  n <- length(worlds$histories$repeats)
  together <- likes_together(worlds)
  worlds <- some_rows(worlds, together)
  group <- group[together]
  quantiles <- matrix(0, n, length(levels))
  totals <- 0
  for (from in seq(1L, max(1L, n), by = rows_a_block)) {
    signal_progress("drawing what is to come", (from - 1) / n)
    rows <- seq.int(from, min(n, from + rows_a_block - 1L))
    one <- cpp_simulate_value(
      some_rows(worlds, rows),
      draw_terms(individual, seed, from - 1),
      list(of = group[rows], number = groups),
      horizon,
      rate,
      levels
    )
    quantiles[together[rows], ] <- one$quantiles
    totals <- totals + one$totals
  }
  list(quantiles = quantiles, totals = totals)
}

# Rows in the order in which those with the same history stand together: what is worked out for one
# serves the next.
likes_together <- function(worlds, group = NULL) {
  h <- worlds$histories
  keys <- list(group, if (length(worlds$set) > 0L) worlds$set, h$span, h$last, h$repeats)
  do.call(order, c(Filter(Negate(is.null), keys), method = "radix"))
}

# How many courses for each draw of the parameters, and whose random numbers.
draw_terms <- function(individual, seed, first = 0) {
  list(
    individual = as.integer(individual),
    seed = as.double(seed),
    first = first,
    threads = reading_threads()
  )
}

# Draws of purchases, active customers and spend by group and period (arrays of draw x period x
# group); `group` ascends. With `arrivals` the rows are customers still to come: the period in which
# each may `come`, his `place` among those of it, the `number` of new customers (draw x period), the
# `first_factor` by which the first purchase is worth more.
draw_periods <- function(worlds, edges, individual, seed, group, groups, arrivals = NULL) {
  cpp_simulate_periods(
    worlds, draw_terms(individual, seed), list(of = group, number = groups), edges, arrivals
  )
}

# The same of customers known today, in groups in any order.
draw_todays <- function(fitted, edges, draws, seed, group, groups) {
  worlds <- drawn_worlds(fitted$history, fitted$purchases, fitted$spend, draws[[1L]], seed)
  together <- likes_together(worlds, group)
  draw_periods(some_rows(worlds, together), edges, draws[[2L]], seed, group[together], groups)
}
