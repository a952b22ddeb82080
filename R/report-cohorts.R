# What the report says of first-purchase cohorts.

page_cohorts <- function(run) {
  measures <- page_measures(run)
  lapply(seq_along(measures), \(i) {
    measure <- grid_measure(run$cohorts, measures[[i]])
    page_block(
      paste0("cohorts-", measures[[i]]),
      grid_question(measures[[i]], say("each cohort")),
      figures = if (i == 1L) {
        page_figure(measure, page_grid_height(measure, 16L), cohorts = 16L)
      } else {
        page_figure(measure, page_grid_height(measure, 24L))
      }
    )
  })
}

grid_question <- function(measure, of) {
  switch(measure,
    retention = say("How much of %s stays?", of),
    value_to_date = say("What has %s brought?", of),
    cumulative_sales_per_customer = say("What has %s spent?", of),
    say("%s, of %s?", capital(say(grid_measures[[measure]]$label)), of)
  )
}

page_grid_height <- function(measure, most) {
  1.1 + 0.2 * min(most, length(unique(measure$cohort)))
}

# Retention and what accumulates; where no margin is known, that is sales.
page_measures <- function(run) {
  run$study$cohorts$measures %||%
    c(
      "retention",
      if (is.null(run$cohorts$margin)) "cumulative_sales_per_customer" else "value_to_date"
    )
}

page_usual <- function(run) {
  enough <- any(run$usual$verdict != "too few")
  list(
    page_block(
      "usual",
      say("Are the newer cohorts better?"),
      sentence = describe(run$usual)$finding,
      figures = if (enough) page_figure(run$usual, 4.6)
    ),
    if (has_curves(run$cohorts)) {
      page_block("cohort-curves", say("How does each cohort fade?"), figures = page_figure(
        grid_measure(run$cohorts, "retention"), 4, shape = "curves"
      ))
    },
    page_diagonals(run)
  )
}

has_curves <- function(grid) any(grid$complete & !grid$older & grid$age > 0L)

page_cohorts_by <- function(run) {
  lapply(page_measures(run), \(name) {
    measure <- grid_measure(run$cohorts_by, name)
    page_block(
      paste0("cohorts-by-", name),
      sub("[?]$", say(", by %s?", by_words(run$cohorts_by)), grid_question(name, say("a cohort"))),
      figures = page_figure(measure, 4.2)
    )
  })
}

page_diagonals <- function(run) {
  if (basis_of(run$cohorts, "ages") == "elapsed") return(NULL)
  by_month <- diagonal_totals(run$cohorts)
  shown <- utils::tail(plain_table(by_month)[setdiff(names(by_month), "older_customers")], 13L)
  clock <- basis_of(by_month, "clock")
  shown$period <- period_label(shown$period, clock)
  page_block(
    "diagonals",
    say("What happened in one %s, over all cohorts?", clock),
    sentence = describe(by_month)$finding,
    tables = page_table(with_basis(shown, by_month), 13L, paste0(
      say("The diagonals of the table: the last "), nrow(shown), " ", clock,
      say("s; new: first purchase in the "), clock
    ))
  )
}

page_payback <- function(run) {
  if (is.null(run$payback)) return(NULL)
  groups <- run$payback_by
  unused <- unused_spend(run$payback)
  list(
    page_block(
      "payback",
      describe(run$payback)$heading,
      figures = page_figure(run$payback, 3.9),
      control = payback_control(run$cohorts, run$payback)
    ),
    page_block("payback-cohorts", say("Which cohorts have paid back?"),
      sentence = describe(run$payback)$finding,
      tables = list(
        page_table(
          with_basis(describe(run$payback)$table, run$payback),
          12L,
          say("The newest cohorts; all of them in payback.csv")
        ),
        if (nrow(unused) > 0L) {
          page_table(
            with_basis(unused, run$payback),
            8L,
            say("Spend without new customers, in no cohort's cost")
          )
        }
      )
    ),
    if (!is.null(groups)) {
      page_block(
        "payback-by",
        say("By %s: when is the cost back?", by_words(groups)),
        figures = page_figure(groups, 5),
        tables = page_table(with_basis(describe(groups)$table, groups), 30L, say(
          paste0(
            "Value to cost at age %d, interval: 95 %%; highest cost: what a customer may cost to ",
            "pay back by then"
          ),
          basis_of(groups, "within")
        ))
      )
    }
  )
}

cohort_terms <- function() {
  list(
    cohort = say("Everybody whose first purchase fell into the period."),
    age = say("Periods since then; 0 is the period of the first purchase."),
    retention = say("Customers of the cohort that bought at this age, by the size of the cohort."),
    `value to date` = say(paste0(
      "Cumulative margin by all customers acquired; the payback age is the first at which it ",
      "reaches the acquisition cost."
    )),
    usual = say(paste0(
      "All earlier cohorts together at the same age; an interval that holds chance and the ",
      "scatter between cohorts."
    )),
    `bottom lines` = say(paste0(
      "Weighted by size over complete cells, never a mean of percentages; without the cohorts ",
      "that may hold older customers, and over all."
    )),
    `empty and 0` = say("Empty was not observed yet; 0 was observed and nobody came.")
  )
}
