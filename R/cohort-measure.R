# What one can read off a grid: `top` by `base` (or `top` alone), both columns of the widened grid.
# Bottom lines pool the same way: sums by sums, of the same cells.
grid_measures <- list(
  customers = list(label = "active customers", top = "customers", kind = "count"),
  retention = list(
    label = "share of the cohort that bought", top = "customers", base = "size", kind = "share"
  ),
  still_active = list(
    label = "share of the cohort that bought at this age or later",
    top = "still_active",
    base = "size",
    kind = "share"
  ),
  purchases_per_active = list(
    label = "purchases by active customer", top = "purchases", base = "customers", kind = "decimal"
  ),
  mean_sales = list(
    label = "net sales by purchase", top = "sales", base = "purchases", kind = "money"
  ),
  sales = list(label = "net sales", top = "sales", kind = "money"),
  net_revenue_retention = list(
    label = "net sales by those at age 0", top = "sales", base = "first_sales", kind = "share"
  ),
  cumulative_sales = list(label = "cumulative net sales", top = "cumulative_sales", kind = "money"),
  cumulative_sales_per_customer = list(
    label = "cumulative net sales per acquired customer",
    top = "cumulative_sales",
    base = "size",
    kind = "money",
    grows = "sales"
  ),
  margin = list(label = "margin", top = "margin", kind = "money"),
  cumulative_margin = list(label = "cumulative margin", top = "cumulative_margin", kind = "money"),
  value_to_date = list(
    label = "value to date: cumulative margin per acquired customer",
    top = "cumulative_margin",
    base = "size",
    kind = "money",
    grows = "margin"
  )
)

#' Read a measure off a cohort grid
#'
#' @param grid `[nubrek_grid]` From [cohort_grid()] or [as_cohort_grid()].
#' @param measure `[character(1)]` One of
#'   * `"customers"`, active ones; `"retention"` (default), active customers by the size of the
#'   cohort; `"still_active"`, active at this age or later by the size, which falls towards the edge
#'   of the data by construction;
#'   * `"purchases_per_active"`; `"mean_sales"`, net sales by purchases;
#'   * `"sales"`, net; `"net_revenue_retention"`, sales by those at age 0, may exceed 1;
#'   `"cumulative_sales"`; `"cumulative_sales_per_customer"`, by all customers acquired;
#'   * `"margin"`, `"cumulative_margin"`, `"value_to_date"` (cumulative margin by all customers
#'   acquired), where the grid knows margin.
#' @param view `[character(1)]` What the columns of the table are: `"age"` (default) or `"calendar"`
#'   periods.
#' @param through `[integer(1)]` A sum over cohorts at ages holds the cohorts observed in full up to
#'   this age, the same at every age up to it, so that it never falls because cohorts drop out.
#'   Default a year, or the longest that a cohort has been observed.
#' @return A `nubrek_measure` with the grid's groups and `cohort`, `age`, `period`, `value`,
#'   `complete`, `older` and `size`. Not observed is missing, and so is a value whose base is not
#'   above 0. Money in major units. Cumulative values are complete where all ages up to theirs are;
#'   net revenue retention, where its age and age 0 are. Bottom lines are read with
#'   [bottom_lines()], the wide form with `as.matrix()` (cohorts by ages or periods).
#' @examples
#' grid <- cohort_grid(example_ledger(), "quarter")
#' as.matrix(grid_measure(grid, "retention"))
#' as.matrix(grid_measure(grid, "sales", view = "calendar"))
#' bottom_lines(grid_measure(grid, "cumulative_sales_per_customer"))
#' @export
grid_measure <- function(grid, measure = "retention", view = "age", through = NULL) {
  check_grid(grid)
  check_choice(measure, names(grid_measures))
  check_choice(view, c("age", "calendar"))
  if (view == "calendar") check_calendar(grid)
  check_whole(through, lower = 0L, null = TRUE)
  rule <- grid_measures[[measure]]
  wide <- widen_grid(grid, measure)
  value <- wide[[rule$top]]
  if (!is.null(rule$base)) {
    value <- ifelse(wide[[rule$base]] > 0, value / wide[[rule$base]], NA_real_)
  }
  grouped_by <- basis_of(grid, "by")
  sums <- if (is.null(rule$base) && view == "age") {
    clock <- basis_of(grid, "clock")
    through <- through %||% usual_reach(wide, grouped_by, clock)
    sums_remark(wide, grouped_by, through, clock)
  } else if (!is.null(through)) {
    remark_table("sums", say(paste0(
      "through = %d changes nothing here: it chooses the cohorts of a sum at ages, such as those ",
      "of the measures sales or cumulative_margin."
    ), through))
  }
  falls <- if (measure == "still_active") {
    remark_table("still active", say(paste0(
      "\u201cAt this age or later\u201d falls towards the last observed period by construction: ",
      "there is less time left to come in."
    )))
  }
  new_result(
    c(
      as.list(plain_table(grid)[c(grouped_by, "cohort", "age", "period")]),
      list(value = as.double(value), complete = wide$.whole, older = grid$older, size = grid$size)
    ),
    "measure",
    remarks = rbind(remarks(grid), falls, sums),
    basis = c(attr(grid, "basis"), list(
      measure = measure, view = view, through = through, kinds = measure_kinds(measure, "value")
    )),
    grid = grid
  )
}

check_grid <- function(grid, call = rlang::caller_env()) {
  throw_unless(checkmate::check_class(grid, "nubrek_grid"), "grid", call)
}

