#' Rank customers, overall or within groups
#'
#' @param ledger `[nubrek_ledger]`
#' @param by `[character(1)]` The measure: `"sales"` (net, default), `"purchases"`, `"orders"`,
#'   `"mean_sales"`, `"recency"` (days since the last purchase), or a numeric column of `scores`.
#' @param during `[character]` A period, see [periods], such as `"2024"` or `"last 12 months"`;
#'   default all. Ranked are customers with a purchase in it.
#' @param within `[character]` Attributes: rank within each of their groups; `"(missing)"` is a
#'   group. With an attribute of the lines (shop, town, product group) only what was bought there
#'   counts, and a customer may stand in several groups; with attributes of the customer or of the
#'   first order (see [customers()]) the whole customer does.
#' @param top,bottom `[numeric(1)]` Keep the first or last so many; both give both ends. Default
#'   all.
#' @param unit `[character(1)]` Of `top` and `bottom`: `"customers"` (default) or `"percent"` of the
#'   group.
#' @param ties `[character(1)]` `"competition"` (1 2 2 4, default), `"dense"` (1 2 2 3), or `"row"`
#'   (1 2 3 4, ties cut by customer id). Under the first two "top 10" returns all who share the
#'   tenth place.
#' @param best `[character(1)]` Is `"high"` (default) or `"low"` rank 1? For recency the default is
#'   low: fewer days are better.
#' @param at_least `[numeric]` Thresholds by measure, such as `c(purchases = 3)`: only customers who
#'   reach them are ranked.
#' @param scores `[data.frame]` Further measures with a `customer` column, such as a result of
#'   [forecast_value()] or [purchase_gaps()].
#' @return A `nubrek_ranks`, by group, end and rank: the columns of `within`; `end` (`"top"`,
#'   `"bottom"`) where both are asked; `rank`; `customer`; the measure; `sales` and `purchases`;
#'   `customers_of_group`, `sales_of_group` and `share_of_group`, of all customers of the group;
#'   within an attribute of the lines also `sales_everywhere`, the customer's. Bottom ranks count
#'   from below.
#' @examples
#' rank_customers(example_ledger(), top = 3)
#' rank_customers(example_ledger(), "purchases", within = "first_channel", top = 1)
#' rank_customers(example_ledger(), within = "channel", top = 1)
#' @export
rank_customers <- function(
  ledger, by = "sales", during = NULL, within = NULL, top = NULL, bottom = NULL, unit = "customers",
  ties = "competition", best = NULL, at_least = NULL, scores = NULL
) {
  check_ledger(ledger)
  check_choice(unit, c("customers", "percent"))
  check_choice(ties, c("competition", "dense", "row"))
  best <- best %||% if (identical(by, "recency")) "low" else "high"
  check_choice(best, c("high", "low"))
  most <- if (unit == "percent") 100 else Inf
  check_number(top, lower = 0, upper = most, null = TRUE)
  check_number(bottom, lower = 0, upper = most, null = TRUE)
  there <- any(within %in% varying_attributes(ledger))
  who <- if (there) spanned_places(ledger, during, within) else spanned(ledger, during)
  value <- ranked_value(who, by, scores)
  reaches <- reaching(who, value, by, at_least)
  taken <- c("end", "rank", "customer", by, rank_columns)
  side <- if (there) {
    list(labels = stats::setNames(who$labels, group_names(within, taken)))
  } else if (!is.null(within)) {
    side_by_side(ledger, within, taken)
  }
  group <- if (there) {
    who$group
  } else if (is.null(within)) {
    rep(1L, length(value))
  } else {
    as.integer(side$code)[who$codes]
  }
  # whole numbers are counted, others sorted
  ranked <- if (is.null(scores) && by == "sales") who$units else value
  ranked[!reaches | is.na(value)] <- NA
  if (best == "low") ranked <- -ranked
  rows <- ends_of_ranking(ranked, group, list(top = top, bottom = bottom), unit, ties)
  columns <- c(
    lapply(side$labels, \(x) x[group[rows$at]]),
    if (length(rows$ends) > 1L) list(end = rows$end),
    list(rank = rows$rank, customer = who$ids[rows$at]),
    stats::setNames(list(value[rows$at]), by),
    ranked_columns(ledger, who, group, is.na(value), rows$at)
  )
  new_result(
    columns[!duplicated(names(columns))],
    "ranks",
    ledger,
    rbind(
      carried(ledger),
      during_remark(who$span, during),
      if (there) places_remark(intersect(within, varying_attributes(ledger))),
      direction_remark(best, by, names(rows$ends)),
      edge_remark(rows$ends, rows$ranks, list(top = top, bottom = bottom), group, ties, unit),
      no_value_remark(sum(is.na(value)), by),
      ranked_remark(at_least, sum(reaches & !is.na(value)))
    ),
    c(list(
      by = by,
      within = names(side$labels),
      places = if (there) within,
      top = top,
      bottom = bottom,
      unit = unit,
      ties = ties,
      best = best
    ), span_basis(who$span, during))
  )
}

