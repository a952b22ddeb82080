# What the report says of first-purchase cohorts.

report_cohorts <- function(run) {
  htmltools::tagList(lapply(report_measures(run), \(name) {
    measure <- grid_measure(run$cohorts, name)
    html_figure(measure, height = grid_height(measure))
  }))
}

# Retention and what accumulates; where no margin is known, that is sales.
report_measures <- function(run) {
  run$study$cohorts$measures %||%
    c(
      "retention",
      if (is.null(run$cohorts$margin)) "cumulative_sales_per_customer" else "value_to_date"
    )
}

report_usual <- function(run) {
  enough <- any(run$usual$verdict != "too few")
  htmltools::tagList(
    html_subject("Are the newer cohorts better?", NULL),
    if (has_curves(run$cohorts)) {
      html_figure(grid_measure(run$cohorts, "retention"), height = 5.6, shape = "curves")
    },
    if (enough) {
      html_figure(run$usual, height = 6.2)
    } else {
      htmltools::tags$p(describe(run$usual)$finding)
    },
    if (is.null(run$cohorts_by)) report_diagonals(run)
  )
}

has_curves <- function(grid) any(grid$complete & !grid$older & grid$age > 0L)

report_cohorts_by <- function(run) {
  grouped_by <- paste(gsub("_", " ", basis_of(run$cohorts_by, "by")), collapse = " and ")
  htmltools::tagList(
    html_subject(paste("Side by side:", grouped_by), NULL),
    lapply(
      report_measures(run), \(name) html_figure(grid_measure(run$cohorts_by, name), height = 5.6)
    ),
    report_diagonals(run)
  )
}

report_diagonals <- function(run) {
  if (basis_of(run$cohorts, "ages") == "elapsed") return(NULL)
  by_month <- diagonal_totals(run$cohorts)
  shown <- utils::tail(plain_table(by_month)[setdiff(names(by_month), "older_customers")], 13L)
  clock <- basis_of(by_month, "clock")
  shown$period <- period_label(shown$period, clock)
  htmltools::tagList(
    html_subject(paste("Each", clock, "over all cohorts"), describe(by_month)$finding),
    html_table(
      structure(shown, basis = attr(by_month, "basis")),
      13L,
      paste0(
        "The diagonals of the table: the last ",
        nrow(shown),
        " ",
        clock,
        "s; new: first purchase in the ",
        clock
      )
    )
  )
}

report_payback <- function(run) {
  if (is.null(run$payback)) return(NULL)
  groups <- run$payback_by
  shown <- describe(run$payback)$table
  unused <- unused_spend(run$payback)
  htmltools::tagList(
    html_subject(describe(run$payback)$heading, NULL),
    html_figure(run$payback, height = 5.6),
    if (!is.null(groups)) {
      htmltools::tagList(html_figure(groups, height = 7), html_table(
        structure(describe(groups)$table, basis = attr(groups, "basis")),
        30L,
        sprintf(
          paste0(
            "By %s; value to cost at age %d, interval: 95 %%; highest cost: what a customer may ",
            "cost to pay back by then"
          ),
          gsub("_", " ", paste(basis_of(groups, "by"), collapse = " and ")),
          basis_of(groups, "within")
        )
      ))
    },
    html_table(
      structure(shown, basis = attr(run$payback, "basis")),
      12L,
      "The newest cohorts; all of them stand in payback.csv"
    ),
    if (nrow(unused) > 0L) {
      html_table(
        structure(unused, basis = attr(run$payback, "basis")),
        8L,
        "Spend without new customers, in no cohort's cost"
      )
    }
  )
}

cohort_terms <- function() {
  list(
    cohort = "Everybody whose first purchase fell into the period.",
    age = "Periods since then; 0 is the period of the first purchase.",
    retention = "Customers of the cohort that bought at this age, by the size of the cohort.",
    `value to date` = paste0(
      "Cumulative margin by all customers acquired; the payback age is the first at which it ",
      "reaches the acquisition cost."
    ),
    usual = paste0(
      "All earlier cohorts together at the same age; an interval that holds chance and the ",
      "scatter between cohorts."
    ),
    `bottom lines` = paste0(
      "Weighted by size over complete cells, never a mean of percentages; without the cohorts ",
      "that may hold older customers, and over all."
    ),
    `empty and 0` = "Empty was not observed yet; 0 was observed and nobody came."
  )
}
