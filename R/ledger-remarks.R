# What the ledger has to say about its data.

ledger_remarks <- function(formed, intake, reason, start, as_of, meaning) {
  days <- sort(unique(formed$orders$day))
  n <- length(days)
  kept <- is.na(reason)
  say <- function(about, n, text) if (n > 0L) remark_table(about, text)
  rounded <- kept & intake$rest != 0
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
    say("amounts", sum(rounded), sprintf("%s with fractions of the minor unit, each rounded half to even; in all that moved %s minor units.", n_of(sum(rounded), "line"),
                                          format(-round(sum(intake$rest[kept]), 6)))),
    say("currency", sum(kept & intake$converted), sprintf("%s converted into %s.", n_of(sum(kept & intake$converted), "line"), intake$currency)),
    say("equal lines", sum(intake$suspects & kept), sprintf("%s (%s in money) equal to another line of the same order, kept: two equal items, or a double export?",
      n_of(sum(intake$suspects & kept), "line"), format(sum(intake$rows$sales[intake$suspects & kept]) / 10^intake$decimals, nsmall = intake$decimals))),
    say("conflicts", intake$conflicts, sprintf("%s in two states; %s, so %s set aside.", n_of(intake$conflicts, "order"), if (meaning$conflicts == "newer replaces")
      "the newer one replaces" else "the first one stays", n_of(sum(intake$replaced), "row"))),
    partly_kept_remark(intake, reason), identified_remark(intake, reason))
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

partly_kept_remark <- function(intake, reason) {
  if (all(is.na(reason) | reason == "duplicate")) return(NULL)
  rows <- intake$rows[, .(customer, order, sales, aside = !is.na(reason) & reason != "duplicate", duplicate = reason %in% "duplicate")]
  some <- rows[aside == TRUE & order != "" & !duplicate, unique(.SD), .SDcols = c("customer", "order")]
  partly <- rows[some, on = c("customer", "order")][!duplicate & !aside, .(sales = sum(sales)), by = .(customer, order)]
  if (nrow(partly) > 0L) remark_table("partly kept", sprintf("%s (%s in money) kept without a line that was set aside.", n_of(nrow(partly), "order"),
                                                             format(sum(partly$sales) / 10^intake$decimals, nsmall = intake$decimals)))
}

# A growing share of sales with a customer id looks like growing loyalty.
identified_remark <- function(intake, reason) {
  day <- intake$rows$day
  anonymous <- reason %in% "no customer" & faults_of(intake) == 1L
  use <- is.na(reason) | anonymous
  if (!any(anonymous)) return(NULL)
  year <- as.POSIXlt(as.Date(day[use], origin = "1970-01-01"))$year + 1900L
  share <- tapply(ifelse(anonymous[use], 0, intake$rows$sales[use]), year, sum) / tapply(intake$rows$sales[use], year, sum)
  if (length(share) < 2L || any(!is.finite(share)) || abs(share[[length(share)]] - share[[1L]]) < 0.03) return(NULL)
  remark_table("identified share", sprintf("The share of sales with a customer id went from %.0f %% in %s to %.0f %% in %s; part of any change in repeat buying is that.",
                                           100 * share[[1L]], names(share)[[1L]], 100 * share[[length(share)]], names(share)[[length(share)]]))
}
