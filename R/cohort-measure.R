# What one can read off a grid; each is a function of the grid's columns.
grid_measures <- list(
  customers = list(value = \(g) g$customers, label = "active customers"),
  retention = list(value = \(g) g$customers / g$size, label = "share of the cohort that bought"),
  sales = list(value = \(g) g$sales, label = "net sales"))

#' Read a measure off a cohort grid
#'
#' @param grid `[nubrek_grid]` From [cohort_grid()].
#' @param measure `[character(1)]` `"customers"`, active ones; `"retention"`, active customers by the size of the cohort;
#'   `"sales"`, net, in major units.
#' @return A `nubrek_measure` with `cohort`, `age`, `value`, `complete`, `older` and `size`. Its bottom lines are read with
#'   [bottom_lines()], its wide form with `as.matrix()` (cohorts by ages, not observed is `NA`).
#' @examples
#' retention <- grid_measure(cohort_grid(example_ledger(), "quarter"), "retention")
#' as.matrix(retention)
#' bottom_lines(retention)
#' @export
grid_measure <- function(grid, measure = "retention") {
  throw_unless(checkmate::check_class(grid, "nubrek_grid"), "grid", rlang::current_env())
  check_choice(measure, names(grid_measures))
  new_result(list(cohort = grid$cohort, age = grid$age, value = grid_measures[[measure]]$value(grid), complete = grid$complete,
                  older = grid$older, size = grid$size), "measure", remarks = remarks(grid),
             basis = c(attr(grid, "basis"), list(measure = measure)), grid = grid)
}

#' The lines under a cohort table
#'
#' Weighted by size over the complete cells of each age, never a mean of percentages. Two lines are given: without the cohorts
#' that may hold older customers, and over all.
#'
#' @param measure `[nubrek_measure]` From [grid_measure()].
#' @return A data frame: `line` (`"without older cohorts"`, `"all cohorts"`), `age`, `value` (pooled share for retention, sum
#'   for the others), `cohorts` and `size`, how many stand behind it.
#' @examples
#' bottom_lines(grid_measure(cohort_grid(example_ledger(), "quarter"), "retention"))
#' @export
bottom_lines <- function(measure) {
  throw_unless(checkmate::check_class(measure, "nubrek_measure"), "measure", rlang::current_env())
  grid <- plain_table(attr(measure, "grid"))
  pooled <- identical(basis_of(measure, "measure"), "retention")
  column <- if (identical(basis_of(measure, "measure"), "sales")) "sales" else "customers"
  one_line <- function(line, keep) {
    g <- as.data.table(grid[keep & grid$complete, ])
    g[, top := g[[column]]]
    g <- g[, .(value = sum(top), cohorts = .N, size = sum(size)), keyby = age]
    if (pooled) g[, value := value / size]
    data.frame(line = rep(line, nrow(g)), as.data.frame(g)[c("age", "value", "cohorts", "size")])
  }
  rbind(one_line("without older cohorts", !grid$older), one_line("all cohorts", rep(TRUE, nrow(grid))))
}

#' @export
as.matrix.nubrek_measure <- function(x, ...) {
  cohorts <- sort(unique(x$cohort))
  ages <- 0:max(x$age)
  out <- matrix(NA_real_, length(cohorts), length(ages), dimnames = list(format(cohorts), ages))
  out[cbind(match(x$cohort, cohorts), x$age + 1L)] <- x$value
  out
}
