# Fits and what is said of them.

#' @export
print.nubrek_purchase_model <- function(x, ...) {
  writeLines(c(cli::style_bold(paste("Model", x$name)), paste0(
    names(x$parameters), " = ", signif(x$parameters, 5), collapse = ", "
  )))
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
  covariates_told <- basis_of(x, "covariates")
  spend <- basis_of(x, "model") %in% names(spend_models())
  list(
    heading = say(
      "Fit of %s to %s", basis_of(x, "model"), n_of(basis_of(x, "nobs"), "customer")
    ),
    finding = model_words(x),
    after = c(
      "",
      say(
        "Log-likelihood %s, AIC %s, BIC %s%s%s.",
        fit_number(basis_of(x, "log_lik")),
        fit_number(basis_of(x, "aic")),
        fit_number(basis_of(x, "bic")),
        if (!spend) paste0(say("; times in "), basis_of(x, "unit"), "s") else "",
        if (basis_of(x, "penalty") > 0) say("; penalty %g", basis_of(x, "penalty")) else ""
      ),
      if (covariates_told != "no covariates") {
        paste0(
          say("Covariates: "),
          covariates_told,
          say(". The parameters are those of the base"),
          if (nzchar(basis_of(x, "group"))) paste0(": ", basis_of(x, "group")),
          "."
        )
      }
    )
  )
}

fit_number <- function(x) written(x, format = "f", digits = 1L, big.mark = "\u202f")

# What the parameters say, in a sentence.
model_words <- function(x) {
  p <- stats::setNames(as.list(x$estimate), x$parameter)
  model <- basis_of(x, "model")
  spend <- basis_of(x, "spend")
  if (model %in% names(spend_models())) {
    return(
      if (is.na(spend)) {
        say("Some amounts would be so large that they have no mean (q is at most 1).")
      } else {
        say("A customer\u2019s repeat purchase is worth %s on average.", fixed(spend, 2L))
      }
    )
  }
  a_year <- 365.25 / unit_days[[basis_of(x, "unit")]]
  buys <- if (is_discrete(model)) {
    say(
      "customers buy at %s of the occasions while they stay",
      present_share(p$alpha / (p$alpha + p$beta))
    )
  } else {
    say(
      "customers buy %s times a year on average while they stay",
      fixed(p$r / p$alpha * a_year, 1L)
    )
  }
  told <- purchase_models()[[model]]$leaving_told
  value <- told$value(p)
  leaves <- sprintf(
    told$words, if (told$kind == "share") present_share(value) else years_words(value / a_year)
  )
  paste0(
    if (basis_of(x, "covariates") != "no covariates") {
      paste0(say("Of the base group, "), buys)
    } else {
      capital(buys)
    },
    "; ",
    leaves,
    "."
  )
}

years_words <- function(years) {
  if (years > 100) {
    say("more than 100 years")
  } else if (years >= 2) {
    paste(fixed(years, 1L), "years")
  } else {
    n_of(round(years * 365.25 / 7), "week")
  }
}

#' @export
describe.nubrek_bootstrap <- function(x) {
  list(
    heading = say(
      "Parametric bootstrap of %s, %s", basis_of(x, "model"), n_of(basis_of(x, "draws"), "world")
    ),
    finding = NULL
  )
}

#' @export
describe.nubrek_anova <- function(x) {
  last <- nrow(x)
  list(
    heading = paste(say("Likelihood ratios of"), basis_of(x, "model")),
    finding = if (x$p[[last]] < 0.05) {
      say(
        "The covariates of the largest fit tell something (p %s).",
        if (x$p[[last]] < 0.001) "below 0.001" else paste("=", fixed(x$p[[last]], 3L))
      )
    } else {
      say("What the largest fit adds may be chance (p = %s).", fixed(x$p[[last]], 2L))
    }
  )
}

#' @export
describe.nubrek_spread <- function(x) {
  buys <- names(x)[[2L]]
  leaves <- names(x)[[3L]]
  one <- if (buys == "purchases_a_year") {
    say(paste0(
      "Half of customers buy at most %.1f times a year while they stay, a tenth more than %.1f ",
      "times"
    ), x[[buys]][[3L]], x[[buys]][[5L]])
  } else {
    say(paste0(
      "Half of customers buy at no more than %s of the occasions while they stay, a tenth at ",
      "more than %s"
    ), present_share(x[[buys]][[3L]]), present_share(x[[buys]][[5L]]))
  }
  two <- if (leaves == "stay_years") {
    say(
      "half have a mean stay of less than %s, a tenth of more than %s",
      years_words(x[[leaves]][[3L]]),
      years_words(x[[leaves]][[5L]])
    )
  } else {
    say(
      "half leave with a chance of at most %s at a time, a tenth with more than %s",
      present_share(x[[leaves]][[3L]]),
      present_share(x[[leaves]][[5L]])
    )
  }
  list(
    heading = paste(say("How much customers differ, by"), basis_of(x, "model")),
    finding = paste0(one, "; ", two, ".")
  )
}

#' @export
describe.nubrek_season <- function(x) {
  high <- which.max(x$index)
  low <- which.min(x$index)
  finding <- if (!basis_of(x, "known")) {
    say(
      "The months differ by no more than chance (p = %s).", fixed(basis_of(x, "p"), 2L)
    )
  } else {
    say(
      "In %s customers buy %s more than in an average month, in %s %s less.",
      x$month[[high]],
      present_share(x$index[[high]] - 1),
      x$month[[low]],
      present_share(1 - x$index[[low]])
    )
  }
  list(heading = say("The season of the business"), finding = finding)
}

# All months are read.
#' @export
print.nubrek_season <- function(x, rows = 12L, ...) NextMethod(rows = rows)
