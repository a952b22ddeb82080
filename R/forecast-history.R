# Days of one unit of time.
unit_days <- c(day = 1, week = 7, month = 365.25 / 12, year = 365.25)

#' What a purchase model needs to know of each customer
#'
#' Purchase days only: all positive orders of a day are one purchase.
#'
#' @param ledger `[nubrek_ledger]`
#' @param unit `[character(1)]` Unit of time: `"week"` (default), `"day"`, `"month"` or `"year"`. A
#'   scale, not a grouping.
#' @param until `[Date(1)]` Last day seen; default the ledger's as-of day.
#' @param occasions `[logical(1)]` For the model `"bg-bb"`: count units of time with a purchase
#'   instead of purchase days. Occasion j of a customer is the j-th whole unit after the day of the
#'   first purchase; the unfinished last one is left out.
#' @param season `[nubrek_season]` From [season_index()]: times are then in business time, in which
#'   a day of a busy month is longer. Default: days are days.
#' @return A `nubrek_history`, one row per customer with a purchase until then, sorted by id:
#'   `customer`; `repeats`, purchase days after the first; `last`, time from the first to the last
#'   purchase (0 without repeats); `span`, time from the first purchase to `until`; `spend`, mean
#'   sales of a repeat purchase in major units, missing without one; `log_spend` and `log_spread`,
#'   mean and sum of squared deviations of the logs of those sales. Any data frame of such columns
#'   can be fitted; a column `count` says how many customers a row stands for.
#' @examples
#' purchase_history(example_ledger())
#' purchase_history(example_ledger(), unit = "month", occasions = TRUE)
#' @export
purchase_history <- function(
  ledger, unit = "week", until = NULL, occasions = FALSE, season = NULL
) {
  check_ledger(ledger)
  check_choice(unit, names(unit_days))
  throw_unless(checkmate::check_flag(occasions), "occasions", rlang::current_env())
  index <- season_months_of(season)
  if (occasions && !is.null(index)) abort_nubrek("Occasions know no {.arg season}.", "argument")
  until <- check_day(until) %||% ledger$as_of
  found <- reduce_history(ledger, until, unit_days[[unit]], index, occasions)
  if (is.null(found)) abort_nubrek("Nobody had bought by {format(until)}.", "unidentified")
  repeats <- found$repeats
  new_result(
    list(
      customer = ledger_ids(ledger, found$code),
      repeats = repeats,
      last = found$last,
      span = found$span,
      spend = ifelse(repeats > 0L, major(ledger, found$later) / repeats, NA_real_),
      log_spend = found$log_spend,
      log_spread = found$log_spread
    ),
    "history",
    ledger,
    basis = list(unit = unit, until = until, occasions = occasions, season = index)
  )
}

season_months_of <- function(season, call = rlang::caller_env()) {
  if (is.null(season) || (is.numeric(season) && length(season) == 12L)) return(season)
  throw_unless(checkmate::check_class(season, "nubrek_season"), "season", call)
  season$index
}

# A history from a user's data frame: the columns that are there must make sense.
check_history <- function(
  x, columns = c("repeats", "last", "span"), discrete = FALSE, call = rlang::caller_env()
) {
  if (!is.data.frame(x)) {
    abort_nubrek(
      c("Histories are a data frame.", "i" = "See {.fn purchase_history}."), "history", call = call
    )
  }
  check_columns_exist(columns, names(x), "the history", call)
  for (name in c(columns, intersect("count", names(x)))) {
    v <- x[[name]]
    if (!is.numeric(v) || any(!is.finite(v)) || any(v < 0)) {
      abort_nubrek(c(
        "{.field {name}} must hold finite numbers from 0 up.",
        "x" = "Row {which(!is.numeric(v) | !is.finite(v) | v < 0)[[1]]} does not."
      ), "history", call = call)
    }
  }
  whole <- \(v) v == round(v)
  wrong <- list(
    "{.field repeats} must be whole." = !whole(x$repeats),
    "{.field count} must be whole." = if (!is.null(x[["count"]])) !whole(x$count)
  )
  if ("last" %in% columns) {
    wrong <- c(wrong, list(
      "{.field last} must not be after {.field span}." = x$last > x$span,
      "{.field last} must be 0 where there are no repeats." = x$repeats == 0 & x$last > 0,
      "Occasions are whole: {.field last} and {.field span} must be." = if (discrete) {
        !(whole(x$last) & whole(x$span))
      },
      "There cannot be more {.field repeats} than occasions up to {.field last}." = if (discrete) {
        x$repeats > x$last
      },
      "{.field last} must be after 0 where there are repeats." = if (!discrete) {
        x$repeats > 0 & x$last == 0
      }
    ))
  }
  wrong <- Filter(Negate(is.null), wrong)
  for (rule in names(wrong)) {
    bad <- which(wrong[[rule]])
    if (length(bad) > 0L) {
      abort_nubrek(
        c(rule, "x" = "Row {bad[[1]]} breaks this, {length(bad)} in all."), "history", call = call
      )
    }
  }
  invisible(x)
}

# Times in a wrong unit fit without complaint and mean nothing; say what looks odd.
unit_remark <- function(history, unit) {
  years <- max(history$span) * unit_days[[unit]] / 365.25
  whole <- all(history$span == round(history$span) & history$last == round(history$last))
  bought <- history$repeats > 0
  odd <- if (
    unit != "day" && (years > 25 || (whole && unit %in% c("month", "year", "week") && years > 8))
  ) {
    sprintf(
      "Histories of up to %.0f %ss are %.0f years: are their times in days?",
      max(history$span),
      unit,
      years
    )
  } else if (sum(bought) >= 50L && max(history$last) < 0.25 * max(history$span[bought])) {
    sprintf(paste0(
      "Nobody bought again later than %.4g after the first purchase, but they are seen for up ",
      "to %.4g: are both in the same unit of time?"
    ), max(history$last), max(history$span[bought]))
  }
  if (is.null(odd)) return(NULL)
  rlang::warn(odd, class = c("nubrek_warning_unit", "nubrek_warning"))
  remark_table("unit", odd)
}

# The customers a model may learn from: those whose first purchase in the data is surely their
# first. Early ones may be older customers, whose history before the data is not seen; they are
# forecast, but not learned from.
learn_from <- function(ledger, history, until = ledger$as_of) {
  early <- usual_gap(ledger, "month", until = until)
  edge <- period_start(period_number(ledger$history_start, "month") + early, "month")
  first <- first_purchase_day(ledger)[ledger_codes(ledger, history$customer)]
  young <- first >= as.integer(edge)
  enough <- sum(young) >= 100L && sum(history$repeats[young]) >= 100L
  list(
    rows = if (enough) young else rep(TRUE, length(young)),
    remarks = if (enough && !all(young)) {
      remark_table("older customers", say(paste0(
        "The models learn from the %s that came after the first %s; earlier ones may be older ",
        "customers."
      ), n_of(sum(young), "customer"), n_of(early, "month")))
    }
  )
}
