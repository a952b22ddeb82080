# The sections of the report, in the order an analyst works.

report_answers <- function(run) {
  rate <- run[["repeat"]]
  part <- htmltools::tags$div
  card <- function(label, number, more) part(class = "card", part(class = "label", label), part(class = "number", number), part(class = "more", more))
  total <- if (!is.null(run$forecast)) attr(run$forecast, "total")
  value <- if (is.null(total)) NULL
    else if (is.na(total$value)) card("Expected sales", format_money(sum(run$forecast$sales), run$ledger$currency), "of today's customers; no margin is known")
    else card("Expected from today's customers", format_money(total$value, run$ledger$currency),
              sprintf("%s to %s; margin, discounted, over %s", format_money(total$lower, run$ledger$currency),
                      format_money(total$upper, run$ledger$currency), n_of(basis_of(run$forecast, "years"), "year")))
  found <- Filter(Negate(is.null), lapply(c(run[c("repeat", "counts", "cohorts")], list(payback = run$payback_by %||% run$payback), run[c("tiers", "moves", "coming")],
    list(worth = run$worth_by %||% run$worth), run[c("backtest", "audit", "proof")]),
      \(x) if (!is.null(x)) describe(x)$finding))
  anchors <- c(`repeat` = "repeat", counts = "repeat", cohorts = "cohorts", payback = "cohorts", tiers = "tiers", moves = "tiers", coming = "forecast", worth = "worth", backtest = "trust",
    audit = "data", proof = "proof")
  htmltools::tagList(
    htmltools::tags$div(class = "cards",
      card("Customers", format_count(sum(rate$customers)), paste0("with a purchase, ", format_day(run$ledger$history_start), " to ", format_day(run$ledger$as_of))),
      card("Repeat rate", present_share(rate$rate, 1L),
           sprintf("95 %% interval %s to %s; customers with two or more purchases, by all with a purchase", present_share(rate$lower, 1L), present_share(rate$upper, 1L))),
      value),
    htmltools::tags$ul(class = "answers", unname(Map(\(name, sentence) htmltools::tags$li(htmltools::tags$a(href = paste0("#", anchors[[name]]), sentence)), names(found), found))))
}

report_data <- function(run) {
  ledger <- run$ledger
  html_section("data", "The data",
    html_figure(run$audit, height = 1.6 + 0.42 * length(unique(run$audit$reason))),
    html_table(run$audit, 60L, "Every row of the files, by what became of it; unknown: rows whose amount could not be read; example: the first such row"),
    html_remarks(run$audit), html_subject("How much of the sales has a customer?", identified_words(run$identified)), html_subject("Is each customer one customer?", describe(run$suspects)$finding),
    if (nrow(run$suspects) > 0L) html_table(run$suspects, 8L, "Ids that may be one customer, and ids that may be many; all of them stand in suspects.csv"),
    html_terms(order = "Rows that share an order id and a customer.",
               purchase = paste0(if (ledger$meaning$purchase_unit == "order") "An order" else "A day", " with net sales above 0. A return is never one."),
               sales = "Net of line discounts.", returns = switch(ledger$meaning$returns, net = "Taken off in the period in which they happen.",
                 `with original order` = "Taken off the order they belong to, where it is known.", ignore = "Set aside."),
               `set aside` = "Not used, for the reason given; the rows stand in set-aside.csv as they were read."))
}

# The share of sales with a customer id: in all, and by year.
identified_words <- function(identified) {
  year <- format(identified$period, "%Y")
  share <- tapply(identified$sales, year, sum) / tapply(identified$sales_all, year, sum)
  paste(describe(identified)$finding, if (length(share) > 1L) paste0("By year: ", paste(names(share), present_share(share, 1L), collapse = ", "), "."))
}

html_subject <- function(title, finding) htmltools::tagList(htmltools::tags$h3(title), if (!is.null(finding)) htmltools::tags$p(finding))

