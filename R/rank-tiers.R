#' Put customers into loyalty tiers
#'
#' By shares of ranked customers (rank 1 is the best; tied customers share a rank and get the better
#' tier), by thresholds of one or several measures, or by the break-even of what a tier costs. By
#' shares a customer's tier is the first whose upper edge satisfies (rank - 1) * 100 < edge * n.
#'
#' @param ledger `[nubrek_ledger]`
#' @param shares `[numeric]` Named shares of the customers from the best tier down: percentages that
#'   add up to 100, or shares that add up to 1.
#' @param thresholds `[numeric | list]` Instead of shares: named lower limits from the best tier
#'   down, the last one `-Inf` or below every customer; reaching the limit reaches the tier. Or a
#'   list of limits by measure, such as `list(cashmere = c(sales = 500, purchases = 4), base =
#'   NULL)`; the last one takes everybody.
#' @param measure `[character(1)]` `"sales"` (net, default), `"purchases"` or `"mean_sales"`.
#' @param during `[character]` A part of time, such as `"2025"`: customers with a purchase in it, by
#'   their net sales in it. Default all.
#' @param match `[character(1)]` Of limits on several measures, must `"all"` (default) or `"any"` be
#'   reached?
#' @param benefits `[nubrek_benefits]` Instead of shares and thresholds: from [tier_benefits()].
#' @param keep `[nubrek_tiers]` Earlier tiers: who had a better one keeps it as long as the measure
#'   is not below its limit by more than the share `slack`.
#' @param slack `[numeric(1)]` Default 0.1.
#' @return A `nubrek_tiers`, one row per customer with a purchase, best first (ties by id):
#'   `customer`; the measures, `sales` always too; `rank`, competition ranking; `tier`, an ordered
#'   factor, best first; `to_next`, how much of the measure is missing to the next better tier,
#'   missing in the best (with several measures `to_next_sales` and so on, 0 where reached); with
#'   `keep` also `kept`.
#' @examples
#' assign_tiers(example_ledger())
#' assign_tiers(example_ledger(), thresholds = c(cashmere = 100, merino = 50, base = -Inf))
#' assign_tiers(
#'   example_ledger(), thresholds = list(cashmere = c(sales = 100, purchases = 3), base = NULL)
#' )
#' @export
assign_tiers <- function(
  ledger, shares = c(top = 10, middle = 30, base = 60), thresholds = NULL, measure = "sales",
  during = NULL, match = "all", benefits = NULL, keep = NULL, slack = 0.1
) {
  check_ledger(ledger)
  check_share(slack)
  throw_unless(
    checkmate::check_class(keep, "nubrek_tiers", null.ok = TRUE), "keep", rlang::current_env()
  )
  rule <- tier_rule(shares, thresholds, measure, match, benefits)
  who <- spanned(ledger, during, all = FALSE)
  best <- best_first(who, rule)
  reached <- tier_of(best$values, best$rank, rule)
  edges <- tier_edges(best$values[[1L]], reached, rule)
  tier <- reached
  if (!is.null(keep)) {
    tier <- kept_tier(reached, best$values[[1L]], edges, keep, best$ids, rule, slack)
  }
  next_one <- if (is.list(rule$thresholds)) {
    distances_up(best$values, tier, rule)
  } else {
    list(to_next = distance_up(best$values[[1L]], tier, edges))
  }
  new_result(
    c(
      list(customer = best$ids),
      best$values[rule$measures != "sales"],
      list(sales = major(ledger, best$units), rank = best$rank, tier = structure(
        tier, levels = rule$labels, class = c("ordered", "factor")
      )),
      next_one,
      if (!is.null(keep)) list(kept = tier != reached)
    ),
    "tiers",
    ledger,
    rbind(
      carried(ledger),
      during_remark(who$span, during),
      if (rule$kind == "share") tie_remark(best$rank, tier, rule$labels),
      if (!is.null(keep)) kept_remarks(who$span, keep, sum(tier != reached), slack)
    ),
    basis = c(
      list(
        measure = rule$measures[[1L]],
        edges = rule$thresholds %||% rule$shares,
        rule = rule$kind,
        limits = stats::setNames(edges, rule$labels),
        how = rule
      ),
      span_basis(who$span, during),
      list(until = if (!is.null(during) && !who$span$whole) who$span$asked[[2L]])
    )
  )
}

