#' When has the money spent on winning customers come back?
#'
#' Payback is the first age at which the cumulative margin of a cohort reaches its acquisition cost,
#' compared in whole decimal numbers. It may be reached in a period that is observed in part. Where
#' the grid knows no margin, sales are shown and called sales, and there is no payback: sales are
#' not value.
#'
#' @param grid `[nubrek_grid]` With margin, see [cohort_grid()]; by channel where the cost is.
#' @param cost `[numeric(1) | nubrek_cost]` Cost per customer, or [acquisition_cost()] or
#'   [acquisition_spend()].
#' @param together `[logical(1)]` Add up the grid's groups, so that a row is a whole cohort? Default
#'   `FALSE`.
#' @param within `[integer(1)]` The highest cost is told that pays back by this age; default a year
#'   of periods.
#' @param yearly_discount `[numeric(1)]` Yearly rate; money at age 0 is not discounted, money at age
#'   a by \eqn{(1 + d)^a} with \eqn{d = (1 + D)^{1/n} - 1} for n periods a year. Default 0.
#' @return A `nubrek_payback`, one row per cohort (and group) that is observed from age 0 on:
#'   `cohort`; `size`, its paying customers; where there are such, `never_paid`, those whose first
#'   order lies there and who never paid; `cost` per paying customer, with that of those who never
#'   paid; `margin` of the cohort so far, in major units (discounted if asked); `value_to_date`, the
#'   same per paying customer; `payback_age`; `value_to_cost` so far; `status`: `"paid back"`; `"not
#'   yet"`, when the mean margin per paying customer of its last 3 complete ages would reach the
#'   cost within 5 more years, with that age as `expected_age`; `"out of reach"`; `"no cost"`;
#'   `"margin unknown"`, then with `sales`, `sales_per_customer` and `sales_to_cost` in place of
#'   margin; `highest_cost`, the most that a customer of the cohort could have cost to be paid back
#'   by age `within` (rounded down; missing before that age is complete); `older`.
#'   [payback_course()] gives every age, [payback_summary()] the groups, [unused_spend()] spend
#'   without new customers.
#' @examples
#' grid <- cohort_grid(example_ledger(), "quarter", margin = 0.45)
#' cohort_payback(grid, cost = 12)
#' @export
cohort_payback <- function(grid, cost, together = FALSE, within = NULL, yearly_discount = 0) {
  check_grid(grid)
  throw_unless(checkmate::check_flag(together), "together", rlang::current_env())
  check_whole(within, lower = 0L, null = TRUE)
  check_share(yearly_discount)
  basis <- attr(grid, "basis")
  within <- within %||% as.integer(floor(periods_a_year[[basis$clock]]))
  money <- if (is.null(grid$margin)) "sales" else "margin"
  cells <- payback_cells(grid, money)
  if (nrow(cells) == 0L) {
    abort_nubrek("No cohort is observed from its first purchase on.", "no_purchases")
  }
  cohorts <- unique(cells[, c(basis$by, "cohort", "size", "older"), with = FALSE])
  costs <- cohort_costs(as.data.frame(cohorts), cost, basis)
  cohorts[, total := costs$total]
  unknown <- if (together) sum(cohorts$size[is.na(cohorts$total)]) else 0L
  if (together) {
    cells <- add_groups(cells)
    both <- costs_together(cohorts, costs)
    cohorts <- both$cohorts
    costs$unused <- both$unused
  }
  grouped_by <- if (together) character() else basis$by
  keys <- c(grouped_by, "cohort")
  unit <- payback_unit(basis, costs, money)
  discount <- period_discount(yearly_discount, basis$clock)
  cells <- with_costs(cells, cohorts, keys, unit)
  each <- payback_of_each(cells, keys, discount, within, basis$clock, unit)
  new_result(
    payback_columns(
      cohorts[each, on = keys], keys, unit, money == "margin",
      if (!is.null(basis$never_paid)) never_paid_of(each, basis, grouped_by)
    ),
    "payback",
    remarks = rbind(
      remarks(grid),
      payback_remarks(cohorts, costs, basis, money, yearly_discount, discount),
      unknown_cost_remark(unknown),
      horizon_remark(cells, keys, within, basis$clock)
    ),
    basis = c(with_fields(basis, list(by = grouped_by)), list(
      money = money, within = within, yearly_discount = yearly_discount
    )),
    course = course_of(cells, keys, unit$scale),
    unused = costs$unused,
    scale = unit$scale
  )
}