report_repeat <- function(run) html_section("repeat", "Do customers come back?", finding = describe(run[["repeat"]])$finding,
  html_figure(run$counts),
  lapply(names(run$by), \(name) html_table(run$by[[name]][, c(name, "customers", "repeat_customers", "rate", "lower", "upper", "sales", "sales_repeat", "sales_one_time")], 30L,
    paste0("By ", gsub("_", " ", name), "; lower and upper: 95 % interval of the rate"))),
  html_subject("How long until the next?", if (nrow(run$curve) == 0L) describe(run$waits)$finding), if (nrow(run$curve) > 0L) html_figure(run$curve),
  html_figure(run$waits, height = max(4, 2.6 + 0.24 * length(unique(run$waits$cohort)))),
  html_subject("Who is slow, who has stopped?", if (basis_of(run$gaps, "all_gaps") == 0L) describe(run$gaps)$finding), report_late(run),
  html_subject("New or returning?", NULL), html_figure(run$new), html_subject("Where do the sales come from?", NULL), html_figure(run$sales, height = 2.4 + 0.36 * min(12L, nrow(run$sales))),
  html_remarks(run[["repeat"]], run$counts, run$gaps, run$curve, run$new, run$sales),
  html_terms(`repeat rate` = "Customers with two or more purchases, by customers with at least one.", interval = "Wilson's, 95 %: rates of small groups are uncertain.",
             wait = "From the first purchase day to the next; customers who have not had the time count as long as they were seen (Kaplan and Meier).",
             `open gap, overdue` = "Days since the last purchase; the same by the gap that the customer's own rhythm lets expect.",
             `new, returning, reactivated` = "First purchase in the period; bought before within the look-back; bought before, but longer ago.",
             `(missing)` = "Customers for whom the attribute is not known; a group of its own, so that nobody is lost."))

report_late <- function(run) {
  if (basis_of(run$gaps, "all_gaps") == 0L) return(NULL)
  late <- overdue_tail(run)
  said <- describe(late)
  htmltools::tagList(html_figure(run$gaps, height = 5), htmltools::tags$p(said$finding),
    html_table(with_contact(run, late[, c("customer", "overdue", "gaps", "visits_per_year", "open_gap", "expected_gap")]), 10L, paste0(said$heading, "; all of them stand in overdue.csv")))
}

report_cohorts <- function(run) html_section("cohorts", "First-purchase cohorts",
  lapply(report_measures(run), \(name) { m <- grid_measure(run$cohorts, name); html_figure(m, height = figure_height(m)) }), html_remarks(run$cohorts),
  html_subject("Are the newer cohorts better?", NULL), if (has_curves(run$cohorts)) html_figure(grid_measure(run$cohorts, "retention"), height = 5.6, shape = "curves"),
  if (any(run$usual$verdict != "too few")) html_figure(run$usual, height = 6.2) else htmltools::tags$p(describe(run$usual)$finding),
  if (!is.null(run$cohorts_by)) htmltools::tagList(html_subject(paste("Side by side:", paste(gsub("_", " ", basis_of(run$cohorts_by, "by")), collapse = " and ")), NULL),
    lapply(report_measures(run), \(name) html_figure(grid_measure(run$cohorts_by, name), height = 5.6))), report_diagonals(run), report_payback(run),
  html_terms(cohort = "Everybody whose first purchase fell into the period.", age = "Periods since then; 0 is the period of the first purchase.",
             retention = "Customers of the cohort that bought at this age, by the size of the cohort.",
             `value to date` = "Cumulative margin by all customers acquired; the payback age is the first at which it reaches the acquisition cost.",
             usual = "All earlier cohorts together at the same age; an interval that holds chance and the scatter between cohorts.",
             `bottom lines` = "Weighted by size over complete cells, never a mean of percentages; without the cohorts that may hold older customers, and over all.",
             `empty and 0` = "Empty was not observed yet; 0 was observed and nobody came."))

