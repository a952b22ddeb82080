# What the report says of how far the forecasts can be trusted.

report_backtest <- function(run) {
  htmltools::tagList(html_figure(run$backtest, height = 5), html_table(
    run$backtest, caption = "Purchases expected for the time after the cut, against what came"
  ))
}

report_rolling <- function(run) {
  told <- describe(run$rolling)
  shown <- report_columns(told$table, c("error", "naive", "naive_error"))
  htmltools::tagList(html_subject("At other times", told$finding), html_table(
    with_basis(shown, run$rolling), caption = told$heading
  ))
}

report_comparison <- function(run) {
  told <- describe(run$comparison)
  shown <- report_columns(run$comparison, c("log_lik", "bic", "captured"))
  htmltools::tagList(html_subject("Which model", told$finding), html_table(
    with_basis(shown, run$comparison), caption = told$heading
  ))
}

report_season <- function(run) {
  htmltools::tagList(html_subject("The season", NULL), html_figure(run$season, height = 4.6))
}

report_tracking <- function(run) {
  htmltools::tagList(
    html_subject("Do the models hold?", describe(run$tracking)$finding),
    html_figure(run$tracking, height = 6)
  )
}

report_spread <- function(run) {
  htmltools::tagList(
    html_subject("What the models say of customers", NULL), html_figure(run$spread, height = 4.8)
  )
}

report_fit <- function(fit, what) {
  told <- describe(fit)
  htmltools::tagList(
    htmltools::tags$p(told$finding),
    html_table(fit, 30L, paste0(what, ": ", basis_of(fit, "model"))),
    htmltools::tags$p(class = "left-out", paste(told$after, collapse = " "))
  )
}

trust_terms <- function() {
  list(
    error = "Root mean square error per customer: lower is better.",
    `log score` = "Mean log of the probability given to what came: higher is better.",
    behind = paste0(
      "How much worse the log score is than that of the best model, with its standard error."
    ),
    captured = paste0(
      "Share of the following sales brought by the tenth of customers that the method puts first."
    )
  )
}