# What stands at the end of a horizon is unknown where no cohort has been observed so long.
horizon_remark <- function(cells, keys, within, clock) {
  through <- cells[, .(last = sum(cumprod(complete)) - 1L), by = keys]$last
  if (max(through) >= within || max(through) < 0L) return(NULL)
  remark_table("within", say(
    paste0(
      "No cohort is observed through %s %d since its first purchase, so the highest cost and the ",
      "value to cost there are unknown; within = %d is the longest that is known."
    ),
    clock, within, max(through)
  ))
}

# Costs and money are whole numbers of a unit fine enough for both: how many digits more than minor
# units each has, and how many units make a major one.
payback_unit <- function(basis, costs, money) {
  own_digits <- if (money == "margin") basis$margin_digits %||% 0L else 0L
  digits <- max(costs$digits, own_digits)
  list(
    finer = 10^digits,
    of_money = 10^(digits - own_digits),
    of_cost = 10^(digits - costs$digits),
    minor = 10^basis$decimals,
    cost_scale = 10^(basis$decimals + costs$digits),
    scale = 10^(basis$decimals + digits)
  )
}

with_costs <- function(cells, cohorts, keys, unit) {
  cells <- cells[cohorts[, c(keys, "total"), with = FALSE], on = keys]
  cells[, `:=`(units = units * unit$of_money, total = total * unit$of_cost)]
}

payback_of_each <- function(cells, keys, discount, within, clock, unit) {
  far <- floor(5 * periods_a_year[[clock]])
  cells[,
    `:=`(.so_far = cumsum(units / (1 + discount)^age), whole = cumsum(!complete) == 0L), by = keys
  ]
  cells[,
    one_payback(
      age,
      .so_far,
      units,
      complete,
      total[[1L]],
      size[[1L]],
      discount,
      far,
      within,
      unit$finer
    ),
    by = keys
  ]
}

# Without a margin sales stand against the cost, and nothing is said of payback.
payback_columns <- function(out, keys, unit, known, never_paid) {
  value <- out$reached / unit$scale
  to_cost <- ifelse(out$total > 0, out$reached / (out$total * unit$of_cost), NA_real_)
  if_known <- \(x) if (known) x else x[rep(NA_integer_, length(x))]
  c(
    as.list(out)[keys],
    list(
      size = out$size
    ),
    if (!is.null(never_paid)) list(never_paid = never_paid),
    list(
      cost = out$total / unit$cost_scale / out$size,
      margin = if_known(value),
      value_to_date = if_known(value / out$size),
      payback_age = if_known(out$payback_age),
      value_to_cost = if_known(to_cost),
      status = ifelse(out$status == "no cost" | known, out$status, "margin unknown"),
      expected_age = if_known(out$expected_age)
    ),
    if (!known) list(sales = value, sales_per_customer = value / out$size, sales_to_cost = to_cost),
    list(highest_cost = if_known(out$highest / unit$minor), older = out$older)
  )
}

unknown_cost_remark <- function(unknown) {
  if (unknown == 0L) return(NULL)
  remark_table("cost unknown", say(
    "%s of groups without a known cost count in their cohorts as if they had cost nothing.",
    n_of(unknown, "customer")
  ))
}

# Money of each cell in whole units, of the cohorts seen from age 0 on, with the squares of the
# customers' running sums.
payback_cells <- function(grid, money) {
  grouped_by <- basis_of(grid, "by")
  wide <- widen_grid(grid, money)
  digits <- if (money == "margin") basis_of(grid, "margin_digits") %||% 0L else 0L
  wide[, units := round(wide[[money]] * 10^(basis_of(grid, "decimals") + digits))]
  data.table::set(
    wide,
    NULL,
    "squares",
    scatter_for(grid, wide)[[if (money == "margin") "margin_running" else "running"]] %||% NA_real_
  )
  wide[, seen := all(.so_far), by = c(grouped_by, "cohort")]
  in_group_order(
    wide[
      (seen),
      c(grouped_by, "cohort", "age", "size", "units", "squares", "complete", "older"),
      with = FALSE
    ][order(cohort, age)],
    grouped_by,
    plain_table(grid)
  )
}

