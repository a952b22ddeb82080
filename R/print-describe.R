# What each result is called, and the sentence that says what was found. Print, figure and report use the same ones.

describe <- function(x) UseMethod("describe")

#' @export
describe.nubrek_result <- function(x) list(heading = gsub("_", " ", sub("nubrek_", "", class(x)[[1L]])), finding = NULL)

#' @export
describe.nubrek_audit <- function(x) {
  kept <- x$reason == "kept"
  list(heading = "What became of every row", finding = sprintf("%s of %s rows were kept; every other one is set aside with a reason.",
       format_count(sum(x$rows[kept])), format_count(sum(x$rows))))
}

#' @export
describe.nubrek_aside <- function(x) list(heading = "Rows set aside, as they were read", finding = NULL,
                                          table = plain_table(x)[c("file", "row", "reason", "faults", setdiff(names(x), c("file", "row", "reason", "faults")))])

#' @export
describe.nubrek_customers <- function(x) list(heading = "Customers", finding = sprintf("%s, %s net sales.", n_of(nrow(x), "customer"),
                                              format_money(sum(x$sales), basis_of(x, "currency"))))

#' @export
describe.nubrek_rate <- function(x) {
  n <- sum(x$customers)
  k <- sum(x$repeat_customers)
  list(heading = "Repeat rate", finding = sprintf("%s of %s customers bought again (95 %% interval %s to %s); they bring %s of sales.",
    present_share(k / n), format_count(n), present_share(share_interval(k, n)$lower, 1L), present_share(share_interval(k, n)$upper, 1L),
    present_share(sum(x$sales_repeat) / sum(x$sales))))
}

#' @export
describe.nubrek_counts <- function(x) {
  most <- which.max(x$customers)
  list(heading = "Customers by number of purchases", finding = sprintf("The most common number of purchases is %s: %s of customers. %s bought more than once.",
    in_words(x$purchases[[most]]), present_share(x$share[[most]]), present_share(sum(x$share[x$purchases > 1L]))))
}

in_words <- function(n) if (n >= 1L && n <= 12L) c("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")[[n]] else format_count(n)

#' @export
describe.nubrek_gaps <- function(x) {
  list(heading = "Gaps between purchases", finding = if (basis_of(x, "all_gaps") == 0L) "Nobody has come back yet." else
    sprintf("Half of all %s gaps are over within %s (mean %s). %s silent for more than twice the gap expected of them.", format_count(basis_of(x, "all_gaps")),
            n_of(basis_of(x, "median_of_gaps"), "day"), format(round(basis_of(x, "mean_of_gaps"))), is_are(sum(x$overdue > 2, na.rm = TRUE), "customer")),
    table = plain_columns(x, c("customer", "gaps", "mean_gap", "median_gap", "longest_gap", "visits_per_year", "open_gap", "expected_gap", "overdue")))
}

# "1 customer is", "5 customers are".
is_are <- function(n, noun) paste(n_of(n, noun), if (n == 1) "is" else "are")

# Some columns first, for print; the others are named below the table.
plain_columns <- function(x, first) x[, c(intersect(first, names(x)), setdiff(names(x), first))]

tail_words <- c(open_gap = "longest silent", overdue = "most overdue", mean_gap = "slowest by their mean gap", median_gap = "slowest by their median gap", longest_gap = "those with the longest gap",
                visits_per_year = "least frequent")

#' @export
describe.nubrek_tail <- function(x) {
  measure <- basis_of(x, "measure")
  often <- basis_of(x, "visits")
  list(heading = paste0("The ", tail_words[[measure]], " ", format(basis_of(x, "share")), " % of ", format_count(basis_of(x, "having")), " customers"),
    finding = if (nrow(x) == 0L) "Nobody has this measure." else sprintf("These %s%s; one purchase more from a tenth of them is %s of %s.", n_of(nrow(x), "customer"),
      if (is.na(often)) " have no rhythm yet" else sprintf(" come %s times a year (median)", format(round(often, 1))), format_money(basis_of(x, "worth"), basis_of(x, "currency")), basis_of(x,
          "worth_in")),
    table = plain_columns(x, unique(c("customer", measure, "gaps", "mean_gap", "visits_per_year", "open_gap", "expected_gap", "overdue"))))
}

#' @export
describe.nubrek_all_gaps <- function(x) list(heading = "Every gap between purchases", finding = sprintf("%s.", n_of(nrow(x), "gap")))

#' @export
describe.nubrek_periods <- function(x) list(heading = paste("Customers by", basis_of(x, "clock")), finding = sprintf("%s of %s.", n_of(nrow(x), "row"), n_of(length(unique(x$customer)), "customer")))

