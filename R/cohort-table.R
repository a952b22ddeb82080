#' A cohort grid from a ready table
#'
#' For those who have counts and sales by cohort and period, but no orders. Everything that reads a
#' grid works on it; what the table does not tell is missing.
#'
#' Cells that the table leaves out or blank, up to the as-of day, count as nobody; that many are
#' told in a remark. Trailing periods in which nothing happened at all are taken for not observed
#' yet, not for zero.
#'
#' @param table `[data.frame | character]` One row per cohort and period (and group), or the path of
#'   such a file.
#' @param cohort,period,age `[character(1)]` Columns: the cohort, and the period or the age. A
#'   period is a day in it, or written like `2024-03`, `2024 Q2`, `2024-W05`, `2024`.
#' @param customers `[character(1)]` Column with the active customers.
#' @param sales,orders,purchases,margin `[character(1)]` Columns, where there are such.
#' @param size `[character(1)]` Column with the size of the cohort; default the customers at age 0.
#' @param by `[character]` Columns of groups whose cohorts stand side by side.
#' @param meaning `[nubrek_meanings]` Clock, currency, as-of day (default: the end of the last
#'   period in which anything happened), history start (default: the first cohort), week and fiscal
#'   year, how dates are written.
#' @param margin_rate `[numeric(1)]` Instead of a column: margin by sales.
#' @param older_within `[integer(1)]` Cohorts that may hold older customers, as in [cohort_grid()];
#'   a table cannot tell, so the default is 0.
#' @return A `nubrek_grid`, as from [cohort_grid()].
#' @examples
#' ready <- data.frame(
#'   cohort = c("2024-01", "2024-01", "2024-02"),
#'   period = c("2024-01", "2024-02", "2024-02"),
#'   customers = c(40, 12, 50),
#'   sales = c(800, 260.50, 1010)
#' )
#' grid <- as_cohort_grid(
#'   ready, sales = "sales", margin_rate = 0.4, meaning = meanings(currency = "EUR")
#' )
#' grid_measure(grid, "value_to_date")
#' @export
as_cohort_grid <- function(
  table, cohort = "cohort", period = if (is.null(age)) "period", age = NULL,
  customers = "customers", sales = NULL, orders = NULL, purchases = NULL, margin = NULL,
  size = NULL, by = NULL, meaning = meanings(), margin_rate = NULL, older_within = 0L
) {
  throw_unless(checkmate::check_class(meaning, "nubrek_meanings"), "meaning", rlang::current_env())
  check_share(margin_rate, -1, 1, null = TRUE)
  check_whole(older_within, lower = 0L)
  if (is.null(period) == is.null(age)) {
    abort_nubrek(
      "Name either the column of the {.arg period} or that of the {.arg age}.", "argument"
    )
  }
  named <- c(
    cohort = cohort, period = period, age = age, customers = customers, sales = sales,
    orders = orders, purchases = purchases, margin = margin, size = size
  )
  read <- read_source(table)
  check_columns_exist(c(named, by), names(read$table), read$files[[1L]])
  group <- group_names(by, grid_columns)
  if (length(by) > 0L) data.table::setnames(read$table, by, group)
  by <- if (length(by) > 0L) group
  clock <- ledger_clock(list(meaning = meaning))
  decimals <- currency_decimals(meaning$currency %||% "")
  cells <- read_cells_table(read$table, named, by, clock, decimals, meaning)
  last <- last_period(cells, clock, meaning)
  cells <- fill_cells(cells[number <= last$number], by, last$number, rlang::current_env())
  margins <- table_margin(cells, margin_rate, !is.null(margin), decimals)
  columns <- grid_of_cells(cells, by, clock, decimals, margins$units)
  columns$complete <- period_end(cells$number, clock) <= last$as_of &
    columns$period >= (meaning$history_start %||% min(columns$period))
  columns$older <- cells$first - min(cells$first) < older_within
  notes <- rbind(
    ready_remarks(columns, clock, attr(cells, "filled"), last$dropped), margin_remark(margins$words)
  )
  new_grid(columns, NULL, notes, list(
    clock = clock,
    ages = "calendar",
    by = by,
    older_within = older_within,
    margin = margins$words,
    margin_digits = margins$digits,
    no_cohort = 0,
    as_of = last$as_of,
    currency = meaning$currency %||% "",
    decimals = decimals
  ))
}

