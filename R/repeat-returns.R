# What was sold and what came back, by customer and by group.

#' Sales before and after returns
#'
#' Lines above 0 are gross sales, lines below 0 returns, whichever order they stand in; what is left
#' is the ledger's net sales.
#'
#' @param ledger `[nubrek_ledger]`
#' @param best `[double(1)]` The share of customers that are called best. Default 0.1.
#' @param margin `[numeric | nubrek_margin]` Margin by net sales, see [margin_rates()]; default the
#'   cost that the ledger knows.
#' @return `customer_returns()`: a `nubrek_returns`, one row per customer with an order, the highest
#'   returns first: `customer`; `gross`, `returned`, `net`; `return_share`, of gross; `margin` after
#'   returns, where one is known; `rank_gross`, `rank_net`; `best_before`, `best_after`, among the
#'   best by gross and by net (ties all of them). Invariant: `sum(net)` is the ledger's total.
#' @examples
#' customer_returns(example_ledger())
#' returns_by(example_ledger(), "channel")
#' @export
customer_returns <- function(ledger, best = 0.1, margin = NULL) {
  check_ledger(ledger)
  check_share(best, lower = 0.001, upper = 1)
  sums <- reduce_returns(ledger)
  known <- reduce_money(ledger, margin)
  here <- which(sums$seen)
  gross <- sums$gross[here]
  net <- gross - sums$returned[here]
  rank <- \(x) as.integer(strictly_better(x) + 1L)
  top <- \(rank) (rank - 1) < best * length(here)
  columns <- c(
    list(
      customer = ledger_ids(ledger, here),
      gross = major(ledger, gross),
      returned = major(ledger, sums$returned[here]),
      net = major(ledger, net),
      return_share = ifelse(gross > 0, sums$returned[here] / gross, NA_real_)
    ),
    if (!is.null(known$margin)) {
      list(margin = major(ledger, known$margin[here] / 10^(known$digits %||% 0L)))
    },
    list(
      rank_gross = rank(gross), rank_net = rank(net), best_before = top(rank(gross)),
      best_after = top(rank(net))
    )
  )
  sorting <- order(-sums$returned[here], here)
  new_result(
    lapply(columns, `[`, sorting), "returns", ledger, carried(ledger),
    basis = list(best = best, margin = known$words)
  )
}

#' @param by `[character(1)]` An attribute of customers, or a column of the lines.
#' @return `returns_by()`: a `nubrek_returns_by`, one row per group, the most returned first: the
#'   group; `customers` with sales; `gross`, `returned`, `net`, `return_share`; `margin` after
#'   returns, where one is known (by columns of the lines: where one rate holds for all);
#'   `share_of_returned`, of all that came back; `share`, of all net sales. The basis has `highest`,
#'   the group of the highest share where shares differ by more than customers scatter.
#' @rdname customer_returns
#' @export
returns_by <- function(ledger, by, margin = NULL) {
  check_ledger(ledger)
  check_text(by)
  found <- if (by %in% line_columns(ledger)) {
    returns_of_lines(ledger, by, margin)
  } else {
    returns_of_customers(ledger, by, margin)
  }
  found <- found[order(-returned, group), ]
  total <- sum(found$gross) - sum(found$returned)
  share_of <- \(x, all) if (all > 0) x / all else rep(NA_real_, length(x))
  columns <- c(
    stats::setNames(list(found$group), group_names(by, returns_columns)),
    list(
      customers = found$customers,
      gross = major(ledger, found$gross),
      returned = major(ledger, found$returned),
      net = major(ledger, found$gross - found$returned),
      return_share = ifelse(found$gross > 0, found$returned / found$gross, NA_real_)
    ),
    if (!is.null(found$margin)) list(margin = major(ledger, found$margin)),
    list(
      share_of_returned = share_of(found$returned, sum(found$returned)),
      share = share_of(found$gross - found$returned, total)
    )
  )
  new_result(
    columns, "returns_by", ledger, carried(ledger),
    basis = list(
      by = group_names(by, returns_columns), attribute = by, highest = highest_returns(found)
    )
  )
}

# The group of 30 customers or more with the highest share of returns, where shares differ
# significantly; the spread is that of customers, at the share of all.
highest_returns <- function(found) {
  large <- found[customers >= few_customers & gross > 0]
  share <- sum(large$returned) / sum(large$gross)
  spread <- large[, returned2 - 2 * share * product + share^2 * gross2]
  clear <- clear_extremes(large$returned / large$gross, sqrt(spread) / large$gross)
  if (!is.null(clear)) as.character(large$group[[clear$high]])
}

returns_columns <- c(
  "customers", "gross", "returned", "net", "return_share", "margin", "share_of_returned", "share"
)

returns_of_customers <- function(ledger, by, margin, call = rlang::caller_env()) {
  group <- group_of(ledger, by, call)[[1L]]
  sums <- reduce_returns(ledger)
  known <- reduce_money(ledger, margin, call)
  rows <- data.table(
    group, customers = sums$gross > 0, gross = sums$gross, returned = sums$returned,
    gross2 = sums$gross^2, product = sums$gross * sums$returned, returned2 = sums$returned^2
  )
  if (!is.null(known$margin)) rows[, margin := known$margin / 10^(known$digits %||% 0L)]
  rows[sums$seen, lapply(.SD, sum), keyby = group]
}

returns_of_lines <- function(ledger, by, margin) {
  sums <- reduce_returns_by(ledger, by)
  if (is.numeric(margin) && length(margin) == 1L && is.null(names(margin))) {
    sums$margin <- (sums$gross - sums$returned) * margin
  }
  sums
}
