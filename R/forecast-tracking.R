# The repeat purchases of a fit, week by week.

#' Follow the repeat purchases week by week
#'
#' What the model expects of its customers from their first purchase on, beside what came: up to the
#' day that the fit has seen, and after it. The expectation is that of new customers acquired on
#' these days; no customer's later purchases enter it.
#'
#' @param fit `[nubrek_purchases]` Of a ledger, or of a [purchase_history()].
#' @param ledger `[nubrek_ledger]` The ledger of those customers; it may reach further than the fit
#'   has seen.
#' @return A `nubrek_tracking`, one row per week of seven days, counted from the last day that the
#'   fit has seen: `week_end` `[Date]`; `part`, `"seen by the fit"` or `"after it"`; `expected`,
#'   `actual`, repeat purchases in the week; `expected_so_far`, `actual_so_far`, since the first
#'   customer came.
#' @section Errors: `nubrek_error_argument` where the fit knows no customers, or others.
#' @examples
#' ledger <- example_ledger()
#' track_repeats(fit_purchases(purchase_history(ledger, until = "2024-12-01"), "bg-nbd"), ledger)
#' @export
track_repeats <- function(fit, ledger) {
  throw_unless(checkmate::check_class(fit, "nubrek_purchases"), "fit", rlang::current_env())
  check_ledger(ledger)
  codes <- fitted_codes(fit, ledger)
  multiplier <- unit_days[[fit$unit]]
  first <- reduce_first(ledger)[codes]
  until <- as.integer(fit$until)
  ends <- week_ends(min(first), until, as.integer(ledger$as_of))
  so_far <- expected_by(fit, first, ends, multiplier)
  actual <- if (is_discrete(fit$name)) {
    later <- reduce_occasion_ends(ledger, multiplier)
    findInterval(ends, sort(later$day[later$code %in% codes]))
  } else {
    counted_until(reduce_repeat_days(ledger, ledger$as_of, codes), ends)
  }
  new_result(
    list(
      week_end = as.Date(ends, origin = "1970-01-01"),
      part = ifelse(ends <= until, "seen by the fit", "after it"),
      expected = diff(c(0, so_far)),
      actual = diff(c(0L, actual)),
      expected_so_far = so_far,
      actual_so_far = actual
    ),
    "tracking",
    ledger,
    rbind(carried(ledger), remarks(fit)),
    basis = list(model = fit$name, until = fit$until, customers = length(codes))
  )
}

# The codes of the customers that a fit was made of.
fitted_codes <- function(fit, ledger, call = rlang::caller_env()) {
  if (is.null(fit$customers) || is.null(fit$until)) {
    abort_nubrek(c(
      "The fit does not know which customers it was made of.",
      "i" = "Fit a ledger, or a {.fn purchase_history}."
    ), "argument", call = call)
  }
  codes <- ledger_codes(ledger, fit$customers)
  if (anyNA(codes)) {
    abort_nubrek(c(
      "The fit was made of other customers.",
      "x" = "{sum(is.na(codes))} of them {?is/are} not in this ledger."
    ), "argument", call = call)
  }
  codes
}

# Weeks that end on the last day the fit has seen, and the whole ones after it.
week_ends <- function(first, until, as_of) {
  c(
    rev(seq(until, first, by = -7L)),
    if (as_of - until >= 7L) seq(until + 7L, as_of, by = 7L)
  )
}

# Repeats expected by each day of customers acquired when these were.
expected_by <- function(fit, first, ends, scale) {
  mine <- packed_sets(fit)
  groups <- data.table(first = first, set = sets_at(mine, fit$packed$row) %or% 1L)[,
    .(n = as.double(.N)), keyby = .(set, first)
  ]
  if (length(mine$set) > 0L) mine$set <- groups$set
  began <- business_days(fit$season, groups$first)
  times <- \(end) {
    time <- pmax(0, business_days(fit$season, end) - began) / scale
    if (is_discrete(fit$name)) floor(time) else time
  }
  vapply(ends, \(end) sum(groups$n * newcomers_expected(fit, mine, times(end))), 0)
}
