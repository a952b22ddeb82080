# Fitting the spend models.

#' @rdname fit_purchases
#' @export
fit_spend <- function(x, model = "gamma-gamma") {
  check_choice(model, names(spend_models()))
  said <- NULL
  if (inherits(x, "nubrek_ledger")) {
    history <- purchase_history(x)
    learn <- learn_from(x, history)
    history <- history[learn$rows, ]
    said <- learn$remarks
  } else {
    history <- x
  }
  check_columns_exist("repeats", names(history), "the history")
  used <- plain_table(history)[which(history$repeats > 0), , drop = FALSE]
  if (nrow(used) < 3L) {
    abort_nubrek(c(
      "A spend model cannot be fitted to {nrow(used)} customer{?s} with a repeat purchase.",
      "i" = "The mean amount can still be shown."
    ), "unidentified")
  }
  spends <- spend_columns(used, model)
  by_logs <- spend_models()[[model]]$by_logs
  amounts <- if (by_logs) exp(spends$log_spend) else spends$spend
  if (stats::sd(log(amounts)) < 1e-9) {
    abort_nubrek(c(
      "A spend model cannot be fitted to equal amounts.",
      "i" = paste0(
        "Every purchase is worth {signif(amounts[[1]], 6)}: that is the forecast of the next one ",
        "too."
      )
    ), "unidentified")
  }
  if (by_logs && sum(spends$log_spread) <= 0) {
    abort_nubrek(c(
      "A log-normal model cannot tell customers from purchases: nobody's amounts differ.",
      "i" = "The gamma-gamma model may be fitted."
    ), "unidentified")
  }
  count <- as.double(used[["count"]] %||% rep(1, nrow(used)))
  positive <- spend_models()[[model]]$positive
  threads <- reading_threads()
  back <- \(u) ifelse(positive, exp(u), u)
  typical <- mean(amounts)
  spread <- stats::sd(log(amounts))
  from <- if (model == "log-normal") {
    list(c(mean(log(amounts)), log(spread), log(spread / 2)))
  } else {
    list(log(c(4, 4, 3 / 4 * typical)), log(c(1, 2, typical)), log(c(10, 1.5, typical / 20)))
  }
  best <- climb(
    \(u) cpp_spend_sum(model, back(u), spends, count, threads),
    from,
    ifelse(positive, log(1e-5), -50),
    ifelse(positive, log(1e7), 50),
    all_starts = TRUE
  )
  names <- spend_models()[[model]]$parameters
  fit <- list(
    parameters = stats::setNames(back(best$at), names),
    log_lik = best$log_lik,
    vcov = if (!is.null(best$covariance)) structure(best$covariance, dimnames = list(names, names)),
    distance = best$distance,
    edge = names[best$edge],
    free = 3L,
    penalty = 0
  )
  new_fit(
    fit,
    model,
    sum(count),
    c("nubrek_spend", "nubrek_spend_model"),
    said,
    packed = c(spends, list(count = count))
  )
}