# Retention and what accumulates; where no margin is known, that is sales.
report_measures <- function(run) run$study$cohorts$measures %||% c("retention", if (is.null(run$cohorts$margin)) "cumulative_sales_per_customer" else "value_to_date")

has_curves <- function(grid) any(grid$complete & !grid$older & grid$age > 0L)

report_diagonals <- function(run) {
  if (basis_of(run$cohorts, "ages") == "elapsed") return(NULL)
  months <- diagonal_totals(run$cohorts)
  shown <- utils::tail(plain_table(months)[setdiff(names(months), "older_customers")], 13L)
  clock <- basis_of(months, "clock")
  shown$period <- period_label(shown$period, clock)
  htmltools::tagList(html_subject(paste("Each", clock, "over all cohorts"), describe(months)$finding),
    html_table(structure(shown, basis = attr(months, "basis")), 13L, paste0("The diagonals of the table: the last ", nrow(shown), " ", clock,
        "s; new: first purchase in the ", clock)))
}

report_payback <- function(run) {
  if (is.null(run$payback)) return(NULL)
  groups <- run$payback_by
  shown <- describe(run$payback)$table
  unused <- unused_spend(run$payback)
  htmltools::tagList(html_subject(describe(run$payback)$heading, NULL), html_figure(run$payback, height = 5.6),
    if (!is.null(groups)) htmltools::tagList(html_figure(groups, height = 7),
      html_table(structure(describe(groups)$table, basis = attr(groups, "basis")), 30L,
          sprintf("By %s; value to cost at age %d, interval: 95 %%; highest cost: what a customer may cost to pay back by then",
        gsub("_", " ", paste(basis_of(groups, "by"), collapse = " and ")), basis_of(groups, "within")))),
    html_table(structure(shown, basis = attr(run$payback, "basis")), 12L, "The newest cohorts; all of them stand in payback.csv"),
    if (nrow(unused) > 0L) html_table(structure(unused, basis = attr(run$payback, "basis")), 8L, "Spend without new customers, in no cohort's cost"), html_remarks(run$payback))
}

report_rfm <- function(run) html_section("rfm", "Who is best?",
  html_table(with_basis(report_columns(with_contact(run, run$ranks), c("customers_of_group", "sales_of_group")), run$ranks), 12L, paste0(describe(run$ranks)$heading,
      "; all of them stand in ranks.csv")), html_remarks(run$ranks),
  html_subject("Recency, frequency, monetary value", NULL), html_figure(run$rfm),
  html_table(with_basis(report_columns(rfm_profile(run$rfm, run$forecast), "sales_per_customer"), run$rfm), 10L, "Groups of customers by their bands; all of them stand in rfm.csv"),
      html_remarks(run$rfm),
  html_subject("The order map", NULL), html_figure(run$map), html_table(with_basis(report_columns(map_profile(run$map, run$forecast), "sales_per_customer"), run$map), 4L,
      "Regions of the map; all customers stand in map.csv"), html_remarks(run$map),
  html_terms(recency = "Days from the last purchase to the as-of day; fewer is better.", frequency = "Purchases.", monetary = "Net sales.",
             band = "From 1 (worst) up. Equal customers share the lower band.", groups = htmltools::tagList("A band is high above 60 % of the bands, low up to 40 %.", html_table(rfm_groups(), 10L))))

report_tiers <- function(run) html_section("tiers", "Loyalty tiers",
  html_figure(run$tiers, height = 4.6), html_figure(run$tiers, height = 5.4, shape = "curve"), html_table(with_contact(run, run$tiers), 15L, "The best customers; all of them stand in tiers.csv"),
      html_remarks(run$tiers), report_payoff(run), report_moves(run), report_outlook(run),
  html_terms(tier = "Customers ranked by the measure, cut at shares or thresholds; tied customers share the better tier.", `to next` = "What is missing to the next better tier."))

