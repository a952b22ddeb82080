# What results from cohort totals are called, and what was found.

#' @export
describe.nubrek_totals <- function(x) {
  list(
    heading = say("Totals of cohorts"),
    finding = say(
      "%s, %s acquired, up to %s after the first.", n_of(length(unique(x$cohort)), "cohort"),
      n_of(sum(x$acquired[!duplicated(x$cohort)]), "customer"), n_of(max(x$age), "period")
    )
  )
}

#' @export
describe.nubrek_totals_fit <- function(x) {
  p <- stats::setNames(x$value, x$parameter)
  spread <- basis_of(x, "spread")
  list(
    heading = say("A model of staying, from totals of cohorts"),
    finding = say(
      "Of all acquired %s are still there after one period, %s after four.",
      present_share(staying(1, p[["alpha"]], p[["beta"]])),
      present_share(staying(4, p[["alpha"]], p[["beta"]]))
    ),
    table = x,
    after = c("", if (spread > 1.5) {
      say(
        "Cells lie %s times as far from the model as chance lets expect (variance); intervals %s.",
        number_text(round(spread, 1)), say("are that much wider")
      )
    } else {
      say("Cells lie about as far from the model as chance lets expect.")
    })
  )
}

#' @export
describe.nubrek_totals_forecast <- function(x) {
  money <- !is.na(x$sales[[1L]])
  list(
    heading = say("What those acquired so far will do"),
    finding = if (money) {
      say(
        "In the next %s those acquired so far are expected to buy for %s.",
        n_of(nrow(x), "period"), format_count(round(sum(x$sales)))
      )
    } else {
      say(
        "In the next period %s of those acquired so far are expected to be active.",
        format_count(round(x$active[[1L]]))
      )
    },
    table = x,
    after = c("", say("Intervals: %s. Nobody new is in it.", present_share(basis_of(x, "level"))))
  )
}

#' @export
describe.nubrek_economics <- function(x) {
  list(
    heading = say("What each cohort has brought and will bring"),
    finding = if (!anyNA(x$per_acquired)) {
      amount <- \(v) number_text(round(v, 2))
      say(
        paste0(
          "Up to %s after the first, a customer brings %s in the middle of the cohorts (%s to ",
          "%s); what is not seen so far is expected."
        ),
        n_of(x$horizon[[1L]], "period"), amount(stats::median(x$per_acquired)),
        amount(min(x$per_acquired)), amount(max(x$per_acquired))
      )
    },
    table = x
  )
}

#' @export
describe.nubrek_totals_backtest <- function(x) {
  off <- \(name) sum(abs(x$came - x[[name]]))
  inside <- sum(x$came >= x$lower & x$came <= x$upper)
  list(
    heading = say("Would the totals have told the last periods?"),
    finding = say(
      "Off by %s active in all%s; %d of %s inside the interval.",
      format_count(round(off("expected"))),
      if (off("naive") < off("expected")) {
        say(
          ", more than the naive rule (%s): as many as last time",
          format_count(round(off("naive")))
        )
      } else {
        say(", the naive rule by %s", format_count(round(off("naive"))))
      },
      inside, n_of(nrow(x), "period")
    ),
    table = x
  )
}
