#' Sales by any attribute, and what changed
#'
#' By a customer attribute, a first-order attribute, a column of the lines, or several. With
#' `against` it tells which groups are coming up.
#'
#' @param ledger `[nubrek_ledger]`
#' @param by `[character]` Attributes, see [customers()], and mapped line columns. Line columns
#'   count the lines, so that an order of two categories stands under both.
#' @param during `[character]` A part of time, such as `"2024"`, `"2024 Q2"`, `"2024-05"` or two
#'   days; default all.
#' @param against `[character]` An earlier part of time to compare with, in the same forms, or
#'   `"year before"`: the same days a year before.
#' @param at_least `[numeric]` Thresholds on the result by column, such as `c(customers = 30)`.
#' @param top `[integer(1)]` Only the groups with the most sales; those that share the last place
#'   are all shown, the rest is told.
#' @param least_base `[integer(1)]` `change_percent` is left out where fewer customers than this
#'   stand behind the earlier sales: a large percent on a small base says little. Default 30.
#' @return A `nubrek_sales`, one row per group, most sales first: the group columns (`"(missing)"`
#'   is a group); `customers`, `orders`, `purchases` (of line columns: orders whose lines inside are
#'   worth it); `sales`; `mean_sales`, net sales by purchases; `share`, of all sales;
#'   `running_share`; with `against` also `customers_before`, `sales_before`, `change`,
#'   `change_percent`, `rank_before`, `rank_change` (up is positive), `share_of_growth`, change by
#'   the change of all sales (missing where that is 0). Invariant: without thresholds `sales` and
#'   `sales_before` add up to those of their time.
#' @examples
#' sales_by(example_ledger(), "channel")
#' sales_by(
#'   example_ledger(),
#'   "first_channel",
#'   during = c("2024-07-01", "2024-12-31"),
#'   against = c("2024-01-01", "2024-06-30"),
#'   least_base = 1
#' )
#' @export
sales_by <- function(
  ledger, by, during = NULL, against = NULL, at_least = NULL, least_base = 30L, top = NULL
) {
  check_ledger(ledger)
  throw_unless(
    checkmate::check_character(by, any.missing = FALSE, min.len = 1L, unique = TRUE),
    "by",
    rlang::current_env()
  )
  check_whole(least_base, lower = 0L)
  check_whole(top, null = TRUE)
  span <- read_during(during, ledger)
  before <- if (!is.null(against)) earlier_span(against, span, ledger)
  group <- reduce_groups(ledger, by, list(span, before)[c(TRUE, !is.null(before))])
  now <- group$sums[[1L]]
  then <- if (!is.null(before)) group$sums[[2L]]
  named <- group_names(by, sales_columns_of)
  everybody <- major(ledger, sum(now$units))
  columns <- c(
    stats::setNames(as.list(group$labels), named),
    sales_now(ledger, now, everybody),
    if (!is.null(then)) sales_change(ledger, now, then, least_base)
  )
  shown <- now$orders > 0L | (then$orders %||% 0L) > 0L
  columns <- sales_in_order(columns, shown, named, everybody)
  small <- sum(is.na(columns$change_percent) & columns$customers_before > 0L)
  columns <- reach(columns, at_least, intersect(sales_columns_of, names(columns)))
  most <- largest(columns, top, everybody)
  new_result(
    most$columns,
    "sales",
    ledger,
    rbind(
      carried(ledger),
      threshold_remark(at_least),
      so_far_remark(span, before),
      holiday_remark(ledger, span, before),
      most$remark,
      returns_only_remark(group, now),
      overlap_remark(group),
      small_base_remark(small, least_base)
    ),
    basis = list(
      by = named,
      attributes = by,
      during = c(span$from, span$until),
      against = if (!is.null(before)) c(before$from, before$until),
      total = everybody,
      total_before = if (!is.null(then)) major(ledger, sum(then$units))
    )
  )
}

# Counts and money of each group, and its share of all money; the share that runs up comes with the
# order.
sales_now <- function(ledger, now, all) {
  sales <- major(ledger, now$units)
  c(now[c("customers", "orders", "purchases")], list(
    sales = sales,
    mean_sales = ifelse(now$purchases > 0L, sales / now$purchases, NA_real_),
    share = if (all > 0) sales / all else rep(NA_real_, length(sales)),
    running_share = rep(NA_real_, length(sales))
  ))
}

# Against an earlier time (definition 36): a percent needs a base of customers and sales.
sales_change <- function(ledger, now, then, least_base) {
  change <- now$units - then$units
  rank_before <- sales_rank(then$units, then$orders > 0L)
  list(
    customers_before = then$customers,
    sales_before = major(ledger, then$units),
    change = major(ledger, change),
    change_percent = ifelse(
      then$customers >= least_base & then$units > 0, change / then$units, NA_real_
    ),
    rank_before = rank_before,
    rank_change = rank_before - sales_rank(now$units, now$orders > 0L),
    share_of_growth = if (sum(change) != 0) change / sum(change) else rep(NA_real_, length(change))
  )
}

