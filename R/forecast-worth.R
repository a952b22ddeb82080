#' What a cohort is worth: before acquisition cost, the cost, after it
#'
#' Expected margin of each cohort up to an age, discounted, against what winning it cost. Of a
#' [forecast_grid()] what was observed and what is forecast together; of a [cohort_grid()] what was
#' observed.
#'
#' @param grid `[nubrek_outlook_grid | nubrek_grid]` With margin; by channel where the cost is.
#' @param cost `[numeric(1) | nubrek_cost]` Cost per customer, or [acquisition_cost()] or
#'   [acquisition_spend()]. Default not known.
#' @param yearly_discount `[numeric(1)]` Yearly rate D; money at age 0 is not discounted, money at
#'   age a by \eqn{(1 + d)^a} with \eqn{d = (1 + D)^{1/n} - 1} for n periods a year (n = 365.25
#'   days, 365.25/7 weeks, 12 months, 4 quarters).
#' @param age `[integer(1)]` Up to this age, `Inf` for as far as each cohort goes. Default: of a
#'   forecast the last age that every cohort reaches, so that they can be compared; of an observed
#'   grid `Inf`.
#' @param together `[logical(1)]` Add up the grid's groups, so that a row is a whole cohort?
#' @return A `nubrek_worth`, one row per cohort (and group) seen from age 0 on: `cohort`; `size`;
#'   `to_age`; per acquired customer and in major units `sales_per_customer`, cumulated and
#'   undiscounted, `value` before acquisition cost (discounted margin), with `value_lower`,
#'   `value_upper` where something of it is forecast, `cost`, `value_after_cost`; `value_to_cost`
#'   (value by cost), `return_on_cost` (value after cost by cost); `payback_age`, the first age at
#'   which the cumulative margin, undiscounted, reaches the cost, at any age the grid has;
#'   `payback`: `"observed"`, `"forecast"`, `"beyond"` (not within the grid), `"no cost"`, `"margin
#'   unknown"`; `older`. [worth_summary()] and [worth_course()] pool the cohorts of each group.
#' @examples
#' cohort_value(
#'   forecast_grid(example_ledger(), "quarter", periods = 2, money = economics(0.45)), cost = 12
#' )
#' cohort_value(
#'   cohort_grid(example_ledger(), "quarter", margin = 0.45), cost = 12, yearly_discount = 0.12
#' )
#' @export
cohort_value <- function(grid, cost = NULL, yearly_discount = 0.1, age = NULL, together = FALSE) {
  throw_unless(
    checkmate::check_multi_class(grid, c("nubrek_outlook_grid", "nubrek_grid")),
    "grid",
    rlang::current_env()
  )
  check_share(yearly_discount)
  throw_unless(checkmate::check_flag(together), "together", rlang::current_env())
  if (!is.null(age) && !identical(age, Inf)) check_whole(age, lower = 0L)
  forecast <- inherits(grid, "nubrek_outlook_grid")
  basis <- utils::modifyList(
    list(money = if (is.null(grid$margin)) "sales" else "margin", level = 0.95), attr(grid, "basis")
  )
  cells <- worth_cells(grid, forecast)
  if (nrow(cells) == 0L) {
    abort_nubrek("No cohort is observed from its first purchase on.", "no_purchases")
  }
  world <- list(
    cells = cells,
    cohorts = unique(cells[, c(basis$by, "cohort", "size", "older"), with = FALSE]),
    drawn = attr(grid, "drawn")
  )
  costs <- if (!is.null(cost)) {
    cohort_costs(as.data.frame(world$cohorts, optional = TRUE), cost, basis)
  }
  scale <- if (!is.null(cost)) 10^(basis$decimals + costs$digits)
  world$cohorts[, total := if (is.null(cost)) NA_real_ else costs$total / scale]
  unknown <- if (together && !is.null(cost)) {
    sum(world$cohorts$size[is.na(world$cohorts$total)])
  } else {
    0
  }
  grouped_by <- if (together) character() else basis$by
  if (together && length(basis$by) > 0L) world <- worth_together(world, costs, scale)
  age <- age %||% if (forecast) shortest_age(world$cells) else Inf
  d <- period_discount(yearly_discount, basis$clock)
  keys <- c(grouped_by, "cohort")
  world$cells[, total := world$cohorts[world$cells, on = keys, x.total]]
  result <- world$cells[,
    one_worth(age, ..age, money, seen, sales, what, size[[1L]], total[[1L]], d),
    by = c(keys, "size", "older", "row")
  ]
  result$cost <- world$cohorts[result, on = keys, x.total] / result$size
  between <- worth_interval(world$cells, result, world$drawn, age, d, basis$level)
  known <- basis$money != "sales"
  new_result(
    worth_columns(result, between, keys, known),
    "worth",
    remarks = rbind(remarks(grid), worth_remarks(d, yearly_discount, basis, costs, known, unknown)),
    basis = c(
      with_fields(basis, list(by = grouped_by, kinds = worth_kinds)),
      list(to_age = age, yearly_discount = yearly_discount)
    ),
    cells = world$cells,
    drawn = world$drawn,
    discount = d
  )
}

