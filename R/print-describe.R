# What each result is called, and the sentence that says what was found. Print, figure and report use the same ones.

describe <- function(x) {
  if (is_part(x)) return(describe_part(x))
  UseMethod("describe")
}

# Some rows of a result: what they are part of, and nothing about the whole.
describe_part <- function(x) {
  whole <- attr(x, "whole")
  attr(x, "whole") <- nrow(x)
  heading <- tryCatch(describe(x)$heading, error = \(e) gsub("_", " ", sub("nubrek_", "", class(x)[[1L]])))
  list(heading = sprintf("%s: %s of %s", heading, n_of(nrow(x), "row"), format_count(whole)), finding = NULL)
}

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
  folded <- basis_of(x, "folded")
  own <- which(!x$purchases %in% folded)
  most <- own[which.max(x$customers[own])]
  table <- plain_table(x)
  if (!is.null(folded)) table$purchases <- ifelse(table$purchases == folded, paste(folded, "or more"), format(table$purchases, trim = TRUE))
  list(heading = "Customers by number of purchases", table = structure(table, basis = attr(x, "basis")), finding = paste(c(
    if (length(most) > 0L) sprintf("The most common number of purchases is %s: %s of customers.", in_words(x$purchases[[most]]), present_share(x$share[[most]])),
    sprintf("%s bought more than once.", present_share(sum(x$share[x$purchases > 1L])))), collapse = " "))
}

in_words <- function(n) if (n >= 1L && n <= 12L) c("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")[[n]] else format_count(n)

#' @export
describe.nubrek_gaps <- function(x) {
  several <- x$gaps > 0L
  list(heading = "Gaps between purchases", finding = if (basis_of(x, "all_gaps") == 0L) "Nobody has come back yet." else
    sprintf("Half of all %s gaps are over within %s (mean %s). Of %s with two or more purchases %s silent for more than twice the gap expected of them.",
            format_count(basis_of(x, "all_gaps")), n_of(basis_of(x, "median_of_gaps"), "day"), format(round(basis_of(x, "mean_of_gaps"))),
            n_of(sum(several), "customer"), are(sum(x$overdue > 2 & several, na.rm = TRUE))),
    table = plain_columns(x, c("customer", "gaps", "mean_gap", "median_gap", "longest_gap", "visits_per_year", "open_gap", "expected_gap", "overdue")),
    after = if (any(!several)) c("", sprintf("%s with one purchase %s no rhythm of their own yet: next_purchase() and waiting_curve() judge them.",
      n_of(sum(!several), "customer"), if (sum(!several) == 1L) "has" else "have")))
}

are <- function(n) paste(format_count(n), if (n == 1L) "is" else "are")

# "1 customer is", "5 customers are".
is_are <- function(n, noun) paste(n_of(n, noun), if (n == 1) "is" else "are")

# Some columns first, for print; the others are named below the table.
plain_columns <- function(x, first) x[, c(intersect(first, names(x)), setdiff(names(x), first))]

tail_words <- c(open_gap = "longest silent", overdue = "most overdue", mean_gap = "slowest by their mean gap", median_gap = "slowest by their median gap", longest_gap = "those with the longest gap",
                visits_per_year = "least frequent")

#' @export
describe.nubrek_tail <- function(x) {
  measure <- basis_of(x, "measure")
  list(heading = sprintf("The %s %s of %s", tail_words[[measure]], present_share_short(basis_of(x, "share")), n_of(basis_of(x, "having"), "customer")),
    finding = if (nrow(x) == 0L) "Nobody has this measure." else paste0(tail_rhythm(x), " ", tail_worth(x)),
    table = plain_columns(x, unique(c("customer", measure, "gaps", "mean_gap", "visits_per_year", "open_gap", "expected_gap", "overdue"))))
}

present_share_short <- function(x) paste0(format(100 * x, digits = 4L), "\u00a0%")

# What they did and when, with the base of each median.
tail_rhythm <- function(x) {
  often <- basis_of(x, "visits")
  silent <- basis_of(x, "silent")
  last <- sprintf("last came %s ago (median)", n_of(round(silent), "day"))
  one <- nrow(x) == 1L
  if (is.na(often)) return(sprintf("%s %s and %s no rhythm yet.", these(nrow(x), "customer"), last, if (one) "has" else "have"))
  base <- basis_of(x, "with_visits")
  sprintf("%s came %s times a year while %s came (median of %s), and %s.", these(nrow(x), "customer"), number_text(round(often, 1)),
          if (one) "it" else "they", if (base == nrow(x)) "all" else sprintf("the %s with two purchase days or more", format_count(base)), last)
}

tail_worth <- function(x) {
  more <- basis_of(x, "more")
  basket <- basis_of(x, "basket")
  each <- if (is.null(basket)) "" else paste0(" at ", format_money(basket, basis_of(x, "currency"), 2L))
  sprintf("%s more from a tenth of them%s is %s of %s%s.", capital(n_of(more, "purchase")), each, format_money(basis_of(x, "worth"), basis_of(x, "currency")),
          basis_of(x, "worth_in"), if (is.null(basis_of(x, "cost"))) "" else ", after the cost of reaching them")
}

describe.nubrek_all_gaps <- function(x) list(heading = "Every gap between purchases", finding = sprintf("%s.", n_of(nrow(x), "gap")))

