# What repeat buying has found, as sentences.

#' @export
describe.nubrek_rate <- function(x) {
  n <- sum(x$customers)
  k <- sum(x$repeat_customers)
  told <- rate_extremes(x, k / n)
  if (!is.null(told)) return(list(heading = "Repeat rate", finding = told, table = rates_first(x)))
  list(heading = "Repeat rate", finding = say(
    "%s of %s customers bought again (95 %% interval %s to %s); they bring %s of sales.",
    present_share(k / n),
    format_count(n),
    present_share(share_interval(k, n)$lower, 1L),
    present_share(share_interval(k, n)$upper, 1L),
    present_share(sum(x$sales_repeat) / sum(x$sales))
  ))
}

# What groups are compared by stands first.
rates_first <- function(x) {
  early <- c("by_90", "by_90_lower", "by_90_upper")
  columns <- c(rate_groups(x), "customers", early, "rate", "lower", "upper")
  x[c(columns, setdiff(names(x), columns))]
}

# The columns of a table of rates that name its groups.
rate_groups <- function(x) names(x)[seq_len(match("customers", names(x)) - 1L)]

# The groups of 30 customers or more by day 90, as they are observed for different times: the
# highest and the lowest where they differ significantly.
rate_extremes <- function(x, everybody) {
  by <- rate_groups(x)
  rows <- plain_table(x)[x$customers >= few_customers & !is.na(x$by_90), ]
  if (length(by) == 0L || nrow(rows) < 2L) return(NULL)
  p <- basis_of(x, "differ")
  clear <- if (!is.null(p)) {
    clear_extremes(rows$by_90, interval_error(rows$by_90_lower, rows$by_90_upper), p)
  }
  ends <- rows[c(clear$high %||% which.max(rows$by_90), clear$low %||% which.min(rows$by_90)), ]
  begin <- say(
    "Of %s customers %s bought again.", format_count(sum(x$customers)), present_share(everybody)
  )
  if (is.null(clear)) {
    return(paste(begin, say(
      paste0(
        "Within 90 days of the first purchase, %s to %s of each group bought again; the ",
        "differences are not statistically significant."
      ),
      present_share(ends$by_90[[2L]]), present_share(ends$by_90[[1L]])
    )))
  }
  called <- do.call(paste, c(lapply(ends[by], as.character), sep = ", "))
  told <- say(
    "\u201c%s\u201d (%s to %s)", called, present_share(ends$by_90_lower),
    present_share(ends$by_90_upper)
  )
  paste(begin, say(
    "Within 90 days of the first purchase, %s of %s bought again, and %s of %s (%s).",
    present_share(ends$by_90[[1L]]), told[[1L]], present_share(ends$by_90[[2L]]), told[[2L]],
    p_words(p)
  ))
}

#' @export
describe.nubrek_counts <- function(x) {
  folded <- basis_of(x, "folded")
  mine <- which(!x$purchases %in% folded)
  most <- mine[which.max(x$customers[mine])]
  rows <- plain_table(x)
  if (!is.null(folded)) {
    rows$purchases <- ifelse(
      rows$purchases == folded, paste(folded, "or more"), format(rows$purchases, trim = TRUE)
    )
  }
  list(
    heading = say("Customers by number of purchases"),
    table = structure(rows, basis = attr(x, "basis")),
    finding = paste(c(
      if (length(most) > 0L) {
        say(
          "The most common number of purchases is %s: %s of customers.",
          in_words(x$purchases[[most]]),
          present_share(x$share[[most]])
        )
      },
      say("%s bought more than once.", present_share(sum(x$share[x$purchases > 1L])))
    ), collapse = " ")
  )
}

in_words <- function(n) {
  if (n >= 1L && n <= 12L) {
    c(
      "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven",
      "twelve"
    )[[n]]
  } else {
    format_count(n)
  }
}

