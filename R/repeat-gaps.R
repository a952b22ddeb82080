#' Gaps between purchases
#'
#' Two different audiences: customers with a *slow rhythm* (few visits a year) and customers with a
#' *long silence* (a long open gap, measured against their own rhythm as `overdue`). Gaps are
#' calendar days between consecutive purchases; 0 is possible where a purchase is an order.
#'
#' @param ledger `[nubrek_ledger]`
#' @param during `[character]` Only purchases of a part of time: see [repeat_rate()].
#' @return A `nubrek_gaps`, one row per customer with a purchase, by id: `customer`; `gaps`, how
#'   many; `mean_gap`, `median_gap`, `longest_gap`, `spread` (standard deviation, from two gaps on)
#'   in days; `visits_per_year`, gaps times 365.25 by the days from first to last purchase;
#'   `open_gap`, days since the last purchase; `expected_gap` and `overdue`, open gap by expected
#'   gap; `same_day_only` `[logical]`, all repeats fell on the first day; `mean_sales`, mean money
#'   of a purchase. Missing where a customer has no gap (or all fell on one day).
#' @section Expected gap: On logs of (gap + 1 day): (n times the customer's own mean + m times
#'   everybody's) by (n + m), n the customer's gaps; m = variance within customers by variance
#'   between them, by moments (analysis of variance); without variance between them, or with one gap
#'   each, everybody gets the common mean. Customers with one purchase get it too. m is in the
#'   print.
#' @seealso [all_gaps()], [gap_tail()]
#' @examples
#' purchase_gaps(example_ledger())
#' @export
purchase_gaps <- function(ledger, during = NULL) {
  ledger <- ledger_during(ledger, during)
  check_purchases(ledger)
  m <- reduce_customers(ledger)
  g <- reduce_gaps(ledger)
  rhythm <- common_rhythm(g)
  # without a gap everything about gaps is missing; without a purchase the customer is
  n <- g$gaps
  n[n == 0L] <- NA_integer_
  several <- n
  several[n == 1L] <- NA_integer_
  span <- m$last - m$first
  span[span == 0L] <- NA_integer_
  pending <- as.integer(ledger$as_of) - m$last
  expected <- expected_gaps(g, rhythm)
  overdue <- pending / expected
  overdue[which(expected <= 0)] <- NA_real_
  longest <- g$longest
  longest[is.na(n)] <- NA_integer_
  columns <- list(
    customer = ledger_ids(ledger),
    gaps = g$gaps,
    mean_gap = g$sum / n,
    median_gap = g$median,
    longest_gap = longest,
    spread = sqrt(pmax(0, g$squares - g$sum^2 / several) / (several - 1L)),
    visits_per_year = n * 365.25 / span,
    open_gap = pending,
    expected_gap = expected,
    overdue = overdue,
    same_day_only = g$gaps > 0L & m$purchase_days == 1L,
    mean_sales = major(ledger, m$sales_purchases) / m$purchases
  )
  shown <- which(m$purchases > 0L)
  if (length(shown) < length(n)) columns <- lapply(columns, `[`, shown)
  new_result(
    columns,
    "gaps",
    ledger,
    rbind(
      carried(ledger),
      same_day_remark(sum(columns$same_day_only)),
      remark_table("expected gap", rhythm_words(rhythm))
    ),
    basis = list(
      m = rhythm$m,
      common_gap = expm1(rhythm$mean),
      all_gaps = sum(g$gaps),
      mean_of_gaps = sum(g$sum) / max(1L, sum(g$gaps)),
      median_of_gaps = middle_gap(ledger)
    ),
    counts = reduce_gap_counts(ledger)
  )
}

