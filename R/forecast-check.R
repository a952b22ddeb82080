# Does a fitted model hold? What it expects, beside what was.

`%or%` <- function(x, default) if (length(x) > 0L) x else default

#' How many customers came back so and so often, expected and observed
#'
#' @param fit `[nubrek_purchases]`
#' @param up_to `[integer(1)]` The last row is of so many repeat purchases or more; default where a
#'   hundredth of the customers is left, at most 20.
#' @return A `nubrek_expected`, one row per number of repeat purchases: `repeats` `[character]`;
#'   `observed`, customers; `expected`, by the model for the time that each was seen; `difference`,
#'   observed less expected. `basis` has the chi-squared statistic, its degrees of freedom and `p`
#'   (with many customers any model is rejected: look at the size of the differences).
#' @examples
#' expected_counts(fit_purchases(example_ledger(), "bg-nbd"))
#' @export
expected_counts <- function(fit, up_to = NULL) {
  throw_unless(checkmate::check_class(fit, "nubrek_purchases"), "fit", rlang::current_env())
  check_whole(up_to, null = TRUE)
  p <- fit$packed
  repeats <- rep(p$repeats, p$count)
  up_to <- up_to %||% max(1, min(20, stats::quantile(repeats, 0.99, names = FALSE, type = 1L)))
  mine <- packed_sets(fit)
  groups <- data.table(
    span = p$span, set = sets_at(mine, seq_along(p$span)) %or% 1L, count = p$count
  )[, .(n = sum(count)), keyby = .(set, span)]
  each <- newcomers_distribution(
    fit,
    list(sets = mine$sets, set = if (length(mine$set) > 0L) groups$set else integer()),
    groups$span,
    up_to
  )
  expected <- drop(groups$n %*% each)
  expected <- c(expected, max(0, sum(p$count) - sum(expected)))
  observed <- tabulate(pmin(repeats, up_to) + 1, up_to + 1)
  enough <- expected >= 5
  chi_squared <- sum((observed - expected)[enough]^2 / expected[enough])
  freedom <- sum(enough) - 1 - length(coef(fit))
  new_result(
    list(
      repeats = c(seq_len(up_to) - 1, paste(up_to, "or more")),
      observed = as.integer(observed),
      expected = expected,
      difference = observed - expected
    ),
    "expected",
    remarks = remarks(fit),
    basis = list(
      model = fit$name,
      chi_squared = chi_squared,
      freedom = freedom,
      p = if (freedom > 0) stats::pchisq(chi_squared, freedom, lower.tail = FALSE) else NA_real_,
      kinds = c(expected = "decimal", difference = "decimal")
    ),
    members = if (!is.null(fit$customers)) {
      members_of(
        c(seq_len(up_to) - 1, paste(up_to, "or more"))[pmin(p$repeats[p$row], up_to) + 1],
        fit$customers
      )
    }
  )
}