# The groups of a cohort as one.
worth_together <- function(world, costs, scale) {
  cells <- world$cells[, group_row := match(cohort, sort(unique(cohort)))]
  drawn <- if (!is.null(world$drawn)) add_rows(world$drawn, cells)
  cells <- cells[,
    .(
      size = sum(size),
      sales = sum(sales),
      money = sum(money),
      seen = sum(seen),
      what = what[[1L]],
      place = place[[1L]]
    ),
    keyby = .(row = group_row, cohort, age)
  ]
  older <- world$cohorts[, .(older = any(older)), keyby = cohort]
  cells[, older := older$older[match(cohort, older$cohort)]]
  list(cells = cells, cohorts = costs_together(world$cohorts, costs, scale)$cohorts, drawn = drawn)
}

# The age that every cohort (without older customers, if there is one) reaches.
shortest_age <- function(cells) {
  min(cells[, .(last = max(age)), by = .(row, older)][older == FALSE | all(older)]$last)
}

# Without a margin there is no value, no payback, and nothing after the cost.
worth_columns <- function(out, between, keys, known) {
  if (!known) {
    out[, `:=`(value = NA_real_, payback_age = NA_integer_)]
    out[payback != "no cost", payback := "margin unknown"]
    between <- lapply(between, \(x) x * NA)
  }
  after <- out$value - out$cost
  per_cost <- \(x) ifelse(out$cost > 0, x / out$cost, NA_real_)
  c(
    as.list(out)[c(keys, "size", "to_age", "sales_per_customer", "value")],
    list(
      value_lower = between$lower,
      value_upper = between$upper,
      cost = out$cost,
      value_after_cost = after,
      value_to_cost = per_cost(out$value),
      return_on_cost = per_cost(after),
      payback_age = out$payback_age,
      payback = out$payback,
      older = out$older
    )
  )
}

worth_kinds <- c(observed = "share")

# Cells of the cohorts seen from age 0: `money` in all, `seen` of it; of the observed grid what it
# has.
worth_cells <- function(grid, forecast) {
  grouped_by <- basis_of(grid, "by")
  if (forecast) {
    return(
      attr(grid, "cells")[
        (from_start),
        c(
          "row", grouped_by, "cohort", "age", "size", "sales", "money", "seen", "what", "place",
          "older"
        ),
        with = FALSE
      ]
    )
  }
  cells <- as.data.table(plain_table(grid))
  cells[, row := .GRP, by = c(grouped_by, "cohort")]
  cells[, from_start := age[[1L]] == 0L, by = row]
  cells[, money := if (is.null(cells$margin)) sales else margin]
  cells[
    (from_start),
    c(list(row = row), .SD, list(
      seen = money, what = ifelse(complete, "observed", "partly"), place = NA_integer_
    )),
    .SDcols = c(grouped_by, "cohort", "age", "size", "sales", "money", "older")
  ]
}

