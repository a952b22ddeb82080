# What the ledger has to say about its data.

ledger_remarks <- function(formed, intake, aside, identified, start, as_of, meaning) {
  days <- distinct_days(formed$orders$day)
  n <- length(days)
  say <- function(about, n, text) if (n > 0L) remark_table(about, text)
  used <- !intake$rounded %in% aside$rows
  converted <- setdiff(intake$converted, aside$rows)
  suspects <- setdiff(intake$suspects, aside$rows)
  alone <- n >= 3L && days[[n]] - days[[n - 1L]] > max(30L, 5L * max(diff(days[-n])))
  rbind(remark_table(), reading_remark(intake),
    if (is.null(meaning$history_start)) remark_table("history start", sprintf(
      "The data begin on %s; the first cohorts may hold customers from before. Set history_start if the export begins on another day.", start)),
    say("as of", alone, sprintf("The last day (%s) stands alone, %d days after the one before: a wrong date? Set as_of if it is.", as_of, days[[n]] - days[[max(1L, n - 1L)]])),
    say("orders", formed$spread, sprintf("%s with lines spread over more than a day; each counts on its first day.", n_of(formed$spread, "order"))),
    say("returns", formed$returns_split, sprintf("%s dated after the first day of the order, counted as returns on their own day.", n_of(formed$returns_split, "negative line"))),
    say("order ids", formed$no_id, sprintf("%s without an order id; those of one customer and day are one order.", n_of(formed$no_id, "line"))),
    say("cost", formed$unknown_cost, sprintf("%s without a cost rate; they count as without cost.", n_of(formed$unknown_cost, "line"))),
    returns_remark(formed$moved, meaning),
    say("amounts", sum(used), sprintf("%s with fractions of the minor unit, each rounded half to even; in all that moved %s minor units.", n_of(sum(used), "line"),
                                      format(-round(sum(intake$rest[used]), 6)))),
    say("currency", length(converted), sprintf("%s converted into %s.", n_of(length(converted), "line"), intake$currency)),
    say("equal lines", length(suspects), sprintf("%s (%s in money) equal to another line of the same order, kept: two equal items, or a double export?",
      n_of(length(suspects), "line"), format(sum(intake$rows$sales[suspects]) / 10^intake$decimals, nsmall = intake$decimals))),
    say("conflicts", intake$conflicts, sprintf("%s in two states; %s, so %s set aside.", n_of(intake$conflicts, "order"), if (meaning$conflicts == "newer replaces")
      "the newer one replaces" else "the first one stays", n_of(length(intake$replaced), "row"))),
    partly_kept_remark(intake, aside), identified_remark(identified))
}

distinct_days <- function(day) {
  first <- min(day) - 1L
  first + which(tabulate(day - first) > 0L)
}

reading_remark <- function(intake) {
  said <- intake$read$remarks
  if (is.null(said)) return(NULL)
  how <- c(`year-first` = NA, `day-first` = "dates have the day first", `month-first` = "dates have the month first", serial = "dates are a spreadsheet's day numbers")[[intake$written$dates]]
  more <- paste(c(if (!is.na(how)) how, if (intake$written$mark == ",") "the decimal mark is a comma"), collapse = ", ")
  said$remark <- paste0(said$remark, if (nzchar(more)) paste0("; ", more), ".")
  said
}

returns_remark <- function(moved, meaning) {
  if (meaning$returns != "with original order") return(NULL)
  remark_table("returns", sprintf("Of the negative lines, %d went with their original order, %d named one that was not found, %d named none; those stay where they happened.",
                                  moved$moved, moved$not_found, moved$unlinked))
}

partly_kept_remark <- function(intake, aside) {
  lost <- aside$rows[aside$reason != "duplicate"]
  lost <- lost[intake$rows$order[lost] > 0L]
  if (length(lost) == 0L) return(NULL)
  some <- unique(data.table(customer = intake$rows$customer[lost], order = intake$rows$order[lost]))
  near <- which(intake$rows$order %in% some$order)
  near <- near[!near %in% aside$rows]
  partly <- data.table(customer = intake$rows$customer[near], order = intake$rows$order[near], sales = intake$rows$sales[near])[
    some, on = c("customer", "order"), nomatch = NULL][, .(sales = sum(sales)), by = .(customer, order)]
  if (nrow(partly) > 0L) remark_table("partly kept", sprintf("%s (%s in money) kept without a line that was set aside.", n_of(nrow(partly), "order"),
                                                             format(sum(partly$sales) / 10^intake$decimals, nsmall = intake$decimals)))
}

# A growing share of sales with a customer id looks like growing loyalty.
identified_remark <- function(identified) {
  if (all(identified$identified == identified$all)) return(NULL)
  year <- as.POSIXlt(as.Date(identified$day, origin = "1970-01-01"))$year + 1900L
  share <- tapply(identified$identified, year, sum) / tapply(identified$all, year, sum)
  if (length(share) < 2L || any(!is.finite(share)) || abs(share[[length(share)]] - share[[1L]]) < 0.03) return(NULL)
  remark_table("identified share", sprintf("The share of sales with a customer id went from %.0f %% in %s to %.0f %% in %s; part of any change in repeat buying is that.",
                                           100 * share[[1L]], names(share)[[1L]], 100 * share[[length(share)]], names(share)[[length(share)]]))
}