#' How much customers differ, by the model
#'
#' @param model `[nubrek_purchase_model]` Also a fit; with covariates, of the base group.
#' @param unit `[character(1)]` Unit of time of the parameters; a fit knows its own.
#' @return A `nubrek_spread`, one row per share of customers: `share_of_customers` `[double]`, that
#'   share of them have at most: `purchases_a_year` while they stay (`"bg-bb"`: `buying_chance` at
#'   an occasion), and independently of it `stay_years`, the mean lifetime at their rate of leaving
#'   (`"pareto-nbd"`), or `leaving_chance`, by purchase or occasion. The attribute `bands` has the
#'   share of customers in bands of each.
#' @examples
#' customer_spread(purchase_model("pareto-nbd", c(r = 0.55, alpha = 10.6, s = 0.61, beta = 11.7)))
#' @export
customer_spread <- function(model, unit = model$unit %||% "week") {
  throw_unless(
    checkmate::check_class(model, "nubrek_purchase_model"), "model", rlang::current_env()
  )
  check_choice(unit, names(unit_days))
  record <- purchase_models()[[model$name]]
  p <- unname(model$parameters)
  a_year <- 365.25 / unit_days[[unit]]
  share <- c(0.1, 0.25, 0.5, 0.75, 0.9)
  buying <- if (record$buying == "rate") {
    stats::qgamma(share, p[[1L]], p[[2L]]) * a_year
  } else {
    stats::qbeta(share, p[[1L]], p[[2L]])
  }
  leaving <- if (record$leaving == "rate") {
    1 / stats::qgamma(1 - share, p[[3L]], p[[4L]]) / a_year
  } else {
    stats::qbeta(share, p[[3L]], p[[4L]])
  }
  rates <- c(0, 0.25, 0.5, 1, 2, 4, 8, 16, Inf)
  years <- c(0, 0.25, 0.5, 1, 2, 5, 10, Inf)
  chances <- c(0, 0.05, 0.1, 0.2, 0.4, 0.6, 0.8, 1)
  bands <- rbind(
    if (record$buying == "rate") {
      band_shares("purchases_a_year", rates, stats::pgamma(rates / a_year, p[[1L]], p[[2L]]))
    } else {
      band_shares("buying_chance", chances, stats::pbeta(chances, p[[1L]], p[[2L]]))
    },
    if (record$leaving == "rate") {
      band_shares("stay_years", years, stats::pgamma(
        1 / (years * a_year), p[[3L]], p[[4L]], lower.tail = FALSE
      ))
    } else {
      band_shares("leaving_chance", chances, stats::pbeta(chances, p[[3L]], p[[4L]]))
    }
  )
  columns <- stats::setNames(
    list(share, buying, leaving), c("share_of_customers", unique(bands$of))
  )
  new_result(
    columns,
    "spread",
    remarks = if (inherits(model, "nubrek_purchases")) remarks(model),
    basis = list(model = model$name, base = !is.null(model$effects), kinds = c(
      share_of_customers = "share", buying_chance = "share", leaving_chance = "share",
      stay_years = "decimal"
    )),
    bands = bands
  )
}

band_shares <- function(of, breaks, below) {
  data.frame(of = of, from = utils::head(breaks, -1L), to = breaks[-1L], share = diff(below))
}

#' Mean amounts of customers, expected and observed
#'
#' @param fit `[nubrek_spend]` From [fit_spend()].
#' @param bands `[integer(1)]` About so many bands of amounts.
#' @param worlds `[integer(1)]` The expectation is the mean of so many drawn worlds of the same
#'   customers.
#' @param seed `[integer(1)]`
#' @return A `nubrek_spend_check`, one row per band of a customer's mean amount (log-normal:
#'   geometric mean) over repeat purchases: `from`, `to` (up to, but not including; major units),
#'   `observed`, `expected`, customers, `difference`.
#' @examples
#' \donttest{
#' expected_spend(fit_spend(simulate(
#'   spend_model("gamma-gamma", c(p = 6, q = 4, gamma = 15)), seed = 1, repeats = rep(1:5, 40)
#' )))
#' }
#' @export
expected_spend <- function(fit, bands = 12L, worlds = 20L, seed = 1L) {
  throw_unless(checkmate::check_class(fit, "nubrek_spend"), "fit", rlang::current_env())
  check_whole(bands, lower = 2L)
  check_whole(worlds)
  check_whole(seed, lower = 0L)
  p <- fit$packed
  n <- rep(p$repeats, p$count)
  by_logs <- spend_models()[[fit$name]]$by_logs
  seen <- rep(if (by_logs) exp(p$log_spend) else p$spend, p$count)
  drawn <- cpp_simulate_spend(fit$name, fit$parameters, rep(n, worlds), as.double(seed))
  drawn <- if (by_logs) exp(drawn$log_spend) else drawn$spend
  breaks <- pretty(c(0, stats::quantile(seen, 0.98, names = FALSE)), bands)
  breaks <- c(breaks[breaks >= 0], Inf)
  count <- \(x) tabulate(findInterval(x, breaks), length(breaks) - 1L)
  observed <- count(seen)
  expected <- count(drawn) / worlds
  new_result(
    list(
      from = utils::head(breaks, -1L),
      to = breaks[-1L],
      observed = observed,
      expected = expected,
      difference = observed - expected
    ),
    "spend_check",
    remarks = remarks(fit),
    basis = list(
      model = fit$name,
      customers = length(seen),
      mean_observed = mean(seen),
      mean_expected = mean(drawn),
      kinds = c(from = "decimal", to = "decimal", expected = "decimal", difference = "decimal")
    )
  )
}

