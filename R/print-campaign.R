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
          "Asked were %s held back; each customer is drawn alone, so that nobody moves when ",
          "others come, and the share varies a little."
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
        "%s of %s differ by more than chance usually brings; about %s would. %s",
        format_count(beyond),
        n_of(nrow(rows), "row"),
        format_count(round(0.05 * nrow(rows))),
        if (stats::pbinom(beyond - 1, nrow(rows), 0.05, lower.tail = FALSE) >= 0.01) {
          say("That is no reason to worry.")
        } else {
          say("That is a reason to look whether the lists were drawn and sent as planned.")
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
describe.nubrek_effect <- function(x) {
  list(
    heading = paste(say("Did it work?"), seen_text(basis_of(x, "name"))),
    finding = if (!is_part(x)) effect_finding(x),
    table = if (!is_part(x)) effect_face(x),
    after = c(
      "",
      say(
        paste0(
          "Per contacted customer, over %s days from %s, adjusted for the same days before; ",
          "everybody as drawn."
        ),
        basis_of(x, "days"),
        format_day(basis_of(x, "day") + 1)
      ),
      net_words(x)
    )
  )
}

# Effects with their intervals in one text.
effect_face <- function(x) {
  table <- plain_table(x)
  table$interval <- paste(signed(table$lower), "to", signed(table$upper))
  table$effect <- signed(table$effect)
  if (!is.null(table$together)) table$together <- signed(table$together)
  table$mean_held_back <- four_digits(table$mean_held_back)
  columns <- c(
    "outcome", "offer", basis_of(x, "by"), "mean_held_back", "effect", "interval", "together",
    if (!is_running(x)) "p",
    "contacted", "held_back"
  )
  basis <- attr(x, "basis")
  basis$kinds[c("effect", "interval", "together", "mean_held_back")] <- "cell"
  structure(table[intersect(columns, names(table))], basis = basis)
}

# The sentence on sales (or the first outcome there is).
effect_finding <- function(x) {
  rows <- plain_table(x)
  if (!is.null(rows$offer) || !is.null(basis_of(x, "by"))) return(NULL)
  place <- match("sales", rows$outcome)
  if (is.na(place)) place <- 1L
  if (is_running(x)) return(effect_so_far(rows[place, ], x))
  clear <- rows$lower > 0 | rows$upper < 0
  told <- effect_words(rows[place, ], x)
  if (clear[[place]] || !any(clear)) return(told)
  paste0(told, say(" Beyond chance: "), toString(
    paste(gsub("_", " ", rows$outcome[clear]), signed(rows$effect[clear]))
  ), ".")
}

is_running <- function(effect) basis_of(effect, "days") < basis_of(effect, "wanted")

# Before the end: what is seen, and no verdict.
effect_so_far <- function(one, x) {
  unit <- if (one$outcome == "sales") paste0(" ", basis_of(x, "currency")) else ""
  say(
    paste0(
      "Day %s of %s: %s%s %s a contacted customer so far (%s to %s, held for a look on every ",
      "day); whether it worked and paid is told at the end."
    ),
    basis_of(x, "days"),
    basis_of(x, "wanted"),
    signed(one$effect),
    unit,
    gsub("_", " ", one$outcome),
    signed(one$lower),
    signed(one$upper)
  )
}

effect_words <- function(one, x) {
  unit <- if (one$outcome == "sales") paste0(" ", basis_of(x, "currency")) else ""
  say(
    "%s: %s%s %s a contacted customer (95 %% interval %s to %s)%s.",
    if (one$lower > 0) {
      "It brought more"
    } else if (one$upper < 0) {
      say("It brought less")
    } else {
      paste(say("No effect on"), gsub("_", " ", one$outcome), say("that is beyond chance"))
    },
    signed(one$effect),
    unit,
    gsub("_", " ", one$outcome),
    signed(one$lower),
    signed(one$upper),
    if (one$mean_held_back > 0) {
      say(" on the %s%s of those held back", four_digits(one$mean_held_back), unit)
    } else {
      ""
    }
  )
}

signed <- function(x) {
  size <- trimws(written(signif(abs(x), 3L), format = "fg", digits = 3L, big.mark = "\u202f"))
  paste0(ifelse(x < 0, "\u2212", "+"), size)
}

net_words <- function(x) {
  rows <- plain_table(x)
  rows <- rows[rows$outcome == "margin", ]
  if (nrow(rows) != 1L || is_running(x)) return(NULL)
  say(
    "After costs: %s (95 %% interval %s to %s); chance that it paid: %s.",
    format_money(rows$net, basis_of(x, "currency")),
    format_money(rows$net_lower, basis_of(x, "currency")),
    format_money(rows$net_upper, basis_of(x, "currency")),
    present_share(rows$chance_paid)
  )
}

#' @export
describe.nubrek_effect_course <- function(x) {
  list(heading = paste(say("The effect week by week:"), seen_text(basis_of(x, "name"))))
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
          four_digits(x$before[[most]]),
          four_digits(x$after[[most]]),
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
      say("No campaign is over yet.")
    } else if (!is_part(x)) {
      say(
        "%s of %s with a result %s an effect beyond chance.",
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
