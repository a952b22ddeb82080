# What the money of the coming time is called, and the sentence that says what was found.

#' @export
describe.nubrek_outcome <- function(x) {
  with_trust(x, outcome_told(x))
}

outcome_told <- function(x) {
  clock <- basis_of(x, "clock")
  total <- attr(x, "total")
  money <- \(v) format_money(v, basis_of(x, "currency"))
  shown <- plain_table(x)
  shown$period <- paste0(period_label(shown$period, clock), ifelse(shown$partial, " rest", ""))
  shown <- shown[c(
    "period", "new", "active", "purchases", "sales", "sales_lower", "sales_upper", "sales_today",
    "sales_before"
  )]
  to_come <- if (total$new > 0) {
    say("; %s of it from customers still to be won", present_share(
      1 - total$sales_today / total$sales
    ))
  } else {
    say(" from today's customers alone")
  }
  list(
    heading = paste(say("Sales to come, by"), clock),
    table = structure(shown, basis = attr(x, "basis")),
    finding = say(
      "%s net sales are expected by the end of %s (%s to %s, %s)%s.",
      money(total$sales),
      period_label(x$period[[nrow(x)]], clock),
      money(total$sales_lower),
      money(total$sales_upper),
      present_share(basis_of(x, "level")),
      to_come
    )
  )
}

# What is to come is read from the nearest period on.
#' @export
print.nubrek_outcome <- function(x, rows = max(24L, default_rows()), ...) NextMethod(rows = rows)

# The newest cohorts that have some time to come, cumulated, by age.
#' @export
describe.nubrek_outlook_grid <- function(x) {
  with_trust(x, outlook_grid_told(x))
}

outlook_grid_told <- function(x) {
  clock <- basis_of(x, "clock")
  grouped_by <- basis_of(x, "by")
  rows <- plain_table(x)
  far <- min(tapply(rows$age, paste(rows$cohort, do.call(paste, rows[grouped_by])), max))
  # a cohort still being won is not complete
  whole <- rows$cohort[rows$age == 0L & rows$what == "observed"]
  last <- rows[
    !rows$older &
      !is.na(rows$per_customer) &
      rows$age == far &
      (rows$cohort %in% whole | length(whole) == 0L),

  ]
  finding <- if (nrow(last) > 0L) {
    newest <- last[last$cohort == max(last$cohort), ]
    value <- sum(newest$per_customer * newest$size) / sum(newest$size)
    say(
      "A customer won in %s is expected to have brought %s of %s by age %s.",
      period_label(newest$cohort[[1L]], clock),
      format_money(value, basis_of(x, "currency"), 2L),
      basis_of(x, "money"),
      n_of(far, clock)
    )
  }
  list(
    heading = paste0(
      say("The cohorts, continued: cumulative "), basis_of(x, "money"),
      say(" per acquired customer")
    ),
    finding = finding,
    table = outlook_table(x),
    after = c("", paste0(
      say("By age in "), clock, say("s; ~ holds a forecast. Intervals, customers and sales: "),
      all_hint()
    ))
  )
}

outlook_table <- function(x, cohorts = 12L) {
  shown <- plain_table(x)
  grouped_by <- basis_of(x, "by")
  rows <- unique(shown[c(grouped_by, "cohort", "size")])
  keep <- rows$cohort %in% utils::tail(sort(unique(rows$cohort)), cohorts)
  rows <- rows[keep, ]
  key <- \(t) do.call(paste, c(lapply(t[c(grouped_by, "cohort")], as.character), sep = "\r"))
  ages <- 0:max(shown$age[key(shown) %in% key(rows)])
  cell <- \(a) {
    place <- match(paste(key(rows), a), paste(key(shown), shown$age))
    v <- shown$per_customer[place]
    ifelse(is.na(v), "", paste0(ifelse(shown$what[place] == "observed", "", "~"), written(
      v, format = "f", digits = if (max(shown$per_customer, na.rm = TRUE) >= 20) 0L else 1L
    )))
  }
  as_cells(c(
    as.list(rows[grouped_by]),
    list(
      cohort = period_label(rows$cohort, basis_of(x, "clock")), size = format_count_plain(rows$size)
    ),
    stats::setNames(lapply(ages, cell), ages)
  ), length(grouped_by) + 1L)
}

