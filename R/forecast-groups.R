#' Who brings customers worth keeping, and through what
#'
#' The value of a customer won today by a group of the customers (first channel, first product,
#' discount band, age band, cohort), in its three parts: staying, cadence, order value. Groups of
#' few customers are drawn towards everybody and marked.
#'
#' @param ledger `[nubrek_ledger]`
#' @param by `[character(1)]` A customer attribute, see [customers()]; `"(missing)"` is a group. Cut
#'   numbers and days into bands first ([band()]).
#' @param years `[double(1)]` How far to look from the first purchase on, default 1.
#' @param within `[double(1)]` Months by which the highest cost is to be paid back, default 12.
#' @param money,level,models See [forecast_value()]; models' own covariates are not used here.
#' @param least `[integer(1)]` Groups of fewer customers are marked `small`.
#' @param draws,seed `[integer(1)]` Of the intervals.
#' @return A `nubrek_value_by`, one row per group, the highest value first: the column of `by`;
#'   `customers` learned from, `small`; `value` of a customer won today (discounted margin of the
#'   first and all expected purchases; sales where no margin is known, then called `sales`),
#'   `value_lower`, `value_upper`; `difference` from everybody and its parts `from_staying`,
#'   `from_cadence`, `from_order`, which add up to it; `clear`, whether the interval of the
#'   difference leaves out 0; `staying`, the rate of buying a year after the first purchase by that
#'   at the start; `cadence`, purchases a year while a customer; `mean_first`, `mean_later`, net
#'   sales of a first and a later purchase; `rate_effect`, `leaving_effect`, factors against
#'   everybody (of the odds where a probability is mixed); `highest_cost` that pays back within
#'   `within` months; raw means `raw_purchases` and `raw_mean_sales` of the same customers;
#'   `conversion`, the share of the registered who have bought, where the group is known of them.
#'   The attribute `everybody` has the same of all.
#' @details The purchase model has the group as a covariate of both rates. The groups' log effects
#'   about their mean, and the order values, are drawn towards everybody by empirical Bayes (normal,
#'   the variance between groups by moments, DerSimonian & Laird 1986). The parts are Shapley values
#'   (Shapley 1953): the mean, over all orders of swapping, of what changes when a part of everybody
#'   becomes that of the group. Returns and margin shares belong to the order value. A first
#'   purchase today is not discounted.
#' @section Errors: `nubrek_error_attribute`; `nubrek_error_unidentified` where the models cannot be
#'   fitted or all are of one group.
#' @examples
#' \donttest{
#' ledger <- open_ledger(
#'   system.file("pellmere", "order-lines.csv.gz", package = "nubrek"),
#'   column_map(
#'     "customer_no", "sold_at", order = "receipt", sales = "net_amount", currency = "currency",
#'     channel = "sold_in"
#'   ),
#'   meanings(currency = "EUR", history_start = "2023-01-01")
#' )
#' value_by(ledger, "first_channel", money = economics(0.48))
#' }
#' @export
value_by <- function(
  ledger, by, years = 1, within = 12, money = economics(), level = 0.95, models = forecast_models(),
  least = 30L, draws = 200L, seed = 1L
) {
  check_ledger(ledger)
  check_text(by)
  by <- meant_attributes(ledger, by)
  check_number(years, lower = 1 / 52, upper = 50)
  check_number(within, lower = 0, upper = 600)
  check_drawing(level, c(draws, 1L), seed)
  check_whole(least, lower = 1L)
  check_one_model(models)
  history <- purchase_history(ledger, season = season_of(models$season, ledger)$season)
  learn <- learn_from(ledger, history)
  known <- history[learn$rows, ]
  group <- group_of(ledger, by)[[1L]][ledger_codes(ledger, known$customer)]
  check_several_groups(group, by)
  signal_progress("fitting the groups")
  rates <- group_rates(known, group, models$purchases)
  orders <- group_orders(ledger, known, group, money, rates$groups)
  drawn <- with_seed(seed, group_draws(rates, orders, draws))
  worth <- group_worth(
    rates, orders, drawn, years, within, continuous_rate(money$yearly_discount, "week"), level
  )
  shown <- group_names(by, value_by_columns)
  size <- as.integer(table(group)[rates$groups])
  conversion <- conversion_of(ledger, by, rates$groups)
  columns <- c(
    stats::setNames(list(rates$groups), shown),
    list(customers = size, small = size < least),
    group_columns(ledger, worth, rates, known, group),
    list(conversion = conversion)
  )
  if (is.null(orders$words)) {
    columns$highest_cost[] <- NA_real_
    names(columns)[names(columns) == "value"] <- "sales"
  }
  sorting <- order(-worth$table$value)
  new_result(
    lapply(columns, `[`, sorting),
    "value_by",
    ledger,
    rbind(carried(ledger), learn$remarks, group_remarks(size, least, by, orders, conversion)),
    basis = list(
      by = shown,
      years = years,
      within = within,
      level = level,
      margin = orders$words,
      yearly_discount = money$yearly_discount,
      money = if (is.null(orders$words)) "sales" else "margin",
      kinds = value_by_kinds
    ),
    everybody = worth$everybody,
    effect_error = rates$error[sorting, ],
    kept = rates$kept[sorting, ],
    members = members_of(group, known$customer)
  )
}