#' @export
describe.nubrek_gaps <- function(x) {
  several <- x$gaps > 0L
  list(
    heading = say("Gaps between purchases"),
    finding = if (basis_of(x, "all_gaps") == 0L) {
      say("Nobody has come back yet.")
    } else {
      say(
        paste0(
          "Half of all %s gaps are over within %s (mean %s). Of %s with two or more purchases %s ",
          "silent for more than twice the gap expected of them."
        ),
        format_count(basis_of(x, "all_gaps")),
        n_of(basis_of(x, "median_of_gaps"), "day"),
        format_count(round(basis_of(x, "mean_of_gaps"))),
        n_of(sum(several), "customer"),
        are(sum(x$overdue > 2 & several, na.rm = TRUE))
      )
    },
    table = plain_columns(x, c(
      "customer", "gaps", "mean_gap", "median_gap", "longest_gap", "visits_per_year", "open_gap",
      "expected_gap", "overdue"
    )),
    answers = c("gaps", "expected_gap", "overdue"),
    after = if (any(!several)) {
      c("", say(paste0(
        "%s with one purchase %s no rhythm of their own yet: next_purchase() and ",
        "waiting_curve() judge them."
      ), n_of(sum(!several), "customer"), if (sum(!several) == 1L) "has" else "have"))
    }
  )
}

are <- function(n) paste(format_count(n), if (n == 1L) "is" else "are")

# "1 customer is", "5 customers are".
is_are <- function(n, noun) paste(n_of(n, noun), if (n == 1) "is" else "are")

# Some columns first, for print; the others are named below the table.
plain_columns <- function(x, first) x[, c(intersect(first, names(x)), setdiff(names(x), first))]

tail_words <- c(
  open_gap = "inactive for longest",
  overdue = "most overdue",
  mean_gap = "longest between purchases on average",
  median_gap = "longest between purchases by their median",
  longest_gap = "longest single time between purchases",
  visits_per_year = "fewest visits a year"
)

#' @export
describe.nubrek_tail <- function(x) {
  measure <- basis_of(x, "measure")
  list(
    heading = say(
      "%s of %s: %s",
      present_share_short(basis_of(x, "share")),
      n_of(basis_of(x, "having"), "customer"),
      tail_words[[measure]]
    ),
    finding = if (nrow(x) == 0L) {
      say("Nobody has this measure.")
    } else {
      paste0(tail_rhythm(x), " ", tail_worth(x))
    },
    table = plain_columns(x, unique(c(
      "customer", measure, "gaps", "mean_gap", "visits_per_year", "open_gap", "expected_gap",
      "overdue"
    )))
  )
}

present_share_short <- function(x) paste0(format(100 * x, digits = 4L), "\u00a0%")

# What they did and when, with the base of each median.
tail_rhythm <- function(x) {
  often <- basis_of(x, "visits")
  silent <- basis_of(x, "silent")
  last <- say("last came %s ago (median)", n_of(round(silent), "day"))
  one <- nrow(x) == 1L
  if (is.na(often)) {
    return(say(
      "%s %s and %s no rhythm yet.", these(nrow(x), "customer"), last, if (one) "has" else "have"
    ))
  }
  base <- basis_of(x, "with_visits")
  say(
    "%s came %s times a year while %s came (median of %s), and %s.",
    these(nrow(x), "customer"),
    number_text(round(often, 1)),
    if (one) "it" else "they",
    if (base == nrow(x)) {
      "all"
    } else {
      say("the %s with two purchase days or more", format_count(base))
    },
    last
  )
}

tail_worth <- function(x) {
  more <- basis_of(x, "more")
  basket <- basis_of(x, "basket")
  each <- if (is.null(basket)) {
    ""
  } else {
    paste0(" at ", format_money(basket, basis_of(x, "currency"), 2L))
  }
  say(
    "%s more from a tenth of them%s is %s of %s%s.",
    capital(n_of(more, "purchase")),
    each,
    format_money(basis_of(x, "worth"), basis_of(x, "currency")),
    basis_of(x, "worth_in"),
    if (is.null(basis_of(x, "cost"))) "" else ", after the cost of reaching them"
  )
}