#' @export
describe.nubrek_orders <- function(x) list(heading = "The orders behind it", finding = sprintf("%s of %s, %s.", n_of(nrow(x), "order"),
  n_of(length(unique(x$customer)), "customer"), format_money(sum(x$sales), basis_of(x, "currency"), 2L)))

#' @export
describe.nubrek_profile <- function(x) list(heading = c(nubrek_rfm = "Groups of customers by their bands", nubrek_tiers = "Loyalty tiers",
  nubrek_map = "Regions of the order map")[[basis_of(x, "of")]], finding = NULL)

#' @export
describe.nubrek_periods <- function(x) list(heading = paste("Customers by", basis_of(x, "clock")), finding = sprintf("%s of %s.", n_of(nrow(x), "row"), n_of(length(unique(x$customer)), "customer")))

#' @export
describe.nubrek_waits <- function(x) {
  all <- sum(x$customers)
  seen <- x$cohort[x$waited %in% 1L & !is.na(x$at_risk)]              # cohorts that had the time
  those <- plain_table(x)[x$cohort %in% seen, ]
  nth <- ordinal(basis_of(x, "nth"))
  clock <- basis_of(x, "clock")
  not_yet <- sprintf("%s of all %s have not made it yet", present_share(sum(x$customers[is.na(x$waited)]) / all), n_of(all, "customer"))
  finding <- if (all == 0L) "Every customer is known from before the data."
    else if (length(seen) == 0L) sprintf("No cohort has been seen for two %ss; %s.", clock, not_yet)
    else sprintf("%s of customers seen that long made their %s purchase in the same %s or the one after; %s.",
                 present_share(sum(those$customers[those$waited %in% 0:1]) / sum(those$customers)), nth, clock, not_yet)
  list(heading = sprintf("How many %ss until the %s purchase", clock, nth), finding = finding)
}

# What a cell of the triangle can say.
wait_measures <- c(customers = "Customers", share_of_row = "Percent of the cohort", share_of_column = "Percent of all who waited as long",
                   share_of_table = "Percent of all customers")

#' @export
print.nubrek_waits <- function(x, rows = NULL, ..., measure = "share_of_row") {
  rlang::check_dots_empty()
  check_choice(measure, names(wait_measures))
  said <- describe(x)
  if (is_part(x) || nrow(x) == 0L) return(print_result(x, said$heading, said$finding, x, rows %||% default_rows()))
  others <- setdiff(names(wait_measures), measure)
  print_result(x, said$heading, said$finding, waiting_triangle(x, measure), (rows %||% 24L) + 1L, c("", paste0(
    wait_measures[[measure]], " by ", basis_of(x, "clock"), "s waited; * period observed in part. Also: ",
    if (on_command()) paste0("--measure ", paste(others, collapse = ", ")) else paste0("print(x, measure = \"", others[[1L]], "\")"), "; customers at risk: ", all_hint())))
}

# Cohorts down, waits across, with totals both ways.
waiting_triangle <- function(x, measure = "share_of_row") {
  table <- plain_table(x)
  cohorts <- sort(unique(table$cohort))
  waits <- sort(unique(table$waited))
  all <- sum(table$customers)
  here <- \(wait) if (is.na(wait)) is.na(table$waited) else table$waited %in% wait
  write <- \(share, count) if (measure == "customers") format_count_plain(count) else fixed(100 * share, if (measure == "share_of_table") 1L else 0L, "")
  column <- \(wait) {
    mine <- table[here(wait), ]
    at <- match(cohorts, mine$cohort)
    text <- write(mine[[measure]][at], mine$customers[at])
    sum <- sum(mine$customers)
    total <- write(if (measure == "share_of_column") 1 else sum / all, sum)
    c(ifelse(is.na(at), "", paste0(text, ifelse(is.na(mine$at_risk[at]) & !is.na(wait), "*", ""))), total)
  }
  size <- as.integer(tapply(table$customers, factor(format(table$cohort), format(cohorts)), sum))
  out <- c(list(cohort = c(period_label(cohorts, basis_of(x, "clock")), "all"), size = c(size, all), `not yet` = column(NA)),
           stats::setNames(lapply(waits, column), waits))
  out$size <- format_count_plain(out$size)
  as_cells(out)
}

#' @export
describe.nubrek_waiters <- function(x) list(heading = sprintf("Who waits for the %s purchase", ordinal(basis_of(x, "nth"))),
  finding = sprintf("%s not back yet, %s back.", are(sum(x$state == "not yet")), are(sum(x$state == "back"))))

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
  list(heading = paste("Share who have made their", nth, "purchase, by days since the first"), finding = finding, table = if (nrow(x) > 0L) plain_table(shares_by_day(x)) else x)
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
  span <- if (years == 1) "year" else paste(number_text(years), "years")
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
describe.nubrek_guess <- function(x) {
  spare <- x$column[is.na(x$role)]
  list(heading = paste("Guessed roles of the columns of", basis_of(x, "file")), finding = paste(c(
    if (length(spare) > 0L) paste0("Not used: ", paste(spare, collapse = ", "), "."),
    sprintf("%d of %d columns have a role; correct what is wrong.", sum(!is.na(x$role)), nrow(x))), collapse = " "))
}
