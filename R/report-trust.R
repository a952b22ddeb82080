# What the report says of how far the forecasts can be trusted.

page_backtest <- function(run) {
  page_block(
    "backtest",
    say("Would last year's forecast have been right?"),
    figures = page_figure(run$backtest, 3.4),
    tables = page_table(
      run$backtest,
      caption = say("Purchases expected for the time after the cut, against what came")
    )
  )
}

page_rolling <- function(run) {
  told <- describe(run$rolling)
  shown <- page_columns(told$table, c("error", "naive", "naive_error"))
  page_block(
    "rolling",
    say("And at other times?"),
    sentence = told$finding,
    figures = page_figure(run$rolling, 2.6),
    tables = page_table(with_basis(shown, run$rolling), caption = told$heading)
  )
}

page_comparison <- function(run) {
  told <- describe(run$comparison)
  shown <- page_columns(run$comparison, c("log_lik", "bic", "captured"))
  page_block(
    "comparison",
    say("Which model?"),
    sentence = told$finding,
    figures = page_figure(run$comparison, 1.4 + 0.42 * nrow(run$comparison)),
    tables = page_table(with_basis(shown, run$comparison), caption = told$heading)
  )
}

page_fit <- function(fit, id, question) {
  told <- describe(fit)
  page_block(
    id,
    question,
    sentence = told$finding,
    tables = page_table(fit, 30L, paste0(
      basis_of(fit, "model"), ". ", paste(told$after, collapse = " ")
    ))
  )
}

# A block of one figure.
page_drawn <- function(x, id, question, height) {
  page_block(id, question, sentence = describe(x)$finding, figures = page_figure(x, height))
}

trust_terms <- function() {
  list(
    error = say("Root mean square error per customer: lower is better."),
    `log score` = say("Mean log of the probability given to what came: higher is better."),
    behind = say(paste0(
      "How much worse the log score is than that of the best model, with its standard error."
    )),
    captured = say(paste0(
      "Share of the following sales brought by the tenth of customers that the method puts first."
    ))
  )
}
