# The record of intake: what became of every row and every cent.

summarise_intake <- function(intake, aside) {
  read <- intake$read
  minor <- intake$rows$sales
  result <- data.table(
    file = file_of(read, aside$rows),
    reason = aside$reason,
    currency = currency_of(intake, aside$rows),
    units = minor[aside$rows],
    row = row_in_file(read, aside$rows)
  )
  kept <- if (is.null(read$at)) {
    kept_of_files(intake, result)
  } else {
    kept_of_part(intake, but_for(seq_len(intake$n), aside$rows))
  }
  counts <- rbind(
    kept[rows > 0L],
    result[,
      .(
        rows = .N, units = sum(units, na.rm = TRUE), unknown = sum(is.na(units)), example = row[1L]
      ),
      by = .(file, reason, currency)
    ]
  )
  counts[, reason := factor(reason, c("kept", set_aside_reasons))]
  data.table::setorderv(counts, c("file", "reason", "currency"))
  # files may be called alike: parts are put together by their numbers
  places <- if (!is.null(read$at)) list(counts = counts$file, aside = result$file)
  counts[, file := read$files[file]]
  c(list(
    counts = counts,
    aside = aside_rows(intake, aside, result$file, result$row),
    rows = intake$n,
    identified = identified_money(intake, aside),
    joins = intake$joins
  ), if (!is.null(places)) list(places = places))
}

# Per file, what is left of its rows when those set aside are taken away.
kept_of_files <- function(intake, result) {
  read <- intake$read
  minor <- intake$rows$sales
  gone <- result[, .(rows = .N, units = sum(units, na.rm = TRUE)), by = file]
  ends <- cumsum(read$rows)
  rbindlist(lapply(seq_along(read$rows), \(f) {
    lost <- gone[gone$file == f]
    among <- seq_len(min(read$rows[[f]], sum(lost$rows) + 1L))
    first <- setdiff(among, result$row[result$file == f])
    here <- if (length(ends) == 1L) {
      minor
    } else {
      minor[seq.int(ends[[f]] - read$rows[[f]] + 1L, length.out = read$rows[[f]])]
    }
    list(
      file = f,
      reason = "kept",
      currency = intake$currency,
      rows = read$rows[[f]] - sum(lost$rows),
      units = sum(here, na.rm = TRUE) - sum(lost$units),
      unknown = 0L,
      example = if (length(first) > 0L) first[[1L]] else NA_integer_
    )
  }))
}

# The same where only a part of each file's rows is at hand.
kept_of_part <- function(intake, kept) {
  rows <- data.table(
    file = file_of(intake$read, kept), units = intake$rows$sales[kept],
    row = row_in_file(intake$read, kept)
  )
  rows[,
    .(
      reason = "kept", currency = intake$currency, rows = .N, units = sum(units, na.rm = TRUE),
      unknown = 0L, example = row[1L]
    ),
    by = file
  ]
}

# Money of a row that stays in another currency is of that one.
currency_of <- function(intake, rows) {
  result <- rep(intake$currency, length(rows))
  abroad <- rows %in% intake$faults[["foreign currency"]]
  if (any(abroad)) result[abroad] <- as.character(intake$row_currency[rows[abroad]])
  result
}

# The rows set aside, as they were read, with where they stood and all that is wrong with them.
aside_rows <- function(intake, aside, file, row) {
  place <- lapply(intake$cells, cell_text, row = aside$rows)
  nameless <- aside$rows %in% intake$nameless
  if (any(nameless)) place <- lapply(place, \(texts) ifelse(nameless, "", texts))
  faults <- rep("", length(aside$rows))
  for (name in set_aside_reasons) {
    hit <- which(aside$rows %in% intake$faults[[name]])
    faults[hit] <- paste0(faults[hit], ifelse(faults[hit] == "", "", "; "), name)
  }
  again <- aside$rows %in% intake$replaced
  faults[again] <- sub("^duplicate", "duplicate (of an order in another state)", faults[again])
  as.data.frame(c(
    place, list(file = intake$read$files[file], row = row, reason = aside$reason, faults = faults)
  ), optional = TRUE, stringsAsFactors = FALSE)
}

# Rows set aside only for lack of a customer.
anonymous_rows <- function(intake, aside) {
  several <- unlist(intake$faults, use.names = FALSE)
  setdiff(aside$rows[aside$reason == "no customer"], several[duplicated(several)])
}

