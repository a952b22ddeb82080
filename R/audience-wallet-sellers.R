# Everybody's share of the customers: sellers beside each other, kinds of customers, and our ledger.

# Every seller over our customers, over all and over its own; the price index is its mean price by
# everybody's.
wallet_of_sellers <- function(rows, our_customers, unit) {
  weighted <- "weight" %in% names(rows)
  cells <- rows[,
    .(units = sum(units), money = sum(money), weight = if (weighted) weight[[1L]] else 1),
    by = .(customer, seller)
  ]
  cells[, c("units_all", "money_all") := .(sum(units), sum(money)), by = customer]
  cells[, c("own", "with_us") := .(money > 0, customer %in% our_customers)]
  share <- \(part, all) part / ifelse(all > 0, all, NA_real_)
  table <- cells[,
    .(
      customers = sum(own),
      people = sum(weight[own]),
      units = sum(weight * units),
      money = sum(weight * money),
      own_share_units = share(sum((weight * units)[own]), sum((weight * units_all)[own])),
      own_share_money = share(sum((weight * money)[own]), sum((weight * money_all)[own])),
      share_of_ours = sum((weight * money)[with_us])
    ),
    keyby = seller
  ]
  table <- as.data.frame(table)
  table$share_of_ours <- share(table$share_of_ours, sum(table$share_of_ours))
  table$share_of_all <- share(table$money, sum(table$money))
  mean_price <- sum(table$money) / sum(table$units)
  table$price_index <- share(table$money, table$units) / mean_price
  table$money <- table$money / unit
  if (!weighted) table$people <- NULL
  table[order(-table$money, table$seller), ]
}

# Who buys of us in each kind of customer, and what they spend. Of a weighted panel an interval
# counts as many customers as its weights are worth (Kish 1965).
wallet_of_groups <- function(each, ledger, by, weight) {
  level <- each$level %||% {
    level <- with_missing(group_of(ledger, by)[[1L]])[ledger_codes(ledger, each$customer)]
    replace(level, is.na(level), "(not in the ledger)")
  }
  buys <- each$money > 0
  sums <- data.table(
    level, weight, buys, money = weight * each$money, all = weight * each$money_all
  )[,
    .(
      customers = .N,
      people = sum(weight),
      worth = sum(weight)^2 / sum(weight^2),
      reached = sum(weight[buys]) / sum(weight),
      money = sum(money),
      money_all = sum(all),
      of_ours = sum(money[buys]) / sum(all[buys]),
      of_all = sum(money) / sum(all)
    ),
    keyby = level
  ]
  bounds <- wilson(sums$reached, sums$worth, stats::qnorm(0.975))
  data.table::set(sums, j = c("lower", "upper"), value = bounds)
  as.data.frame(sums)[c(
    "level", "customers", if (!is.null(each$weight)) "people", "reached", "lower", "upper", "money",
    "money_all", "of_ours", "of_all"
  )]
}

# What the panel says of us beside what we know ourselves.
wallet_coverage_of <- function(each, ledger, during) {
  span <- read_during(during, ledger)
  known <- major(ledger, reduce_span(ledger, span)$sales)
  codes <- ledger_codes(ledger, each$customer)
  found <- !is.na(codes)
  told <- each$money[found]
  ours <- known[codes[found]]
  list(
    customers = sum(found),
    lacking = sum(!found),
    told = sum(told),
    known = sum(ours),
    near = mean(abs(told - ours) <= 0.1 * pmax(1, abs(ours))),
    during = span$label %||% paste(span$from, "to", span$until)
  )
}

#' Everybody's share of the customers
#'
#' @param wallet `[nubrek_wallet]` From [wallet_share()].
#' @return `wallet_sellers()`: one row per seller, the largest first: `customers` of the panel who
#'   buy of it, in a weighted panel the `people` they stand for; `units`, `money`; its share of what
#'   its own customers buy of everybody, `own_share_units`, `own_share_money`; `share_of_ours`, of
#'   the money of those who buy of us; `share_of_all`; `price_index`, mean price by everybody's.
#'   `wallet_groups()`: one row per level of `by`: `customers` (and `people`); `reached`, the share
#'   of them who buy of us, `lower`, `upper` at 95 %; `money` of us, `money_all`; `of_ours`, our
#'   share of what our customers among them spend, and `of_all`.
#' @references Kish (1965), Survey Sampling: how many customers a weighted group is worth.
#' @examples
#' panel <- data.frame(
#'   customer = c("A", "A", "B", "C"), seller = c("we", "they", "we", "they"),
#'   units = c(3, 1, 2, 5), money = c(30, 20, 25, 60)
#' )
#' wallet_sellers(wallet_share(panel, "we"))
#' @export
wallet_sellers <- function(wallet) {
  check_wallet(wallet)
  side_table(attr(wallet, "sellers"), "wallet_sellers", wallet, c(
    own_share_units = "share", own_share_money = "share", share_of_ours = "share",
    share_of_all = "share", units = "decimal", people = "count"
  ))
}

#' @rdname wallet_sellers
#' @export
wallet_groups <- function(wallet) {
  check_wallet(wallet)
  if (is.null(attr(wallet, "groups"))) {
    abort_nubrek("There are no groups: say {.arg by} in {.fn wallet_share}.", "argument")
  }
  groups <- attr(wallet, "groups")
  names(groups)[[1L]] <- group_names(basis_of(wallet, "by"), names(groups)[-1L])
  side_table(groups, "wallet_groups", wallet, c(
    of_ours = "share", of_all = "share", money_all = "money", reached = "share", lower = "share",
    upper = "share", people = "count"
  ))
}

check_wallet <- function(x, call = rlang::caller_env()) {
  throw_unless(checkmate::check_class(x, "nubrek_wallet"), "wallet", call)
}
