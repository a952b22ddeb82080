# Cohorts pooled: what an acquired customer brings by age, and groups side by side.

#' Cohorts pooled: what an acquired customer brings by age, and the groups side by side
#'
#' @param worth `[nubrek_worth]` From [cohort_value()].
#' @param newest `[integer(1)]` So many of the newest cohorts that hold no older customers; `Inf`
#'   for all. Default: those of a year, which tell what customers are worth that are won now.
#' @return `worth_summary()`: a data frame with a row per group (one without groups), over its
#'   newest cohorts: `cohorts`, `size`, `to_age`; per acquired customer `sales_per_customer`,
#'   `value`, `cost`, `value_after_cost`, `value_to_cost`, `return_on_cost` as in [cohort_value()]
#'   (cost and what follows only of cohorts with a known cost, with `value_with_cost`, their value);
#'   `payback_age` of the pooled course, undiscounted, and `observed`, the share of the size of
#'   which that age has been observed in full.
#'
#'   `worth_course()`: a data frame with a row per group and age up to the one that all its cohorts
#'   reach, of those with a known cost where any has one: `cohorts`, `size`; per acquired customer
#'   `sales_per_customer` and `value`, cumulated, undiscounted, `lower` and `upper` of the value,
#'   `cost`; `observed`, the share of the size whose cell is observed in full.
#' @examples
#' worth <- cohort_value(forecast_grid(
#'   example_ledger(), "quarter", periods = 2, money = economics(0.45), older_within = 1L
#' ), cost = 12)
#' worth_summary(worth)
#' worth_course(worth)
#' @export
worth_summary <- function(worth, newest = NULL) {
  throw_unless(checkmate::check_class(worth, "nubrek_worth"), "worth", rlang::current_env())
  grouped_by <- basis_of(worth, "by")
  rows <- as.data.table(plain_table(worth))[
    newest_cohorts(worth, newest), on = "cohort", nomatch = NULL
  ][older == FALSE]
  result <- rows[,
    {
      costed <- !is.na(cost) & cost > 0
      weight <- \(x, use = TRUE) sum((x * size)[use]) / sum(size[use])
      spent <- if (any(costed)) weight(cost, costed) else NA_real_
      brought <- if (any(costed)) weight(value, costed) else NA_real_
      list(
        cohorts = .N,
        size = sum(size),
        to_age = max(to_age),
        sales_per_customer = weight(sales_per_customer),
        value = weight(value),
        value_with_cost = brought,
        cost = spent,
        value_after_cost = brought - spent,
        value_to_cost = brought / spent,
        return_on_cost = (brought - spent) / spent
      )
    },
    by = grouped_by
  ]
  course <- as.data.table(worth_course(worth, newest))
  crossed <- course[,
    {
      hit <- which(value >= cost)
      list(
        payback_age = if (length(hit) > 0L) age[[hit[[1L]]]] else NA_integer_,
        observed = if (length(hit) > 0L) observed[[hit[[1L]]]] else NA_real_
      )
    },
    by = grouped_by
  ]
  if (basis_of(worth, "money") == "sales") {
    crossed[, `:=`(payback_age = NA_integer_, observed = NA_real_)]
  }
  both <- if (length(grouped_by) > 0L) {
    crossed[result, on = grouped_by][, c(names(result), "payback_age", "observed"), with = FALSE]
  } else {
    cbind(result, crossed)
  }
  side_table(
    as.data.frame(both, optional = TRUE),
    "worth_summary",
    worth,
    c(value_with_cost = "money", observed = "share")
  )
}

newest_cohorts <- function(worth, newest, call = rlang::caller_env()) {
  if (!is.null(newest) && !identical(newest, Inf)) check_whole(newest, call = call)
  cohorts <- sort(unique(worth$cohort[!worth$older]))
  list(
    cohort = utils::tail(
      cohorts, min(length(cohorts), newest %||% ceiling(periods_a_year[[basis_of(worth, "clock")]]))
    )
  )
}

#' @rdname worth_summary
#' @export
worth_course <- function(worth, newest = NULL) {
  throw_unless(checkmate::check_class(worth, "nubrek_worth"), "worth", rlang::current_env())
  grouped_by <- basis_of(worth, "by")
  cells <- attr(worth, "cells")[newest_cohorts(worth, newest), on = "cohort", nomatch = NULL][
    older == FALSE
  ]
  if (nrow(cells) == 0L) {
    abort_nubrek("Every cohort may hold older customers; nothing is left to pool.", "no_purchases")
  }
  drawn <- attr(worth, "drawn")
  places <- dim(drawn)[[2L]]
  if (!is.null(drawn)) drawn <- matrix(drawn, nrow(drawn))
  level <- basis_of(worth, "level") %||% 0.95
  # value and cost of the same cohorts
  cells[, costed := !is.na(total) & total > 0]
  cells <- cells[, use := costed | !any(costed), by = grouped_by][(use)]
  cells[, last := max(age), by = row]
  cells <- cells[, common := min(last), by = grouped_by][age <= common]
  data.table::setorder(cells, row, age)
  cells[, `:=`(brought = cumsum(money), sold = cumsum(sales), seen_by = cumsum(seen)), by = row]
  result <- cells[,
    list(
      cohorts = .N,
      size = sum(size),
      sales_per_customer = sum(sold) / sum(size),
      value = sum(brought) / sum(size),
      lower = NA_real_,
      upper = NA_real_,
      seen = sum(seen_by),
      cost = if (any(costed)) sum(total[costed]) / sum(size[costed]) else NA_real_,
      observed = sum(size[what == "observed"]) / sum(size)
    ),
    keyby = c(grouped_by, "age")
  ]
  if (!is.null(drawn)) {
    ends <- cells[, course_ends(.SD, drawn, places, level), keyby = grouped_by]
    result[, `:=`(lower = (seen + ends$lower) / size, upper = (seen + ends$upper) / size)]
  }
  result[, seen := NULL]
  side_table(
    as.data.frame(in_group_order(result, grouped_by, plain_table(worth)), optional = TRUE),
    "worth_course",
    worth,
    c(value = "money", lower = "money", upper = "money", observed = "share")
  )
}

# How sure the value of each group of a summary is, from the scatter between its cohorts; missing
# below three of them.
worth_errors <- function(worth, summary, newest = NULL) {
  grouped_by <- basis_of(worth, "by")
  rows <- as.data.table(plain_table(worth))[
    newest_cohorts(worth, newest), on = "cohort", nomatch = NULL
  ][older == FALSE]
  found <- rows[, .(error = if (.N > 2L) {
    sqrt(sum(size^2 * (value - sum(value * size) / sum(size))^2) * .N / (.N - 1)) / sum(size)
  } else {
    NA_real_
  }), by = grouped_by]
  found[summary[grouped_by], on = grouped_by, error]
}

# The interval of what cells still to come bring up to each age, missing before any does.
course_ends <- function(cells, drawn, places, level) {
  at <- split(cells$place + (cells$row - 1L) * places, cells$age)
  at <- lapply(at, \(one) one[!is.na(one)])
  brought <- lapply(at, \(one) rowSums(drawn[, one, drop = FALSE]))
  ends <- draw_interval(do.call(cbind, Reduce(`+`, brought, accumulate = TRUE)), level)
  ends[, cumsum(lengths(at)) == 0L] <- NA
  list(lower = ends[1L, ], upper = ends[2L, ])
}
