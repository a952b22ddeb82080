# Fits and what is said of them.

#' @export
print.nubrek_purchase_model <- function(x, ...) {
  writeLines(c(cli::style_bold(paste("Model", x$name)), paste0(names(x$parameters), " = ", signif(x$parameters, 5), collapse = ", ")))
  invisible(x)
}
#' @export
print.nubrek_spend_model <- print.nubrek_purchase_model

#' @export
print.nubrek_purchases <- function(x, ...) {
  print(summary(x), rows = 50L)
  invisible(x)
}
#' @export
print.nubrek_spend <- print.nubrek_purchases

#' @export
describe.nubrek_fit <- function(x) {
  by <- basis_of(x, "covariates")
  spend <- basis_of(x, "model") %in% names(spend_models())
  list(heading = sprintf("Fit of %s to %s", basis_of(x, "model"), n_of(basis_of(x, "nobs"), "customer")), finding = model_words(x),
       after = c("", sprintf("Log-likelihood %s, AIC %s, BIC %s%s%s.", fit_number(basis_of(x, "log_lik")), fit_number(basis_of(x, "aic")), fit_number(basis_of(x, "bic")),
                             if (!spend) paste0("; times in ", basis_of(x, "unit"), "s") else "", if (basis_of(x, "penalty") > 0) sprintf("; penalty %g", basis_of(x, "penalty")) else ""),
                 if (by != "no covariates") paste0("Covariates: ", by, ". The parameters are those of the base", if (nzchar(basis_of(x, "group"))) paste0(": ", basis_of(x, "group")), ".")))
}

fit_number <- function(x) formatC(x, format = "f", digits = 1L, big.mark = "\u202f")

# What the parameters say, in a sentence.
model_words <- function(x) {
  p <- stats::setNames(as.list(x$estimate), x$parameter)
  model <- basis_of(x, "model")
  spend <- basis_of(x, "spend")
  if (model %in% names(spend_models())) {
    return(if (is.na(spend)) "Some amounts would be so large that they have no mean (q is at most 1)." else sprintf("A customer\u2019s repeat purchase is worth %.2f on average.", spend))
  }
  a_year <- 365.25 / unit_days[[basis_of(x, "unit")]]
  buys <- if (is_discrete(model)) sprintf("customers buy at %s of the occasions while they stay", present_share(p$alpha / (p$alpha + p$beta)))
    else sprintf("customers buy %.1f times a year on average while they stay", p$r / p$alpha * a_year)
  leaves <- switch(model,
    "pareto-nbd" = sprintf("half of them leave within %s", years_words(p$beta * expm1(log(2) / p$s) / a_year)),
    "bg-nbd" = sprintf("%s of repeat purchases are a customer\u2019s last", present_share(p$a / (p$a + p$b))),
    "mbg-nbd" = sprintf("%s of purchases are a customer\u2019s last, the first one too", present_share(p$a / (p$a + p$b))),
    "bg-bb" = sprintf("%s of new customers leave before the next occasion", present_share(p$gamma / (p$gamma + p$delta))))
  paste0(if (basis_of(x, "covariates") != "no covariates") paste0("Of the base group, ", buys) else capital(buys), "; ", leaves, ".")
}

years_words <- function(years) if (years > 100) "more than 100 years" else if (years >= 2) sprintf("%.1f years", years) else n_of(round(years * 365.25 / 7), "week")

#' @export
describe.nubrek_bootstrap <- function(x) list(heading = sprintf("Parametric bootstrap of %s, %s", basis_of(x, "model"), n_of(basis_of(x, "draws"), "world")), finding = NULL)

#' @export
describe.nubrek_anova <- function(x) {
  last <- nrow(x)
  list(heading = paste("Likelihood ratios of", basis_of(x, "model")),
       finding = if (x$p[[last]] < 0.05) sprintf("The covariates of the largest fit tell something (p %s).", if (x$p[[last]] < 0.001) "below 0.001" else sprintf("= %.3f", x$p[[last]]))
         else sprintf("What the largest fit adds may be chance (p = %.2f).", x$p[[last]]))
}

#' @export
describe.nubrek_tracking <- function(x) {
  until <- x$week_end <= basis_of(x, "until")
  inside <- list(expected = utils::tail(x$expected_so_far[until], 1L), actual = utils::tail(x$actual_so_far[until], 1L))
  off <- \(expected, actual) if (actual == 0) "" else { by <- expected / actual - 1; if (abs(by) < 0.005) ", the same" else sprintf(", %s %s", present_share(abs(by)),
      if (by > 0) "too many" else "too few") }
  finding <- if (all(until)) sprintf("Up to %s %s expects %s repeat purchases; %s came%s.", format_day(basis_of(x, "until")), basis_of(x, "model"), format_count(round(inside$expected)),
                                     format_count(inside$actual), off(inside$expected, inside$actual))
    else sprintf("In the %s after %s the model expected %s repeat purchases; %s came (%s).", n_of(sum(!until), "week"), format_day(basis_of(x, "until")), format_count(round(sum(x$expected[!until]))),
                 format_count(sum(x$actual[!until])), sub("^, ", "", off(sum(x$expected[!until]), sum(x$actual[!until]))))
  list(heading = "Repeat purchases by week, expected and actual", finding = finding)
}

#' @export
describe.nubrek_expected <- function(x) {
  n <- sum(x$observed)
  worst <- which.max(abs(x$difference))
  word <- if (worst == 1L) "never came back" else paste("came back", if (x$repeats[[worst]] == "1") "once" else paste(x$repeats[[worst]], "times"))
  list(heading = paste("Repeat purchases of customers, by", basis_of(x, "model"), "and observed"),
       finding = sprintf("%s of customers did not come back; the model says %s. It is off most for those who %s: %s expected, %s seen.", present_share(x$observed[[1L]] / n),
                         present_share(x$expected[[1L]] / n), word, format_count(round(x$expected[[worst]])), format_count(x$observed[[worst]])))
}

