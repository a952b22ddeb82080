# What watches are called, and what they say.

#' @export
describe.nubrek_watch <- function(x) {
  fired <- plain_table(x)[x$fired, ]
  list(
    heading = if (basis_of(x, "what") == "basket") {
      say("A watch on the size of purchases")
    } else {
      say("A watch on customers coming back within %s days", basis_of(x, "within"))
    },
    finding = if (nrow(fired) == 0L) {
      say(
        "No statistically significant change since %s, at %s false alarms a year at most.",
        format_day(basis_of(x, "from")), number_text(basis_of(x, "false_alarms"))
      )
    } else {
      paste(vapply(seq_len(nrow(fired)), \(i) watch_words(fired[i, ], x), ""), collapse = " ")
    },
    table = x
  )
}

watch_words <- function(one, x) {
  who <- if (one$group == "all") {
    n_of(one$customers, "customer")
  } else {
    paste0(n_of(one$customers, "customer"), say(" of \u201c%s\u201d", seen_text(one$group)))
  }
  words <- if (basis_of(x, "what") == "basket") {
    say(
      "Of %s %s bought for more than %s, %s: statistically significant since %s.", who,
      present_share(one$rate, 1L),
      format_money(basis_of(x, "middle")[[one$group]], basis_of(x, "currency")),
      watch_expected(one), format_day(one$day)
    )
  } else {
    say(
      "Of %s %s came back within %s days, %s: statistically significant since %s.", who,
      present_share(one$rate, 1L), basis_of(x, "within"), watch_expected(one), format_day(one$day)
    )
  }
  if (basis_of(x, "season_known")) return(words)
  paste(words, say("With less than two years of history, it may be the time of year."))
}

watch_expected <- function(one) {
  if (is.na(one$expected)) return(say("before %s", present_share(one$rate_before, 1L)))
  say(
    "where %s was expected (the year before: %s)",
    present_share(one$expected, 1L), present_share(one$rate_before, 1L)
  )
}

#' @export
describe.nubrek_watches <- function(x) {
  fired <- plain_table(x)[x$fired, ]
  list(
    heading = say("Watches"),
    finding = if (nrow(fired) == 0L) {
      say("No watch fires.")
    } else {
      paste(watch_lines(fired), collapse = "\n")
    },
    table = plain_table(x)[c("watch", "group", "says", "fired")]
  )
}

watch_lines <- function(fired) {
  group <- ifelse(fired$group == "all", "", paste0(" (", seen_text(fired$group), ")"))
  paste0(seen_text(fired$watch), group, ": ", fired$says)
}