# Customers by the first measure of a rule, the best first.
best_first <- function(who, rule) {
  values <- lapply(stats::setNames(nm = rule$measures), who$measure)
  # whole numbers are counted, others sorted
  ranks_of <- strictly_better(if (rule$measures[[1L]] == "sales") who$units else values[[1L]]) + 1L
  place <- cpp_rows_by_rank(ranks_of)
  list(
    values = lapply(values, `[`, place),
    rank = ranks_of[place],
    ids = who$ids[place],
    units = who$units[place]
  )
}

kept_remarks <- function(span, keep, n, slack) {
  rbind(
    length_told(span, keep, "Earlier tiers"),
    remark_table("kept", say(
      "%s a better tier than the measure gives, being less than %s below its limit.",
      keep_words(n),
      present_percent(slack)
    ))
  )
}

keep_words <- function(n) paste(n_of(n, "customer"), if (n == 1L) "keeps" else "keep")
present_percent <- function(x) paste0(number_text(100 * x), " %")

# How tiers are made: `kind` share, threshold or break-even, their labels, and the measures looked
# at.
tier_rule <- function(shares, thresholds, measure, match, benefits, call = rlang::caller_env()) {
  check_choice(measure, c("sales", "purchases", "mean_sales"), call = call)
  check_choice(match, c("all", "any"), call = call)
  if (!is.null(benefits)) {
    throw_unless(checkmate::check_class(benefits, "nubrek_benefits"), "benefits", call)
    return(list(
      kind = "break-even",
      thresholds = check_thresholds(break_even(benefits), call),
      labels = benefits$tier,
      measures = "sales",
      match = match
    ))
  }
  if (is.list(thresholds)) {
    check_limits(thresholds, call)
    return(list(
      kind = "threshold",
      thresholds = thresholds,
      labels = names(thresholds),
      measures = unique(unlist(lapply(thresholds, names))),
      match = match
    ))
  }
  if (!is.null(thresholds)) {
    return(list(
      kind = "threshold",
      thresholds = check_thresholds(thresholds, call),
      labels = names(thresholds),
      measures = measure,
      match = match
    ))
  }
  list(
    kind = "share",
    shares = check_shares(shares, call),
    labels = names(shares),
    measures = measure,
    match = match
  )
}

tier_of <- function(values, rank, rule, call = rlang::caller_env()) {
  if (rule$kind == "share") return(tier_by_share(rank, rule$shares))
  if (!is.list(rule$thresholds)) return(tier_by_threshold(values[[1L]], rule$thresholds, call))
  tier <- rep(length(rule$labels), length(values[[1L]]))
  for (t in rev(seq_along(rule$labels))[-1L]) {
    limits <- rule$thresholds[[t]]
    reached <- Reduce(
      if (rule$match == "all") `&` else `|`,
      lapply(names(limits), \(name) values[[name]] >= limits[[name]])
    )
    tier[reached] <- t
  }
  tier
}

check_limits <- function(limits, call) {
  n <- length(limits)
  fine <- \(x) checkmate::test_numeric(x, any.missing = FALSE, min.len = 1L) &&
    checkmate::test_names(
      names(x), type = "unique", subset.of = c("sales", "purchases", "mean_sales")
    )
  ok <- n > 1L &&
    checkmate::test_names(names(limits), type = "unique") &&
    all(vapply(limits[-n], fine, NA)) &&
    length(limits[[n]]) == 0L
  if (!ok) {
    abort_nubrek(c(
      "Limits of several measures are a list from the best tier down, the last one empty.",
      "i" = "Such as {.code list(cashmere = c(sales = 500, purchases = 4), base = NULL)}."
    ), "tiers", call = call)
  }
}

check_shares <- function(shares, call = rlang::caller_env()) {
  ok <- checkmate::test_numeric(
    shares, lower = 0, upper = 100, any.missing = FALSE, min.len = 1L
  ) &&
    checkmate::test_names(names(shares), type = "unique")
  if (!ok) {
    abort_nubrek(c(
      "{.arg shares} must be named shares of the customers, best tier first.",
      "i" = "For example {.code c(top = 10, base = 90)}."
    ), "tiers", call = call)
  }
  # as shares of one; everything within is in percent
  if (abs(sum(shares) - 1) < 1e-11) return(100 * shares)
  if (abs(sum(shares) - 100) > 1e-9) {
    abort_nubrek(c(
      "The shares of the tiers must add up to 100 % (or to 1).",
      "x" = "They add up to {number_text(sum(shares))}."
    ), "tiers", call = call)
  }
  shares
}

