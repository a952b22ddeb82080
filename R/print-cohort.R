# What the cohort results are called, and the sentence that says what was found.

#' @export
describe.nubrek_measure <- function(x) {
  measure <- basis_of(x, "measure")
  clock <- basis_of(x, "clock")
  calendar <- identical(basis_of(x, "view"), "calendar")
  list(
    heading = paste0(
      say("Cohorts: "), say(grid_measures[[measure]]$label), if (calendar) paste0(", by ", clock)
    ),
    finding = if (calendar) {
      period_finding(x, measure, clock)
    } else {
      measure_finding(x, measure, clock)
    }
  )
}

# Of the pooled line without older cohorts: soon after the first purchase, and far from it (not from
# a handful of customers).
measure_finding <- function(x, measure, clock) {
  rule <- grid_measures[[measure]]
  if (is.null(rule$base)) return(NULL)
  lines <- bottom_lines(x)
  lines <- lines[lines$line == "without older cohorts" & lines$age > 0L & !is.na(lines$value), ]
  writer <- switch(rule$kind,
    share = \(v) present_share(v),
    money = \(v) format_money(v, basis_of(x, "currency")),
    \(v) written(v, format = "f", digits = 2L)
  )
  year <- as.integer(periods_a_year[[clock]])
  sized <- lines[lines$age <= year & lines$size >= 30L, ]
  if (nrow(sized) == 0L) sized <- lines[lines$age <= year, ]
  if (nrow(sized) == 0L) return(NULL)
  if (!is.null(basis_of(x, "by"))) return(group_finding(x, sized, rule, writer, clock))
  far <- utils::tail(sized, 1L)
  near <- sized[1L, ]
  if (measure == "retention") {
    one <- say(
      "%s of a cohort bought in the %s after the first purchase", writer(near$value), clock
    )
    return(
      if (far$age > 1L) {
        say("%s, %s in the %s %s after it.", one, writer(far$value), ordinal(far$age), clock)
      } else {
        paste0(one, ".")
      }
    )
  }
  after <- n_of(far$age, clock)
  switch(measure,
    still_active = say(
      "%s of a cohort bought %s after the first purchase or later.", writer(far$value), after
    ),
    net_revenue_retention = say(
      "%s after the first purchase a cohort brings %s of the sales of its first %s.",
      capital(after),
      writer(far$value),
      clock
    ),
    cumulative_sales_per_customer = say(
      "By age %s an acquired customer has brought %s of sales.", after, writer(far$value)
    ),
    value_to_date = say(
      "By age %s an acquired customer has brought %s of margin.", after, writer(far$value)
    ),
    say("%s: %s after %s.", capital(rule$label), writer(far$value), after)
  )
}

# What earlier cohorts brought to the last full period.
period_finding <- function(x, measure, clock) {
  if (
    !is.null(grid_measures[[measure]]$base) ||
      startsWith(measure, "cumulative") ||
      length(basis_of(x, "by")) > 0L
  ) {
    return(NULL)
  }
  rows <- plain_table(x)
  full <- rows[rows$complete, ]
  if (nrow(full) == 0L) return(NULL)
  last <- full[full$period == max(full$period), ]
  if (sum(last$value) <= 0) return(NULL)
  say(
    "In %s %s of %s came from earlier cohorts.",
    period_label(last$period[[1L]], clock),
    present_share(sum(last$value[last$age > 0L]) / sum(last$value)),
    grid_measures[[measure]]$label
  )
}

# The groups of 30 or more with the most and the fewest, where the shares of all of them differ.
group_finding <- function(x, sized, rule, write, clock) {
  # the latest age that most groups have reached
  ages <- table(sized$age)
  place <- max(as.integer(names(ages)[ages == max(ages)]))
  there <- sized[sized$age == place & sized$size >= 30L, ]
  if (rule$kind != "share" || rule$base != "size") return(NULL)
  clear <- clear_share_extremes(round(there$value * there$size), there$size)
  if (is.null(clear)) {
    return(say(
      "%s at age %s: the groups of 30 customers or more do not differ clearly.",
      capital(sub(":.*", "", rule$label)), n_of(place, clock)
    ))
  }
  label <- \(row) paste(unlist(lapply(row[basis_of(x, "by")], as.character)), collapse = ", ")
  high <- there[clear$high, ]
  low <- there[clear$low, ]
  say(
    "%s at age %s: highest for \u201c%s\u201d (%s), lowest for \u201c%s\u201d (%s).",
    capital(sub(":.*", "", rule$label)),
    n_of(place, clock),
    label(high),
    write(high$value),
    label(low),
    write(low$value)
  )
}

