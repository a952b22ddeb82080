# What not knowing the season exactly does to sums over customers: intervals of coming sales hold it
# too.

# Factors of the sums of each period (column) in each draw of the season (row), about 1. The
# season's months are drawn from their covariance; a sum moves with them by its derivative, which a
# part of the customers tells well enough: the histories in another business time, the parameters
# that such histories would have had (one Newton step), the periods' other length.
season_factors <- function(ledger, fitted, days, n, seed) {
  covariance <- if (!is.null(fitted$season)) basis_of(fitted$season, "covariance")
  if (is.null(covariance)) return(matrix(1, n, length(days)))
  slopes <- season_slopes(ledger, fitted, days)
  drawn <- with_seed(seed + 5L, normal_draws(n, root_of(covariance)))
  exp(drawn %*% t(slopes))
}

# A square root of a covariance that need not have full rank, as `normal_draws()` takes it.
root_of <- function(covariance) {
  parts <- eigen(covariance, symmetric = TRUE)
  keep <- parts$values > 1e-12 * max(parts$values)
  structure(
    t(parts$vectors[, keep, drop = FALSE]) * sqrt(parts$values[keep]), class = "covariance_root"
  )
}

# Derivative of the log of expected purchases in each period (row) in the log of each month of the
# season (column).
season_slopes <- function(ledger, fitted, days, step = 0.05, most = 4000L) {
  codes <- ledger_codes(ledger, fitted$history$customer)
  learned <- codes %in% ledger_codes(ledger, fitted$purchases$customers)
  some <- if (length(codes) > most) {
    sort(with_seed(1L, sample.int(length(codes), most)))
  } else {
    seq_along(codes)
  }
  ledger <- only_customers(ledger, codes[some])
  multiplier <- sum(learned) / max(1L, sum(learned[some]))
  traits <- plain_table(fitted$history)[some, fitted$purchases$design$variables, drop = FALSE]
  index <- fitted$season$index
  look <- function(index) {
    history <- cbind(
      plain_table(purchase_history(
        ledger, fitted$purchases$unit, fitted$purchases$until, season = index
      )),
      traits
    )
    list(
      history = history,
      gradient = multiplier * likelihood_slope(fitted$purchases, history[learned[some], ]),
      ends = business_days(index, as.integer(c(fitted$purchases$until, days)))
    )
  }
  ahead <- function(fit, seen) {
    edges <- diff(c(0, seen$ends - seen$ends[[1L]]))[-1L] / 7
    colSums(diff_columns(cbind(0, purchases_ahead(fit, seen$history, cumsum(edges))$expected)))
  }
  here <- look(index)
  now <- ahead(fitted$purchases, here)
  vapply(
    seq_len(12L),
    function(month) {
      moved <- index
      moved[[month]] <- moved[[month]] * exp(step)
      there <- look(moved / (sum(moved * month_days) / sum(month_days)))
      shifted <- shifted_fit(fitted$purchases, there$gradient - here$gradient)
      log(pmax(ahead(shifted, there), 1e-12) / pmax(now, 1e-12)) / step
    },
    numeric(length(days))
  ) |>
    matrix(length(days))
}

# The gradient of the log-likelihood at the fit, on the scale of its covariance.
likelihood_slope <- function(fit, history) {
  design <- if (!is.null(fit$design)) apply_design(fit$design, history)
  packed <- list(
    repeats = as.double(history$repeats),
    last = as.double(history$last),
    span = as.double(history$span),
    count = rep(1, nrow(history)),
    set = design$set,
    columns = design$columns,
    design = fit$design
  )
  spread <- fit$design$spread
  values <- c(log(fit$parameters), fit$effects * spread)
  slope <- purchase_likelihood(fit$name, packed)(unname(values))$gradient
  slope * c(base_places(fit$name)^0, spread)
}

# The fit one Newton step on, when its gradient is this.
shifted_fit <- function(fit, gradient) {
  known <- if (!is.null(fit$vcov)) which(!is.na(diag(fit$vcov)))
  move <- numeric(length(gradient))
  if (length(known) > 0L) move[known] <- fit$vcov[known, known, drop = FALSE] %*% gradient[known]
  base <- base_places(fit$name)
  fit$parameters <- fit$parameters * exp(move[base])
  if (length(fit$effects) > 0L) fit$effects <- fit$effects + move[-base]
  fit
}

# An array of draw x period x group times the factors; each draw of the season serves the courses of
# one draw of the parameters.
by_season <- function(drawn, factors) {
  rows <- rep(seq_len(nrow(factors)), each = dim(drawn)[[1L]] / nrow(factors))
  drawn * as.vector(factors[rows, , drop = FALSE])
}