# A page is narrower than a file.
with_basis <- function(columns, x) structure(columns, basis = attr(x, "basis"))
report_columns <- function(x, without) x[setdiff(names(x), without)]

report_payoff <- function(run) {
  if (is.null(run$payoff)) return(NULL)
  htmltools::tagList(html_subject(describe(run$payoff)$heading, describe(run$payoff)$finding), html_table(run$payoff, 20L,
      "Uplift needed: from which the benefit of the tier pays; below break even: customers whose own sales do not carry it"),
                     html_remarks(run$payoff))
}

report_moves <- function(run) {
  if (is.null(run$moves)) return(NULL)
  labels <- basis_of(run$moves, "labels")
  top <- moved_customers(run$moves, from = labels[[1L]], to = c(labels[-1L], "absent"))
  htmltools::tagList(html_subject("Who moved?", describe(run$moves)$finding), html_figure(run$moves, noise = run$chance),
    if (nrow(top) > 0L) html_table(with_basis(report_columns(with_contact(run, top), c("purchases_before", "purchases_after")), top), 12L,
        sprintf("Who left \u201c%s\u201d, the largest loss first; everybody who moved stands in moved.csv", labels[[1L]])), html_remarks(run$moves, run$chance))
}

report_outlook <- function(run) {
  if (is.null(run$outlook)) return(NULL)
  unsure <- run$outlook[order(abs(run$outlook$stays - 0.5)), ]
  unsure <- unsure[unsure$tier == basis_of(run$outlook, "labels")[[1L]], ]
  htmltools::tagList(html_subject("Who will stay?", NULL), html_figure(run$outlook, height = 4.6),
    html_table(structure(with_contact(run, unsure), basis = attr(run$outlook, "basis")), 10L, "Customers of the best tier about whom it is least sure; all of them stand in outlook.csv"),
        html_remarks(run$outlook))
}

report_forecast <- function(run) {
  if (is.null(run$forecast)) return(NULL)
  best <- describe(run$forecast)$table
  best <- with_contact(run, best[, setdiff(names(best), c("margin", "value_to_date", "lifetime_value"))])
  coming <- describe(run$coming)
  html_section("forecast", "What customers will bring", finding = describe(run$forecast)$finding,
    html_table(best, 15L, "The customers with the highest expected value; all of them stand in value.csv"),
    html_remarks(run$forecast), html_subject(describe(run$shares)$heading, NULL), html_figure(run$shares, height = 5), html_subject(coming$heading, NULL), html_figure(run$coming),
    html_table(coming$table, 40L, "Sales of the coming periods, with the part of today's customers and the same period a year before; all columns stand in coming.csv"), html_remarks(run$coming),
    html_terms(active = "Probability of still being a customer; in a period: customers who buy in it.", purchases = "Expected number of purchase days.",
               value = "Margin of the expected purchases, discounted to today.",
               interval = "Holds the uncertainty of the model's parameters and the chance of each customer's own course.", `lifetime value` = "Margin so far plus value to come.",
               `customers still to be won` = "An assumption, said above; everything else follows from it by the models."))
}

