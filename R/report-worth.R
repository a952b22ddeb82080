# What the report says of the worth of a customer.

report_continued <- function(run) {
  htmltools::tagList(
    html_subject("The cohorts, continued", NULL), html_figure(run$continued, height = 7.4)
  )
}

report_worth <- function(run) {
  groups <- run$worth_by
  rows <- report_columns(describe(run$worth)$table, c("sales_per_customer", "to_age"))
  htmltools::tagList(
    html_subject("Against what winning them cost", NULL),
    html_figure(run$worth, height = 5.2),
    html_table(
      with_basis(rows, run$worth), 12L, "The newest cohorts; all of them stand in worth.csv"
    ),
    if (!is.null(groups)) report_worth_groups(groups)
  )
}

report_worth_groups <- function(groups) {
  grouped_by <- gsub("_", " ", paste(basis_of(groups, "by"), collapse = " and "))
  htmltools::tagList(html_figure(groups, height = 7), html_table(
    with_basis(report_columns(describe(groups)$table, "to_age"), groups),
    30L,
    sprintf(
      "By %s, the cohorts of a year; observed: share of the customers seen to the payback age",
      grouped_by
    )
  ))
}

report_value_groups <- function(run) htmltools::tagList(lapply(run$value_groups, report_value_by))

report_value_by <- function(x) {
  told <- describe(x)
  wide <- c("value_lower", "value_upper", "from_staying", "from_cadence", "from_order", "clear")
  htmltools::tagList(
    html_subject(told$heading, NULL),
    html_figure(x, height = max(4, 2.6 + 0.36 * min(14L, nrow(x)))),
    html_table(
      with_basis(report_columns(told$table, wide), x),
      20L,
      sprintf(paste0(
        "Highest cost: what a customer may cost to pay back within %s months; raw: means of ",
        "the same customers, no model"
      ), format(basis_of(x, "within")))
    ),
    html_remarks(unique(remarks(x)$remark))
  )
}

worth_terms <- function() {
  list(
    `value` = paste0(
      "Discounted margin by an age; payback compares the undiscounted margin with the cost."
    ),
    `value to cost` = "Value by cost.",
    `return on cost` = "Value after cost, by cost.",
    staying = "The rate of buying a year after the first purchase, by that at the start.",
    cadence = "Purchases a year while still a customer.",
    `drawn towards everybody` = paste0(
      "A group keeps as much of its difference as its customers can prove."
    )
  )
}
