#' How many customers come back
#'
#' Customers with two or more purchases among those with at least one. The interval is Wilson's, 95
#' %, without continuity correction.
#'
#' @param ledger `[nubrek_ledger]`
#' @param by `[character]` Customer or first-order attributes to break down by (see [customers()]);
#'   a missing value is the group `"(missing)"`.
#' @param during `[character]` A period, see [periods], such as `"2024"` or `"last 12 months"`.
#'   Customers are then those with a purchase in it, and only purchases in it count; attributes stay
#'   those of all time. Default: all of the history.
#' @return A `nubrek_rate`, one row per group, largest first (bands and cohorts in their own order):
#'   the columns of `by`; `customers`, `repeat_customers`; `same_day_only`, repeat customers whose
#'   purchases all fell on one day; `rate`, `lower`, `upper` in `[0, 1]`; and money in major units:
#'   `sales` = `sales_repeat` + `sales_one_time` + `sales_no_purchase` (by kind of customer) =
#'   `sales_first` + `sales_later` + `sales_outside` (by kind of order); `mean_repeat`,
#'   `mean_one_time`, `mean_first`, `mean_later`: the mean purchase of each kind; `by_90`, the share
#'   who came back by day 90 after their first purchase, with `by_90_lower` and `by_90_upper`
#'   (Kaplan and Meier; missing where nobody is seen so long, and with `during`). Groups are seen
#'   for different times: `rate` shows what was seen, `by_90` compares (definition 68). The basis
#'   has `differ`, the p of the log-rank comparison of the groups of 30 customers or more.
#' @references Wilson, E. B. (1927), Probable inference, the law of succession, and statistical
#'   inference, Journal of the American Statistical Association 22, 209-212.
#' @examples
#' repeat_rate(example_ledger())
#' repeat_rate(example_ledger(), by = "first_channel")
#' @export
repeat_rate <- function(ledger, by = NULL, during = NULL) {
  check_ledger(ledger)
  whole <- ledger
  by <- meant_attributes(ledger, by)
  ledger <- ledger_during(ledger, during)
  shown <- if (!is.null(by)) group_names(by, rate_columns)
  m <- reduce_customers(ledger)[,
    .(purchases, orders, purchase_days, sales, first = sales_first, inside = sales_purchases)
  ]
  if (!is.null(by)) m <- cbind(data.table::setnames(group_of(whole, by), shown), m)
  result <- rate_sums(m[orders > 0L], shown)
  if (length(by) == 1L) {
    result <- result[order(match(result[[shown]], c(natural_order(whole, by), "(missing)")))]
  }
  money <- grep("^sales", names(result), value = TRUE)
  for (name in money) {
    data.table::set(result, NULL, name, major(ledger, result[[name]]))
  }
  mean_of <- \(money, n) ifelse(n > 0L, money / n, NA_real_)
  early <- early_shares(ledger, result, shown, m, known = is.null(during))
  same_day <- sum(result$same_day_only)
  new_result(
    c(
      as.list(result)[c(shown, "customers", "repeat_customers", "same_day_only")],
      share_interval(result$repeat_customers, result$customers),
      as.list(result)[money],
      list(
        mean_repeat = mean_of(result$sales_repeat, result$of_repeat),
        mean_one_time = mean_of(result$sales_one_time, result$customers - result$repeat_customers),
        mean_first = mean_of(result$sales_first, result$customers),
        mean_later = mean_of(result$sales_later, result$of_later)
      ),
      early$columns
    ),
    "rate",
    ledger,
    rbind(
      carried(ledger),
      if (same_day > 0L) {
        remark_table("same day", say(
          "%s made all their purchases on one day.", n_of(same_day, "repeat customer")
        ))
      }
    ),
    basis = list(
      by = shown, attributes = by, during = during, differ = early$p,
      kinds = c(by_90 = "share", by_90_lower = "share", by_90_upper = "share")
    ),
    by = shown
  )
}