# The groups that are shown, those of most sales first, with the share that runs up.
sales_in_order <- function(columns, shown, named, all) {
  columns <- lapply(columns, `[`, which(shown))
  sorting <- do.call(
    order, c(list(-columns$sales), unname(columns[named]), list(method = "radix"))
  )
  columns <- lapply(columns, `[`, sorting)
  if (all > 0) columns$running_share <- cumsum(columns$sales) / all
  columns
}

overlap_remark <- function(group) {
  if (!group$overlap) return(NULL)
  remark_table("lines", say(paste0(
    "An order with lines in several groups counts in each; customers and orders do not add up."
  )))
}

small_base_remark <- function(small, least_base) {
  if (small == 0L) return(NULL)
  remark_table("small base", say(
    "%s without a percent: fewer than %d customers (or no sales) behind the earlier time.",
    n_of(small, "group"),
    least_base
  ))
}

# Columns of sales by attribute that thresholds can speak of.
sales_columns_of <- c(
  "customers", "orders", "purchases", "sales", "mean_sales", "share", "running_share",
  "customers_before", "sales_before", "change", "change_percent", "rank_before", "rank_change",
  "share_of_growth"
)

# The groups with the most sales; those that share the last place are all of them.
largest <- function(columns, top, all) {
  if (is.null(top) || length(columns$sales) <= top) return(list(columns = columns))
  keep <- which(columns$sales >= sort(columns$sales, decreasing = TRUE)[[top]])
  left <- length(columns$sales) - length(keep)
  rest <- if (all > 0) {
    sprintf(", with %s of sales", paste0(
      format(round(100 * (1 - sum(columns$sales[keep]) / all), 1)), "\u00a0%"
    ))
  } else {
    ""
  }
  list(columns = lapply(columns, `[`, keep), remark = remark_table(
    "top", say("%s not shown%s.", n_of(left, "smaller group"), rest)
  ))
}

# Definition 16: who has only returns is no customer of the group, but the money is in it.
returns_only_remark <- function(group, now) {
  none <- sum(now$seen - now$customers)
  if (none == 0L) return(NULL)
  remark_table("no purchase", say(
    "%s without a purchase there (only returns or orders of 0): not counted, their money is in.",
    n_of(none, "customer")
  ))
}

# The same days of the year before, or a part of time; a time that is not over yet is compared with
# as many days.
earlier_span <- function(against, span, ledger, call = rlang::caller_env()) {
  if (tolower(paste(against, collapse = " ")) %in% c("year before", "same period last year")) {
    return(c(
      read_during(years_before(c(span$from, span$until), 1L), ledger, "against", call),
      list(so_far = TRUE)
    ))
  }
  before <- read_during(against, ledger, "against", call)
  # "2025" so far against the whole of "2024": only up to the same day
  if (isFALSE(span$whole) && span$until < span$asked[[2L]]) {
    until <- before$asked[[1L]] + as.integer(span$until - span$asked[[1L]])
    years <- as.POSIXlt(span$asked[[1L]])$year - as.POSIXlt(before$asked[[1L]])$year
    if (identical(years_before(span$asked[[1L]], years), before$asked[[1L]])) {
      until <- years_before(span$until, years)
    }
    if (until < before$until) before[c("until", "so_far")] <- list(until, TRUE)
  }
  if (before$from > span$from) {
    abort_nubrek(c(
      "{.arg against} must be the earlier time.",
      "x" = "It begins on {format(before$from)}, {.arg during} on {format(span$from)}."
    ), "argument", call = call)
  }
  before
}

# The same days some years before; 29 February is the 28th where there is none.
years_before <- function(day, years) {
  parts <- as.POSIXlt(day)
  year <- parts$year + 1900L - years
  leap <- year %% 4L == 0L & (year %% 100L != 0L | year %% 400L == 0L)
  as.Date(sprintf(
    "%d-%02d-%02d",
    year,
    parts$mon + 1L,
    ifelse(parts$mon == 1L & parts$mday == 29L & !leap, 28L, parts$mday)
  ))
}

so_far_remark <- function(span, before) {
  if (is.null(before)) return(NULL)
  remark_table("compared", say(
    "%s to %s against %s to %s%s.",
    format_day(span$from),
    format_day(span$until),
    format_day(before$from),
    format_day(before$until),
    if (isTRUE(before$so_far) && isFALSE(span$whole)) ", to the same day" else ""
  ))
}

# Competition ranks by sales among the groups that are there.
sales_rank <- function(units, there) {
  result <- rep(NA_integer_, length(units))
  result[there] <- as.integer(strictly_better(units[there]) + 1L)
  result
}
