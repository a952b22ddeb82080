# What the results about events are called, and what was found.

#' @export
describe.nubrek_event_sales <- function(x) {
  last <- utils::tail(plain_table(x)[!is.na(x$to_usual), ], 1L)
  list(
    heading = say("Sales in the days of events"),
    finding = if (nrow(last) == 1L) {
      say(
        "\u201c%s\u201d of %s sold %s %s than such days usually do%s.",
        seen_text(last$event), format_day(last$from), present_share(abs(last$to_usual - 1)),
        if (last$to_usual >= 1) say("more") else say("less"),
        if (last$sales >= last$usual_lower && last$sales <= last$usual_upper) {
          say(" (not statistically significant)")
        } else {
          ""
        }
      )
    },
    table = plain_table(x)[c(
      "event", "from", "days", "sales", "usual", "to_usual", "usual_lower", "usual_upper",
      "customers", "new_customers", "change_percent", "other_years"
    )]
  )
}

#' @export
describe.nubrek_event_cohorts <- function(x) {
  rows <- plain_table(x)
  inside <- rows[rows$won == "inside" & !is.na(rows$share), ]
  best <- utils::head(inside[order(-inside$customers), ], 1L)
  beside <- rows[rows$won != "inside" & rows$event %in% best$event, ]
  early <- rows$won == "inside" & rows$customers > 0L & is.na(rows$share)
  list(
    heading = say("Customers acquired during events, and at other times"),
    answers = c("share", "p"),
    finding = if (nrow(best) == 1L && !is.na(beside$share)) {
      say(
        paste0(
          "Of customers acquired in \u201c%s\u201d %s bought again within %s, of those acquired ",
          "%s %s%s."
        ),
        seen_text(best$event), present_share(best$share), n_of(basis_of(x, "within"), "day"),
        if (beside$won == "beside") say("beside it") else say("in earlier years"),
        present_share(beside$share),
        if (isTRUE(best$p >= 0.05)) say(" (not statistically significant)") else ""
      )
    } else if (any(early)) {
      say(
        "Nobody acquired in the latest \u201c%s\u201d has been observed for %s yet.",
        seen_text(rows$event[early][[1L]]), n_of(basis_of(x, "within"), "day")
      )
    },
    table = x
  )
}
