#' First-purchase cohorts: who came when, and what they did since
#'
#' One row per cohort and observed period. A cell after the as-of day is not there; zero means that it was observed and nobody
#' came.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Width of cohorts and ages: `"week"`, `"month"`, `"quarter"`, `"year"` or `"day"`; default the
#'   ledger's. Ages count calendar periods.
#' @param older_within `[integer(1)]` Cohorts starting within this many periods of the history's start may hold customers
#'   from before it. Default: the first number of periods within which 90 % of the observed gaps between purchases had ended,
#'   at least 1.
#' @return A `nubrek_grid`, sorted by cohort and age: `cohort`, `period` `[Date]`, first days of periods; `age` `[integer]`;
#'   `size`, customers of the cohort; `customers` active in the period; `orders`, `purchases`; `sales` in major units, net;
#'   `complete`, whether the data cover the whole period; `older`, whether the cohort may hold older customers.
#'   Invariants: `customers == size` at age 0; sizes add up to the customers with a purchase.
#' @examples
#' cohort_grid(example_ledger(), clock = "quarter")
#' @export
cohort_grid <- function(ledger, clock = NULL, older_within = NULL) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  check_whole(older_within, lower = 0L, null = TRUE)
  check_purchases(ledger)
  cells <- reduce_cells(ledger, clock)
  frame <- cells$frame
  within <- older_within %||% usual_gap(ledger, clock)
  at <- expand.grid(period = seq_along(frame$number), cohort = which(cells$size > 0L))
  at <- at[frame$number[at$period] >= cells$cohorts[at$cohort], ]
  pick <- function(m) m[cbind(at$cohort, at$period)]
  number <- cells$cohorts[at$cohort]
  early <- number - frame$number[[1L]]
  columns <- list(cohort = period_start(number, clock), age = frame$number[at$period] - number, period = frame$start[at$period],
                  size = cells$size[at$cohort], customers = pick(cells$customers), orders = pick(cells$orders), purchases = pick(cells$purchases),
                  sales = major(ledger, pick(cells$sales)), complete = !frame$partial[at$period], older = early >= 0L & early < within)
  new_result(columns, "grid", ledger, rbind(carried(ledger, c("as of", "history start")), grid_remarks(ledger, frame, within, columns, sum(cells$outside))),
             basis = list(clock = clock, older_within = within, no_cohort = major(ledger, sum(cells$outside))))
}

# The first number of periods within which 90 % of the gaps between purchases had ended, at least 1.
usual_gap <- function(ledger, clock, share = 0.9, until = ledger$as_of) {
  if (!is.null(ledger$meaning$first_purchase_known)) return(0L)       # nobody can be older than what is known
  frame <- period_frame(ledger, clock)
  gaps <- cpp_gap_counts(ledger$purchases, frame$row_of_day, frame$first_day, as.integer(until))
  if (sum(gaps) == 0L) return(1L)
  max(1L, which(cumsum(gaps) >= share * sum(gaps))[[1L]] - 1L)
}

grid_remarks <- function(ledger, frame, within, columns, outside) {
  partial <- frame$start[frame$partial]
  older <- length(unique(columns$cohort[columns$older]))
  idle <- sum(columns$customers == 0L & columns$sales != 0)
  rbind(
    if (length(partial) > 0L) remark_table("partial period", sprintf("The data cover %s only in part; bottom lines leave such cells out.",
      paste(period_label(partial, frame$clock), collapse = " and "))),
    if (older > 0L) remark_table("older cohorts", sprintf(
      "The first %s within %s of the history's start may hold customers from before it.", n_of(older, "cohort"), n_of(within, frame$clock))),
    if (idle > 0L) remark_table("returns only", sprintf("%s with nobody active but money: returns.", n_of(idle, "cell"))),
    if (outside != 0) remark_table("no cohort", sprintf("%s %s of sales belong to no cohort: customers without a purchase, or before their first.",
      formatC(major(ledger, outside), format = "f", digits = ledger$decimals, big.mark = "\u202f"), ledger$currency)))
}