describe.nubrek_all_gaps <- function(x) {
  list(heading = say("Every gap between purchases"), finding = sprintf("%s.", n_of(nrow(x), "gap")))
}

#' @export
describe.nubrek_new <- function(x) {
  clock <- basis_of(x, "clock")
  grouped_by <- basis_of(x, "by")
  full <- plain_table(x)[!x$partial, ]
  if (nrow(full) == 0L) full <- plain_table(x)
  last <- full[full$period == max(full$period), ]
  active <- sum(last$active)
  when <- period_label(max(full$period), clock)
  list(
    heading = paste0(
      say("New and returning customers by "), clock,
      if (!is.null(grouped_by)) paste(say(" and"), grouped_by)
    ),
    finding = if (active == 0L) {
      say("Nobody bought in %s.", when)
    } else if (is.null(grouped_by)) {
      say(
        "In %s %s of %s active customers were new, %s returning%s.",
        when,
        present_share(sum(last$new) / active),
        format_count(active),
        present_share(sum(last$returning) / active),
        if (any(x$reactivation_possible)) {
          say(", %s reactivated", present_share(sum(last$reactivated) / active))
        } else {
          ""
        }
      )
    } else {
      large <- last[last$active >= few_customers, ]
      share <- large$new / large$active
      clear <- clear_share_extremes(large$new, large$active)
      if (!is.null(clear)) {
        say(
          paste0(
            "In %s new customers were %s of those active in \u201c%s\u201d, and %s in ",
            "\u201c%s\u201d."
          ),
          when, present_share(share[[clear$high]]), large[[grouped_by]][[clear$high]],
          present_share(share[[clear$low]]), large[[grouped_by]][[clear$low]]
        )
      } else {
        say(
          "In %s %s of %s active customers were new%s.", when,
          present_share(sum(last$new) / active), format_count(active), if (nrow(large) > 1L) {
            say("; the groups do not differ significantly")
          } else {
            ""
          }
        )
      }
    }
  )
}

#' @export
describe.nubrek_sales <- function(x) {
  grouped_by <- basis_of(x, "by")
  label <- \(i) paste(
    unlist(lapply(plain_table(x)[i, grouped_by, drop = FALSE], as.character)), collapse = ", "
  )
  currency <- basis_of(x, "currency")
  top <- say("\u201c%s\u201d brings %s of sales.", label(1L), present_share(x$share[[1L]]))
  finding <- if (nrow(x) == 0L) {
    say("No group reaches the threshold.")
  } else if (is.null(basis_of(x, "against"))) {
    top
  } else {
    up <- which.max(x$change)
    down <- which.min(x$change)
    everybody <- basis_of(x, "total") - basis_of(x, "total_before")
    say(
      "Sales %s by %s; \u201c%s\u201d %s most (%s%s%s).",
      if (everybody >= 0) "grew" else "fell",
      format_money(abs(everybody), currency),
      label(if (everybody >= 0) up else down),
      if (everybody >= 0) "grew" else "fell",
      if (everybody >= 0) "+" else "",
      format_money(if (everybody >= 0) x$change[[up]] else x$change[[down]], currency),
      {
        p <- x$change_percent[[if (everybody >= 0) up else down]]
        if (is.na(p)) "" else paste0(", ", present_share(p))
      }
    )
  }
  list(
    heading = paste("Sales by", paste(gsub("_", " ", grouped_by), collapse = " and ")),
    finding = finding,
    table = if (is.null(basis_of(x, "against"))) {
      x
    } else {
      plain_columns(x, c(
        grouped_by, "sales", "sales_before", "change", "change_percent", "share_of_growth",
        "rank_change"
      ))
    }
  )
}
