# What audiences are called, and the sentence that says what was found.

#' @export
describe.nubrek_audience <- function(x) {
  course <- attr(x, "course")
  n <- if (is_part(x)) nrow(x) else course$customers[[nrow(course)]]
  list(
    heading = paste(c("Audience", seen_text(basis_of(x, "name"))), collapse = ": "),
    finding = audience_finding(
      n, basis_of(x, "population"), basis_of(x, "sales"), basis_of(x, "sales_of_all"), basis_of(
        x, "currency"
      ), basis_of(x, "among")
    ),
    table = if (!is_part(x)) course_table(course),
    after = c(
      "",
      if (basis_of(x, "cannot_be_told") > 0L) {
        say(
          "Of %s a condition cannot be told; what cannot be told is never true.",
          n_of(basis_of(x, "cannot_be_told"), "customer")
        )
      },
      paste0(
        say("alone: for how many a condition holds by itself. The members: "),
        if (!on_command()) {
          "as.data.frame(x)"
        } else if (command_takes("--name")) {
          "nubrek list audiences STUDY --name NAME --file FILE.csv"
        } else {
          say("nubrek list audiences, once the rule stands among those of the study")
        }
      )
    )
  )
}

audience_finding <- function(n, population, sales, all, currency, among) {
  say(
    "%s of %s%s; they have brought %s (%s of all sales).",
    n_of(n, "customer"),
    format_count(population),
    if (is.null(among)) "" else say(" who bought in %s", paste(among, collapse = " to ")),
    format_money(sales, currency),
    if (all > 0) present_share(sales / all) else "none"
  )
}

course_table <- function(course) {
  course$condition <- seen_text(course$condition)
  course[c(
    "condition", "customers", "share", "sales", "taken_away", "alone",
    if (any(course$cannot_be_told > 0L)) c("cannot_be_told", "missing")
  )]
}

#' @export
describe.nubrek_audience_course <- function(x) {
  list(
    heading = paste(
      c(say("The count while it was built"), seen_text(basis_of(x, "name"))), collapse = ": "
    ),
    table = structure(course_table(plain_table(x)), basis = attr(x, "basis"))
  )
}

#' @export
describe.nubrek_audience_changes <- function(x) {
  n <- c(joined = 0, stayed = 0, left = 0)
  n[] <- vapply(names(n), \(change) sum(x$customers[x$change == change]), 0)
  list(
    heading = paste(
      c(say("Who joined and who left"), seen_text(basis_of(x, "name"))), collapse = ": "
    ),
    finding = if (!is_part(x)) {
      say(
        "%s joined, %s left, %s stayed.",
        n_of(n[["joined"]], "customer"),
        format_count(n[["left"]]),
        format_count(n[["stayed"]])
      )
    }
  )
}

#' @export
describe.nubrek_audiences <- function(x) {
  most <- which.max(x$sales)
  list(
    heading = "Audiences",
    finding = if (!is_part(x) && nrow(x) > 0L) {
      say(
        "%s; the most sales lie in \u201c%s\u201d: %s (%s of all), %s of sales.",
        n_of(nrow(x), "audience"),
        seen_text(x$audience[[most]]),
        n_of(x$customers[[most]], "customer"),
        present_share(x$share[[most]]),
        present_share(x$share_of_sales[[most]])
      )
    },
    table = if (!is_part(x) && !any(nzchar(x$description))) {
      structure(plain_table(x)[names(x) != "description"], basis = attr(x, "basis"))
    },
    after = c("", paste0(
      say("Groups of customers by rules, which may overlap. One of them, condition by condition: "),
      if (on_command()) "--name NAME" else "attr(x, \"audiences\")"
    ))
  )
}

#' @export
describe.nubrek_overlap <- function(x) {
  called <- basis_of(x, "names")
  lift <- basis_of(x, "lift")
  list(
    heading = paste("Overlap of", paste(seen_text(called), collapse = ", ")),
    finding = if (!is_part(x) && length(called) > 2L) {
      overlap_finding(x)
    } else if (!is_part(x) && length(called) == 2L && !is.na(lift)) {
      both <- n_of(sum(x$customers[x$place == paste(called, collapse = " and ")]), "customer")
      expected <- format_count(round(basis_of(x, "expected")))
      # where a group is everybody or nobody, there is nothing to compare
      if (is.na(basis_of(x, "odds_ratio"))) {
        say("%s are in both, and there can be neither more nor fewer.", both)
      } else {
        say(
          paste0(
            "%s are in both; chance alone would bring %s together: %.2f times as many ",
            "(odds ratio %s, 95 %% interval %s to %s)."
          ),
          both,
          expected,
          lift,
          odds_text(basis_of(x, "odds_ratio")),
          odds_text(basis_of(x, "lower")),
          odds_text(basis_of(x, "upper"))
        )
      }
    }
  )
}

#' @export
describe.nubrek_audience_comparison <- function(x) {
  called <- seen_text(basis_of(x, "names"))
  apart <- attr(x, "differences")
  list(
    heading = say("%s (a) beside %s (b)", capital(called[[1L]]), called[[2L]]),
    finding = if (!is_part(x)) {
      if (basis_of(x, "everybody") && !is.null(apart)) {
        describe(apart)$finding
      } else {
        describe(attr(x, "overlap"))$finding
      }
    },
    after = c("", if (is.null(apart)) {
      say("Too few customers are in only one of them to say what distinguishes these.")
    } else {
      distinguishing_words(apart, called[[2L]])
    })
  )
}

