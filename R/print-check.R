# What models held against what came have found, as sentences.

#' @export
describe.nubrek_tracking <- function(x) {
  until <- x$week_end <= basis_of(x, "until")
  inside <- list(
    expected = utils::tail(x$expected_so_far[until], 1L),
    actual = utils::tail(x$actual_so_far[until], 1L)
  )
  off <- \(expected, actual) {
    if (actual == 0) {
      ""
    } else {
      ahead_by <- expected / actual - 1
      if (abs(ahead_by) < 0.005) {
        ", the same"
      } else {
        sprintf(
          ", %s %s", present_share(abs(ahead_by)), if (ahead_by > 0) "too many" else "too few"
        )
      }
    }
  }
  finding <- if (all(until)) {
    say(
      "Up to %s %s expects %s repeat purchases; %s came%s.",
      format_day(basis_of(x, "until")),
      basis_of(x, "model"),
      format_count(round(inside$expected)),
      format_count(inside$actual),
      off(inside$expected, inside$actual)
    )
  } else {
    say(
      "In the %s after %s the model expected %s repeat purchases; %s came (%s).",
      n_of(sum(!until), "week"),
      format_day(basis_of(x, "until")),
      format_count(round(sum(x$expected[!until]))),
      format_count(sum(x$actual[!until])),
      sub("^, ", "", off(sum(x$expected[!until]), sum(x$actual[!until])))
    )
  }
  list(heading = say("Repeat purchases by week, expected and actual"), finding = finding)
}

#' @export
describe.nubrek_expected <- function(x) {
  n <- sum(x$observed)
  worst <- which.max(abs(x$difference))
  word <- if (worst == 1L) {
    say("never came back")
  } else {
    paste(
      "came back", if (x$repeats[[worst]] == "1") "once" else paste(x$repeats[[worst]], "times")
    )
  }
  list(
    heading = paste(say("Repeat purchases of customers, by"), basis_of(x, "model"), "and observed"),
    finding = say(
      paste0(
        "%s of customers did not come back; the model says %s. It is off most for those who %s: ",
        "%s expected, %s seen."
      ),
      present_share(x$observed[[1L]] / n),
      present_share(x$expected[[1L]] / n),
      word,
      format_count(round(x$expected[[worst]])),
      format_count(x$observed[[worst]])
    )
  )
}

#' @export
describe.nubrek_spend_check <- function(x) {
  gap <- sum(abs(x$difference)) / 2 / basis_of(x, "customers")
  list(
    heading = paste(say("Mean amounts of customers, by"), basis_of(x, "model"), "and observed"),
    finding = say(
      paste0(
        "%s of customers would have to stand in another band for the amounts to be as the model ",
        "says%s."
      ),
      present_share(gap),
      if (gap < 0.03) ": it fits" else if (gap < 0.1) "" else say(": it does not fit well")
    )
  )
}

#' @export
describe.nubrek_spend_frequency <- function(x) {
  rho <- basis_of(x, "correlation")
  ends <- say(
    "rank correlation %.2f, %s interval %.2f to %.2f",
    rho,
    present_share(basis_of(x, "level")),
    basis_of(x, "correlation_lower"),
    basis_of(x, "correlation_upper")
  )
  list(
    heading = say("Spend by frequency"),
    finding = if (is.na(rho)) {
      say("Too few customers came back to tell whether frequent ones spend more each time.")
    } else if (basis_of(x, "tied")) {
      say(
        "Who comes more often spends %s each time (%s): the spend models overlook that.",
        if (rho > 0) "more" else "less",
        ends
      )
    } else {
      say(
        "Who comes more often spends about as much each time (%s), as the spend models assume.",
        ends
      )
    }
  )
}

#' @export
describe.nubrek_calibration <- function(x) {
  worst <- which.max(abs(x$difference))
  list(
    heading = paste(
      "Purchases after",
      format_day(basis_of(x, "cut")),
      "by what",
      basis_of(x, "model"),
      say("expected of the customers")
    ),
    finding = say(
      paste0(
        "Group %d is off most: %s expected, %s came. %s of customers bought within their own 80 ",
        "%% interval, %s within the 95 %% one."
      ),
      x$group[[worst]],
      format_count(round(x$expected[[worst]])),
      format_count(x$actual[[worst]]),
      present_share(basis_of(x, "inside_80")),
      present_share(basis_of(x, "inside_95"))
    )
  )
}

#' @export
describe.nubrek_captured <- function(x) {
  place <- which.min(abs(x$share_of_customers - 0.1))
  model <- basis_of(x, "model")
  naive <- setdiff(names(x), c("share_of_customers", model, "best"))
  other <- naive[which.max(vapply(naive, \(n) x[[n]][[place]], 0))]
  list(
    heading = paste("Sales after", format_day(basis_of(x, "cut")),
      say("by the customers put first")),
    finding = say(
      paste0(
        "The %s of customers that %s put first brought %s of the following sales; by the best ",
        "naive rule (%s) it was %s, and %s could have been found."
      ),
      present_share(x$share_of_customers[[place]]),
      model,
      present_share(x[[model]][[place]]),
      other,
      present_share(x[[other]][[place]]),
      present_share(x$best[[place]])
    )
  )
}

# From the least to the greatest gain in error: how far below, or above where it is a loss.
gain_words <- function(gain) {
  side <- ifelse(gain < 0, "above", "below")
  share <- present_share(abs(gain))
  if (side[[1L]] == side[[2L]]) return(paste(share[[1L]], "to", share[[2L]], side[[1L]]))
  paste(share[[1L]], side[[1L]], "to", share[[2L]], side[[2L]])
}

#' @export
describe.nubrek_rolling <- function(x) {
  won <- sum(x$gain > 0 & x$log_score > x$naive_log_score & x$captured > x$naive_captured)
  list(
    heading = say(
      "Backtests of %s, %s after each cut", basis_of(x, "model"), n_of(basis_of(x, "weeks"), "week")
    ),
    finding = say(paste0(
      "At %d of %s the model beats every naive rule in error, log score and sales captured; its ",
      "error is %s that of the best."
    ), won, n_of(nrow(x), "cut"), gain_words(range(x$gain))),
    table = plain_columns(x, c(
      "cut", "customers", "expected", "actual", "gain", "log_score", "naive_log_score", "captured",
      "naive_captured"
    ))
  )
}

#' @export
describe.nubrek_comparison <- function(x) {
  reason <- attr(x, "reason")
  list(
    heading = say(
      "Purchase models side by side, fitted to all and held against the %s after %s",
      n_of(round(basis_of(x, "weeks")), "week"),
      format_day(basis_of(x, "cut"))
    ),
    finding = paste0(if (nrow(x) > 1L) "Recommended is ", reason)
  )
}