report_worth <- function(run) {
  if (is.null(run$worth)) return(NULL)
  groups <- run$worth_by
  summary <- if (!is.null(groups)) describe(groups)$table
  html_section("worth", "What a customer is worth", finding = describe(run$worth)$finding,
    html_subject("The cohorts, continued", NULL), html_figure(run$continued, height = 7.4),
    html_subject("Against what winning them cost", NULL), html_figure(run$worth, height = 5.2),
    html_table(with_basis(report_columns(describe(run$worth)$table, c("sales_per_customer", "to_age")), run$worth), 12L, "The newest cohorts; all of them stand in worth.csv"),
    if (!is.null(groups)) htmltools::tagList(html_figure(groups, height = 7), html_table(with_basis(report_columns(summary, "to_age"), groups), 30L,
      sprintf("By %s, the cohorts of a year; observed: share of the customers seen to the payback age",
        gsub("_", " ", paste(basis_of(groups, "by"), collapse = " and "))))),
    html_remarks(run$worth),
    lapply(run$value_groups, \(x) { said <- describe(x)
      htmltools::tagList(html_subject(said$heading, NULL), html_figure(x, height = max(4, 2.6 + 0.36 * min(14L, nrow(x)))),
        html_table(with_basis(report_columns(said$table, c("value_lower", "value_upper", "from_staying", "from_cadence", "from_order", "clear")), x), 20L,
                   sprintf("Highest cost: what a customer may cost to pay back within %s months; raw: means of the same customers, no model", format(basis_of(x, "within")))), html_remarks(x)) }),
    html_terms(`value` = "Discounted margin by an age; payback compares the undiscounted margin with the cost.", `value to cost` = "Value by cost.", `return on cost` = "Value after cost, by cost.",
               staying = "The rate of buying a year after the first purchase, by that at the start.", cadence = "Purchases a year while still a customer.",
               `drawn towards everybody` = "A group keeps as much of its difference as its customers can prove."))
}

report_trust <- function(run) {
  if (is.null(run$backtest)) return(NULL)
  html_section("trust", "How far to trust the forecasts", finding = describe(run$backtest)$finding,
    html_figure(run$backtest, height = 5), html_table(run$backtest, caption = "Purchases expected for the time after the cut, against what came"), html_remarks(run$backtest),
    html_figure(run$calibration, height = 5), html_figure(run$captured, height = 5.6),
    report_rolling(run$rolling),
    html_subject("Which model", describe(run$comparison)$finding),
    html_table(with_basis(report_columns(run$comparison, c("log_lik", "bic", "captured")), run$comparison), caption = describe(run$comparison)$heading), html_remarks(run$comparison),
    report_models(run),
    html_terms(error = "Root mean square error per customer: lower is better.", `log score` = "Mean log of the probability given to what came: higher is better.",
               behind = "How much worse the log score is than that of the best model, with its standard error.",
                   captured = "Share of the following sales brought by the tenth of customers that the method puts first."))
}

# A short history has no backtests at several days.
report_rolling <- function(rolling) {
  if (is.null(rolling)) return(NULL)
  said <- describe(rolling)
  htmltools::tagList(html_subject("At other times", said$finding), html_table(with_basis(report_columns(said$table, c("error", "naive", "naive_error")), rolling), caption = said$heading))
}

# Whether the models hold: week by week, by number of purchases, by amount, and what they say of customers.
report_models <- function(run) {
  fit_table <- \(x, caption) htmltools::tagList(htmltools::tags$p(describe(x)$finding), html_table(x, 30L, caption), htmltools::tags$p(class = "left-out", paste(describe(x)$after, collapse = " ")))
  htmltools::tagList(if (!is.null(run$season)) htmltools::tagList(html_subject("The season", NULL), html_figure(run$season, height = 4.6)), html_subject("Do the models hold?",
      describe(run$tracking)$finding),
    html_figure(run$tracking, height = 6), html_figure(run$expected_counts, height = 5), html_figure(run$expected_spend, height = 5), html_figure(run$spend_frequency, height = 4.6),
    html_subject("What the models say of customers", NULL), html_figure(run$spread, height = 4.8),
    fit_table(run$model, paste("Purchases:", basis_of(run$model, "model"))), fit_table(run$spend_model, paste("Amounts:", basis_of(run$spend_model, "model"))), html_remarks(run$model,
        run$spend_model))
}

report_proof <- function(run) html_section("proof", "Proof of totals", finding = describe(run$proof)$finding,
  html_table(run$proof, 60L, "Each total computed by two independent paths; money must agree to the cent"))

with_contact <- function(run, x) {
  contact <- run$study$outputs$contact
  if (is.null(contact)) return(x)
  structure(carry_contact(plain_table(x), run$ledger, contact), basis = attr(x, "basis"))
}
