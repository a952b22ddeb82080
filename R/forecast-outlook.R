#' In which tier will each customer be?
#'
#' Draws of each customer's coming purchases and amounts, from the models of [forecast_value()],
#' give the probability of each tier over the coming time, at the limits that the tiers have now.
#'
#' @param tiers `[nubrek_tiers]` From [assign_tiers()], by sales.
#' @param ledger `[nubrek_ledger]` The ledger it came from.
#' @param years `[numeric(1)]` How far ahead; default as long as the time that the tiers are made
#'   of, which their limits belong to.
#' @param draws `[integer(2)]` Parameter draws, and draws per customer for each of them.
#' @param seed `[integer(1)]`
#' @param models `[nubrek_models]` From [forecast_models()].
#' @return A `nubrek_outlook`, one row per customer, best first: `customer`, `tier` now; `likely`,
#'   the most probable; `stays`, the probability of the present tier or a better one; then one
#'   column per tier and `absent` (no purchase), which add up to 1. The attribute `total` has the
#'   customers of each tier now and expected.
#' @examples
#' \donttest{
#' ledger <- open_ledger(
#'   system.file("pellmere", "order-lines.csv.gz", package = "nubrek"),
#'   column_map(
#'     "customer_no", "sold_at", order = "receipt", sales = "net_amount", currency = "currency"
#'   ),
#'   meanings(currency = "EUR")
#' )
#' tier_outlook(assign_tiers(ledger, during = "2025"), ledger)
#' }
#' @export
tier_outlook <- function(
  tiers, ledger, years = NULL, draws = c(20L, 25L), seed = 1L, models = forecast_models()
) {
  throw_unless(checkmate::check_class(tiers, "nubrek_tiers"), "tiers", rlang::current_env())
  check_ledger(ledger)
  if (!identical(basis_of(tiers, "how")$measures, "sales")) {
    abort_nubrek("An outlook is for tiers by sales alone.", "tiers")
  }
  throw_unless(
    checkmate::check_integerish(draws, lower = 1L, len = 2L, any.missing = FALSE),
    "draws",
    rlang::current_env()
  )
  check_whole(seed, lower = 0L)
  years <- years %||% tier_years(tiers, ledger)
  check_number(years, lower = 1 / 52, upper = 50)
  fitted <- fit_models(ledger, models)
  limits <- unname(basis_of(tiers, "limits"))
  p <- tier_chances(tiers, ledger, fitted, limits, years, draws, seed)
  words <- c(levels(tiers$tier), "absent")
  now <- as.integer(tiers$tier)
  so_good <- matrix(t(apply(p[, seq_along(limits), drop = FALSE], 1L, cumsum)), nrow(p))
  new_result(
    c(
      list(
        customer = tiers$customer,
        tier = as.character(tiers$tier),
        likely = words[max.col(p, "first")],
        stays = so_good[cbind(seq_along(now), now)]
      ),
      stats::setNames(as.list(as.data.frame(p)), words)
    ),
    "outlook",
    ledger,
    rbind(remarks(tiers), fitted$remarks, remark_table("outlook", say(
      "Over the next %s, at the limits of today's tiers; customers still to come are not in it.",
      n_of(round(years, 2), "year")
    ))),
    basis = list(
      years = years,
      labels = words,
      limits = limits,
      kinds = stats::setNames(rep("share", length(words) + 1L), c("stays", words))
    ),
    total = data.frame(
      tier = words, now = c(tabulate(now, length(limits)), 0L), expected = colSums(p)
    )
  )
}

# As long as the time that the tiers are of.
tier_years <- function(tiers, ledger) {
  span <- basis_of(tiers, "during") %||% c(ledger$history_start, ledger$as_of)
  max(1 / 52, (as.integer(span[[2L]] - span[[1L]]) + 1) / 365.25)
}

# The chance of each customer to end in each tier, the last column being absent.
tier_chances <- function(tiers, ledger, fitted, limits, years, draws, seed) {
  history <- fitted$history[data.table::chmatch(tiers$customer, fitted$history$customer), ]
  signal_progress("drawing the coming time")
  worlds <- drawn_worlds(history, fitted$purchases, fitted$spend, draws[[1L]], seed)
  together <- likes_together(worlds)
  chances <- cpp_simulate_tiers(
    some_rows(worlds, together),
    draw_terms(draws[[2L]], seed),
    business_weeks(fitted$purchases, ledger$as_of, ledger$as_of + round(365.25 * years)),
    limits,
    kept_share(ledger)
  )
  chances[order(together), , drop = FALSE]
}