# The share of each group of `result` with a second purchase by day 90, and whether the large groups
# differ over all the time observed; `m` has the groups of all customers. Missing where a period
# cuts the history (not `known`).
early_shares <- function(ledger, result, by, m, known) {
  columns <- c(by_90 = "share", by_90_lower = "lower", by_90_upper = "upper")
  if (!known) return(list(columns = lapply(columns, \(x) rep(NA_real_, nrow(result)))))
  w <- reduce_waits(ledger, 2L)
  time <- time_waited(w, ledger)
  event <- !is.na(w$nth)
  key <- \(rows) if (length(by) == 0L) {
    rep("", nrow(rows))
  } else {
    do.call(paste, c(unname(as.list(rows)[by]), sep = "\r"))
  }
  group <- match(key(m[w$code]), key(result))
  shares <- lapply(seq_len(nrow(result)), \(k) {
    here <- which(group == k)
    at_days(time[here], event[here], 90L)
  })
  large <- group %in% which(result$customers >= few_customers)
  list(
    columns = lapply(columns, \(name) vapply(shares, `[[`, 0, name)),
    p = if (length(by) > 0L) log_rank(risk_table(group[large], time[large], event[large]))$p
  )
}

# Customers and minor units of each group, the largest first: who bought once, who came again
# (definition 19), and what was spent by whom, in first and in later purchases.
rate_sums <- function(m, by) {
  result <- m[,
    .(
      customers = sum(purchases >= 1L),
      repeat_customers = sum(purchases >= 2L),
      same_day_only = sum(purchases >= 2L & purchase_days == 1L),
      sales = sum(sales),
      sales_repeat = sum(sales[purchases >= 2L]),
      sales_one_time = sum(sales[purchases == 1L]),
      sales_no_purchase = sum(sales[purchases == 0L]),
      sales_first = sum(first),
      sales_later = sum(inside - first),
      sales_outside = sum(sales - inside),
      of_repeat = sum(purchases[purchases >= 2L]),
      of_later = sum(pmax(0L, purchases - 1L))
    ),
    by = by
  ]
  if (!is.null(by)) setorderv(result, c("customers", by), c(-1L, rep(1L, length(by))))
  result
}

# Columns of the repeat rate, and what it is made of.
rate_columns <- c(
  "customers", "repeat_customers", "same_day_only", "rate", "lower", "upper", "sales",
  "sales_repeat", "sales_one_time", "sales_no_purchase", "sales_first", "sales_later",
  "sales_outside", "mean_repeat", "mean_one_time", "mean_first", "mean_later", "by_90",
  "by_90_lower", "by_90_upper", "purchases",
  "orders", "purchase_days", "first", "inside", "of_repeat", "of_later"
)

# Share k of n with Wilson's interval; missing where n is 0.
share_interval <- function(k, n, level = 0.95) {
  p <- ifelse(n > 0, k / n, NA_real_)
  between <- wilson(p, n, stats::qnorm((1 + level) / 2))
  list(
    rate = p,
    lower = ifelse(k == 0, ifelse(n > 0, 0, NA_real_), between$lower),
    upper = ifelse(k == n & n > 0, 1, between$upper)
  )
}

# Wilson's interval of a share of n, for a quantile; n need not be whole.
wilson <- function(share, n, q) {
  middle <- (share + q^2 / (2 * n)) / (1 + q^2 / n)
  half <- q / (1 + q^2 / n) * sqrt(share * (1 - share) / n + q^2 / (4 * n^2))
  list(lower = pmax(0, middle - half), upper = pmin(1, middle + half))
}

# The interval of the difference of two shares, from Wilson's of each (Newcombe 1998, method 10).
newcombe <- function(share, n, other, n_other, q) {
  mine <- wilson(share, n, q)
  theirs <- wilson(other, n_other, q)
  off <- share - other
  list(
    lower = off - sqrt((share - mine$lower)^2 + (theirs$upper - other)^2),
    upper = off + sqrt((mine$upper - share)^2 + (other - theirs$lower)^2)
  )
}