value_by_kinds <- c(
  difference = "money", from_staying = "money", from_cadence = "money", from_order = "money",
  staying = "share", mean_first = "money", mean_later = "money", highest_cost = "money",
  raw_mean_sales = "money", conversion = "share"
)

check_one_model <- function(models, call = rlang::caller_env()) {
  throw_unless(checkmate::check_class(models, "nubrek_models"), "models", call)
  if (models$purchases == "best") {
    abort_nubrek(
      c("Say which purchase model.", "i" = "{.fn compare_models} recommends one."),
      "argument",
      call = call
    )
  }
}

check_several_groups <- function(group, by, call = rlang::caller_env()) {
  if (length(unique(group)) > 1L) return(invisible())
  abort_nubrek(c(
    "There is nothing to compare: all customers have the same {.field {by}}.",
    "x" = "It is {.val {group[[1]]}}."
  ), "unidentified", call = call)
}

# What the models say of each group, and what was seen of it, without any drawing together.
group_columns <- function(ledger, worth, rates, known, group) {
  unread <- data.table(group, purchases = known$repeats + 1, sales = major(
    ledger, reduce_customers(ledger)$sales_purchases[ledger_codes(ledger, known$customer)]
  ))[, .(purchases = sum(purchases), sales = sum(sales), n = .N), keyby = group]
  unread <- unread[match(rates$groups, group)]
  c(
    worth$table[c(
      "value", "value_lower", "value_upper", "difference", "from_staying", "from_cadence",
      "from_order", "clear", "staying", "cadence", "mean_first", "mean_later"
    )],
    list(
      rate_effect = exp(rates$effect[, 1L]),
      leaving_effect = exp(rates$effect[, 2L]),
      highest_cost = worth$table$highest_cost,
      raw_purchases = unread$purchases / unread$n,
      raw_mean_sales = unread$sales / unread$purchases
    )
  )
}

value_by_columns <- c(
  "customers", "small", "value", "sales", "difference", "clear", "staying", "cadence", "mean_first",
  "mean_later", "conversion", "highest_cost", "value_lower", "value_upper", "from_staying",
  "from_cadence", "from_order", "rate_effect", "leaving_effect", "raw_purchases", "raw_mean_sales"
)

