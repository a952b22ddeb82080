# Size and sales of named groups of customers.

group_profile <- function(group, sales) {
  out <- data.table(group, sales)[, .(customers = .N, sales = sum(sales)), keyby = group]
  out[, `:=`(share_of_customers = customers / sum(customers), share_of_sales = sales / sum(sales), mean_sales = sales / customers)]
  as.data.frame(out)
}

#' Profile the groups of a scoring, or the tiers
#'
#' @param rfm `[nubrek_rfm]` From [score_rfm()].
#' @return A data frame, one row per group that has customers, in the order of [rfm_groups()] or best tier first: `group` or `tier`,
#'   `customers`, `sales` (major units), `share_of_customers`, `share_of_sales`, `mean_sales` per customer.
#' @examples
#' rfm_profile(score_rfm(example_ledger(), 3))
#' tier_profile(assign_tiers(example_ledger()))
#' @export
rfm_profile <- function(rfm) {
  throw_unless(checkmate::check_class(rfm, "nubrek_rfm"), "rfm", rlang::current_env())
  out <- group_profile(factor(rfm$group, rfm_groups()$group), rfm$monetary)
  out$group <- as.character(out$group)
  out
}

#' @rdname rfm_profile
#' @param tiers `[nubrek_tiers]` From [assign_tiers()].
#' @export
tier_profile <- function(tiers) {
  throw_unless(checkmate::check_class(tiers, "nubrek_tiers"), "tiers", rlang::current_env())
  out <- group_profile(tiers$tier, tiers$sales)
  names(out)[[1L]] <- "tier"
  out$tier <- as.character(out$tier)
  out
}