# The gap to expect of each customer (definition 22): his own, drawn towards the common mean; with
# an endless m, or without a gap, that is all that is left.
expected_gaps <- function(g, rhythm) {
  common <- expm1(rhythm$mean)
  if (!is.finite(rhythm$m)) return(rep(common, length(g$gaps)))
  alone <- expm1((g$log_sum + rhythm$m * rhythm$mean) / (g$gaps + rhythm$m))
  alone[g$gaps == 0L] <- common
  alone
}

same_day_remark <- function(n) {
  if (n == 0L) return(NULL)
  remark_table("same day", say(
    "%s made all their purchases on one day; their gaps are 0.", n_of(n, "repeat customer")
  ))
}

rhythm_words <- function(rhythm) {
  if (is.na(rhythm$mean)) return(say("Nobody has come back, so no gap can be expected."))
  say(
    "A customer's own gaps are drawn towards everybody's (%s) as if %s more had been seen of it.",
    n_of(round(expm1(rhythm$mean)), "day"),
    if (is.finite(rhythm$m)) {
      say("%s gaps", number_text(round(rhythm$m, 2)))
    } else {
      say("endlessly many")
    }
  )
}

# The common mean of log(gap + 1), and m: the variance within customers by that between them
# (one-way analysis of variance, by moments).
common_rhythm <- function(g) {
  use <- g$gaps > 0L
  n <- as.double(g$gaps[use])
  total <- sum(n)
  k <- length(n)
  if (k == 0L) return(list(mean = NA_real_, m = Inf))
  average <- g$log_sum[use] / n
  overall <- sum(g$log_sum[use]) / total
  variance <- if (total > k) {
    sum(pmax(0, g$log_squares[use] - n * average^2)) / (total - k)
  } else {
    NA_real_
  }
  spread <- total - sum(n^2) / total
  between <- if (k > 1L && spread > 0) {
    (sum(n * (average - overall)^2) - (k - 1) * variance) / spread
  } else {
    NA_real_
  }
  m <- if (is.na(variance) || is.na(between) || between <= 0) Inf else variance / between
  weight <- if (is.finite(m)) n / (n + m) else n
  list(mean = sum(weight * average) / sum(weight), m = m)
}

# The median of all gaps (the mean of the middle two, which type 7 says too).
middle_gap <- function(ledger) {
  counts <- reduce_gap_counts(ledger)
  n <- sum(counts)
  if (n == 0L) return(NA_real_)
  gap_at <- findInterval(c(floor((n + 1) / 2), ceiling((n + 1) / 2)) - 1, cumsum(as.double(counts)))
  mean(gap_at)
}

#' Every gap
#'
#' @param ledger `[nubrek_ledger]`
#' @return A `nubrek_all_gaps`, one row per gap, by customer and time: `customer`; `visit`, the
#'   number of the purchase that ends the gap (2 is the first return); `from`, `to` `[Date]`; `gap`
#'   in days.
#' @examples
#' all_gaps(example_ledger())
#' @export
all_gaps <- function(ledger) {
  check_ledger(ledger)
  gaps <- reduce_gap_list(ledger)
  new_result(list(
    customer = ledger_ids(ledger, gaps$code),
    visit = gaps$visit,
    from = as.Date(gaps$from, origin = "1970-01-01"),
    to = as.Date(gaps$to, origin = "1970-01-01"),
    gap = gaps$to - gaps$from
  ), "all_gaps", ledger)
}

gap_measures <- c(
  open_gap = 1, overdue = 1, mean_gap = 1, median_gap = 1, longest_gap = 1, visits_per_year = -1
)