#' @export
describe.nubrek_diagonals <- function(x) {
  full <- plain_table(x)[!x$partial, ]
  list(
    heading = paste("Each", basis_of(x, "clock"), say("over all cohorts")),
    finding = if (nrow(full) > 0L && length(basis_of(x, "by")) == 0L) {
      last <- utils::tail(full, 1L)
      say(
        "In %s %s bought, of whom %s had come before.",
        period_label(last$period, basis_of(x, "clock")),
        n_of(last$customers, "customer"),
        present_share(last$later / last$customers)
      )
    }
  )
}

#' @export
describe.nubrek_usual <- function(x) {
  judged <- x[x$verdict != "too few", ]
  share <- grid_measures[[basis_of(x, "measure")]]$kind == "share"
  side <- !is.null(basis_of(x, "by"))
  after <- if (side) {
    paste0(say("The clearest first; cohorts with too few customers: "), all_hint())
  } else {
    say(paste0(
      "Difference from all earlier cohorts at the same age, %s; * beyond noise. Values, ",
      "intervals and p: %s"
    ), if (share) "percentage points" else "money", all_hint())
  }
  list(
    heading = paste(say("Against usual:"), grid_measures[[basis_of(x, "measure")]]$label),
    finding = usual_finding(plain_table(judged), x, share),
    table = if (side || nrow(x) == 0L) judged[order(judged$p), ] else usual_table(x),
    after = c("", after)
  )
}

usual_finding <- function(judged, x, share) {
  if (nrow(judged) == 0L) return(say("No cohort has enough earlier ones to be judged by."))
  told <- judged[judged$verdict %in% c("better", "worse"), ]
  if (nrow(told) == 0L) {
    return(say(
      "No cohort differs from the earlier ones by more than noise (%s judged).",
      n_of(nrow(judged), "cell")
    ))
  }
  clear <- told[which.min(told$p), ]
  writer <- if (share) \(v) present_share(v) else \(v) format_money(v, basis_of(x, "currency"))
  group <- vapply(clear[basis_of(x, "by")], as.character, "")
  say(
    paste0(
      "Of %s %s better than the earlier cohorts and %s worse, beyond noise; most clearly %s%s at ",
      "age %d: %s against %s."
    ),
    n_of(nrow(judged), "cell"),
    is_or_are(sum(told$verdict == "better")),
    is_or_are(sum(told$verdict == "worse")),
    if (length(group) > 0L) paste0("\u201c", paste(group, collapse = ", "), "\u201d ") else "",
    period_label(clear$cohort, basis_of(x, "clock")),
    clear$age,
    writer(clear$value),
    writer(clear$usual)
  )
}

is_or_are <- function(n) paste(format_count(n), if (n == 1L) "is" else "are")

# Cohorts down, some ages across: the difference, with a star where it is beyond noise.
usual_table <- function(x) {
  rows <- plain_table(x)
  cohorts <- sort(unique(rows$cohort))
  ages <- sort(unique(rows$age))
  ages <- ages[ages %in% c(0:6, 9L, 12L, 18L, 24L) | length(ages) <= 12L]
  share <- grid_measures[[basis_of(x, "measure")]]$kind == "share"
  cell <- \(age) {
    mine <- rows[rows$age == age, ]
    place <- match(cohorts, mine$cohort)
    text <- written(
      mine$difference[place] * if (share) 100 else 1,
      format = "f",
      digits = if (share) 0L else 1L,
      flag = "+"
    )
    text <- sub("^[+-]0(\\.0)?$", "0", text)
    ifelse(
      is.na(place),
      "",
      paste0(text, ifelse(mine$verdict[place] %in% c("better", "worse"), "*", " "))
    )
  }
  size <- format_count_plain(rows$size[match(cohorts, rows$cohort)])
  as_cells(c(
    list(cohort = period_label(cohorts, basis_of(x, "clock")), size = size),
    stats::setNames(lapply(ages, cell), paste("age", ages))
  ))
}

interval_in_words <- function(summary) {
  writer <- \(v) written(v, format = "f", digits = 2L)
  place <- match("value_to_cost", names(summary))
  result <- append(
    as.list(summary),
    list(
      interval = ifelse(is.na(summary$value_to_cost), NA, paste(
        writer(summary$value_to_cost_lower), "to", writer(summary$value_to_cost_upper)
      ))
    ),
    place
  )
  as.data.frame(
    result[
      setdiff(names(result), c("value_to_cost_lower", "value_to_cost_upper", "cohorts_there"))
    ],
    optional = TRUE
  )
}