# The rows that are listed (`at`), of which end and with which rank, group after group; the rows of
# each end, and all ranks counted from it. Who has no value is not ranked.
ends_of_ranking <- function(ranked, group, wanted, unit, ties) {
  known <- !is.na(ranked)
  size <- tabulate(group[known], max(group))
  listed <- c(
    if (!is.null(wanted$top) || is.null(wanted$bottom)) "top", if (!is.null(wanted$bottom)) "bottom"
  )
  ranks <- lapply(stats::setNames(nm = listed), \(end) {
    most <- if (unit == "customers") wanted[[end]]
    rank_in_groups(if (end == "top") ranked else -ranked, group, ties, most %||% Inf)
  })
  ends <- lapply(stats::setNames(nm = listed), \(end) {
    which(known & within_edge(ranks[[end]], wanted[[end]], unit, size[group]))
  })
  place <- unlist(ends, use.names = FALSE)
  end <- rep(names(ends), lengths(ends))
  ranks_of <- unlist(Map(\(end, rows) ranks[[end]][rows], names(ends), ends), use.names = FALSE)
  sorted <- order(group[place], match(end, c("top", "bottom")), ranks_of, place, method = "radix")
  list(at = place[sorted], end = end[sorted], rank = ranks_of[sorted], ends = ends, ranks = ranks)
}

# Money and purchases of who is listed, and what that is of everybody in the group.
ranked_columns <- function(ledger, who, group, lost, at) {
  of_group <- tabulate(group[!lost], max(group))
  sums <- who$total %||% cpp_group_sums(who$units, group, 0L, max(group))$sums
  c(list(
    sales = major(ledger, who$units[at]),
    purchases = who$m$purchases[at],
    customers_of_group = of_group[group[at]],
    sales_of_group = major(ledger, sums[group[at]]),
    share_of_group = ifelse(sums[group[at]] > 0, who$units[at] / sums[group[at]], NA_real_)
  ), if (!is.null(who$whole)) list(sales_everywhere = major(ledger, who$whole[at])))
}

direction_remark <- function(best, by, ends) {
  remark_table("direction", say(
    "Rank 1 has the %s %s%s.",
    if (best == "high") "highest" else "lowest",
    gsub("_", " ", by),
    if (identical(ends, "bottom")) ", here counted from below" else ""
  ))
}

no_value_remark <- function(n, by) {
  if (n == 0L) return(NULL)
  remark_table("no value", say(
    "%s without a value of %s are left out.", n_of(n, "customer"), by
  ))
}

# The columns beside the measure.
rank_columns <- c(
  "sales", "purchases", "customers_of_group", "sales_of_group", "share_of_group",
  "sales_everywhere"
)

# Ranks that lie within the first `n` customers or percent of their group of `size` (definition 32).
within_edge <- function(rank, n, unit, size) {
  if (is.null(n)) return(rep(TRUE, length(rank)))
  if (unit == "customers") return(rank <= n)
  round((rank - 1) * 1e6) < round(n / 100 * 1e6) * size # in millionths: no tie is lost to rounding
}

# Who is ranked at all: those that reach every threshold.
reaching <- function(who, value, by, at_least, call = rlang::caller_env()) {
  if (is.null(at_least)) return(rep(TRUE, length(value)))
  known <- union(names(customer_measures), by)
  columns <- lapply(
    stats::setNames(nm = known), \(name) if (name == by) value else who$measure(name)
  )
  columns$.place <- seq_along(value)
  kept <- reach(columns, at_least, known, call)$.place
  replace(logical(length(value)), kept, TRUE)
}

ranked_remark <- function(at_least, n) {
  if (is.null(at_least)) return(NULL)
  remark_table("threshold", say(
    "Ranked are the %s with %s; totals beside them are of all.",
    n_of(n, "customer"),
    threshold_words(at_least)
  ))
}

ranked_value <- function(who, by, scores, call = rlang::caller_env()) {
  check_text(by, call = call)
  if (is.null(scores)) {
    check_choice(by, names(customer_measures), call = call)
    return(who$measure(by))
  }
  throw_unless(checkmate::check_data_frame(scores), "scores", call)
  check_columns_exist(c("customer", by), names(scores), "scores", call)
  throw_unless(checkmate::check_numeric(scores[[by]]), "by", call)
  scores[[by]][data.table::chmatch(who$ids, scores$customer)]
}

# Ranks within groups, highest first; missing values have none, and those above `most` are only
# known to be so.
rank_in_groups <- function(value, group, ties, most = Inf) {
  # whole numbers of everybody are counted
  if (ties == "competition" && max(group, 0L) == 1L && !anyNA(value)) {
    return(strictly_better(value) + 1L)
  }
  how <- match(ties, c("competition", "dense", "row")) - 1L
  cpp_rank_in_groups(value, group, max(group, 0L), how, ceiling(most), reading_threads())
}

# Ties at the edge, said rather than cut in silence.
edge_remark <- function(ends, ranks, wanted, group, ties, unit) {
  if (unit == "percent") return(NULL)
  for (end in names(ends)) {
    n <- wanted[[end]]
    if (is.null(n)) next
    if (ties == "row") {
      # somebody with the same value came after the last
      return(remark_table(
        "ties",
        say("Equal customers are cut at the edge by their id; other tie rules keep them together.")
      ))
    }
    if (ties == "dense") next
    over <- tapply(ends[[end]], group[ends[[end]]], length)
    if (any(over > n)) {
      return(remark_table("ties", say(
        "Ties at the edge: %s more than the %s asked for%s.",
        n_of(sum(pmax(0, over - n)), "customer"),
        number_text(n),
        if (length(over) > 1L) " in a group" else ""
      )))
    }
  }
  NULL
}
