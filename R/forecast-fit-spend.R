# Fitting the spend models.

#' @rdname fit_purchases
#' @export
fit_spend <- function(x, model = "gamma-gamma") {
  check_choice(model, names(spend_models()))
  notes <- NULL
  history <- x
  if (inherits(x, "nubrek_ledger")) {
    history <- purchase_history(x)
    learn <- learn_from(x, history)
    history <- history[learn$rows, ]
    free <- which(history$repeats > 0 & history$spend == 0)
    if (length(free) > 0L) history <- history[-free, ]
    notes <- rbind(learn$remarks, free_remark(length(free)))
  }
  check_columns_exist("repeats", names(history), "the history")
  used <- plain_table(history)[which(history$repeats > 0), , drop = FALSE]
  spends <- spends_to_fit(used, model)
  count <- as.double(used[["count"]] %||% rep(1, nrow(used)))
  new_fit(
    climb_spend(model, spends, count),
    model,
    sum(count),
    c("nubrek_spend", "nubrek_spend_model"),
    notes,
    list(packed = c(spends, list(count = count)))
  )
}

free_remark <- function(n) {
  if (n == 0L) return(NULL)
  remark_table("free orders", say(
    paste0(
      "%s paid nothing for any later order: the model of amounts is fitted without them, and ",
      "expects too much of those like them."
    ), n_of(n, "customer")
  ))
}

# Amounts that a model can be fitted to: of several customers, not all the same.
spends_to_fit <- function(used, model, call = rlang::caller_env()) {
  if (nrow(used) < 3L) {
    abort_nubrek(c(
      "A spend model cannot be fitted to {nrow(used)} customer{?s} with a repeat purchase.",
      "i" = "The mean amount can still be shown."
    ), "unidentified", call = call)
  }
  spends <- spend_columns(used, model, call = call)
  amounts <- amounts_of(spends, model)
  if (stats::sd(log(amounts)) < 1e-9) {
    abort_nubrek(c(
      "A spend model cannot be fitted to equal amounts.",
      "i" = paste0(
        "Every purchase is worth {signif(amounts[[1]], 6)}: that is the forecast of the next one ",
        "too."
      )
    ), "unidentified", call = call)
  }
  if (spend_models()[[model]]$by_logs && sum(spends$log_spread) <= 0) {
    abort_nubrek(c(
      "A {model} model cannot tell customers from purchases: nobody's amounts differ.",
      "i" = "The gamma-gamma model may be fitted."
    ), "unidentified", call = call)
  }
  spends
}

# One typical amount of each customer.
amounts_of <- function(spends, model) {
  if (spend_models()[[model]]$by_logs) exp(spends$log_spend) else spends$spend
}

climb_spend <- function(model, spends, count) {
  record <- spend_models()[[model]]
  back <- \(u) ifelse(record$positive, exp(u), u)
  threads <- reading_threads()
  best <- climb(
    \(u) cpp_spend_sum(model, back(u), spends, count, threads),
    record$starts(amounts_of(spends, model)),
    ifelse(record$positive, log(1e-5), -50),
    ifelse(record$positive, log(1e7), 50),
    all_starts = TRUE
  )
  called <- record$parameters
  list(
    parameters = stats::setNames(back(best$at), called),
    log_lik = best$log_lik,
    vcov = if (!is.null(best$covariance)) {
      structure(best$covariance, dimnames = list(called, called))
    },
    distance = best$distance,
    edge = called[best$edge],
    free = length(called),
    penalty = 0
  )
}