# Draws of rows that become one.
add_rows <- function(drawn, cells) {
  to <- unique(cells[, .(row, group_row)])
  result <- array(0, c(dim(drawn)[1:2], max(to$group_row)))
  for (i in seq_len(nrow(to))) {
    result[, , to$group_row[[i]]] <- result[, , to$group_row[[i]]] + drawn[, , to$row[[i]]]
  }
  result
}

one_worth <- function(age, until, money, seen, sales, what, size, total, d) {
  use <- age <= until
  so_far <- cumsum(money)
  # whole minor units would be the same: what is cumulated is compared with a hair's room for
  # rounding
  reached <- which(so_far >= total * (1 - 1e-12) - 1e-9)
  paid <- if (!is.na(total) && total > 0 && length(reached) > 0L) reached[[1L]]
  observed <- !is.null(paid) &&
    (cumsum(money) - money + seen)[[paid]] >= total * (1 - 1e-12) - 1e-9 &&
    what[[paid]] != "forecast"
  list(
    to_age = max(age[use]),
    sales_per_customer = sum(sales[use]) / size,
    value = sum((money / (1 + d)^age)[use]) / size,
    payback_age = if (is.null(paid)) NA_integer_ else age[[paid]],
    payback = if (is.na(total) || total == 0) {
      "no cost"
    } else if (is.null(paid)) {
      "beyond"
    } else if (observed) {
      "observed"
    } else {
      "forecast"
    }
  )
}

# Quantiles of the discounted draws about what was seen.
worth_interval <- function(cells, out, drawn, until, d, level) {
  none <- rep(NA_real_, nrow(out))
  if (is.null(drawn)) return(list(lower = none, upper = none))
  seen <- cells[age <= until, .(seen = sum(seen / (1 + d)^age)), keyby = row]
  pending <- cells[!is.na(place) & age <= until, .(row, place, factor = (1 + d)^-age)]
  parts <- split(pending, factor(pending$row, out$row))
  before <- seen$seen[match(out$row, seen$row)]
  ends <- vapply(
    seq_len(nrow(out)),
    function(i) {
      mine <- parts[[i]]
      if (nrow(mine) == 0L) return(c(NA_real_, NA_real_))
      sums <- matrix(drawn[, mine$place, out$row[[i]]], dim(drawn)[[1L]]) %*% mine$factor
      (before[[i]] + drop(draw_interval(matrix(sums), level))) / out$size[[i]]
    },
    c(0, 0)
  )
  list(lower = ends[1L, ], upper = ends[2L, ])
}

worth_remarks <- function(d, yearly, basis, costs, known, unknown) {
  unused <- sum(costs$unused$amount) / 10^basis$decimals
  rbind(
    if (yearly > 0) {
      remark_table("discount", say(
        "Discounted at %s %% a year, %s %% a %s; age 0 is not. The payback age is undiscounted.",
        format(100 * yearly),
        format(signif(100 * d, 4)),
        basis$clock
      ))
    },
    if (unknown > 0) {
      remark_table("cost unknown", say(
        "%s of groups without a known cost count in their cohorts as if they had cost nothing.",
        n_of(unknown, "customer")
      ))
    },
    if (!known) {
      remark_table(
        "margin", say("No margin is known: sales are not value, so value and payback are left out.")
      )
    },
    if (unused > 0) {
      remark_table("unused spend", say(
        "%s of spend fell into periods without new customers and is in no cohort's cost.",
        paste(
          written(unused, format = "f", digits = basis$decimals, big.mark = "\u202f"),
          basis$currency
        )
      ))
    }
  )
}