# The margin of a ready table: by a rate, or as its column says.
table_margin <- function(cells, margin_rate, has_column, decimals) {
  if (!is.null(margin_rate)) {
    rate <- whole_rates(margin_rate)
    return(list(
      units = cells$sales * rate$whole / 10^(decimals + rate$digits),
      words = paste0(number_text(100 * margin_rate), " % of sales"),
      digits = rate$digits
    ))
  }
  if (!has_column) return(list(digits = 0L))
  list(units = cells$margin / 10^decimals, words = "as the table says", digits = 0L)
}

grid_of_cells <- function(cells, by, clock, decimals, margin) {
  c(
    as.list(cells)[by],
    list(
      cohort = period_start(cells$first, clock),
      age = cells$number - cells$first,
      period = period_start(cells$number, clock),
      size = cells$size,
      customers = cells$customers,
      still_active = rep(NA_integer_, nrow(cells)),
      orders = cells$orders,
      purchases = cells$purchases,
      sales = cells$sales / 10^decimals
    ),
    if (!is.null(margin)) list(margin = margin)
  )
}

# What a grid's own columns hold.
cells_known <- c(
  cohort = "period", age = "count", period = "period", size = "count", customers = "count",
  orders = "count", purchases = "count", sales = "money", margin = "money", still_active = "count",
  complete = "flag", older = "flag"
)

# Names that groups of a grid cannot have: its columns, and those of all that is made from it.
grid_columns <- c(
  names(cells_known),
  "value",
  "line",
  "cohorts",
  "usual",
  "difference",
  "lower",
  "upper",
  "p",
  "verdict",
  "scatter",
  "cost",
  "value_to_date",
  "payback_age",
  "value_to_cost",
  "status",
  "expected_age",
  "highest_cost",
  "sales_per_customer",
  "sales_to_cost",
  "payback",
  "to_age",
  "value_lower",
  "value_upper",
  "value_after_cost",
  "return_on_cost",
  "observed",
  "what",
  "sales_lower",
  "sales_upper",
  "per_customer",
  "per_customer_lower",
  "per_customer_upper",
  "amount",
  "new",
  "later",
  # and what the work in between is called
  "units",
  "squares",
  "total",
  "row",
  "money",
  "seen",
  "place",
  "group",
  "whole",
  "first",
  "number",
  "given",
  "top",
  "base",
  "k"
)

read_cells_table <- function(
  table, named, by, clock, decimals, meaning, call = rlang::caller_env()
) {
  text <- \(role) table[[named[[role]]]]
  first <- period_number(
    ready_periods(text("cohort"), named[["cohort"]], clock, meaning, call), clock
  )
  number <- if ("age" %in% names(named)) {
    first + ready_counts(text("age"), named[["age"]], call, blank = FALSE)
  } else {
    period_number(ready_periods(text("period"), named[["period"]], clock, meaning, call), clock)
  }
  column <- \(role) {
    if (!role %in% names(named)) {
      rep(NA, nrow(table))
    } else if (cells_known[[role]] == "money") {
      ready_money(text(role), named[[role]], decimals, meaning, call)
    } else {
      ready_counts(text(role), named[[role]], call)
    }
  }
  cells <- data.table::setDT(c(
    lapply(table[, by, with = FALSE], \(x) ifelse(is_blank(x), "(missing)", trim_text(x))),
    list(
      first = first,
      number = number,
      customers = column("customers"),
      sales = as.double(column("sales")),
      orders = as.integer(column("orders")),
      purchases = as.integer(column("purchases")),
      margin = as.double(column("margin")),
      given = as.integer(column("size"))
    )
  ))
  fault <- \(bad, what) {
    if (any(bad)) {
      abort_nubrek(c(
        "{what}", "x" = "Row {which(bad)[[1]]} of the table; {sum(bad)} row{?s} in all."
      ), "table", rows = which(bad), call = call)
    }
  }
  fault(cells$number < cells$first, "A cohort has no period before its own.")
  fault(
    duplicated(cells, by = c(by, "first", "number")),
    "A cohort and period must stand in one row only."
  )
  cells
}