#' @export
describe.nubrek_payback <- function(x) {
  margin <- basis_of(x, "money") == "margin"
  grouped <- length(basis_of(x, "by")) > 0L && margin
  summed <- payback_summary(x)
  list(
    heading = if (margin) {
      say("Has the money spent on winning customers come back?")
    } else {
      say("Sales against acquisition cost")
    },
    finding = payback_finding(x, summed, margin),
    table = if (grouped) interval_in_words(summed) else payback_table(x, margin),
    answers = c("payback_age", "highest_cost"),
    after = if (grouped) {
      c("", say(paste0(
        "Groups over all their cohorts; value_to_cost at age %d with its 95 %% interval; ",
        "highest_cost: what a customer may cost to pay back by then. Each cohort: %s"
      ), basis_of(x, "within"), all_hint()))
    }
  )
}

payback_finding <- function(x, summary, margin) {
  judged <- plain_table(x)[!x$older & !is.na(x$cost) & x$cost > 0, ]
  if (nrow(judged) == 0L) {
    return(say("No acquisition cost is known for any cohort without older customers."))
  }
  money <- \(v) format_money(v, basis_of(x, "currency"))
  if (!margin) {
    return(say(
      paste0(
        "Sales of %s stand against an acquisition cost of %s per customer; without a margin that ",
        "is no payback."
      ),
      money(sum(judged$sales) / sum(judged$size)),
      money(sum(judged$cost * judged$size) / sum(judged$size))
    ))
  }
  if (length(basis_of(x, "by")) > 0L) return(payback_of_groups(x, summary))
  paid <- sum(judged$status == "paid back")
  age <- payback_age_words(summary, 1L, basis_of(x, "clock"))
  paste0(
    say(
      "%s of %s %s paid back the cost%s.",
      format_count(paid),
      n_of(nrow(judged), "cohort"),
      if (paid == 1L) "has" else "have",
      if (nrow(judged) == 1L) {
        ""
      } else if (age == "not yet") {
        say("; together they have not yet")
      } else {
        say("; together they do %s", age)
      }
    ),
    if (!is.na(summary$highest_cost[[1L]])) {
      say(
        " To pay back by age %s a customer may cost %s.",
        basis_of(x, "within"),
        money(summary$highest_cost[[1L]])
      )
    }
  )
}

# The group that pays back first, and the last, where what they bring by their cost differs clearly.
payback_of_groups <- function(x, summary) {
  if (all(is.na(summary$payback_age))) {
    return(say("None of %s has paid back yet.", n_of(nrow(summary), "group")))
  }
  error <- interval_error(summary$value_to_cost_lower, summary$value_to_cost_upper)
  if (is.null(clear_extremes(summary$value_to_cost, error))) {
    return(say(
      "How soon %s pay back does not differ clearly between them.", n_of(nrow(summary), "group")
    ))
  }
  slow <- order(-summary$payback_age, na.last = FALSE)[1L]
  fast <- order(summary$payback_age)[1L]
  clock <- basis_of(x, "clock")
  say(
    "\u201c%s\u201d pays back first (%s), \u201c%s\u201d last (%s).",
    row_label(summary, fast, basis_of(x, "by")),
    payback_age_words(summary, fast, clock),
    row_label(summary, slow, basis_of(x, "by")),
    payback_age_words(summary, slow, clock)
  )
}

payback_age_words <- function(summary, row, clock) {
  age <- summary$payback_age[[row]]
  if (is.na(age)) "not yet" else paste("at age", n_of(age, clock))
}

# What a row is called by the attributes of its group.
row_label <- function(summary, row, by) {
  paste(unlist(lapply(summary[row, by, drop = FALSE], as.character)), collapse = ", ")
}

payback_table <- function(x, margin) {
  shown <- plain_table(x)
  shown$cohort <- paste0(
    period_label(shown$cohort, basis_of(x, "clock")), ifelse(shown$older, " older", "")
  )
  of_margin <- c(
    "cost", "value_to_date", "value_to_cost", "status", "payback_age", "expected_age",
    "highest_cost", "margin"
  )
  of_sales <- c("cost", "sales_per_customer", "sales_to_cost", "status", "sales")
  never <- intersect("never_paid", names(shown))
  shown[c(basis_of(x, "by"), "cohort", "size", never, if (margin) of_margin else of_sales)]
}