#' @export
describe.nubrek_waits <- function(x) {
  all <- sum(x$customers)
  seen <- x$cohort[x$waited %in% 1L & !is.na(x$at_risk)]              # cohorts that had the time
  those <- plain_table(x)[x$cohort %in% seen, ]
  nth <- ordinal(basis_of(x, "nth"))
  not_yet <- sprintf("%s of all %s have not made it yet", present_share(sum(x$customers[is.na(x$waited)]) / all), n_of(all, "customer"))
  list(heading = sprintf("How many %ss until the %s purchase", basis_of(x, "clock"), nth),
       finding = if (all == 0L) "Every customer is known from before the data." else if (length(seen) == 0L) sprintf("No cohort has been seen for two %ss; %s.", basis_of(x, "clock"), not_yet)
         else sprintf("%s of customers seen that long made their %s purchase in the same %s or the one after; %s.",
             present_share(sum(those$customers[those$waited %in% 0:1]) / sum(those$customers)), nth,
                      basis_of(x, "clock"), not_yet),
       table = if (all > 0L) waiting_triangle(x) else x, after = c("", paste0("Percent of the cohort by ", basis_of(x, "clock"),
           "s waited; * period observed in part. Counts, customers at risk and other shares: ", all_hint())))
}

# Cohorts down, waits across, percent of the cohort.
waiting_triangle <- function(x) {
  table <- plain_table(x)
  cohorts <- sort(unique(table$cohort))
  waits <- sort(unique(table$waited))
  cell <- \(wait) {
    mine <- table[if (is.na(wait)) is.na(table$waited) else table$waited %in% wait, ]
    at <- match(cohorts, mine$cohort)
    text <- formatC(100 * mine$share_of_row[at], format = "f", digits = 0L)
    ifelse(is.na(at), "", paste0(text, ifelse(is.na(mine$at_risk[at]) & !is.na(wait), "*", "")))
  }
  size <- as.integer(tapply(table$customers, factor(format(table$cohort), format(cohorts)), sum))
  as.data.frame(c(list(cohort = period_label(cohorts, basis_of(x, "clock")), size = size, `not yet` = cell(NA)), stats::setNames(lapply(waits, cell), waits)), optional = TRUE)
}

#' @export
describe.nubrek_curve <- function(x) {
  nth <- ordinal(basis_of(x, "nth"))
  by <- basis_of(x, "by")
  at <- by_day_90(plain_table(x))
  test <- attr(x, "logrank")
  finding <- if (nrow(x) == 0L) sprintf("Nobody has made a %s purchase yet.", nth) else if (is.null(by)) sprintf("%s of customers have made their %s purchase by day 90 after the first.",
      present_share(at[[1L]]), nth)
    else { low <- which.min(at); high <- which.max(at); sprintf("By day 90 %s of \u201c%s\u201d have made their %s purchase, %s of \u201c%s\u201d%s.", present_share(at[[high]]),
        names(at)[[high]], nth,
      present_share(at[[low]]), names(at)[[low]], if (is.null(test) || is.na(test$p)) "" else sprintf(" (log-rank over all groups: %s)", p_words(test$p))) }
  list(heading = paste("Share who have made their", nth, "purchase, by days since the first"), finding = finding, table = if (nrow(x) > 0L) curve_table(x) else x)
}

# The share by some days, for each group.
curve_table <- function(x, days = c(30L, 60L, 90L, 180L, 365L, 730L)) {
  rows <- lapply(split(plain_table(x), factor(x$group, unique(x$group))), \(g) {
    at <- findInterval(days[days <= max(g$days)], g$days)
    data.frame(group = rep(g$group[[1L]], length(at)), by_day = days[seq_along(at)], share = c(0, g$share)[at + 1L], lower = c(NA, g$lower)[at + 1L], upper = c(NA, g$upper)[at + 1L],
        at_risk = c(g$at_risk[[1L]], g$at_risk)[at + 1L])
  })
  do.call(rbind, unname(rows))
}

by_day_90 <- function(table) vapply(split(table, factor(table$group, unique(table$group))), \(g) c(0, g$share)[[sum(g$days <= 90) + 1L]], 0)

p_words <- function(p) if (p < 0.001) "p < 0.001" else paste("p =", format(round(p, 3)))

#' @export
describe.nubrek_new <- function(x) {
  clock <- basis_of(x, "clock")
  by <- basis_of(x, "by")
  full <- plain_table(x)[!x$partial, ]
  if (nrow(full) == 0L) full <- plain_table(x)
  last <- full[full$period == max(full$period), ]
  active <- sum(last$active)
  when <- period_label(max(full$period), clock)
  list(heading = paste0("New and returning customers by ", clock, if (!is.null(by)) paste(" and", by)),
       finding = if (active == 0L) sprintf("Nobody bought in %s.", when) else if (is.null(by)) sprintf("In %s %s of %s active customers were new, %s returning%s.", when,
           present_share(sum(last$new) / active), format_count(active),
         present_share(sum(last$returning) / active), if (any(x$reactivation_possible)) sprintf(", %s reactivated", present_share(sum(last$reactivated) / active)) else "")
         else { most <- which.max(ifelse(last$active >= 30L | all(last$active < 30L), last$new / pmax(1L, last$active),
             -1)); sprintf("In %s the share of new customers was highest in \u201c%s\u201d: %s of %s.", when, last[[by]][[most]],
           present_share(last$new[[most]] / last$active[[most]]), format_count(last$active[[most]])) })
}