#' @export
describe.nubrek_worth <- function(x) {
  with_trust(x, worth_told(x))
}

worth_told <- function(x) {
  grouped_by <- basis_of(x, "by")
  judged <- plain_table(x)[!x$older, ]
  known <- basis_of(x, "money") != "sales"
  summed <- if (nrow(judged) > 0L) worth_summary(x)
  if (!is.null(summed)) { # beside a cost, the value is that of the cohorts it is known of
    summed$value <- ifelse(is.na(summed$cost), summed$value, summed$value_with_cost)
  }
  list(
    heading = say("What a customer is worth: before the cost, the cost, after it"),
    finding = worth_finding(x, summed, judged, known),
    table = worth_table(x, summed, grouped_by, basis_of(x, "clock"), known),
    answers = c("value", "cost", "value_after_cost", "value_to_cost"),
    after = if (length(grouped_by) > 0L && !is.null(summed)) {
      c("", paste0(say(paste0(
        "Groups over the cohorts of a year; observed: share of the customers seen to the ",
        "payback age. Each cohort: "
      )), all_hint()))
    }
  )
}

worth_finding <- function(x, summary, judged, known) {
  if (is.null(summary)) return(say("Every cohort may hold older customers."))
  money <- \(v) format_money(v, basis_of(x, "currency"), 2L)
  until <- if (length(unique(judged$to_age)) == 1L) {
    say(" by age %s", n_of(judged$to_age[[1L]], basis_of(x, "clock")))
  } else {
    ""
  }
  if (!known) {
    return(say(
      "An acquired customer brings %s of sales%s; without a margin that is no value.",
      money(summary$sales_per_customer[[1L]]),
      until
    ))
  }
  if (length(basis_of(x, "by")) > 0L) {
    return(worth_of_groups(x, summary, money, until))
  }
  paste0(
    say("A customer of the newest cohorts is worth %s%s", money(summary$value), until),
    if (is.na(summary$cost)) {
      "."
    } else {
      say(
        " against a cost of %s: %s %s, %s times the cost.",
        money(summary$cost),
        money(abs(summary$value_after_cost)),
        if (summary$value_after_cost >= 0) "are left" else "are lost",
        written(summary$value_to_cost, format = "f", digits = 1L)
      )
    }
  )
}

# The group of which customers are worth most, or return most on what they cost, and the last, where
# groups differ by more than their cohorts scatter.
worth_of_groups <- function(x, summary, money, until) {
  by <- basis_of(x, "by")
  error <- worth_errors(x, summary)
  clear <- if (all(is.na(summary$cost))) {
    clear_extremes(summary$value, error)
  } else {
    clear_extremes(summary$value_to_cost, error / summary$cost)
  }
  if (is.null(clear)) {
    return(say(
      "What customers are worth%s does not differ clearly between %s.", until,
      n_of(nrow(summary), "group")
    ))
  }
  best <- clear$high
  worst <- clear$low
  if (all(is.na(summary$cost))) {
    return(say(
      "A customer of \u201c%s\u201d is worth most (%s%s), of \u201c%s\u201d least (%s).",
      row_label(summary, best, by),
      money(summary$value[[best]]),
      until,
      row_label(summary, worst, by),
      money(summary$value[[worst]])
    ))
  }
  say(
    paste0(
      "\u201c%s\u201d returns most on what its customers cost (%s for %s%s), \u201c%s\u201d ",
      "least (%s for %s)."
    ),
    row_label(summary, best, by),
    money(summary$value[[best]]),
    money(summary$cost[[best]]),
    until,
    row_label(summary, worst, by),
    money(summary$value[[worst]]),
    money(summary$cost[[worst]])
  )
}

