# What the report says of the time to come.

report_forecast <- function(run) {
  best <- describe(run$forecast)$table
  shown <- setdiff(names(best), c("margin", "value_to_date", "lifetime_value"))
  html_table(
    with_contact(run, best[, shown]),
    15L,
    "The customers with the highest expected value; all of them stand in value.csv"
  )
}

report_shares <- function(run) {
  htmltools::tagList(
    html_subject(describe(run$shares)$heading, NULL), html_figure(run$shares, height = 5)
  )
}

report_coming <- function(run) {
  coming <- describe(run$coming)
  htmltools::tagList(html_subject(coming$heading, NULL), html_figure(run$coming), html_table(
    coming$table,
    40L,
    paste0(
      "Sales of the coming periods, with the part of today's customers and the same period a ",
      "year before; all columns stand in coming.csv"
    )
  ))
}

forecast_terms <- function() {
  list(
    active = "Probability of still being a customer; in a period: customers who buy in it.",
    purchases = "Expected number of purchase days.",
    value = "Margin of the expected purchases, discounted to today.",
    interval = paste0(
      "Holds the uncertainty of the model's parameters and the chance of each customer's own ",
      "course."
    ),
    `lifetime value` = "Margin so far plus value to come.",
    `customers still to be won` = paste0(
      "An assumption, said above; everything else follows from it by the models."
    )
  )
}
