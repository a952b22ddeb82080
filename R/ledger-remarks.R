# What the ledger has to say about its data.

# `told` are the counts that stand behind them, see `told_of_rows()`; `record`, that of intake.
ledger_remarks <- function(formed, intake, told, record, start, as_of, meaning) {
  all_remarks(
    order_as_customer_remark(told, intake),
    reading_remark(intake),
    joins_remark(record$joins, record$rows),
    exported_twice_remark(intake),
    if (is.null(meaning$history_start)) {
      remark_table("history start", say(paste0(
        "The data begin on %s; the first cohorts may hold customers from before. Set ",
        "history_start if the export begins on another day."
      ), start))
    },
    lone_day_remark(told$days, as_of),
    formed_remarks(formed),
    returns_remark(formed$moved, meaning),
    money_remarks(told, intake),
    conflicts_remark(intake, meaning),
    partly_kept_remark(told, intake),
    identified_remark(record$identified)
  )
}

# What remarks need to know of the rows: orders and customers with one, whether the customers' ids
# are those of orders, the days, lines rounded and converted, suspects, orders partly kept.
told_of_rows <- function(formed, intake, aside) {
  orders <- formed$orders
  rounded <- !intake$rounded %in% aside$rows
  suspects <- setdiff(intake$suspects, aside$rows)
  c(
    list(
      orders = length(orders$customer),
      people = sum(tabulate(orders$customer) > 0L),
      same_ids = \() mean(intake$people %in% intake$order_ids),
      days = distinct_days(orders$day),
      rounded = sum(rounded),
      rest = sum(intake$rest[rounded]),
      converted = length(setdiff(intake$converted, aside$rows)),
      suspects = length(suspects),
      suspect_units = sum(intake$rows$sales[suspects])
    ),
    partly_kept(intake, aside)
  )
}

# A remark where there is something to say it of.
remark_of <- function(about, n, text) if (n > 0L) remark_table(about, text)

lone_day_remark <- function(days, as_of) {
  n <- length(days)
  if (n < 3L || days[[n]] - days[[n - 1L]] <= max(30L, 5L * max(diff(days[-n])))) return(NULL)
  remark_table("as of", say(paste0(
    "The last day (%s) stands alone, %d days after the one before: a wrong date? Set as_of if ",
    "it is."
  ), as_of, days[[n]] - days[[n - 1L]]))
}

# Of how lines became orders.
formed_remarks <- function(formed) {
  rbind(
    remark_of("orders", formed$spread, sprintf(
      "%s with lines spread over more than a day; each counts on its first day.",
      n_of(formed$spread, "order")
    )),
    remark_of("returns", formed$returns_split, sprintf(
      "%s dated after the first day of the order, counted as returns on their own day.",
      n_of(formed$returns_split, "negative line")
    )),
    remark_of("order ids", formed$no_id, sprintf(
      "%s without an order id; those of one customer and day are one order.",
      n_of(formed$no_id, "line")
    )),
    remark_of("cost", formed$unknown_cost, sprintf(
      "%s without a known cost; they count as without cost.", n_of(formed$unknown_cost, "line")
    ))
  )
}

# Of amounts that were rounded or converted, and lines that may stand twice.
money_remarks <- function(told, intake) {
  rbind(
    remark_of("amounts", told$rounded, sprintf(paste0(
      "%s with fractions of the minor unit, each rounded half to even; in all that moved %s ",
      "minor units."
    ), n_of(told$rounded, "line"), format(-round(round(told$rest, 9), 6)))),
    remark_of("currency", told$converted, sprintf(
      "%s converted into %s.", n_of(told$converted, "line"), intake$currency
    )),
    remark_of("equal lines", told$suspects, sprintf(
      paste0(
        "%s (%s in money) equal to another line of the same order, kept: two equal items, or a ",
        "double export?"
      ),
      n_of(told$suspects, "line"),
      money_words(told$suspect_units, intake$decimals)
    ))
  )
}

conflicts_remark <- function(intake, meaning) {
  if (meaning$conflicts == "parts of one order") {
    return(remark_of("conflicts", intake$conflicts, sprintf(
      "%s in two states; every row counts as a part of the order, by its own state.",
      n_of(intake$conflicts, "order")
    )))
  }
  remark_of("conflicts", intake$conflicts, sprintf(
    "%s in two states; %s, so %s set aside.",
    n_of(intake$conflicts, "order"),
    if (meaning$conflicts == "newer replaces") "the newer one replaces" else "the first one stays",
    n_of(length(intake$replaced), "row")
  ))
}

distinct_days <- function(day) {
  first <- min(day) - 1L
  first + which(tabulate(day - first) > 0L)
}

