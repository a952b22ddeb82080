# The first screen of the report: what an analyst is asked on a Monday.

report_cards <- function(run) {
  rate <- run[["repeat"]]
  htmltools::tags$div(
    class = "cards",
    html_card("Customers", format_count(sum(rate$customers)), paste0(
      "with a purchase, ",
      format_day(run$ledger$history_start),
      " to ",
      format_day(run$ledger$as_of)
    )),
    html_card("Repeat rate", present_share(rate$rate, 1L), sprintf(
      "95 %% interval %s to %s; customers with two or more purchases, by all with a purchase",
      present_share(rate$lower, 1L),
      present_share(rate$upper, 1L)
    )),
    value_card(run)
  )
}

value_card <- function(run) {
  if (is.null(run$forecast)) return(NULL)
  total <- attr(run$forecast, "total")
  money <- \(x) format_money(x, run$ledger$currency)
  if (is.na(total$value)) {
    return(html_card(
      "Expected sales", money(sum(run$forecast$sales)), "of today's customers; no margin is known"
    ))
  }
  html_card("Expected from today's customers", money(total$value), sprintf(
    "%s to %s; margin, discounted, over %s",
    money(total$lower),
    money(total$upper),
    n_of(basis_of(run$forecast, "years"), "year")
  ))
}

html_card <- function(label, number, more) {
  part <- htmltools::tags$div
  part(
    class = "card",
    part(class = "label", label),
    part(class = "number", number),
    part(class = "more", more)
  )
}

# Findings of results, each a link to its section.
report_findings <- function(results, sections) {
  found <- lapply(results, \(x) describe(x)$finding)
  has_finding <- !vapply(found, is.null, NA)
  items <- Map(
    \(section, sentence) htmltools::tags$li(htmltools::tags$a(
      href = paste0("#", section), sentence
    )),
    sections[has_finding],
    found[has_finding]
  )
  htmltools::tags$ul(class = "answers", unname(items))
}
