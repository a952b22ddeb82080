#' A campaign without anybody held back
#'
#' What the contact changed cannot be known then. What can be said is how what these customers did
#' differs from what the purchase model expected of exactly them, given each one's history up to the
#' contact; so that a chosen tail, such as the longest silent, is expected to return towards its
#' mean (definition 53). A comparison with the window before, beside it, would credit the campaign
#' with that return.
#'
#' @param ledger `[nubrek_ledger]` The ledger of today.
#' @param audience `[nubrek_audience]` Who was contacted.
#' @param day `[Date(1) | character(1)]` Day of contact. Default: the audience's as-of day.
#' @param days `[integer(1)]` Length of the window.
#' @param models `[nubrek_models]` From [forecast_models()].
#' @param level `[double(1)]` Of the interval.
#' @param seed `[integer(1)]` The same seed gives the same interval.
#' @return A `nubrek_beyond`, one row: `customers` with a purchase before the contact, `came`,
#'   purchases in the window after it; `expected`, with `lower` and `upper`; `beyond`, came less
#'   expected, with `beyond_lower` and `beyond_upper`; `before`, purchases in the window before, and
#'   `naive`, came less before.
#' @examples
#' ledger <- example_ledger()
#' silent <- audience(ledger, open_gap > 60, as_of = "2024-09-30", name = "silent")
#' try(measure_without_control(ledger, silent, days = 60))
#' @export
measure_without_control <- function(
  ledger, audience, day = NULL, days = 90L, models = forecast_models(), level = 0.95, seed = 1L
) {
  check_ledger(ledger)
  throw_unless(
    checkmate::check_class(audience, "nubrek_audience"), "audience", rlang::current_env()
  )
  check_whole(days, lower = 1L)
  check_number(level, lower = 0.5, upper = 0.999)
  day <- check_day(day) %||% basis_of(audience, "as_of")
  until <- min(ledger$as_of, day + days)
  if (until <= day) {
    abort_nubrek(c(
      "There is nothing to measure yet.",
      "x" = "The day of contact is {format_day(day)}, the data go to {format_day(ledger$as_of)}."
    ), "argument")
  }
  fitted <- fit_models(ledger, models, day)
  mine <- fitted$history$customer %in% audience$customer
  if (!any(mine)) {
    abort_nubrek(
      "None of the audience had bought before {format_day(day)}; nothing can be expected of them.",
      "argument"
    )
  }
  fitted$history <- fitted$history[mine, ]
  seen <- expected_and_came(ledger, fitted, day, until, level, seed)
  left <- nrow(audience) - sum(mine)
  new_result(
    seen,
    "beyond",
    ledger,
    rbind(carried(ledger), fitted$remarks, if (left > 0L) {
      remark_table("no history", say(
        "%s of the audience had not bought before the contact; nothing is expected of them.",
        n_of(left, "customer")
      ))
    }),
    basis = list(
      name = basis_of(audience, "name"),
      day = day,
      days = as.integer(until - day),
      level = level,
      kinds = c(
        expected = "number", lower = "number", upper = "number", beyond = "number",
        beyond_lower = "number", beyond_upper = "number"
      )
    )
  )
}

# What the customers of a fit were expected to do between two days, and what they did.
expected_and_came <- function(ledger, fitted, day, until, level, seed) {
  history <- fitted$history
  ahead <- business_weeks(fitted$purchases, day, until)
  expected <- sum(purchases_ahead(fitted$purchases, history, ahead)$expected)
  drawn <- draw_todays(
    fitted, c(0, ahead), c(60L, 20L), seed, rep(1L, nrow(history)), 1L
  )$purchases
  ends <- draw_interval(matrix(drawn, ncol = 1L), level)[, 1L]
  sum_between <- \(from, to) {
    as.integer(sum(came_between(ledger, history$customer, from, to)$purchases))
  }
  came <- sum_between(day, until)
  before <- sum_between(day - (until - day), day)
  list(
    customers = nrow(history),
    came = came,
    expected = expected,
    lower = ends[[1L]],
    upper = ends[[2L]],
    beyond = came - expected,
    beyond_lower = came - ends[[2L]],
    beyond_upper = came - ends[[1L]],
    before = before,
    naive = came - before
  )
}