#' The slowest, or the longest silent
#'
#' Customers having the measure whose share of strictly longer ones is below `share`: ties come
#' along. For `visits_per_year` the fewest are the tail.
#'
#' @param gaps `[nubrek_gaps]` From [purchase_gaps()].
#' @param measure `[character(1)]` `"open_gap"` (default), `"overdue"`, `"mean_gap"`,
#'   `"median_gap"`, `"longest_gap"` or `"visits_per_year"`.
#' @param share `[double(1)]` Share of the customers that have the measure, in `[0, 1]`. Default
#'   0.1.
#' @param least_gaps `[integer(1)]` Only customers with at least so many gaps. Default 1, and 0 for
#'   `"open_gap"`.
#' @param margin_rate `[double(1)]` Margin by sales, to say what a closed gap would be worth in
#'   margin; default: in sales.
#' @param visits `[double(2)]` Only customers whose visits a year lie in this range, both ends
#'   included; default all.
#' @param more `[integer(1)]` How many purchases more from a tenth of them the print values. Default
#'   1.
#' @param basket `[double(1)]` What such a purchase is worth, in major units; default each
#'   customer's own mean.
#' @param cost `[double(1)]` Cost of reaching one customer, in major units, taken off the margin for
#'   each of them; needs `margin_rate`.
#' @return A `nubrek_tail`: rows of `gaps`, the longest first (ids decide ties). The print says when
#'   they came and how long they are silent (medians, with how many they are of), and what `more`
#'   purchases from a tenth of them would be worth.
#' @examples
#' gap_tail(purchase_gaps(example_ledger()), "visits_per_year", share = 0.25)
#' gap_tail(purchase_gaps(
#'   example_ledger()
#' ), "overdue", share = 0.5, margin_rate = 0.4, basket = 30, cost = 1.5)
#' @export
gap_tail <- function(
  gaps, measure = "open_gap", share = 0.1, least_gaps = if (measure == "open_gap") 0L else 1L,
  margin_rate = NULL, visits = NULL, more = 1L, basket = NULL, cost = NULL
) {
  throw_unless(checkmate::check_class(gaps, "nubrek_gaps"), "gaps", rlang::current_env())
  check_choice(measure, names(gap_measures))
  check_share(share)
  check_whole(least_gaps, lower = 0L)
  check_share(margin_rate, null = TRUE)
  throw_unless(
    checkmate::check_numeric(
      visits, lower = 0, any.missing = FALSE, len = 2L, sorted = TRUE, null.ok = TRUE
    ),
    "visits",
    rlang::current_env()
  )
  check_whole(more)
  check_number(basket, lower = 0, null = TRUE)
  check_number(cost, lower = 0, null = TRUE)
  if (!is.null(cost) && is.null(margin_rate)) {
    abort_nubrek(c(
      "A {.arg cost} is set against margin, not sales.", "i" = "Give {.arg margin_rate} too."
    ), "argument")
  }
  value <- gaps[[measure]] * gap_measures[[measure]]
  often <- gaps$visits_per_year
  inside <- if (is.null(visits)) {
    TRUE
  } else {
    !is.na(often) & often >= visits[[1L]] & often <= visits[[2L]]
  }
  has <- which(!is.na(value) & gaps$gaps >= least_gaps & inside)
  longer <- strictly_better(value[has])
  picked <- has[longer < share * length(has) - 1e-9]
  picked <- picked[order(-value[picked], picked)]
  result <- plain_table(gaps)[picked, , drop = FALSE]
  each <- if (is.null(basket)) result$mean_sales else rep(basket, nrow(result))
  # the mean, times a tenth of them
  worth <- more * sum(each) / 10 * (margin_rate %||% 1) - nrow(result) * (cost %||% 0)
  basis <- utils::modifyList(attr(gaps, "basis"), list(
    measure = measure,
    share = share,
    having = length(has),
    least_gaps = least_gaps,
    visits = stats::median(result$visits_per_year, na.rm = TRUE),
    with_visits = sum(!is.na(result$visits_per_year)),
    silent = stats::median(result$open_gap),
    more = more,
    worth = worth,
    worth_in = if (is.null(margin_rate)) "sales" else "margin"
  ))
  new_result(
    as.list(result),
    "tail",
    remarks = remarks(gaps)[remarks(gaps)$about == "as of", ],
    basis = c(basis, list(basket = basket, cost = cost))
  )
}
