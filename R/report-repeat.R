# What the report says of repeat buying.

report_rates <- function(run) {
  shown <- c(
    "customers", "repeat_customers", "rate", "lower", "upper", "sales", "sales_repeat",
    "sales_one_time"
  )
  htmltools::tagList(
    html_figure(run$counts),
    lapply(
      names(run$by),
      \(name) html_table(run$by[[name]][, c(name, shown)], 30L, paste0(
        "By ", gsub("_", " ", name), "; lower and upper: 95 % interval of the rate"
      ))
    )
  )
}

report_curve <- function(run) {
  nobody <- nrow(run$curve) == 0L
  htmltools::tagList(
    html_subject("How long until the next?", if (nobody) describe(run$waits)$finding),
    if (!nobody) html_figure(run$curve)
  )
}

report_waits <- function(run) {
  html_figure(run$waits, height = max(4, 2.6 + 0.24 * length(unique(run$waits$cohort))))
}

report_gaps <- function(run) {
  title <- "Who is slow, who has stopped?"
  if (basis_of(run$gaps, "all_gaps") == 0L) {
    return(html_subject(title, describe(run$gaps)$finding))
  }
  late <- overdue_tail(run)
  told <- describe(late)
  shown <- late[, c("customer", "overdue", "gaps", "visits_per_year", "open_gap", "expected_gap")]
  htmltools::tagList(
    html_subject(title, NULL),
    html_figure(run$gaps, height = 5),
    htmltools::tags$p(told$finding),
    html_table(
      with_contact(run, shown), 10L, paste0(told$heading, "; all of them stand in overdue.csv")
    )
  )
}

overdue_tail <- function(run) {
  gap_tail(run$gaps, "overdue", 0.1, margin_rate = run$study$economics$margin_rate)
}

report_new <- function(run) {
  htmltools::tagList(html_subject("New or returning?", NULL), html_figure(run$new))
}

report_sales <- function(run) {
  htmltools::tagList(
    html_subject("Where do the sales come from?", NULL),
    html_figure(run$sales, height = 2.4 + 0.36 * min(12L, nrow(run$sales)))
  )
}

repeat_terms <- function() {
  list(
    `repeat rate` = "Customers with two or more purchases, by customers with at least one.",
    interval = "Wilson's, 95 %: rates of small groups are uncertain.",
    wait = paste0(
      "From the first purchase day to the next; customers who have not had the time count as ",
      "long as they were seen (Kaplan and Meier)."
    ),
    `open gap, overdue` = paste0(
      "Days since the last purchase; the same by the gap that the customer's own rhythm lets ",
      "expect."
    ),
    `new, returning, reactivated` = paste0(
      "First purchase in the period; bought before within the look-back; bought before, but ",
      "longer ago."
    ),
    `(missing)` = paste0(
      "Customers for whom the attribute is not known; a group of its own, so that nobody is lost."
    )
  )
}
