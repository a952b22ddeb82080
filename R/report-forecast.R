# What the report says of the time to come.

page_coming <- function(run) {
  coming <- describe(run$coming)
  list(
    page_block("coming", coming$heading, figures = page_figure(run$coming, 3.9)),
    page_block(
      "coming-periods",
      say("How much in each period?"),
      sentence = coming$finding,
      tables = page_table(with_basis(coming$table, run$coming), 40L, say(say(paste0(
        "Sales of the coming periods, with the part of today's customers and the same period a ",
        "year before; all columns in coming.csv"
      ))))
    )
  )
}

page_forecast <- function(run) {
  best <- describe(run$forecast)$table
  shown <- setdiff(names(best), c("margin", "value_to_date", "lifetime_value"))
  page_block(
    "value",
    say("Who will bring most?"),
    sentence = describe(run$forecast)$finding,
    tables = page_table(
      best[, shown],
      15L,
      say("The customers with the highest expected value; all of them in value.csv")
    )
  )
}

page_shares <- function(run) {
  page_block("shares", say("Who holds the lifetime value?"), figures = page_figure(run$shares, 3.6))
}

forecast_terms <- function() {
  list(
    active = say("Probability of still being a customer; in a period: customers who buy in it."),
    purchases = say("Expected number of purchase days."),
    value = say("Margin of the expected purchases, discounted to today."),
    interval = say(paste0(
      "Holds the uncertainty of the model's parameters and the chance of each customer's own ",
      "course."
    )),
    `lifetime value` = say("Margin so far plus value to come."),
    `customers still to be won` = say(paste0(
      "An assumption, said as a remark; everything else follows from it by the models."
    ))
  )
}
