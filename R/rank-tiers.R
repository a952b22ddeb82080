#' Put customers into loyalty tiers
#'
#' By shares of ranked customers (rank 1 is the best; tied customers share a rank and get the better tier) or by thresholds.
#' A customer's tier is the first whose upper edge satisfies (rank - 1) * 100 < edge * n.
#'
#' @param ledger `[nubrek_ledger]`
#' @param shares `[numeric]` Named percentages from the best tier down; they must add up to 100.
#' @param thresholds `[numeric]` Instead of shares: named lower limits from the best tier down, the last one `-Inf` or below
#'   every customer; reaching the limit reaches the tier.
#' @param measure `[character(1)]` `"sales"` (net, default), `"purchases"` or `"mean_sales"`.
#' @return A `nubrek_tiers`, one row per customer with a purchase, best first (ties by id): `customer`; the measure, `sales` always
#'   too; `rank`, competition ranking; `tier`, an ordered factor, best first; `to_next`, how much of the measure is missing to
#'   the next better tier, missing in the best.
#' @examples
#' assign_tiers(example_ledger())
#' assign_tiers(example_ledger(), thresholds = c(gold = 100, silver = 50, base = -Inf))
#' @export
assign_tiers <- function(ledger, shares = c(top = 10, middle = 30, base = 60), thresholds = NULL, measure = "sales") {
  check_ledger(ledger)
  check_choice(measure, c("sales", "purchases", "mean_sales"))
  check_purchases(ledger)
  m <- reduce_customers(ledger)
  codes <- which(m$purchases > 0L)
  m <- m[codes]
  value <- switch(measure, sales = major(ledger, m$sales), purchases = m$purchases, mean_sales = major(ledger, m$sales) / m$purchases)
  rank <- as.integer(strictly_better(value) + 1L)
  tier <- if (is.null(thresholds)) tier_by_share(rank, check_shares(shares)) else tier_by_threshold(value, check_thresholds(thresholds))
  labels <- names(thresholds %||% shares)
  columns <- list(customer = ledger$ids[codes], sales = major(ledger, m$sales), rank = rank,
                  tier = factor(labels[tier], labels, ordered = TRUE), to_next = distance_up(value, tier, thresholds))
  if (measure != "sales") columns <- append(columns, stats::setNames(list(value), measure), 1L)
  columns <- lapply(columns, `[`, order(rank, seq_along(rank)))
  tied <- tie_remark(rank, tier, labels)
  new_result(columns, "tiers", ledger, rbind(carried(ledger), tied), basis = list(measure = measure, edges = thresholds %||% shares,
             rule = if (is.null(thresholds)) "share" else "threshold"))
}

check_shares <- function(shares, call = rlang::caller_env()) {
  ok <- checkmate::test_numeric(shares, lower = 0, upper = 100, any.missing = FALSE, min.len = 1L) && checkmate::test_names(names(shares), type = "unique")
  if (!ok) abort_nubrek(c("{.arg shares} must be named percentages, best tier first.", "i" = "For example {.code c(top = 10, base = 90)}."), "tiers", call = call)
  if (abs(sum(shares) - 100) > 1e-9) {
    abort_nubrek(c("The shares of the tiers must add up to 100 %.", "x" = "They add up to {format(sum(shares))} %."), "tiers", call = call)
  }
  shares
}

check_thresholds <- function(thresholds, call = rlang::caller_env()) {
  ok <- checkmate::test_numeric(thresholds, any.missing = FALSE, min.len = 1L) && checkmate::test_names(names(thresholds), type = "unique") &&
    !is.unsorted(rev(thresholds), strictly = TRUE)
  if (!ok) abort_nubrek(c("{.arg thresholds} must be named numbers that fall from the best tier down.", "i" = "For example {.code c(gold = 500, base = -Inf)}."), "tiers", call = call)
  thresholds
}

# Edges are compared as whole numbers of millionths of a percent, so that 10 % of 10 customers is 1, not 0.9999.
tier_by_share <- function(rank, shares) {
  edges <- round(cumsum(shares) * 1e6)
  edges[[length(edges)]] <- 100e6
  findInterval((rank - 1) * 100e6, edges * length(rank)) + 1L
}

tier_by_threshold <- function(value, thresholds, call = rlang::caller_env()) {
  tier <- length(thresholds) + 1L - findInterval(value, rev(thresholds))
  if (any(tier > length(thresholds))) {
    abort_nubrek(c("The lowest threshold must take in everybody.", "x" = "{sum(tier > length(thresholds))} customer{?s} {?is/are} below {format(min(thresholds))}.",
                   "i" = "Use {.code -Inf} for the last tier."), "tiers", call = call)
  }
  tier
}

# What is missing to the lowest customer of the next better tier (by shares), or to its threshold.
distance_up <- function(value, tier, thresholds) {
  if (!is.null(thresholds)) return(ifelse(tier == 1L, NA_real_, c(NA, thresholds)[tier] - value))
  lowest <- tapply(value, factor(tier, seq_len(max(tier))), min)
  for (step in seq_along(lowest)[-1L]) if (is.na(lowest[[step]])) lowest[[step]] <- lowest[[step - 1L]]   # an empty tier
  as.vector(c(NA, lowest))[tier] - value
}

tie_remark <- function(rank, tier, labels) {
  size <- tabulate(tier, length(labels))
  edge <- cumsum(size)
  over <- vapply(which(size > 0L & edge < length(rank)), \(t) { worst <- max(rank[tier == t]); sum(rank == worst) > 1L }, NA)
  if (any(over)) remark_table("ties", "Tied customers at an edge share the better tier, so a tier may hold a little more than its share.")
}