# The effects of groups on buying and leaving: a fit with the group as covariate, under a prior so
# weak that only a group without information feels it; then drawn towards their mean.
group_rates <- function(known, group, model) {
  history <- plain_table(known)
  history$.group <- group
  check_identified(history, FALSE)
  packed <- pack_histories(history, list(rate = ~.group, dropout = ~.group))
  packed$design$spread[] <- 1
  best <- climb_purchases(model, packed, 0.25)
  if (is.null(best$vcov)) {
    abort_nubrek(c(
      "The groups cannot be told apart: the likelihood has no clear top.",
      "i" = "Cut the attribute into fewer groups."
    ), "unidentified", call = rlang::caller_env())
  }
  values <- packed$design$known$.group$levels
  k <- length(values)
  weight <- as.numeric(table(group)[values]) / length(group)
  base <- base_places(model)
  about_mean <- diag(k) - outer(rep(1, k), weight) # of effects with 0 for the base
  lever <- function(own) {
    b <- c(0, best$effects[own])
    v <- matrix(0, k, k)
    v[-1L, -1L] <- best$vcov[-base, -base][own, own]
    v[!is.finite(v)] <- 4 # on the edge: no more than the prior is known
    off <- drop(about_mean %*% b)
    variance <- diag(about_mean %*% v %*% t(about_mean))
    kept <- kept_of(off, variance)
    list(mean = sum(weight * b), effect = kept * off, error = sqrt(kept * variance), kept = kept)
  }
  parts <- list(lever(seq_len(k - 1L)), lever(k - 1L + seq_len(k - 1L)))
  pick <- \(name) cbind(parts[[1L]][[name]], parts[[2L]][[name]])
  list(
    groups = values,
    model = model,
    parameters = best$parameters,
    vcov = best$vcov[base, base],
    mean = c(parts[[1L]]$mean, parts[[2L]]$mean),
    effect = pick("effect"),
    error = pick("error"),
    kept = pick("kept")
  )
}

# Net sales of a first and of a later purchase by group, drawn towards everybody, and the margin of
# them.
group_orders <- function(ledger, known, group, money, levels) {
  place <- ledger_codes(ledger, known$customer)
  m <- reduce_customers(ledger)
  shares <- money_shares(ledger, known$customer, money)
  first <- major(ledger, m$sales_first[place]) * shares$kept
  later <- major(ledger, m$sales_purchases[place] - m$sales_first[place]) * shares$kept
  came <- known$repeats > 0
  of <- \(found) found[match(levels, found$group), c("own", "ratio", "error")]
  mean_order <- sum(later) / sum(known$repeats)
  repeats <- shrunk_ratios(later[came], known$repeats[came], group[came])
  absent <- setdiff(levels, repeats$group) # nobody of them came back: everybody's order
  repeats <- rbind(repeats, data.frame(
    group = absent,
    own = rep(NA_real_, length(absent)),
    ratio = rep(mean_order, length(absent)),
    error = rep(0, length(absent))
  ))
  weight <- first + later
  rate <- if (is.null(shares$words)) {
    1
  } else {
    tapply(shares$margin * weight, factor(group, levels), sum) /
      tapply(weight, factor(group, levels), sum)
  }
  list(
    first = of(shrunk_ratios(first, rep(1, length(first)), group)),
    later = of(repeats),
    margin = as.double(rep_len(rate, length(levels))),
    all = c(
      first = mean(first),
      later = mean_order,
      margin = if (is.null(shares$words)) 1 else sum(shares$margin * weight) / sum(weight)
    ),
    words = shares$words
  )
}

# The share of the registered who have bought, where the group is known of those who have not: an
# attribute that only a first purchase gives tells nothing.
conversion_of <- function(ledger, by, groups) {
  none <- rep(NA_real_, length(groups))
  if (is.null(ledger$meaning$registered)) return(none)
  group <- group_of(ledger, by)[[1L]]
  registered <- !is.na(attribute_day(ledger, ledger$meaning$registered))
  bought <- !is.na(first_purchase_day(ledger))
  if (all(group[registered & !bought] == "(missing)")) return(none)
  as.double(tapply(bought[registered], factor(group[registered], groups), mean))
}

group_remarks <- function(size, least, by, orders, conversion) {
  rbind(
    if (any(size < least)) {
      remark_table("small groups", say(
        "%s fewer than %s: drawn towards everybody, and not to be judged.",
        if (sum(size < least) == 1L) "1 group has" else paste(sum(size < least), "groups have"),
        n_of(least, "customer")
      ))
    },
    if (is.null(orders$words)) {
      remark_table("margin", say("No margin is known: what is valued is sales."))
    },
    if (all(is.na(conversion))) {
      remark_table("conversion", say(
        "How many of those who were reached became customers is not known by %s.",
        gsub("_", " ", by)
      ))
    }
  )
}