# Per day, the money of the rows kept, and that of these and the anonymous ones.
identified_money <- function(intake, aside) {
  day <- intake$rows$day
  nobody <- anonymous_rows(intake, aside)
  hidden <- setdiff(aside$rows, nobody)
  if (length(hidden) > 0L) day[hidden] <- NA_integer_
  if (all(is.na(day))) {
    return(data.table(day = integer(), identified = double(), all = double(), key = "day"))
  }
  first <- min(day, na.rm = TRUE) - 1L
  n <- max(day, na.rm = TRUE) - first
  per_day <- cpp_group_sums(intake$rows$sales, day, first, n)
  money <- data.table(
    day = first + seq_len(n),
    identified = per_day$sums -
      cpp_group_sums(intake$rows$sales[nobody], day[nobody], first, n)$sums,
    all = per_day$sums
  )[per_day$rows > 0L]
  data.table::setkeyv(money, "day")
}

#' What became of every input row
#'
#' @param ledger `[nubrek_ledger]`
#' @return A `nubrek_audit`, one row per file, reason and currency: `file`; `reason` (`"kept"`
#'   first, then the reasons in order of precedence: duplicate, no customer, no date, unreadable
#'   date, unreadable amount, blank amount, test order, cancelled order, after as of, foreign
#'   currency, excluded id, ignored return, then the kinds of lines that do not count in sales);
#'   `rows`; `money` in major units of `currency`; `unknown`, the rows whose amount could
#'   not be read; `example`, the first such row of the file.
#'   Invariant: `rows` adds up to the rows of the files.
#' @examples
#' audit(example_ledger())
#' @export
audit <- function(ledger) {
  check_ledger(ledger)
  counts <- ledger$intake$counts
  new_result(list(
    file = counts$file,
    reason = as.character(counts$reason),
    rows = counts$rows,
    money = major(ledger, counts$units),
    currency = counts$currency,
    unknown = counts$unknown,
    example = counts$example
  ), "audit", ledger, rbind(remarks(ledger), kind_remark(ledger)))
}

# What the kept lines hold that are not goods.
kind_remark <- function(ledger) {
  if (!"line_kind" %in% line_names(ledger)) return(NULL)
  sums <- data.table::rbindlist(each_part(ledger, \(part, codes) {
    data.table(kind = as.character(part$lines$line_kind), units = part$lines$sales)[
      kind != "goods", .(n = .N, units = sum(units)), by = kind
    ]
  }))[, lapply(.SD, sum), keyby = kind]
  if (nrow(sums) == 0L) return(NULL)
  remark_table("kinds", say(
    "Lines that are not goods and count in sales: %s; only goods are products and returns.",
    paste(sprintf(
      "%s %s (%s %s)", number_text(sums$n), kind_text(sums$kind),
      number_text(major(ledger, sums$units), nsmall = ledger$decimals), ledger$currency
    ), collapse = ", ")
  ))
}

#' The rows that were set aside, as they were read
#'
#' @param ledger `[nubrek_ledger]`
#' @param reason `[character]` Only rows under these reasons; default all.
#' @return A `nubrek_aside`: the columns as read, and `file`, `row` (data rows, 1 is the first after
#'   the header), `reason` (the first that holds) and `faults` (all of them).
#' @examples
#' set_aside(example_ledger(), "cancelled order")
#' @export
set_aside <- function(ledger, reason = set_aside_reasons) {
  check_ledger(ledger)
  for (one in reason) {
    check_choice(one, set_aside_reasons, arg = "reason")
  }
  rows <- ledger$intake$aside
  rows <- rows[rows$reason %in% reason, , drop = FALSE]
  rownames(rows) <- NULL
  new_result(rows, "aside", ledger)
}

#' The share of sales with a customer id, by period
#'
#' Rows kept against rows kept or set aside only for lack of a customer. A growing share looks like
#' growing loyalty.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Period; default the ledger's.
#' @return A `nubrek_identified`: `period` `[Date]`, `sales` identified and `sales_all` in major
#'   units, `share`.
#' @examples
#' identified_share(example_ledger(), "quarter")
#' @export
identified_share <- function(ledger, clock = NULL) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  money <- data.table::copy(ledger$intake$identified)[, period := period_number(day, clock)][,
    .(identified = sum(identified), all = sum(all)), keyby = period
  ]
  new_result(list(
    period = period_start(money$period, clock),
    sales = major(ledger, money$identified),
    sales_all = major(ledger, money$all),
    share = ifelse(money$all > 0, money$identified / money$all, NA_real_)
  ), "identified", ledger, carried(ledger, "identified share"), basis = list(clock = clock))
}