# The as-of day, and what lies behind it: nothing but zeros there is "not observed yet".
last_period <- function(cells, clock, meaning, call = rlang::caller_env()) {
  busy <- (!is.na(cells$customers) & cells$customers > 0L) |
    (!is.na(cells$sales) & cells$sales != 0)
  if (!any(busy)) abort_nubrek("Nobody is in this table.", "no_purchases", call = call)
  as_of <- meaning$as_of %||% period_end(max(cells$number[busy]), clock)
  last <- period_number(as_of, clock)
  late <- busy & cells$number > last
  if (any(late)) {
    abort_nubrek(c(
      "The table has customers or sales after the as-of day ({format(as_of)}).",
      "x" = "Row {which(late)[[1]]}; {sum(late)} row{?s} in all."
    ), "table", rows = which(late), call = call)
  }
  list(as_of = as_of, number = last, dropped = sum(cells$number > last))
}

# Every cell up to the as-of day, with the cohorts' sizes.
fill_cells <- function(cells, by, last, call) {
  keys <- c(by, "first")
  sizes <- cells[,
    .(
      size = if (!all(is.na(given))) {
        max(given, na.rm = TRUE)
      } else if (any(number == first)) {
        customers[number == first]
      } else {
        NA_integer_
      },
      varies = length(unique(given[!is.na(given)])) > 1L
    ),
    keyby = keys
  ]
  if (anyNA(sizes$size)) {
    abort_nubrek(c(
      "The size of {sum(is.na(sizes$size))} cohort{?s} is not known.",
      "i" = "Add the customers at age 0, or a column with the size."
    ), "table", call = call)
  }
  if (any(sizes$varies)) {
    abort_nubrek(
      "A cohort has one size; {sum(sizes$varies)} of the table {?has/have} several.",
      "table",
      call = call
    )
  }
  nobody <- cells[sizes[size == 0L], on = keys, nomatch = NULL]
  if (any(nobody$customers > 0L, na.rm = TRUE) || any(nobody$sales != 0, na.rm = TRUE)) {
    abort_nubrek("A cohort of nobody has customers or sales.", "table", call = call)
  }
  sizes <- sizes[size > 0L]
  full <- sizes[, .(number = seq.int(first[[1L]], last)), by = c(keys, "size")]
  known <- vapply(cells, \(x) !all(is.na(x)), NA)
  words <- unique(sizes[, by, with = FALSE])
  missing_last <- do.call(order, c(
    unname(lapply(words, \(x) x == "(missing)")), unname(as.list(words)), list(method = "radix")
  ))
  if (length(by) > 0L) full <- in_group_order(full, by, words[missing_last])
  result <- cells[full, on = c(keys, "number")]
  blank <- is.na(result$customers)
  for (name in intersect(
    c("customers", "sales", "orders", "purchases", "margin"), names(known)[known]
  )) {
    zero <- if (is.integer(result[[name]])) 0L else 0
    data.table::set(result, which(is.na(result[[name]])), name, zero)
  }
  if (any(result$customers > result$size)) {
    abort_nubrek(c(
      "More customers are active than the cohort has.",
      "x" = "{sum(result$customers > result$size)} cell{?s}."
    ), "table", call = call)
  }
  structure(result, filled = sum(blank))
}

ready_remarks <- function(columns, clock, filled, dropped) {
  rbind(
    if (any(!columns$complete)) {
      remark_table("partial period", say(
        "The data cover %s only in part. Shares and averages at the bottom leave out such cells.",
        paste(
          period_label(sort(unique(columns$period[!columns$complete])), clock), collapse = " and "
        )
      ))
    },
    if (filled > 0L) {
      remark_table("filled", say(
        "%s that the table leaves out, up to the as-of day, count as nobody.", n_of(filled, "cell")
      ))
    },
    if (dropped > 0L) {
      remark_table("not observed", say(
        "%s after the as-of day hold only zeros: not observed yet, so left out.",
        n_of(dropped, "row")
      ))
    },
    if (any(columns$older)) {
      remark_table("older cohorts", say("The first cohorts are said to hold older customers."))
    }
  )
}
