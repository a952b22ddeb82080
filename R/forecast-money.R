#' Margin and discounting
#'
#' @param margin_rate `[double(1) | nubrek_margin]` Margin by net sales, in (0, 1], or
#'   [margin_rates()] by product group, channel or cohort. Default: the ledger's own cost; where
#'   that is not known, sales are forecast and called sales, and value stays missing.
#' @param yearly_discount `[double(1)]` Yearly rate; money of today is not discounted. Default 10 %.
#' @param shares_by `[character(1)]` A customer attribute, see [customers()]: the shares of sales
#'   that come back as returns, and of margin where lines differ, are those of its groups, drawn
#'   towards those of all by as much as they are uncertain (empirical Bayes, by moments). Default
#'   `first_channel`, where channels are known.
#' @return A `nubrek_economics` list.
#' @examples
#' economics(margin_rate = 0.45)
#' @export
economics <- function(margin_rate = NULL, yearly_discount = 0.1, shares_by = NULL) {
  if (!inherits(margin_rate, "nubrek_margin")) check_share(margin_rate, null = TRUE)
  check_share(yearly_discount)
  check_text(shares_by, null = TRUE)
  structure(list(
    margin_rate = margin_rate, yearly_discount = yearly_discount, shares_by = shares_by
  ), class = "nubrek_economics")
}

# What is left of the sales of a purchase for each of these customers: `kept` after returns,
# `margin` of what is kept (missing where none is known), and `to_date`, margin so far.
money_shares <- function(ledger, ids, money, call = rlang::caller_env()) {
  throw_unless(checkmate::check_class(money, "nubrek_economics"), "money", call)
  n <- n_customers(ledger)
  place <- ledger_codes(ledger, ids)
  sums <- reduce_money(ledger, money$margin_rate, call)
  net <- sums$net
  gross <- sums$gross
  shared_by <- money$shares_by %||%
    if ("first_channel" %in% attribute_names(ledger)) "first_channel"
  group <- if (is.null(shared_by)) {
    rep(1L, n)
  } else {
    as.integer(code_column(group_of(ledger, meant_attributes(ledger, shared_by), call)[[1L]]))
  }
  buys <- gross > 0
  returned <- shrunk_ratios((gross - net)[buys], gross[buys], group[buys])
  kept <- 1 - returned$ratio[match(group, returned$group)]
  rates <- money$margin_rate
  if (is.null(sums$margin)) {
    each <- to_date <- rep(NA_real_, n)
  } else {
    own_margin <- sums$margin
    to_date <- own_margin / 10^(ledger$decimals + sums$digits)
    each <- rep(NA_real_, n)
    if (is.numeric(rates)) {
      each[] <- rates
    } else {
      # rates of a customer's own attribute are exact: nothing to shrink
      exact <- inherits(rates, "nubrek_margin") &&
        !is.null(rates$by) &&
        !rates$by %in% line_columns(ledger)
      places <- if (exact) {
        as.integer(code_column(group_of(ledger, meant_attributes(ledger, rates$by), call)[[1L]]))
      } else {
        group
      }
      known <- net > 0
      found <- shrunk_ratios((own_margin / 10^sums$digits)[known], net[known], places[known])
      each <- (if (exact) found$own else found$ratio)[match(places, found$group)]
      each[is.na(each)] <- sum(own_margin[known]) / 10^sums$digits / sum(net[known])
    }
  }
  list(
    kept = kept[place],
    margin = each[place],
    to_date = to_date[place],
    words = sums$words,
    by = shared_by,
    return_share = 1 - sum(net) / sum(gross)
  )
}

# Ratios of groups, sum of `top` by sum of `base`, drawn towards that of all: each by its own
# sampling variance against the variance between groups by moments (DerSimonian & Laird 1986). One
# row per group, with its standard error after that.
shrunk_ratios <- function(top, base, group) {
  total <- sum(top) / sum(base)
  sums <- data.table(group, top, base, square = base^2)[,
    .(top = sum(top), base = sum(base), square = sum(square)), keyby = group
  ]
  each <- sums$top / sums$base
  variance <- sum((top - total * base)^2) / sum(base^2) * sums$square / sums$base^2
  kept <- kept_of(each, variance)
  data.frame(
    group = sums$group,
    own = each,
    ratio = total + kept * (each - total),
    error = sqrt(kept * variance)
  )
}

# What winning each of these customers cost, in major units.
customer_costs <- function(ledger, ids, cost, call = rlang::caller_env()) {
  if (checkmate::test_number(cost, lower = 0, finite = TRUE)) cost <- acquisition_cost(cost)
  throw_unless(checkmate::check_class(cost, "nubrek_cost"), "cost", call)
  grouped_by <- setdiff(if (is.null(cost$per_customer)) names(cost$groups) else cost$by, "cohort")
  clock <- ledger_clock(ledger, NULL)
  place <- ledger_codes(ledger, ids)
  people <- data.table::setDT(c(
    if (length(grouped_by) > 0L) {
      stats::setNames(lapply(
        group_of(ledger, meant_attributes(ledger, grouped_by), call), \(g) as.character(g)[place]
      ), grouped_by)
    },
    list(cohort = period_start(period_number(reduce_first(ledger)[place], clock), clock))
  ))
  cohorts <- people[, .(size = .N), keyby = c(names(people))]
  costs <- cohort_costs(
    as.data.frame(cohorts, optional = TRUE),
    cost,
    list(by = grouped_by, clock = clock, decimals = ledger$decimals),
    call
  )
  cohorts[, spent := costs$total / 10^(ledger$decimals + costs$digits) / size]
  cohorts[people, on = names(people), spent]
}