#' @export
describe.nubrek_spread <- function(x) {
  buys <- names(x)[[2L]]
  leaves <- names(x)[[3L]]
  one <- if (buys == "purchases_a_year") sprintf("Half of customers buy at most %.1f times a year while they stay, a tenth more than %.1f times", x[[buys]][[3L]], x[[buys]][[5L]])
    else sprintf("Half of customers buy at no more than %s of the occasions while they stay, a tenth at more than %s", present_share(x[[buys]][[3L]]), present_share(x[[buys]][[5L]]))
  two <- if (leaves == "stay_years") sprintf("half have a mean stay of less than %s, a tenth of more than %s", years_words(x[[leaves]][[3L]]), years_words(x[[leaves]][[5L]]))
    else sprintf("half leave with a chance of at most %s at a time, a tenth with more than %s", present_share(x[[leaves]][[3L]]), present_share(x[[leaves]][[5L]]))
  list(heading = paste("How much customers differ, by", basis_of(x, "model")), finding = paste0(one, "; ", two, "."))
}

#' @export
describe.nubrek_spend_check <- function(x) {
  gap <- sum(abs(x$difference)) / 2 / basis_of(x, "customers")
  list(heading = paste("Mean amounts of customers, by", basis_of(x, "model"), "and observed"),
       finding = sprintf("%s of customers would have to stand in another band for the amounts to be as the model says%s.", present_share(gap),
                         if (gap < 0.03) ": it fits" else if (gap < 0.1) "" else ": it does not fit well"))
}

#' @export
describe.nubrek_spend_frequency <- function(x) {
  rho <- basis_of(x, "correlation")
  range <- sprintf("rank correlation %.2f, %s interval %.2f to %.2f", rho, present_share(basis_of(x, "level")), basis_of(x, "correlation_lower"), basis_of(x, "correlation_upper"))
  list(heading = "Spend by frequency",
       finding = if (is.na(rho)) "Too few customers came back to tell whether frequent ones spend more each time."
         else if (basis_of(x, "tied")) sprintf("Who comes more often spends %s each time (%s): the spend models overlook that.", if (rho > 0) "more" else "less", range)
         else sprintf("Who comes more often spends about as much each time (%s), as the spend models assume.", range))
}

#' @export
describe.nubrek_calibration <- function(x) {
  off <- x$expected / x$actual - 1
  worst <- which.max(abs(x$difference))
  list(heading = paste("Purchases after", format_day(basis_of(x, "cut")), "by what", basis_of(x, "model"), "expected of the customers"),
       finding = sprintf("Group %d is off most: %s expected, %s came. %s of customers bought within their own 80 %% interval, %s within the 95 %% one.", x$group[[worst]],
                         format_count(round(x$expected[[worst]])), format_count(x$actual[[worst]]), present_share(basis_of(x, "inside_80")), present_share(basis_of(x, "inside_95"))))
}

#' @export
describe.nubrek_captured <- function(x) {
  at <- which.min(abs(x$share_of_customers - 0.1))
  model <- basis_of(x, "model")
  naive <- setdiff(names(x), c("share_of_customers", model, "best"))
  other <- naive[which.max(vapply(naive, \(n) x[[n]][[at]], 0))]
  list(heading = paste("Sales after", format_day(basis_of(x, "cut")), "by the customers put first"),
       finding = sprintf("The %s of customers that %s put first brought %s of the following sales; by the best naive rule (%s) it was %s, and %s could have been found.",
           present_share(x$share_of_customers[[at]]),
                         model, present_share(x[[model]][[at]]), other, present_share(x[[other]][[at]]), present_share(x$best[[at]])))
}

#' @export
describe.nubrek_rolling <- function(x) {
  won <- sum(x$gain > 0 & x$log_score > x$naive_log_score & x$captured > x$naive_captured)
  list(heading = sprintf("Backtests of %s, %s after each cut", basis_of(x, "model"), n_of(basis_of(x, "weeks"), "week")),
       finding = sprintf("At %d of %s the model beats every naive rule in error, log score and sales captured; its error is %s to %s below that of the best.", won, n_of(nrow(x), "cut"),
                         present_share(min(x$gain)), present_share(max(x$gain))),
       table = plain_columns(x, c("cut", "customers", "expected", "actual", "gain", "log_score", "naive_log_score", "captured", "naive_captured")))
}

#' @export
describe.nubrek_comparison <- function(x) {
  reason <- attr(x, "reason")
  list(heading = sprintf("Purchase models side by side, fitted to all and held against the %s after %s", n_of(round(basis_of(x, "weeks")), "week"), format_day(basis_of(x, "cut"))),
       finding = paste0(if (nrow(x) > 1L) "Recommended is ", reason))
}

#' @export
describe.nubrek_season <- function(x) {
  high <- which.max(x$index)
  low <- which.min(x$index)
  finding <- if (!basis_of(x, "known")) sprintf("The months differ by no more than chance (p = %.2f).", basis_of(x, "p"))
    else sprintf("In %s customers buy %s more than in an average month, in %s %s less.", x$month[[high]], present_share(x$index[[high]] - 1),
                 x$month[[low]], present_share(1 - x$index[[low]]))
  list(heading = "The season of the business", finding = finding)
}

# All months are read.
#' @export
print.nubrek_season <- function(x, rows = 12L, ...) NextMethod(rows = rows)