check_thresholds <- function(thresholds, call = rlang::caller_env()) {
  ok <- checkmate::test_numeric(thresholds, any.missing = FALSE, min.len = 1L) &&
    checkmate::test_names(names(thresholds), type = "unique") &&
    !is.unsorted(rev(thresholds), strictly = TRUE)
  if (!ok) {
    abort_nubrek(c(
      "{.arg thresholds} must be named numbers that fall from the best tier down.",
      "x" = "They are {.val {format(thresholds)}}.",
      "i" = "For example {.code c(cashmere = 500, base = -Inf)}."
    ), "tiers", call = call)
  }
  thresholds
}

# Edges are compared as whole numbers of millionths of a percent, so that 10 % of 10 customers is 1,
# not 0.9999.
tier_by_share <- function(rank, shares) {
  edges <- round(cumsum(shares) * 1e6)
  edges[[length(edges)]] <- 100e6
  # (rank - 1) * 100 < edge * n: the last rank of each tier
  last <- ceiling(edges * length(rank) / 100e6)
  tier <- rep(1L, length(rank))
  for (limit in last[-length(last)]) {
    tier <- tier + (rank > limit)
  }
  tier
}

tier_by_threshold <- function(value, thresholds, call = rlang::caller_env()) {
  tier <- length(thresholds) + 1L - findInterval(value, rev(thresholds))
  if (any(tier > length(thresholds))) {
    abort_nubrek(c(
      "The lowest threshold must take in everybody.",
      "x" = paste0(
        "{sum(tier > length(thresholds))} customer{?s} {?is/are} below ",
        "{number_text(min(thresholds))}."
      ),
      "i" = "Use {.code -Inf} for the last tier."
    ), "tiers", call = call)
  }
  tier
}

# The limit of each tier: its threshold, or its lowest customer; an empty tier has that of the one
# above.
tier_edges <- function(value, tier, rule) {
  if (is.list(rule$thresholds)) return(rep(NA_real_, length(rule$labels)))
  if (!is.null(rule$thresholds)) return(unname(rule$thresholds))
  size <- tabulate(tier, length(rule$labels)) # values stand best first
  lowest <- ifelse(size > 0L, value[pmax(1L, cumsum(size))], NA_real_)
  for (step in seq_along(lowest)[-1L]) {
    if (is.na(lowest[[step]])) lowest[[step]] <- lowest[[step - 1L]]
  }
  lowest
}

# What is missing to the lowest customer of the next better tier (by shares), or to its threshold.
distance_up <- function(value, tier, edges) pmax(c(NA, edges)[tier] - value, 0)

distances_up <- function(values, tier, rule) {
  stats::setNames(
    lapply(rule$measures, \(name) {
      limit <- vapply(rule$thresholds, \(x) if (name %in% names(x)) x[[name]] else NA_real_, 0)
      pmax(c(NA, unname(limit))[tier] - values[[name]], 0)
    }),
    paste0("to_next_", rule$measures)
  )
}

# Who had a better tier holds the best one between that and the present whose limit is not missed by
# more than the slack.
kept_tier <- function(tier, value, edges, keep, ids, rule, slack, call = rlang::caller_env()) {
  if (is.list(rule$thresholds)) {
    abort_nubrek("Tiers of several measures cannot be kept.", "tiers", call = call)
  }
  if (!identical(levels(keep$tier), rule$labels)) {
    abort_nubrek("The earlier tiers must have the same names as these.", "tiers", call = call)
  }
  before <- as.integer(keep$tier)[data.table::chmatch(ids, keep$customer)]
  lenient <- edges - slack * abs(edges)
  for (t in rev(seq_along(edges))) {
    up <- !is.na(before) & before <= t & t < tier & !is.na(lenient[[t]]) & value >= lenient[[t]]
    tier[up] <- t
  }
  tier
}

tie_remark <- function(rank, tier, labels) {
  size <- tabulate(tier, length(labels))
  edge <- cumsum(size)[size > 0L]
  # ranks stand best first: the last of a tier and the one before it
  edge <- edge[edge < length(rank) & edge > 1L]
  over <- rank[edge] == rank[edge - 1L]
  if (any(over)) {
    remark_table("ties", say(paste0(
      "Tied customers at an edge share the better tier, so a tier may hold a little more than ",
      "its share."
    )))
  }
}
