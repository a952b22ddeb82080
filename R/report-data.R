# What the report says of the data, and the proof of their totals.

report_audit <- function(run) {
  htmltools::tagList(
    html_figure(run$audit, height = 1.6 + 0.42 * length(unique(run$audit$reason))),
    html_table(run$audit, 60L, paste0(
      "Every row of the files, by what became of it; unknown: rows whose amount could not be ",
      "read; example: the first such row"
    ))
  )
}

report_identified <- function(run) {
  html_subject("How much of the sales has a customer?", identified_words(run$identified))
}

# The share of sales with a customer id: in all, and by year.
identified_words <- function(identified) {
  year <- format(identified$period, "%Y")
  share <- tapply(identified$sales, year, sum) / tapply(identified$sales_all, year, sum)
  paste(
    describe(identified)$finding,
    if (length(share) > 1L) {
      paste0("By year: ", paste(names(share), present_share(share, 1L), collapse = ", "), ".")
    }
  )
}

report_suspects <- function(run) {
  htmltools::tagList(
    html_subject("Is each customer one customer?", describe(run$suspects)$finding),
    if (nrow(run$suspects) > 0L) {
      html_table(
        run$suspects,
        8L,
        "Ids that may be one customer, and ids that may be many; all of them stand in suspects.csv"
      )
    }
  )
}

data_terms <- function(run) {
  meaning <- run$ledger$meaning
  list(
    order = "Rows that share an order id and a customer.",
    purchase = paste0(
      if (meaning$purchase_unit == "order") "An order" else "A day",
      " with net sales above 0. A return is never one."
    ),
    sales = "Net of line discounts.",
    returns = switch(meaning$returns,
      net = "Taken off in the period in which they happen.",
      `with original order` = "Taken off the order they belong to, where it is known.",
      ignore = "Set aside."
    ),
    `set aside` = paste0(
      "Not used, for the reason given; the rows stand in set-aside.csv as they were read."
    )
  )
}

report_proof <- function(run) {
  html_table(
    run$proof, 60L, "Each total computed by two independent paths; money must agree to the cent"
  )
}