#' Do frequent buyers spend more each time?
#'
#' The spend models assume that they do not. Where they do, the value of frequent buyers is over- or
#' underestimated.
#'
#' @param x `[nubrek_ledger | data.frame]` A ledger, or a [purchase_history()].
#' @param level `[double(1)]` Of the intervals.
#' @return A `nubrek_spend_frequency`, one row per number of repeat purchases: `repeats`
#'   `[character]`, `customers`, `mean_spend` of their repeat purchases with the interval `lower`,
#'   `upper` (normal; of two customers or more). `basis` has `correlation`, the rank correlation of
#'   repeats and spend, with `correlation_lower`, `correlation_upper` (Fisher's transformation) and
#'   `p`, and `tied`: is it both certain (p < 0.001) and more than 0.1?
#' @examples
#' spend_frequency(example_ledger())
#' @export
spend_frequency <- function(x, level = 0.95) {
  check_share(level, lower = 0.5, upper = 0.9999)
  history <- if (inherits(x, "nubrek_ledger")) purchase_history(x) else x
  check_columns_exist(c("repeats", "spend"), names(history), "the history")
  rows <- rep(
    which(history$repeats > 0),
    (history[["count"]] %||% rep(1L, nrow(history)))[history$repeats > 0]
  )
  if (length(rows) == 0L) {
    abort_nubrek(
      "Nobody has bought on a second day, so there is no spend to compare.", "unidentified"
    )
  }
  repeats <- history$repeats[rows]
  spend <- history$spend[rows]
  starts <- c(1, 2, 3, 4, 5, 10, 20)
  class_of <- findInterval(repeats, starts)
  words <- c("1", "2", "3", "4", "5 to 9", "10 to 19", "20 or more")
  n <- tabulate(class_of, 7L)
  average <- as.vector(rowsum(spend, factor(class_of, 1:7))[match(1:7, sort(unique(class_of)))]) / n
  spread <- vapply(1:7, \(k) stats::sd(spend[class_of == k]), 0)
  off <- stats::qnorm((1 + level) / 2) * spread / sqrt(n)
  kept <- n > 0
  tie <- spend_tie(repeats, spend, level)
  new_result(
    list(
      repeats = words[kept],
      customers = n[kept],
      mean_spend = average[kept],
      lower = (average - off)[kept],
      upper = (average + off)[kept]
    ),
    "spend_frequency",
    if (inherits(x, "nubrek_ledger")) x,
    remark_table(),
    basis = c(tie, list(level = level, customers = length(rows), kinds = c(
      mean_spend = "money", lower = "money", upper = "money"
    ))),
    members = if (!is.null(history[["customer"]])) {
      members_of(words[class_of], history$customer[rows])
    }
  )
}

# Rank correlation of frequency and spend, and whether it is more than the spend models can
# overlook.
spend_tie <- function(repeats, spend, level = 0.95) {
  n <- length(repeats)
  rho <- if (n > 3L && length(unique(repeats)) > 1L && length(unique(spend)) > 1L) {
    stats::cor(data.table::frank(repeats), data.table::frank(spend))
  } else {
    NA_real_
  }
  # of the rank correlation's Fisher transform (Fieller, Hartley & Pearson 1957)
  error <- sqrt(1.06 / max(1, n - 3))
  z <- if (is.na(rho)) NA_real_ else atanh(max(-0.999999, min(0.999999, rho)))
  off <- stats::qnorm((1 + level) / 2) * error
  p <- 2 * stats::pnorm(-abs(z) / error)
  list(
    correlation = rho,
    correlation_lower = tanh(z - off),
    correlation_upper = tanh(z + off),
    p = p,
    tied = isTRUE(p < 0.001 && abs(rho) > 0.1)
  )
}