#' @export
describe.nubrek_sales <- function(x) {
  by <- basis_of(x, "by")
  label <- \(i) paste(unlist(lapply(plain_table(x)[i, by, drop = FALSE], as.character)), collapse = ", ")
  currency <- basis_of(x, "currency")
  top <- sprintf("\u201c%s\u201d brings %s of sales.", label(1L), present_share(x$share[[1L]]))
  finding <- if (nrow(x) == 0L) "No group reaches the threshold." else if (is.null(basis_of(x, "against"))) top else {
    up <- which.max(x$change)
    down <- which.min(x$change)
    all <- basis_of(x, "total") - basis_of(x, "total_before")
    sprintf("Sales %s by %s; \u201c%s\u201d %s most (%s%s%s).", if (all >= 0) "grew" else "fell", format_money(abs(all), currency), label(if (all >= 0) up else down),
        if (all >= 0) "grew" else "fell",
            if (all >= 0) "+" else "", format_money(if (all >= 0) x$change[[up]] else x$change[[down]], currency),
                { p <- x$change_percent[[if (all >= 0) up else down]]; if (is.na(p)) "" else paste0(", ", present_share(p)) })
  }
  list(heading = paste("Sales by", paste(gsub("_", " ", by), collapse = " and ")), finding = finding,
       table = if (is.null(basis_of(x, "against"))) x else plain_columns(x, c(by, "sales", "sales_before", "change", "change_percent", "share_of_growth", "rank_change")))
}

#' @export
describe.nubrek_grid <- function(x) {
  retention <- grid_measure(x, "retention")
  said <- describe(retention)
  list(heading = paste0("First-purchase cohorts by ", basis_of(x, "clock")), finding = said$finding)
}

ordinal <- function(n) paste0(n, if (n %% 100L %in% 11:13) "th" else switch(as.character(n %% 10L), "1" = "st", "2" = "nd", "3" = "rd", "th"))

#' @export
describe.nubrek_value <- function(x) {
  years <- basis_of(x, "years")
  span <- if (years == 1) "year" else paste(format(years), "years")
  total <- attr(x, "total")
  currency <- basis_of(x, "currency")
  finding <- if (is.na(total$value)) sprintf("Over the next %s today's customers are expected to bring %s net sales in %s purchases.", span,
                                             format_money(sum(x$sales), currency), format_count(round(sum(x$purchases))))
    else sprintf("Over the next %s today's customers are worth %s (%s to %s, %s): margin, discounted.", span, format_money(total$value, currency),
                 format_money(total$lower, currency), format_money(total$upper, currency), present_share(basis_of(x, "level")))
  list(heading = paste("What customers will bring over the next", span), finding = finding, table = x[order(-x$value, -x$sales), ])
}

#' @export
describe.nubrek_backtest <- function(x) list(heading = paste("Backtest: fitted up to", format_day(basis_of(x, "cut")), "and held against what came"),
                                             finding = attr(x, "finding"))

#' @export
describe.nubrek_proof <- function(x) list(heading = "Proof of totals", finding = if (all(x$exact)) sprintf("All %d checks are exact.", nrow(x))
  else sprintf("%d of %d checks FAIL.", sum(!x$exact), nrow(x)))

#' @export
describe.nubrek_history <- function(x) list(heading = paste0("Purchase histories, time in ", basis_of(x, "unit"), "s"), finding = NULL)

#' @export
describe.nubrek_suspects <- function(x) {
  kinds <- table(factor(x$kind, unique(x$kind)))
  list(heading = "Identities that need a second look", finding = if (nrow(x) == 0L) "No id looks like somebody else's, or like many customers."
    else sprintf("%s; %s of sales behind them. Nothing was done about them.", paste(sprintf("%d of \u201c%s\u201d", kinds, names(kinds)), collapse = ", "),
                 format_money(basis_of(x, "at_stake"), basis_of(x, "currency"))))
}

#' @export
describe.nubrek_identified <- function(x) list(heading = "Share of sales with a customer id", finding = sprintf("%s of sales carry a customer id.",
                                                                                                             present_share(sum(x$sales) / sum(x$sales_all))))

#' @export
describe.nubrek_guess <- function(x) list(heading = paste("Guessed roles of the columns of", basis_of(x, "file")), finding = sprintf("%d of %d columns have a role; correct what is wrong.",
                                                                                                                       sum(!is.na(x$role)), nrow(x)))
