# What the report says of the worth of a customer.

page_worth <- function(run) {
  groups <- run$worth_by
  rows <- page_columns(describe(run$worth)$table, c("sales_per_customer", "to_age"))
  list(
    page_block("worth-cohorts", say("Against what winning them cost?"), figures = page_figure(
      run$worth, 3.6
    )),
    page_block(
      "worth-table",
      say("Cohort by cohort: worth and cost?"),
      sentence = describe(run$worth)$finding,
      tables = page_table(
        with_basis(rows, run$worth), 12L, say("The newest cohorts; all of them in worth.csv")
      )
    ),
    if (!is.null(groups)) {
      page_block(
        "worth-by",
        say("By %s: worth and cost?", by_words(groups)),
        figures = page_figure(groups, 5),
        tables = page_table(
          with_basis(page_columns(describe(groups)$table, "to_age"), groups),
          30L,
          say(paste0(
            "The cohorts of a year; observed: share of the customers seen to the payback age"
          ))
        )
      )
    }
  )
}

page_continued <- function(run) {
  page_block("continued", say("How do the cohorts go on?"), figures = page_figure(
    run$continued, 3.8, cohorts = 12L
  ))
}

page_value_groups <- function(run) {
  unname(lapply(names(run$value_groups), \(name) {
    x <- run$value_groups[[name]]
    told <- describe(x)
    wide <- c("value_lower", "value_upper", "from_staying", "from_cadence", "from_order", "clear")
    page_block(
      page_id("value-by", name),
      say("By %s: worth of a customer won today?", gsub("_", " ", name)),
      sentence = told$finding,
      remarks = remarks(x)$remark,
      figures = page_figure(x, max(2.6, 1.4 + 0.3 * min(14L, nrow(x)))),
      tables = page_table(with_basis(page_columns(told$table, wide), x), 20L, say(
        paste0(
          "Highest cost: what a customer may cost to pay back within %s months; raw: means of ",
          "the same customers, no model"
        ),
        format(basis_of(x, "within"))
      ))
    )
  }))
}

worth_terms <- function() {
  list(
    `value` = say(paste0(
      "Discounted margin by an age; payback compares the undiscounted margin with the cost."
    )),
    `value to cost` = say("Value by cost."),
    `return on cost` = say("Value after cost, by cost."),
    staying = say("The rate of buying a year after the first purchase, by that at the start."),
    cadence = say("Purchases a year while still a customer."),
    `drawn towards everybody` = say(paste0(
      "A group keeps as much of its difference as its customers can prove."
    ))
  )
}
