# What the waits for the next purchase have found, as sentences and as a table.

#' @export
describe.nubrek_waits <- function(x) {
  total <- sum(x$customers)
  seen <- x$cohort[x$waited %in% 1L & !is.na(x$at_risk)] # cohorts that had the time
  those <- plain_table(x)[x$cohort %in% seen, ]
  nth <- ordinal(basis_of(x, "nth"))
  clock <- basis_of(x, "clock")
  not_yet <- say(
    "%s of all %s have not made it yet",
    present_share(sum(x$customers[is.na(x$waited)]) / total),
    n_of(total, "customer")
  )
  finding <- if (total == 0L) {
    say("Every customer is known from before the data.")
  } else if (length(seen) == 0L) {
    say("No cohort has been seen for two %ss; %s.", clock, not_yet)
  } else {
    say(
      "%s of customers seen that long made their %s purchase in the same %s or the one after; %s.",
      present_share(sum(those$customers[those$waited %in% 0:1]) / sum(those$customers)),
      nth,
      clock,
      not_yet
    )
  }
  list(heading = say("How many %ss until the %s purchase", clock, nth), finding = finding)
}

# What a cell of the triangle can say.
wait_measures <- c(
  customers = "Customers",
  share_of_row = "Percent of the cohort",
  share_of_column = "Percent of all who waited as long",
  share_of_table = "Percent of all customers"
)

#' @export
print.nubrek_waits <- function(x, rows = NULL, ..., measure = "share_of_row") {
  rlang::check_dots_empty()
  check_choice(measure, names(wait_measures))
  told <- describe(x)
  if (is_part(x) || nrow(x) == 0L) {
    return(print_result(x, told$heading, told$finding, x, rows %||% default_rows()))
  }
  others <- setdiff(names(wait_measures), measure)
  print_result(
    x,
    told$heading,
    told$finding,
    waiting_triangle(x, measure),
    (rows %||% 24L) + 1L,
    c("", paste0(
      wait_measures[[measure]],
      " by ",
      basis_of(x, "clock"),
      say("s waited; * period observed in part. Also: "),
      if (on_command()) {
        paste0(say("--measure "), paste(others, collapse = ", "))
      } else {
        paste0(say("print(x, measure = \""), others[[1L]], "\")")
      },
      say("; customers at risk: "),
      all_hint()
    ))
  )
}

# Cohorts down, waits across, with totals both ways.
waiting_triangle <- function(x, measure = "share_of_row") {
  rows <- plain_table(x)
  cohorts <- sort(unique(rows$cohort))
  waits <- sort(unique(rows$waited))
  everybody <- sum(rows$customers)
  here <- \(wait) if (is.na(wait)) is.na(rows$waited) else rows$waited %in% wait
  writer <- \(share, count) {
    if (measure == "customers") {
      format_count_plain(count)
    } else {
      fixed(100 * share, if (measure == "share_of_table") 1L else 0L, "")
    }
  }
  column <- \(wait) {
    mine <- rows[here(wait), ]
    place <- match(cohorts, mine$cohort)
    text <- writer(mine[[measure]][place], mine$customers[place])
    sums <- sum(mine$customers)
    total <- writer(if (measure == "share_of_column") 1 else sums / everybody, sums)
    c(
      ifelse(is.na(place), "", paste0(
        text, ifelse(is.na(mine$at_risk[place]) & !is.na(wait), "*", "")
      )),
      total
    )
  }
  size <- as.integer(tapply(rows$customers, factor(format(rows$cohort), format(cohorts)), sum))
  result <- c(list(
    cohort = c(period_label(cohorts, basis_of(x, "clock")), "all"),
    size = c(size, everybody),
    `not yet` = column(NA)
  ), stats::setNames(lapply(waits, column), waits))
  result$size <- format_count_plain(result$size)
  as_cells(result)
}

#' @export
describe.nubrek_waiters <- function(x) {
  list(
    heading = say("Who waits for the %s purchase", ordinal(basis_of(x, "nth"))),
    finding = say(
      "%s not back yet, %s back.", are(sum(x$state == "not yet")), are(sum(x$state == "back"))
    )
  )
}

#' @export
describe.nubrek_curve <- function(x) {
  nth <- ordinal(basis_of(x, "nth"))
  grouped_by <- basis_of(x, "by")
  place <- by_day_90(plain_table(x))
  test <- attr(x, "logrank")
  finding <- if (nrow(x) == 0L) {
    say("Nobody has made a %s purchase yet.", nth)
  } else if (is.null(grouped_by)) {
    say(
      "%s of customers have made their %s purchase by day 90 after the first.",
      present_share(place[[1L]]),
      nth
    )
  } else if (is.null(test) || is.na(test$p) || test$p >= 0.05) {
    say(
      paste0(
        "By day 90, %s to %s of each group have made their %s purchase; the differences are not ",
        "statistically significant."
      ),
      present_share(min(place)), present_share(max(place)), nth
    )
  } else {
    low <- which.min(place)
    high <- which.max(place)
    say(
      "By day 90, %s of \u201c%s\u201d have made their %s purchase, %s of \u201c%s\u201d%s.",
      present_share(place[[high]]),
      names(place)[[high]],
      nth,
      present_share(place[[low]]),
      names(place)[[low]],
      say(" (log-rank over all groups: %s)", p_words(test$p))
    )
  }
  list(
    heading = paste(say("Share who have made their"), nth,
      say("purchase, by days since the first")),
    finding = finding,
    table = if (nrow(x) > 0L) plain_table(shares_by_day(x)) else x
  )
}

p_words <- function(p) if (p < 0.001) "p < 0.001" else paste("p =", number_text(round(p, 3)))
