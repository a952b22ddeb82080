# What campaigns are called, and the sentence that says what was found.

#' @export
describe.nubrek_campaign <- function(x) {
  held <- sum(x$arm == "held back")
  list(
    heading = paste("Campaign:", seen_text(basis_of(x, "name"))),
    finding = if (!is_part(x)) {
      say(
        "%s to contact on %s, %s held back (%s).",
        n_of(nrow(x) - held, "customer"),
        format_day(basis_of(x, "day")),
        format_count(held),
        present_share(held / nrow(x))
      )
    },
    after = c("", paste0(
      say("Measured over "), basis_of(x, "days"),
      say(" days after the contact. Everybody drawn is in the "),
      say("analysis, reached or not.")
    ), if (!is_part(x)) {
      say(
        paste0(
          "The control group was to be %s of the audience. Each customer is drawn independently, ",
          "so its share varies slightly, and customers who join later move nobody."
        ),
        present_rate(basis_of(x, "control_share"))
      )
    })
  )
}

#' @export
describe.nubrek_balance <- function(x) {
  rows <- plain_table(x)
  rows <- rows[!is.na(rows$standardised), ]
  beyond <- sum(abs(rows$standardised) > basis_of(x, "chance"))
  list(
    heading = paste(say("How alike the arms are:"), seen_text(basis_of(x, "name"))),
    finding = if (!is_part(x) && nrow(rows) > 0L) {
      say(
        "%s of %s differ more than chance would explain; about %s are expected to. %s",
        format_count(beyond),
        n_of(nrow(rows), "row"),
        format_count(round(0.05 * nrow(rows))),
        if (stats::pbinom(beyond - 1, nrow(rows), 0.05, lower.tail = FALSE) >= 0.01) {
          say("That is no reason to worry.")
        } else {
          say("Check whether the lists were drawn and sent as planned.")
        }
      )
    }
  )
}

#' @export
describe.nubrek_plan <- function(x) {
  outcome <- gsub("_", " ", basis_of(x, "outcome"))
  unit <- if (basis_of(x, "outcome") == "sales") paste0(" ", basis_of(x, "currency")) else ""
  best <- which(x$control_share == basis_of(x, "advised"))[1L]
  list(
    heading = paste(c(say("Plan of a campaign"), seen_text(basis_of(x, "name"))), collapse = ": "),
    finding = if (!is_part(x)) plan_finding(x, outcome, unit, best),
    after = c("", say(
      paste0(
        "Without a campaign: %s%s of %s a customer in %s days, from %s; the window before ",
        "explains %s of the differences. Detectable: with a chance of %s."
      ),
      four_digits(basis_of(x, "without")),
      unit,
      outcome,
      basis_of(x, "days"),
      n_of(basis_of(x, "windows"), "past window"),
      present_share(basis_of(x, "explained")),
      present_share(basis_of(x, "power"))
    ))
  )
}

plan_finding <- function(x, outcome, unit, best) {
  text <- say(
    "With %s held back, an effect of %s%s a customer can be seen (%s more %s than anyway).",
    present_share(x$control_share[[best]]),
    four_digits(x$detectable[[best]]),
    unit,
    present_share(x$detectable_share[[best]]),
    outcome
  )
  expected <- x$expected[[best]]
  if (is.na(expected)) return(text)
  paste(text, if (abs(expected) >= x$detectable[[best]]) {
    say("The assumed %s%s can.", four_digits(expected), unit)
  } else {
    say(
      "The assumed %s%s is too small for that: it takes %s.",
      four_digits(expected),
      unit,
      n_of(basis_of(x, "needed"), "customer")
    )
  })
}

#' @export
describe.nubrek_plans <- function(x) {
  list(heading = say("Plans of campaigns"), after = c("", paste0(
    say("One of them, for several shares held back: "),
    if (on_command()) "--name NAME" else "attr(x, \"plans\")"
  )))
}

#' @export
describe.nubrek_effects <- function(x) {
  told <- vapply(attr(x, "effects"), \(one) describe(one)$finding %||% "", "")
  list(
    heading = say("Did it work?"),
    finding = if (!is_part(x) && length(told) > 0L) {
      paste0(seen_text(names(told)[[1L]]), ": ", told[[1L]])
    },
    answers = c("effect", "lower", "upper"),
    after = c("",
      if (on_command()) say("One of them: --name NAME") else say("One: attr(x, \"effects\")"))
  )
}

