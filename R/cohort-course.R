# The course of payback by age, pooled over cohorts, in short, and spend in no cohort.

#' The course of a payback, the groups together, and spend that nobody got
#'
#' @param payback `[nubrek_payback]` From [cohort_payback()].
#' @return `payback_course()`: a data frame with a row per cohort and age: `value`, cumulative
#'   margin per acquired customer (sales where no margin is known), with a 95 % interval (`lower`,
#'   `upper`) from the scatter among its customers, missing for ready tables; `cost` per acquired
#'   customer; `value_to_cost`; `complete`.
#'
#'   `payback_summary()`: a data frame with a row per group (one without groups), over all cohorts
#'   without older customers and with a cost: `cohorts`, `size`, `cost` per acquired customer;
#'   `payback_age`, the first age at which the margin of all cohorts that are complete there has
#'   reached the cost of the same cohorts, with `cohorts_there` behind it; `value_to_cost` at age
#'   `within`, of the cohorts complete there, with `value_to_cost_lower` and `value_to_cost_upper`
#'   (95 %); `highest_cost` that pays back by then.
#'
#'   `payback_pool()`: the pooled course behind it, by group and age.
#'
#'   `unused_spend()`: a data frame with spend by channel and period that had no new customers.
#' @examples
#' payback <- cohort_payback(
#'   cohort_grid(example_ledger(), "quarter", margin = 0.45, older_within = 1L), cost = 12
#' )
#' payback_course(payback)
#' payback_summary(payback)
#' unused_spend(payback)
#' @export
payback_course <- function(payback) {
  throw_unless(checkmate::check_class(payback, "nubrek_payback"), "payback", rlang::current_env())
  course <- attr(payback, "course")
  side_table(
    course[setdiff(names(course), "squares")], "payback_course", payback, per_customer_kinds
  )
}

#' @rdname payback_course
#' @export
payback_pool <- function(payback) {
  throw_unless(checkmate::check_class(payback, "nubrek_payback"), "payback", rlang::current_env())
  grouped_by <- basis_of(payback, "by")
  course <- as.data.table(attr(payback, "course"))[complete & !older & !is.na(cost) & cost > 0]
  result <- course[,
    .(
      reached = sum(value * size),
      spent = sum(cost * size),
      squares = sum(squares),
      cohorts = .N,
      size = sum(size)
    ),
    keyby = c(grouped_by, "age")
  ]
  result[, `:=`(value = reached / size, cost = spent / size)]
  result[, c("lower", "upper") := mean_interval(value, squares, size)]
  result[, value_to_cost := value / cost]
  shown <- c(
    grouped_by, "age", "value", "lower", "upper", "cost", "value_to_cost", "cohorts", "size"
  )
  side_table(
    as.data.frame(in_group_order(result, grouped_by, course))[shown],
    "payback_pool",
    payback,
    per_customer_kinds
  )
}

# A table beside a result, with its base.
side_table <- function(table, class, of, kinds = NULL) {
  new_result(
    as.list(table),
    class,
    remarks = remarks(of)[remarks(of)$about %in% c("slice", "as of"), ],
    basis = with_fields(attr(of, "basis"), list(kinds = kinds))
  )
}

per_customer_kinds <- c(
  value = "money", lower = "money", upper = "money", cost = "money", value_to_cost = "decimal"
)

#' @rdname payback_course
#' @export
payback_summary <- function(payback) {
  pool <- as.data.table(payback_pool(payback))
  grouped_by <- basis_of(payback, "by")
  within_age <- basis_of(payback, "within")
  unit <- 10^basis_of(payback, "decimals")
  course <- as.data.table(payback_course(payback))[older == FALSE & !is.na(cost) & cost > 0]
  total <- course[
    age == 0L,
    .(cohorts = .N, size = sum(size), cost = sum(cost * size) / sum(size)),
    keyby = grouped_by
  ]
  # the same comparison as for a cohort, in whole units
  multiplier <- attr(payback, "scale")
  found <- pool[,
    {
      hit <- which(round(value * size * multiplier) >= round(cost * size * multiplier))
      there <- which(age == within_age)
      list(
        payback_age = if (length(hit) > 0L) age[[hit[[1L]]]] else NA_integer_,
        cohorts_there = if (length(hit) > 0L) cohorts[[hit[[1L]]]] else NA_integer_,
        value_to_cost = at_or_na(value_to_cost, there),
        value_to_cost_lower = at_or_na(lower / cost, there),
        value_to_cost_upper = at_or_na(upper / cost, there)
      )
    },
    by = grouped_by
  ]
  if (basis_of(payback, "money") == "sales") found[, payback_age := NA_integer_]
  # the highest cost: of the cohorts complete at that age, at their best age up to it
  through <- as.data.table(attr(payback, "course"))[older == FALSE]
  through[, long := any(age == within_age & complete), by = c(grouped_by, "cohort")]
  best <- through[
    long & age <= within_age, .(value = sum(value * size) / sum(size)), by = c(grouped_by, "age")
  ][,
    .(highest_cost = if (.N > 0L) floor(max(value) * unit + 1e-9) / unit else NA_real_),
    by = grouped_by
  ]
  result <- if (length(grouped_by) > 0L) {
    best[found[total, on = grouped_by], on = grouped_by]
  } else {
    cbind(total, found, if (nrow(best) > 0L) best else data.table(highest_cost = NA_real_))
  }
  if (basis_of(payback, "money") == "sales") result[, highest_cost := NA_real_]
  shown <- c(
    grouped_by, "cohorts", "size", "cost", "payback_age", "value_to_cost", "highest_cost",
    "value_to_cost_lower", "value_to_cost_upper", "cohorts_there"
  )
  side_table(
    as.data.frame(in_group_order(result, grouped_by, course))[shown], "payback_summary", payback
  )
}

at_or_na <- function(x, at) if (length(at) > 0L) x[[at[[1L]]]] else NA_real_

#' @rdname payback_course
#' @export
unused_spend <- function(payback) {
  throw_unless(checkmate::check_class(payback, "nubrek_payback"), "payback", rlang::current_env())
  unused <- attr(payback, "unused")
  if (is.null(unused)) unused <- data.frame(cohort = as.Date(character()), amount = numeric())
  unused$amount <- unused$amount / 10^basis_of(payback, "decimals")
  side_table(unused, "unused_spend", payback)
}
