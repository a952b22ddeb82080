# Size and sales of named groups of customers.

group_profile <- function(group, sales, more = list()) {
  rows <- as.data.table(c(list(group = group, sales = sales), more))
  result <- rows[, .(customers = .N, sales = sum(sales)), keyby = group]
  if (length(more) > 0L) {
    means <- rows[, lapply(.SD, mean), keyby = group, .SDcols = names(more)]
    data.table::set(result, NULL, names(more), as.list(means)[names(more)])
  }
  result[,
    `:=`(
      share_of_customers = customers / sum(customers),
      share_of_sales = sales / sum(sales),
      sales_per_customer = sales / customers
    )
  ]
  data.table::setcolorder(result, c(
    "group", "customers", "sales", "share_of_customers", "share_of_sales", "sales_per_customer"
  ))
  as.data.frame(result)
}

#' Profile the groups of a scoring, the tiers, or the regions of the order map
#'
#' @param rfm `[nubrek_rfm]` From [score_rfm()].
#' @param value `[nubrek_value]` From [forecast_value()], if the expected value of each group is
#'   wanted.
#' @return A data frame, one row per group that has customers, in the order of the groups, or best
#'   tier first: `group`, `tier` or `region`; `customers`, `sales` (major units),
#'   `share_of_customers`, `share_of_sales`, `sales_per_customer`; groups and regions also
#'   `mean_recency` (days) and `mean_purchases`, and `value`, the expected value of all their
#'   customers, where it is given.
#' @examples
#' rfm_profile(score_rfm(example_ledger(), 3))
#' tier_profile(assign_tiers(example_ledger()))
#' map_profile(order_map(example_ledger()))
#' @export
rfm_profile <- function(rfm, value = NULL) {
  throw_unless(checkmate::check_class(rfm, "nubrek_rfm"), "rfm", rlang::current_env())
  group <- factor(rfm$group, basis_of(rfm, "groups")$group)
  result <- with_value(
    group_profile(
      group, rfm$sales, list(mean_recency = rfm$recency, mean_purchases = rfm$frequency)
    ),
    group,
    rfm$customer,
    value
  )
  as_profile(result, rfm, rfm$group)
}

with_value <- function(profile, group, customer, value, call = rlang::caller_env()) {
  profile$group <- as.character(profile$group)
  if (is.null(value)) return(profile)
  throw_unless(checkmate::check_class(value, "nubrek_value"), "value", call)
  column <- if (all(is.na(value$value))) "sales" else "value"
  each <- value[[column]][data.table::chmatch(customer, value$customer)]
  profile[[if (column == "value") "value" else "expected_sales"]] <- as.vector(tapply(
    ifelse(is.na(each), 0, each), group, sum
  ))[match(profile$group, levels(group))]
  profile
}

#' @rdname rfm_profile
#' @param tiers `[nubrek_tiers]` From [assign_tiers()].
#' @export
tier_profile <- function(tiers) {
  throw_unless(checkmate::check_class(tiers, "nubrek_tiers"), "tiers", rlang::current_env())
  result <- group_profile(tiers$tier, tiers$sales)
  names(result)[[1L]] <- "tier"
  result$tier <- as.character(result$tier)
  as_profile(result, tiers, as.character(tiers$tier))
}

#' @rdname rfm_profile
#' @param map `[nubrek_map]` From [order_map()].
#' @export
map_profile <- function(map, value = NULL) {
  throw_unless(checkmate::check_class(map, "nubrek_map"), "map", rlang::current_env())
  region <- factor(map$region, map_regions)
  result <- with_value(
    group_profile(
      region, map$sales, list(mean_recency = map$recency, mean_purchases = map$purchases)
    ),
    region,
    map$customer,
    value
  )
  names(result)[[1L]] <- "region"
  as_profile(result, map, map$region)
}

# A profile with the base of what it was made of, and who is in each group.
as_profile <- function(table, of, group) {
  new_result(
    as.list(table),
    "profile",
    remarks = remarks(of),
    basis = c(attr(of, "basis"), list(of = class(of)[[1L]], kinds = profile_kinds)),
    members = members_of(group, of$customer)
  )
}

profile_kinds <- c(
  sales_per_customer = "money", mean_recency = "decimal", mean_purchases = "decimal"
)

# Who stands behind the rows of a result that counts people: the value of its first column for each
# customer.
members_of <- function(group, customer) list(group = as.character(group), customer = customer)