worth_table <- function(x, summary, by, clock, known) {
  if (length(by) > 0L && !is.null(summary)) {
    return(structure(
      summary[intersect(c(
        by,
        "size",
        if (known) {
          c(
            "value", "cost", "value_after_cost", "value_to_cost", "payback_age", "observed",
            "return_on_cost"
          )
        },
        "sales_per_customer",
        "to_age"
      ), names(summary))],
      basis = attr(x, "basis")
    ))
  }
  shown <- plain_table(x)
  shown$cohort <- paste0(period_label(shown$cohort, clock), ifelse(shown$older, " older", ""))
  structure(
    shown[c(
      by,
      "cohort",
      "size",
      if (known) {
        c(
          "value", "value_lower", "value_upper", "cost", "value_after_cost", "value_to_cost",
          "payback_age", "payback"
        )
      },
      "sales_per_customer",
      "to_age"
    )],
    basis = attr(x, "basis")
  )
}

part_words <- c(
  from_staying = "staying longer", from_cadence = "buying more often", from_order = "larger orders"
)
less_words <- c(
  from_staying = "leaving earlier",
  from_cadence = "buying less often",
  from_order = "smaller orders"
)

#' @export
describe.nubrek_value_by <- function(x) {
  with_trust(x, value_by_told(x))
}

value_by_told <- function(x) {
  grouped_by <- basis_of(x, "by")
  rows <- plain_table(x)
  worth <- if (basis_of(x, "money") == "sales") "sales" else "value"
  shown <- c(
    grouped_by, "customers", worth, "value_lower", "value_upper", "difference", "from_staying",
    "from_cadence", "from_order", "highest_cost", "staying", "cadence", "mean_later", "small",
    "clear", "raw_purchases", "raw_mean_sales", if (!all(is.na(rows$conversion))) "conversion"
  )
  list(
    heading = paste0(
      say("What a customer won today is worth over "),
      n_of(basis_of(x, "years"), "year"),
      ", by ",
      gsub("_", " ", grouped_by)
    ),
    finding = value_by_finding(rows, grouped_by, worth, attr(x, "everybody")$value, basis_of(
      x, "currency"
    )),
    table = structure(rows[shown], basis = attr(x, "basis"))
  )
}

value_by_finding <- function(table, by, worth, everybody, currency) {
  money <- \(v) format_money(v, currency, 2L)
  sure <- which(table$clear & !table$small)
  if (length(sure) == 0L) {
    return(say(
      "By %s no group is worth clearly more or less than everybody (%s).",
      gsub("_", " ", by),
      money(everybody)
    ))
  }
  one <- \(row) say(
    "\u201c%s\u201d (%s, mainly by %s)",
    table[[by]][[row]],
    money(table[[worth]][[row]]),
    main_part(table, row)
  )
  if (length(sure) == 1L) {
    return(say("Against everybody's %s only %s differs clearly.", money(everybody), one(sure)))
  }
  say(
    "Customers of %s are worth most, of %s least; everybody %s.",
    one(sure[[1L]]),
    one(sure[[length(sure)]]),
    money(everybody)
  )
}

# Through what a group is worth more, or less, than everybody.
main_part <- function(table, row) {
  parts <- unlist(table[row, names(part_words)])
  if (table$difference[[row]] >= 0) {
    unname(part_words[[which.max(parts)]])
  } else {
    unname(less_words[[which.min(parts)]])
  }
}

#' @export
describe.nubrek_shares <- function(x) {
  what <- c(lifetime_value = "lifetime value", sales = "coming sales")[[basis_of(x, "measure")]]
  years <- basis_of(x, "years")
  list(
    heading = paste0(
      say("Who holds the "),
      what,
      if (basis_of(x, "measure") != "sales") {
        paste0(say(": so far and over the next "), if (years == 1) "year" else n_of(years, "year"))
      }
    ),
    finding = say(
      "The first %s of customers %s %s of the %s, the last half %s.",
      if (nrow(x) == 10L) "tenth" else paste0(number_text(round(100 / nrow(x), 1)), " %"),
      "holds",
      present_share(x$share[[1L]]),
      what,
      present_share(sum(x$share[x$group > nrow(x) / 2]))
    )
  )
}
