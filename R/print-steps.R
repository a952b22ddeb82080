# What steps between products, companions and the list of those due are called, and what was found.

# The step or pair farthest above what everybody buys, by a tenth at least, of those that are sure
# and have enough behind them.
surest <- function(x, count) {
  rows <- plain_table(x)
  rows <- rows[!is.na(rows$adjusted_p) & rows$adjusted_p < 0.05 & rows$lift >= 1.1, ]
  rows <- rows[rows[[count]] >= few_customers, ]
  rows[order(-rows$lift), ][seq_len(min(1L, nrow(rows))), ]
}

judged_line <- function(x) {
  say(
    "%s judged together; above what everybody buys then: adjusted_p below 0.05 and lift above 1.",
    n_of(basis_of(x, "judged"), "pair")
  )
}

#' @export
describe.nubrek_steps <- function(x) {
  best <- surest(x, "held")
  by <- gsub("_", " ", basis_of(x, "by"))
  list(
    heading = say("From the first purchase to the second, by %s", by),
    finding = if (nrow(x) == 0L) {
      say("Nobody has made a second purchase.")
    } else if (nrow(best) == 0L) {
      say("No step stands out from what everybody buys then.")
    } else {
      say(
        paste0(
          "After \u201c%s\u201d the second purchase holds \u201c%s\u201d in %s of cases, %s times ",
          "what everybody buys then."
        ),
        seen_text(best$first), seen_text(best$second), present_share(best$share),
        number_text(round(best$lift, 1))
      )
    },
    table = x,
    answers = c("share", "lift", "adjusted_p"),
    after = c("", judged_line(x))
  )
}

#' @export
describe.nubrek_companions <- function(x) {
  best <- surest(x, "together")
  list(
    heading = say("Bought together, by %s", gsub("_", " ", basis_of(x, "by"))),
    finding = if (nrow(x) == 0L) {
      say("No purchase holds two.")
    } else if (nrow(best) == 0L) {
      say("No pair stands out from what everybody buys then.")
    } else {
      say(
        paste0(
          "Of purchases with \u201c%s\u201d, %s hold \u201c%s\u201d too, %s times what purchases ",
          "as large hold."
        ),
        seen_text(best$item), present_share(best$share), seen_text(best$with),
        number_text(round(best$lift, 1))
      )
    },
    table = x,
    answers = c("lift", "adjusted_p"),
    after = c("", judged_line(x))
  )
}

#' @export
describe.nubrek_first_products <- function(x) {
  rows <- plain_table(x)
  rows <- rows[!is.na(rows$adjusted_p) & rows$adjusted_p < 0.05, ]
  best <- rows[order(-rows$rate_ratio), ][seq_len(min(1L, nrow(rows))), ]
  adjust <- gsub("_", " ", c("month", basis_of(x, "adjust")))
  list(
    heading = say("Who comes back, by %s of the first purchase", basis_of(x, "by")),
    finding = if (nrow(best) == 1L && best$rate_ratio > 1) {
      say(
        "Who begins with \u201c%s\u201d comes back %s times as fast as others of the same %s.",
        seen_text(best$first), number_text(round(best$rate_ratio, 1)),
        paste(adjust, collapse = " and ")
      )
    } else {
      say("No first goods stand out among customers of the same %s.", paste(
        adjust, collapse = " and "
      ))
    },
    table = x,
    after = c("", say(
      "share: back within %s. rate_ratio: by the same %s of the first purchase.",
      n_of(basis_of(x, "within"), "day"), paste(adjust, collapse = " and ")
    ))
  )
}

#' @export
describe.nubrek_due <- function(x) {
  windows <- basis_of(x, "windows")
  inside <- sum(x$state == "inside")
  list(
    heading = say("Second purchase due"),
    finding = say(
      "%s inside the window, %s passed it in the last %s.",
      if (inside == 1L) say("1 customer stands") else say("%s stand", n_of(inside, "customer")),
      format_count(nrow(x) - inside),
      n_of(basis_of(x, "passed"), "day")
    ),
    table = plain_table(x)[setdiff(names(x), c(
      "window_from", "window_until", "bought", "offer_share"
    ))],
    after = c("", say("Windows in days after the first purchase: %s.", paste0(
      if (nrow(windows) > 1L) paste0(seen_text(windows$group), " "),
      windows$from, " to ", windows$until,
      collapse = ", "
    )))
  )
}
