# What the report says of the data, and the proof of their totals.

page_audit <- function(run) {
  page_block(
    "audit",
    say("What became of every row?"),
    figures = page_figure(run$audit, 0.9 + 0.32 * length(unique(run$audit$reason))),
    tables = NULL
  )
}

page_audit_rows <- function(run) {
  page_block(
    "rows",
    say("Which rows were set aside, file by file?"),
    sentence = say(
      "Every row of the files, by what became of it; the rows stand in set-aside.csv."
    ),
    tables = page_table(run$audit, 50L, say(paste0(
      "Unknown: rows whose amount could not be read; example: the first such row"
    )))
  )
}

page_identified <- function(run) {
  page_block(
    "identified",
    say("How much of the sales has a customer?"),
    sentence = identified_words(run$identified)
  )
}

# The share of sales with a customer id: in all, and by year.
identified_words <- function(identified) {
  share <- identified_by_year(identified)
  paste(
    describe(identified)$finding,
    if (length(share) > 1L) {
      paste0(say("By year: "), paste(names(share), present_share(share, 1L), collapse = ", "), ".")
    }
  )
}

identified_by_year <- function(identified) {
  year <- format(identified$period, "%Y")
  tapply(identified$sales, year, sum) / tapply(identified$sales_all, year, sum)
}

page_suspects <- function(run) {
  page_block(
    "suspects",
    say("Is each customer one customer?"),
    sentence = describe(run$suspects)$finding,
    tables = if (nrow(run$suspects) > 0L) {
      page_table(
        run$suspects,
        8L,
        say("Ids that may be one customer, and ids that may be many; all of them in suspects.csv")
      )
    }
  )
}

data_terms <- function(run) {
  meaning <- run$ledger$meaning
  list(
    order = say("Rows that share an order id and a customer."),
    purchase = paste0(
      if (meaning$purchase_unit == "order") "An order" else "A day",
      say(" with net sales above 0. A return is never one.")
    ),
    sales = say("Net of line discounts."),
    returns = switch(meaning$returns,
      net = say("Taken off in the period in which they happen."),
      `with original order` = say("Taken off the order they belong to, where it is known."),
      ignore = say("Set aside.")
    ),
    `set aside` = say(paste0(
      "Not used, for the reason given; the rows stand in set-aside.csv as they were read."
    ))
  )
}

page_proof <- function(run) {
  list(
    page_block("proof-sum", say("Is it exact?"), sentence = describe(run$proof)$finding),
    page_block(
      "proof-table",
      say("Which checks were made?"),
      sentence = say(paste0(
        "Each total computed by two independent paths; money must agree to the cent."
      )),
      tables = page_table(run$proof, 50L)
    )
  )
}
