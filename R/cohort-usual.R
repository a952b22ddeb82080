# Measures with an interval: sums of squares and products, over customers, of what stands above and
# below the line.
usual_measures <- list(
  retention = list(tt = "customers", tb = "customers", bb = "size"),
  net_revenue_retention = list(tt = "squares", tb = "with_first", bb = "first_squares"),
  cumulative_sales_per_customer = list(tt = "running", tb = "cumulative_sales", bb = "size"),
  value_to_date = list(tt = "margin_running", tb = "cumulative_margin", bb = "size")
)

#' Is a cohort better or worse than usual, and is it noise?
#'
#' Each cohort against the pool of all earlier cohorts at the same age (complete cells, without
#' cohorts that may hold older customers). The interval of the difference holds the chance of single
#' customers and, where the earlier cohorts scatter more than that chance explains (seasons,
#' campaigns), their scatter as well.
#'
#' For shares the interval joins Wilson's intervals of both; for money it is that of a ratio of sums
#' over customers. The variance is multiplied by
#' \deqn{\phi = \max\left(1, \frac{\sum_a \sum_j (v_{ja} - R_a)^2 / \mathrm{Var}(v_{ja})}{\sum_a
#' (k_a - 1)}\right)}{phi = max(1, sum of squared standardised deviations by degrees of freedom)}
#' over the \eqn{k_a} earlier cohorts \eqn{j} and ages \eqn{a} from 1 on, with the t distribution of
#' the number of earlier cohorts less one where \eqn{\phi > 1}. A grid from a ready table does not
#' know how its customers differ in money: there the scatter of the earlier cohorts alone makes the
#' interval. Because many cells are judged at once, the verdict asks for a p-value that holds for
#' all of them together (false discovery rate of 5 %, Benjamini and Hochberg).
#'
#' @param grid `[nubrek_grid]`
#' @param measure `[character(1)]` `"retention"` (default), `"net_revenue_retention"`,
#'   `"cumulative_sales_per_customer"` or `"value_to_date"`.
#' @param least_cohorts `[integer(1)]` So many earlier cohorts make a pool; default 3.
#' @param least_customers `[integer(1)]` Smaller cohorts are not judged; default 30.
#' @param level `[numeric(1)]` Of the interval, default 0.95.
#' @return A `nubrek_usual`, one row per group, cohort and age from 1 on (money: from 0) that is
#'   complete and has earlier cohorts: `cohort`, `age`, `value`, `usual`, `difference`, its `lower`
#'   and `upper`; `p`, two-sided; `verdict` (`"better"`, `"worse"`, `"as usual"`: not told from
#'   noise, `"too few"`); `cohorts` and `customers` behind the usual, `size` of the cohort;
#'   `scatter`, the factor by which the variance between cohorts exceeds chance.
#' @references Newcombe (1998), Interval estimation for the difference between independent
#'   proportions, method 10. Benjamini and Hochberg (1995), Controlling the false discovery rate.
#'   McCullagh and Nelder (1989), Generalized Linear Models, section 4.5, for the scatter.
#' @examples
#' against_usual(cohort_grid(
#'   example_ledger(), "month", older_within = 0L
#' ), least_cohorts = 1L, least_customers = 1L)
#' @export
against_usual <- function(
  grid, measure = "retention", least_cohorts = 3L, least_customers = 30L, level = 0.95
) {
  check_grid(grid)
  check_choice(measure, names(usual_measures))
  check_whole(least_cohorts)
  check_whole(least_customers)
  check_share(level, lower = 0.5, upper = 0.999)
  grouped_by <- basis_of(grid, "by")
  cells <- squares_of(grid, measure)
  known <- !anyNA(cells$tt)
  cells <- compare_with_earlier(cells, grouped_by)
  judged <- cells[k >= least_cohorts & (known | k >= 3L)]
  share <- grid_measures[[measure]]$kind == "share" && measure == "retention"
  found <- if (known) known_noise(judged, share, level) else scatter_noise(judged, level)
  judged[, `:=`(lower = found$lower, upper = found$upper, p = found$p)]
  judged[, enough := size >= least_customers & customers_before >= least_customers]
  sure <- rep(FALSE, nrow(judged))
  sure[judged$enough] <- stats::p.adjust(judged$p[judged$enough], "BH") < 1 - level
  judged[,
    verdict := data.table::fifelse(!enough, "too few", data.table::fifelse(
      sure & value > usual, "better", data.table::fifelse(sure, "worse", "as usual")
    ))
  ]
  data.table::setorderv(judged, c(grouped_by, "cohort", "age"))
  judged <- in_group_order(judged, grouped_by, plain_table(grid))
  notes <- rbind(
    remarks(grid),
    remark_table("usual", say(paste0(
      "Usual: all earlier cohorts together at the same age. Of the cells called better or worse ",
      "about %s in 100 may be noise."
    ), format(100 - 100 * level))),
    if (!known) {
      remark_table("scatter", say(paste0(
        "The table does not tell how customers differ in money; intervals come from the scatter ",
        "of the earlier cohorts."
      )))
    }
  )
  new_result(
    as.list(
      judged[,
        c(
          grouped_by, "cohort", "age", "value", "usual", "difference", "lower", "upper", "p",
          "verdict",
          "cohorts", "customers", "size", "scatter"
        ),
        with = FALSE
      ]
    ),
    "usual",
    remarks = notes,
    basis = c(attr(grid, "basis"), list(measure = measure, level = level, kinds = measure_kinds(
      measure, c("value", "usual", "difference", "lower", "upper")
    )))
  )
}