#' @export
describe.nubrek_beyond <- function(x) {
  list(
    heading = paste(c("Without a control", seen_text(basis_of(x, "name"))), collapse = ": "),
    finding = if (!is_part(x)) {
      paste(
        say("Nobody was held back, so what the contact changed cannot be known."),
        say(
          "%s in %s days; expected of exactly these customers anyway: %s (%s to %s), so %s %s.",
          n_of(x$came, "purchase"),
          basis_of(x, "days"),
          number_text(round(x$expected)),
          number_text(round(x$lower)),
          number_text(round(x$upper)),
          signed(x$beyond),
          if (x$beyond_lower > 0 || x$beyond_upper < 0) {
            "beyond what was expected anyway"
          } else {
            "is within what was expected anyway"
          }
        )
      )
    },
    after = c("", say(
      paste0(
        "Beside the %s days before (%s) it would look like %s: a comparison that credits the ",
        "contact with what comes of the choice."
      ),
      basis_of(x, "days"),
      n_of(x$before, "purchase"),
      signed(x$naive)
    ))
  )
}

#' @export
describe.nubrek_contacts <- function(x) {
  list(
    heading = say("Who was contacted"),
    finding = if (!is_part(x) && nrow(x) > 0L) {
      say(
        "%s of %s so far; the latest is %s, %s.",
        n_of(sum(x$contacts), "contact"),
        n_of(nrow(x), "campaign"),
        seen_text(x$campaign[[1L]]),
        format_day(x$until[[1L]])
      )
    }
  )
}

#' @export
describe.nubrek_targets <- function(x) {
  known <- which(!is.na(x$by_itself) & x$customers > 0L)
  list(
    heading = say("Targets that are ready"),
    finding = if (!is_part(x) && length(known) > 0L) {
      most <- known[[which.max(x$by_itself[known])]]
      if (x$by_itself[[most]] > 0) {
        say(
          paste0(
            "\u201c%s\u201d comes back by itself: from %s to %s purchases a customer in %s days, ",
            "without a campaign."
          ),
          x$target[[most]],
          fixed(x$before[[most]], 2L),
          fixed(x$after[[most]], 2L),
          basis_of(x, "days")
        )
      } else {
        say("None of them comes back by itself: all buy less afterwards than before.")
      }
    },
    after = c("", paste0(
      say("Before and after: purchases a customer in "), basis_of(x, "days"),
      say(" days, of those who met the same rule in the past.")
    ), paste0(format(paste0(x$target, ":")), "  ", attr(x, "rules")[x$target]))
  )
}

#' @export
describe.nubrek_campaigns <- function(x) {
  over <- x$state == "measured"
  clear <- which(over & (x$lower > 0 | x$upper < 0))
  n <- sum(over)
  list(
    heading = paste("Campaigns:", gsub("_", " ", basis_of(x, "outcome")),
      say("per contacted customer")),
    finding = if (!is_part(x) && n == 0L) {
      say("No campaign has ended yet.")
    } else if (!is_part(x)) {
      say(
        "%s of %s with a result %s a statistically significant effect.",
        if (length(clear) == 0L) "None" else format_count(length(clear)),
        n_of(n, "campaign"),
        if (length(clear) < 2L) "has" else "have"
      )
    },
    table = if (!is_part(x)) history_face(x)
  )
}

# A campaign a row: its effect with the interval in one text, and what came of it.
history_face <- function(x) {
  table <- plain_table(x)
  known <- !is.na(table$effect)
  table$interval <- ifelse(known, paste(signed(table$lower), "to", signed(table$upper)), "-")
  table$effect <- ifelse(known, signed(table$effect), "-")
  table$together <- ifelse(known, signed(table$together), "-")
  columns <- c(
    "campaign", if (any(nzchar(table$offer))) "offer", "day", "effect", "interval",
    if (sum(known) > 1L) "together", "net", "chance_paid", if (!all(table$state == "measured")) {
      "state"
    }
  )
  basis <- attr(x, "basis")
  basis$kinds[c("effect", "interval", "together")] <- "cell"
  structure(table[columns], basis = basis)
}
