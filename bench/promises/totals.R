# Cohorts of customers who leave by a chance of their own and, while there, buy in a period or not;
# of the cohort totals alone a forecast is made.

cohort_world <- function(seed, cell) {
  set.seed(seed)
  ahead <- 4L
  periods <- cell$cohorts + ahead
  rows <- do.call(rbind, lapply(seq_len(cell$cohorts), \(cohort) {
    stays <- rgeom(cell$size, rbeta(cell$size, 1, 2.5))
    active <- vapply(0:(periods - cohort), \(age) {
      if (age == 0L) return(cell$size)
      there <- stays >= age
      sum(if (cell$leaving == "final") there else there & runif(cell$size) < 0.5) + 0
    }, 0)
    data.frame(
      cohort, period = cohort:periods, acquired = cell$size, active,
      sales = vapply(active, \(n) sum(rgamma(n, 1.5, 0.03)), 0)
    )
  }))
  model <- fit_totals(cohort_totals(rows[rows$period <= cell$cohorts, ]), cell$leaving)
  f <- forecast_totals(model, ahead, seed = seed)
  came <- rowsum(rows[c("active", "sales")], rows$period)[cell$cohorts + seq_len(ahead), ]
  inside <- \(x, lower, upper) mean(lower <= x & x <= upper)
  c(
    active = inside(came$active, f$lower, f$upper),
    sales = inside(came$sales, f$sales_lower, f$sales_upper),
    `error of the sum` = sum(f$active) / sum(came$active) - 1
  )
}
promise(
  "totals",
  "The 95 % intervals of `forecast_totals()` hold what the next four periods bring.",
  of = c("R/forecast-totals.R", "R/forecast-totals-ahead.R"),
  cells = within(
    data.frame(
      leaving = c("silent", "silent", "silent", "silent", "final"), cohorts = c(6, 12, 12, 12, 12),
      size = c(15, 15, 60, 1000, 15)
    ),
    world <- sprintf(
      "%d cohorts of %s, leaving is %s", cohorts, format_count(size), leaving
    )
  ),
  measure = cohort_world,
  holds = list(active = c(0.92, 0.98), sales = c(0.92, 0.98)),
  show = list(`error of the sum` = \(x) sprintf("%+.1f", 100 * mean(x))),
  worlds = 200L
)
