#' What a tier costs, and which rule pays for itself
#'
#' A benefit pays for itself where the extra margin it brings, margin rate times uplift times sales,
#' reaches its cost: from sales of cost / (margin rate x uplift) on.
#'
#' @param cost `[numeric]` Named yearly (or per period of the tiers) cost of the benefit for one
#'   customer, best tier first; the last one is 0.
#' @param margin_rate `[numeric(1)]` Margin by sales.
#' @param uplift `[numeric]` How much more a customer buys because of the benefit, by sales: one
#'   number, or one per tier. An assumption until a campaign has measured it.
#' @return A `nubrek_benefits`: `tier`, `cost`, `uplift`, `break_even`, the sales from which the
#'   benefit pays for itself (`-Inf` where it costs nothing).
#' @examples
#' benefits <- tier_benefits(
#'   c(cashmere = 12, merino = 4, base = 0), margin_rate = 0.45, uplift = 0.2
#' )
#' tiers <- assign_tiers(example_ledger(), benefits = benefits)
#' tier_payoff(tiers, benefits)
#' @export
tier_benefits <- function(cost, margin_rate, uplift = 0.1) {
  ok <- checkmate::test_numeric(
    cost, lower = 0, any.missing = FALSE, finite = TRUE, min.len = 2L
  ) &&
    checkmate::test_names(names(cost), type = "unique") &&
    cost[[length(cost)]] == 0
  if (!ok) {
    abort_nubrek(c(
      "{.arg cost} must be named costs from the best tier down, the last one 0.",
      "i" = "Such as {.code c(cashmere = 12, base = 0)}."
    ), "tiers")
  }
  check_share(margin_rate, lower = 1e-6)
  if (
    !checkmate::test_numeric(uplift, lower = 1e-6, any.missing = FALSE, finite = TRUE) ||
      !length(uplift) %in% c(1L, length(cost))
  ) {
    abort_nubrek(c(
      "{.arg uplift} must be above 0, one number or one per tier.", "x" = "It is {.val {uplift}}."
    ), "tiers")
  }
  uplift <- rep_len(unname(uplift), length(cost))
  result <- list(tier = names(cost), cost = unname(cost), uplift = uplift)
  result$break_even <- unname(ifelse(cost > 0, cost / (margin_rate * uplift), -Inf))
  new_result(result, "benefits", basis = list(margin_rate = margin_rate, as_of = NULL))
}

break_even <- function(benefits) stats::setNames(benefits$break_even, benefits$tier)

#' @rdname tier_benefits
#' @param tiers `[nubrek_tiers]` From [assign_tiers()], by any rule, with the same tier names.
#' @param benefits `[nubrek_benefits]` From [tier_benefits()].
#' @return `tier_payoff()`: a `nubrek_payoff`, one row per tier: `tier`, `customers`, `sales`;
#'   `cost_of_benefits` of all its customers; `extra_margin` at the assumed uplift; `net`, the
#'   difference; `uplift_needed`, from which it pays; `below_break_even`, customers of the tier
#'   whose own sales do not carry its benefit.
#' @export
tier_payoff <- function(tiers, benefits) {
  throw_unless(checkmate::check_class(tiers, "nubrek_tiers"), "tiers", rlang::current_env())
  throw_unless(
    checkmate::check_class(benefits, "nubrek_benefits"), "benefits", rlang::current_env()
  )
  if (!identical(levels(tiers$tier), benefits$tier)) {
    abort_nubrek(c(
      "Tiers and benefits must have the same names.",
      "x" = "{.val {levels(tiers$tier)}} and {.val {benefits$tier}}."
    ), "tiers")
  }
  place <- as.integer(tiers$tier)
  n <- tabulate(place, nrow(benefits))
  sales <- as.vector(tapply(tiers$sales, tiers$tier, sum, default = 0))
  rate <- basis_of(benefits, "margin_rate")
  cost <- n * benefits$cost
  extra <- ifelse(benefits$cost > 0, rate * benefits$uplift * sales, 0) # no benefit, no uplift
  below <- tabulate(place[tiers$sales < benefits$break_even[place]], nrow(benefits))
  new_result(
    list(
      tier = benefits$tier,
      customers = n,
      sales = sales,
      cost_of_benefits = cost,
      extra_margin = extra,
      net = extra - cost,
      uplift_needed = ifelse(sales > 0, cost / (rate * sales), NA_real_),
      below_break_even = below
    ),
    "payoff",
    remarks = rbind(remarks(tiers), remark_table("uplift", say(
      paste0(
        "Uplift (%s) and margin (%s of sales) are assumptions: a campaign with a control group ",
        "measures the first."
      ),
      paste(unique(present_percent(benefits$uplift)), collapse = ", "),
      present_percent(rate)
    ))),
    basis = attr(tiers, "basis"),
    members = members_of(tiers$tier, tiers$customer)
  )
}