reading_remark <- function(intake) {
  told <- intake$read$remarks
  if (is.null(told)) return(NULL)
  how <- c(
    `year-first` = NA,
    `day-first` = "dates have the day first",
    `month-first` = "dates have the month first",
    serial = "dates are a spreadsheet's day numbers"
  )[[intake$written$dates]]
  more <- paste(c(
    if (!is.na(how)) how, if (intake$written$mark == ",") "the decimal mark is a comma"
  ), collapse = ", ")
  told$remark <- paste0(told$remark, if (nzchar(more)) paste0("; ", more), ".")
  told
}

returns_remark <- function(moved, meaning) {
  if (meaning$returns != "with original order") return(NULL)
  remark_table("returns", say(paste0(
    "Of the negative lines, %d went with their original order, %d named one that was not found, ",
    "%d named none; those stay where they happened."
  ), moved$moved, moved$not_found, moved$unlinked))
}

# Orders that lost a line; one that was set aside for want of a customer belongs to whoever has the
# order, also where it stands in another part (`elsewhere`).
partly_kept <- function(intake, aside) {
  none <- list(partly = 0L, partly_units = 0)
  lost <- aside$rows[aside$reason != "duplicate"]
  lost <- lost[intake$rows$order[lost] > 0L]
  if (length(lost) == 0L && length(intake$elsewhere) == 0L) return(none)
  nobody <- lost %in% intake$faults[["no customer"]]
  some <- unique(
    data.table(customer = intake$rows$customer, order = intake$rows$order)[lost[!nobody]]
  )
  of_nobody <- c(intake$rows$order[lost[nobody]], intake$elsewhere)
  near <- setdiff(
    which(intake$rows$order %in% c(intake$rows$order[lost], intake$elsewhere)), aside$rows
  )
  near <- data.table(
    customer = intake$rows$customer[near],
    order = intake$rows$order[near],
    sales = intake$rows$sales[near]
  )
  sums <- near[, .(sales = sum(sales)), by = .(customer, order)]
  partly <- sums[
    order %in% of_nobody |
      paste(customer, order) %in% paste(some$customer, some$order)
  ]
  list(partly = nrow(partly), partly_units = sum(partly$sales))
}

partly_kept_remark <- function(told, intake) {
  remark_of("partly kept", told$partly, sprintf(
    "%s (%s in money) kept without a line that was set aside.",
    n_of(told$partly, "order"),
    money_words(told$partly_units, intake$decimals)
  ))
}

money_words <- function(units, decimals) {
  written(units / 10^decimals, format = "f", digits = decimals, big.mark = "\u202f")
}

# Nearly every customer has one order, and the ids are those of orders or the column is called after
# them.
order_as_customer_remark <- function(told, intake) {
  n <- told$orders
  people <- told$people
  if (n < 20L || people < 0.95 * n) return(NULL)
  name <- intake$names[["customer"]]
  words <- header_words(name)
  called <- any(words %in% role_words$order) && !any(words %in% role_words$customer)
  same <- "order" %in% names(intake$names) &&
    (name == intake$names[["order"]] || told$same_ids() > 0.95)
  if (!called && !same) return(NULL)
  remark_table("customer ids", say(
    paste0(
      "%s of %s have one order, and \u201c%s\u201d looks like a number of orders: is it the ",
      "customer? Then nobody can come back."
    ),
    paste0(format(round(100 * people / n)), "\u00a0%"),
    n_of(people, "customer"),
    name
  ))
}

exported_twice_remark <- function(intake) {
  twice <- intake$exported_twice
  if (is.null(twice)) return(NULL)
  remark_table("duplicates", say(paste0(
    "%d of %d orders with different lines stand twice: the file was exported twice, and every ",
    "copy is set aside."
  ), twice[["orders"]], twice[["of"]]))
}

# A growing share of sales with a customer id looks like growing loyalty.
identified_remark <- function(identified) {
  if (all(identified$identified == identified$all)) return(NULL)
  year <- as.POSIXlt(as.Date(identified$day, origin = "1970-01-01"))$year + 1900L
  share <- tapply(identified$identified, year, sum) / tapply(identified$all, year, sum)
  if (
    length(share) < 2L || any(!is.finite(share)) || abs(share[[length(share)]] - share[[1L]]) < 0.03
  ) {
    return(NULL)
  }
  remark_table("identified share", say(
    paste0(
      "The share of sales with a customer id went from %.0f %% in %s to %.0f %% in %s; part of ",
      "any change in repeat buying is that."
    ),
    100 * share[[1L]],
    names(share)[[1L]],
    100 * share[[length(share)]],
    names(share)[[length(share)]]
  ))
}