# The five largest differences in words.
distinguishing_words <- function(apart, other) {
  rows <- plain_table(apart)
  rows <- rows[!rows$from_rule & rows$adjusted_p < 0.05 & rows$level != "(missing)", ]
  told <- vapply(seq_len(min(5L, nrow(rows))), \(i) contrast_words(rows[i, ], other, "Mean"), "")
  c(
    if (length(told) == 0L) {
      say(
        "Nothing that the rules do not say themselves tells those in only one apart beyond chance."
      )
    } else {
      c(say("What distinguishes those in only one, beyond chance and beyond the rules:"), told)
    },
    if (!on_command()) say("All of it: audience_differences(x)")
  )
}

# Of more than two audiences: how many are in several, and where most of these are.
overlap_finding <- function(x) {
  number <- vapply(overlap_cells(x), \(cell) sum(bitwAnd(cell, 2^(0:19)) > 0), 0L)
  several <- number > 1L
  if (sum(x$customers[several]) == 0L) return(say("Nobody is in more than one of the audiences."))
  each <- tapply(x$customers[several], x$place[several], sum)
  say(
    "%s are in more than one audience; most of them (%s) in %s.",
    n_of(sum(each), "customer"),
    format_count(max(each)),
    seen_text(names(each)[[which.max(each)]])
  )
}

odds_text <- function(x) if (is.finite(x)) written(x, format = "fg", digits = 3L) else "endless"

#' @export
describe.nubrek_contrast <- function(x) {
  called <- seen_text(basis_of(x, "names"))
  found <- plain_table(x)[!x$from_rule & x$adjusted_p < 0.05 & x$level != "(missing)", ]
  list(
    heading = say("%s beside %s", capital(called[[1L]]), called[[2L]]),
    finding = if (is_part(x)) {
      NULL
    } else if (nrow(found) == 0L) {
      say("Nothing that the rule does not say itself tells them apart beyond chance.")
    } else {
      contrast_words(found[1L, ], called[[2L]])
    },
    table = if (!is_part(x)) {
      contrast_face(x, c(
        "what", "level", "inside", "outside", "standardised", "adjusted_p", "from_rule"
      ))
    },
    after = c("", say(paste0(
      "Means, and shares of levels; standardised by the spread; p adjusted for all rows together. ",
      "from_rule: what the rule itself uses, or is computed from it."
    )))
  )
}

# Means as numbers, shares as percents, side by side in ready text.
contrast_face <- function(x, columns) {
  table <- plain_table(x)[columns]
  for (name in c("inside", "outside")) {
    table[[name]] <- ifelse(x$level == "", four_digits(x[[name]]), present_share(x[[name]]))
  }
  basis <- attr(x, "basis")
  basis$kinds[c("inside", "outside")] <- "cell"
  structure(table, basis = basis)
}

contrast_words <- function(one, others, begin = say("They differ most in")) {
  if (one$level == "") {
    return(say(
      "%s %s: %s against %s.",
      begin,
      gsub("_", " ", one$what),
      four_digits(one$inside),
      four_digits(one$outside)
    ))
  }
  often <- sort(c(one$inside, one$outside))
  say(
    "%s is \u201c%s\u201d for %s of them against %s%s.",
    capital(gsub("_", " ", one$what)),
    seen_text(one$level),
    present_share(one$inside),
    present_share(one$outside),
    if (often[[1L]] == 0) {
      ""
    } else if (one$inside > one$outside) {
      say(": %s times as often", times_text(often[[2L]] / often[[1L]]))
    } else {
      say(": %s times as often of %s", times_text(often[[2L]] / often[[1L]]), others)
    }
  )
}

# Many times as often, as far as the few that it rests on can say.
times_text <- function(x) if (x > 100) say("over 100") else fixed(x, if (x < 10) 1L else 0L)

#' @export
describe.nubrek_audience_periods <- function(x) {
  called <- basis_of(x, "names")
  list(
    heading = paste(say("Over time:"), paste(seen_text(called), collapse = ", ")),
    finding = if (!is_part(x)) audience_periods_finding(x, called)
  )
}

# The last complete period of the first audience beside the others.
audience_periods_finding <- function(x, called) {
  rows <- plain_table(x)
  rows <- rows[!rows$partial & rows$known > 0L, ]
  last <- rows[rows$period == max(rows$period), ]
  place <- match(called[c(1L, length(called))], last$who)
  if (nrow(rows) == 0L || anyNA(place)) return(NULL)
  say(
    "In %s, %s of \u201c%s\u201d came back, and %s of %s.",
    period_label(last$period[[1L]], basis_of(x, "clock")),
    present_share(last$active_share[[place[[1L]]]]),
    seen_text(called[[1L]]),
    present_share(last$active_share[[place[[2L]]]]),
    called[[length(called)]]
  )
}

#' @export
describe.nubrek_contrasts <- function(x) {
  list(
    heading = say("What distinguishes the audiences"),
    finding = if (!is_part(x) && nrow(x) > 0L) {
      one <- attr(x, "contrasts")[[1L]]
      sprintf("\u201c%s\u201d: %s", seen_text(x$audience[[1L]]), describe(one)$finding)
    },
    table = if (!is_part(x) && nrow(x) > 0L) {
      contrast_face(x, c(
        "audience", "what", "level", "inside", "outside", "standardised", "adjusted_p"
      ))
    },
    after = c("", paste0(
      say("The five rows of each that its rule does not make itself. One of them, whole: "),
      if (on_command()) {
        say("--name NAME, beside another --against NAME")
      } else {
        "attr(x, \"contrasts\")"
      }
    ))
  )
}
