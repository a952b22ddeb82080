# The bottom lines of a cohort table: shares over the cells of all cohorts, sums over a fixed set.

#' The lines under a cohort table
#'
#' Weighted by size over the complete cells of each age (or period), never a mean of
#' percentages, with the same cohorts above and below the line. A sum at ages holds a fixed set
#' of cohorts, see `through` in [grid_measure()]; a sum of a period holds all, also of one that
#' is incomplete. Two lines are given: without the cohorts that may hold older customers, and
#' over all. Values that cumulate per customer have two more, `"chained, ..."`: the sums of each
#' age's mean, which use every cohort at the ages it has reached.
#'
#' @param measure `[nubrek_measure]` From [grid_measure()].
#' @return A data frame: the grid's groups; `line`; `age` or (calendar view) `period`;
#'   `value`, pooled for shares and means, the sum for customers and money; `cohorts` and
#'   `size`, how many stand behind it; `complete`, false for an incomplete period. Missing where
#'   the pooled base is not above 0. A cohort whose age 0 is not complete is out of the net-
#'   revenue-retention line at all ages.
#' @examples
#' bottom_lines(grid_measure(cohort_grid(example_ledger(), "quarter"), "retention"))
#' @export
bottom_lines <- function(measure) {
  throw_unless(checkmate::check_class(measure, "nubrek_measure"), "measure", rlang::current_env())
  rule <- grid_measures[[basis_of(measure, "measure")]]
  grouped_by <- basis_of(measure, "by")
  place <- if (identical(basis_of(measure, "view"), "calendar")) "period" else "age"
  through <- basis_of(measure, "through")
  wide <- widen_grid(attr(measure, "grid"), basis_of(measure, "measure"))
  names_of <- c("without older cohorts", "all cohorts")
  lines <- lapply(names_of, \(line) {
    here <- if (line == "all cohorts") wide else wide[older == FALSE]
    cells <- here[complete == TRUE]
    of_line <- if (!is.null(rule$base)) {
      cells[(.whole)]
    } else if (place == "age") {
      fixed_cohorts(cells[(.whole)], grouped_by, through)
    } else {
      here
    }
    pooled <- pool_cells(of_line, c(grouped_by, place), rule$top, rule$base)
    partial <- unique(of_line[complete == FALSE, c(grouped_by, place), with = FALSE])
    pooled[, complete := TRUE][partial, on = c(grouped_by, place), complete := FALSE]
    chained <- if (!is.null(rule$grows)) pool_cells(cells, c(grouped_by, place), rule$grows, "size")
    if (!is.null(chained)) {
      chained[, `:=`(value = cumsum(value), complete = TRUE), by = grouped_by]
    }
    rbind(
      cbind(line = rep(line, nrow(pooled)), pooled),
      if (!is.null(chained)) cbind(line = rep(paste0("chained, ", line), nrow(chained)), chained)
    )
  })
  result <- rbindlist(lines)
  result <- result[order(match(line, c(names_of, paste0("chained, ", names_of))))]
  side_table(
    as.data.frame(in_group_order(result, grouped_by, wide))[
      c(grouped_by, "line", place, "value", "cohorts", "size", "complete")
    ],
    "bottom_lines",
    measure,
    measure_kinds(basis_of(measure, "measure"), "value")
  )
}

# The cells up to an age of those cohorts that have all of them: in a sum over other cohorts, some
# would be missing at some ages.
fixed_cohorts <- function(cells, by, through) {
  reach <- reach_of(cells, by)[reach >= through]
  cells[age <= through][reach, on = c(by, "cohort"), nomatch = NULL, names(cells), with = FALSE]
}

# The age up to which each cohort is observed in full, from the first one on.
reach_of <- function(cells, by) {
  first <- if (nrow(cells) > 0L) min(cells$age) else 0L
  cells[(.whole), .(reach = first + sum(age == first + seq_len(.N) - 1L) - 1L),
    keyby = c(by, "cohort")
  ][reach >= first]
}

# A year, or as far as a cohort has come; cohorts that may hold older customers only where there is
# no other.
usual_reach <- function(wide, by, clock) {
  cells <- wide[!older & complete & .whole]
  if (nrow(cells) == 0L) cells <- wide[complete & .whole]
  if (nrow(cells) == 0L) return(0L)
  as.integer(min(floor(periods_a_year[[clock]]), max(reach_of(cells, by)$reach)))
}

sums_remark <- function(wide, by, through, clock) {
  reach <- reach_of(wide[complete & .whole], by)
  remark_table("sums", say(
    paste0(
      "Sums hold the cohorts observed through %s %d since the first purchase (%d of %d), the same ",
      "at every age."
    ),
    clock, through, sum(reach$reach >= through),
    nrow(unique(wide[, c(by, "cohort"), with = FALSE]))
  ))
}

pool_cells <- function(cells, keys, top, base) {
  if (is.null(base)) {
    return(
      cells[,
        .(value = as.double(sum(.SD[[1L]])), cohorts = .N, size = sum(size)),
        keyby = keys,
        .SDcols = top
      ]
    )
  }
  cells[,
    .(
      value = {
        below <- sum(as.double(.SD[[2L]]))
        if (!is.na(below) && below > 0) sum(.SD[[1L]]) / below else NA_real_
      },
      cohorts = .N,
      size = sum(size)
    ),
    keyby = keys,
    .SDcols = c(top, base)
  ]
}