check_calendar <- function(grid, call = rlang::caller_env()) {
  if (identical(basis_of(grid, "ages"), "elapsed")) {
    abort_nubrek(c(
      "Elapsed ages have no calendar view.",
      "x" = "Each customer's ages begin on another day.",
      "i" = "Build the grid with {.code ages = \"calendar\"}."
    ), "argument", call = call)
  }
}

# The grid with what accumulates along a cohort: sales at age 0, running sums, missing where an
# earlier age was not observed. `.whole` says whether all that the measure is made of was observed
# in full.
widen_grid <- function(grid, measure = "sales", call = rlang::caller_env()) {
  grouped_by <- basis_of(grid, "by")
  top <- grid_measures[[measure]]$top
  wide <- as.data.table(plain_table(grid))
  if (grepl("margin", top, fixed = TRUE) && is.null(wide$margin)) {
    abort_nubrek(c(
      "This grid knows no margin.",
      "i" = "Give {.code margin} to {.fn cohort_grid}, or map a cost; sales are not value."
    ), "margin", call = call)
  }
  wide[, .place := .I]
  data.table::setorderv(wide, c(grouped_by, "cohort", "age"))
  wide[,
    `:=`(
      .so_far = age == seq_len(.N) - 1L,
      .whole_so_far = cumsum(!complete) == 0L,
      first_sales = if (age[[1L]] == 0L) sales[[1L]] else NA_real_,
      .first_whole = age[[1L]] == 0L && complete[[1L]]
    ),
    by = c(grouped_by, "cohort")
  ]
  for (name in intersect(c("sales", "margin"), names(wide))) {
    unit <- 10^(
      basis_of(grid, "decimals") +
        if (name == "margin") basis_of(grid, "margin_digits") %||% 0L else 0L
    )
    wide[,
      paste0("cumulative_", name) := data.table::fifelse(
        .so_far, cumsum(round(get(name) * unit)) / unit, NA_real_
      ),
      by = c(grouped_by, "cohort")
    ]
  }
  wide[,
    .whole := if (startsWith(top, "cumulative_")) {
      .whole_so_far & .so_far
    } else if (measure == "net_revenue_retention") {
      complete & .first_whole
    } else {
      complete
    }
  ]
  data.table::setorder(wide, .place)[]
}

# Groups in the order in which they stand in the grid.
in_group_order <- function(table, by, like) {
  if (length(by) == 0L) return(table)
  known <- unique(as.data.table(like)[, by, with = FALSE])
  table[order(known[table, on = by, which = TRUE, mult = "first"])]
}

#' What happened in each period, over all cohorts: the diagonals of a grid
#'
#' @param grid `[nubrek_grid]` With calendar ages.
#' @return A `nubrek_diagonals`, one row per period (and group): `period`; `customers`, active ones;
#'   `new`, of them with their first purchase in it; `later`, the others; `older_customers`, of the
#'   active those of cohorts that may hold older customers; `orders`, `purchases`; `sales`,
#'   `sales_new`, `sales_later`, `margin` where known, in major units; `partial`. Invariants:
#'   `customers = new + later`; sums over the periods are sums of the grid.
#' @examples
#' diagonal_totals(cohort_grid(example_ledger(), "quarter"))
#' @export
diagonal_totals <- function(grid) {
  check_grid(grid)
  check_calendar(grid)
  grouped_by <- basis_of(grid, "by")
  unit <- 10^basis_of(grid, "decimals")
  cells <- as.data.table(plain_table(grid))
  exact <- \(x) sum(round(x * unit)) / unit
  result <- cells[,
    .(
      customers = sum(customers),
      new = sum(customers[age == 0L]),
      later = sum(customers[age > 0L]),
      older_customers = sum(customers[older]),
      orders = sum(orders),
      purchases = sum(purchases),
      sales = exact(sales),
      sales_new = exact(sales[age == 0L]),
      sales_later = exact(sales[age > 0L]),
      partial = !all(complete)
    ),
    keyby = c(grouped_by, "period")
  ]
  if (!is.null(cells$margin)) {
    margin_scale <- unit * 10^(basis_of(grid, "margin_digits") %||% 0L)
    result[,
      margin := cells[,
        .(margin = sum(round(margin * margin_scale)) / margin_scale),
        keyby = c(grouped_by, "period")
      ]$margin
    ]
  }
  new_result(
    as.list(in_group_order(result, grouped_by, cells)),
    "diagonals",
    remarks = remarks(grid),
    basis = attr(grid, "basis"),
    grid = grid
  )
}

#' @export
as.matrix.nubrek_measure <- function(x, ...) {
  rows <- unique(plain_table(x)[c(basis_of(x, "by"), "cohort")])
  key <- \(table) do.call(
    paste, c(lapply(table[c(basis_of(x, "by"), "cohort")], format), sep = " ")
  )
  calendar <- identical(basis_of(x, "view"), "calendar")
  columns <- if (calendar) sort(unique(x$period)) else seq.int(min(0L, x$age), max(x$age))
  result <- matrix(
    NA_real_, nrow(rows), length(columns), dimnames = list(trimws(key(rows)), format(columns))
  )
  if (!calendar) colnames(result) <- columns
  where <- match(if (calendar) x$period else x$age, columns)
  result[cbind(match(key(x), key(rows)), where)] <- x$value
  result
}

# How the columns of a measure are written.
measure_kinds <- function(measure, columns) {
  stats::setNames(rep(grid_measures[[measure]]$kind, length(columns)), columns)
}