# Complete cells of cohorts without older customers, with `top`, `base` and their sums of squares
# and products.
squares_of <- function(grid, measure) {
  grouped_by <- basis_of(grid, "by")
  rule <- grid_measures[[measure]]
  squares <- usual_measures[[measure]]
  wide <- widen_grid(grid, measure)
  wide <- cbind(
    wide,
    scatter_for(grid, wide) %||%
      data.table(
        squares = NA_real_, with_first = NA_real_, running = NA_real_, margin_running = NA_real_
      )
  )
  wide[,
    first_squares := if (age[[1L]] == 0L) squares[[1L]] else NA_real_,
    by = c(grouped_by, "cohort")
  ]
  wide <- wide[
    .whole &
      !older &
      age >= (if (rule$top == "cumulative_sales" || rule$top == "cumulative_margin") 0L else 1L)
  ]
  kept <- c(grouped_by, "cohort", "age", "size", rule$top, rule$base, unlist(squares))
  wide <- wide[, kept, with = FALSE]
  data.table::setnames(wide, c(grouped_by, "cohort", "age", "size", "top", "base", names(squares)))
  for (name in c("size", "top", "base", "tt", "tb", "bb")) {
    data.table::set(wide, NULL, name, as.double(wide[[name]]))
  }
  data.table::setorderv(wide, c(grouped_by, "age", "cohort"))[]
}

# Sums over the earlier cohorts at each age, by running sums; then the scatter over all ages.
compare_with_earlier <- function(cells, by) {
  before <- \(x) cumsum(x) - x
  cells[, `:=`(value = data.table::fifelse(base > 0, top / base, NA_real_), weight = base^2 / size)]
  cells[,
    `:=`(
      k = seq_len(.N) - 1L,
      n_before = before(size),
      t_before = before(top),
      b_before = before(base),
      tt_before = before(tt),
      tb_before = before(tb),
      bb_before = before(bb),
      w_before = before(weight),
      wv_before = before(weight * value),
      wvv_before = before(weight * value^2)
    ),
    by = c(by, "age")
  ]
  cells[, usual := data.table::fifelse(b_before > 0, t_before / b_before, NA_real_)]
  cells[,
    `:=`(
      spread = wvv_before - 2 * usual * wv_before + usual^2 * w_before,
      unit = (tt_before - 2 * usual * tb_before + usual^2 * bb_before) / n_before
    )
  ]
  # seen from a cohort: all earlier ones at all ages
  told <- cells[
    k >= 2L & unit > 0, .(excess = sum(spread / unit), freedom = sum(k - 1)), by = c(by, "cohort")
  ]
  told[, scatter := pmax(1, excess / freedom)]
  cells[, scatter := 1]
  if (nrow(told) > 0L) cells[told, scatter := i.scatter, on = c(by, "cohort")]
  cells[, most := max(0L, k), by = c(by, "cohort")]
  cells[
    !is.na(value) & !is.na(usual),
    `:=`(
      difference = value - usual,
      cohorts = k,
      customers = as.integer(n_before),
      customers_before = n_before
    )
  ]
  cells[!is.na(difference)]
}

# Where the squares over customers are known.
known_noise <- function(cells, share, level) {
  quantile_of <- ifelse(
    cells$scatter > 1,
    stats::qt((1 + level) / 2, pmax(1, cells$most - 1)),
    stats::qnorm((1 + level) / 2)
  )
  tail <- \(z) 2 *
    ifelse(cells$scatter > 1, stats::pt(-z, pmax(1, cells$most - 1)), stats::pnorm(-z))
  pool <- (cells$tt_before - 2 * cells$usual * cells$tb_before + cells$usual^2 * cells$bb_before) /
    cells$b_before^2
  noise <- (cells$tt - 2 * cells$value * cells$tb + cells$value^2 * cells$bb) / cells$base^2
  if (!share) {
    error <- sqrt(cells$scatter * (pool + noise))
    return(list(
      lower = cells$difference - quantile_of * error,
      upper = cells$difference + quantile_of * error,
      p = tail(abs(cells$difference) / error)
    ))
  }
  both <- (cells$top + cells$t_before) / (cells$size + cells$n_before)
  error <- sqrt(cells$scatter * both * (1 - both) * (1 / cells$size + 1 / cells$n_before))
  c(
    newcombe(
      cells$value,
      cells$size / cells$scatter,
      cells$usual,
      cells$n_before / cells$scatter,
      quantile_of
    ),
    list(p = ifelse(error > 0, tail(abs(cells$difference) / error), 1))
  )
}

# Where only cohorts are known, their scatter is the noise.
scatter_noise <- function(cells, level) {
  freedom <- cells$k - 1
  error <- sqrt(pmax(0, cells$spread) / freedom * (1 / cells$weight + 1 / cells$w_before))
  quantile_of <- stats::qt((1 + level) / 2, freedom)
  list(
    lower = cells$difference - quantile_of * error,
    upper = cells$difference + quantile_of * error,
    p = 2 * stats::pt(-abs(cells$difference) / error, freedom)
  )
}