add_groups <- function(cells) {
  cells[,
    .(
      size = sum(size),
      units = sum(units),
      squares = sum(squares),
      complete = all(complete),
      older = any(older)
    ),
    keyby = .(cohort, age)
  ]
}

# One cohort: `reached` is what has come back at each age, `total` the cost, both in whole units.
# The projection starts from the last complete age, with the mean of the last three of them
# (definition 31); an age 0 seen in part does not stand in its way.
one_payback <- function(
  age, reached, units, complete, total, size, discount, horizon, within, unit
) {
  paid <- if (!is.na(total) && total > 0) which(reached >= total) else integer()
  known <- which(complete)
  last <- if (length(known) > 0L) known[[length(known)]] else 0L
  recent <- mean(units[utils::tail(known, 3L)])
  ahead <- if (last > 0L && length(paid) == 0L) {
    reached[[last]] + cumsum(recent / (1 + discount)^(age[[last]] + seq_len(horizon)))
  }
  soon <- if (!is.na(total)) which(ahead >= total)
  status <- if (is.na(total) || total == 0) {
    "no cost"
  } else if (length(paid) > 0L) {
    "paid back"
  } else if (last == 0L || length(soon) > 0L) {
    "not yet"
  } else {
    "out of reach"
  }
  list(
    reached = reached[[length(reached)]],
    payback_age = if (length(paid) > 0L) age[[paid[[1L]]]] else NA_integer_,
    status = status,
    expected_age = if (status == "not yet" && length(soon) > 0L) {
      age[[last]] + soon[[1L]]
    } else {
      NA_integer_
    },
    highest = if (sum(cumprod(complete)) > within) {
      max(0, floor(max(reached[age <= within]) / size / unit + 1e-9))
    } else {
      NA_real_
    }
  )
}

# Every age of every cohort, in major units per acquired customer, with the interval that the
# scatter among its customers gives.
course_of <- function(cells, keys, scale) {
  value <- cells$.so_far / scale / cells$size
  between <- mean_interval(value, cells$squares, cells$size)
  cost <- cells$total / scale / cells$size
  as.data.frame(c(
    as.list(cells)[c(keys, "age", "size", "older")],
    list(
      value = value,
      lower = between$lower,
      upper = between$upper,
      cost = cost,
      value_to_cost = ifelse(cost > 0, value / cost, NA_real_),
      complete = cells$whole,
      squares = cells$squares
    )
  ), optional = TRUE)
}

payback_remarks <- function(cohorts, costs, basis, money, yearly, d) {
  unit <- 10^(basis$decimals + costs$digits)
  text <- \(x) paste(
    written(x, format = "f", digits = basis$decimals, big.mark = "\u202f"), basis$currency
  )
  unused <- sum(costs$unused$amount)
  rbind(
    if (money == "sales") {
      remark_table(
        "margin",
        say("No margin is known: sales are shown and called sales, and payback is not told.")
      )
    },
    if (unused > 0) {
      remark_table("unused spend", say(paste0(
        "%s of spend fell into periods without new customers of their channel (or outside the ",
        "grid) and is in no cohort's cost."
      ), text(unused / unit)))
    },
    if (any(cohorts$older)) {
      remark_table("older cohorts", say(paste0(
        "Older cohorts hold customers that this spend did not win: their cost per customer is ",
        "too low, and pooled lines leave them out."
      )))
    },
    if (yearly > 0) {
      remark_table("discount", say(
        "Discounted at %s %% a year, %s %% a %s; age 0 is not.",
        number_text(100 * yearly),
        format(signif(100 * d, 4)),
        basis$clock
      ))
    }
  )
}

# The discount of one period.
period_discount <- function(yearly, clock) (1 + yearly)^(1 / periods_a_year[[clock]]) - 1

# The groups of a cohort as one; costs that are not known of any stay so.
cohorts_together <- function(cohorts) {
  cohorts[,
    .(size = sum(size), older = any(older), total = sum(total, na.rm = !all(is.na(total)))),
    keyby = cohort
  ]
}
