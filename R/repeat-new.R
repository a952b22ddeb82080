#' New, returning and reactivated customers of each period
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Period; default the ledger's.
#' @param lookback `[integer(1)]` Periods (or days, with `unit = "days"`) within which the last
#'   earlier purchase must lie for a customer to be returning; longer ago is reactivated. Default
#'   endless: nobody is reactivated.
#' @param unit `[character(1)]` `"periods"` (default) or `"days"` before the customer's first
#'   purchase in the period.
#' @param lines `[list]` Only purchases of some lines, such as `list(category = "Yarn")`: orders
#'   whose lines inside are worth more than 0.
#' @param scope `[character(1)]` What counts as history under such a filter: `"within"` (default),
#'   purchases inside it; `"any"`, purchases of anything.
#' @param by `[character(1)]` A line column: the same for each of its values, side by side.
#' @param new_again `[logical(1)]` Also a column `new_again`, new and reactivated together? Default
#'   `FALSE`.
#' @return A `nubrek_new`, one row per period (and group): `period` `[Date]`; `active`, customers
#'   with a purchase; `new`, first purchase in it; `returning`; `reactivated`; `sales_new`,
#'   `sales_returning`, `sales_reactivated`, all their net sales of the period; `sales_not_active`,
#'   of customers without a purchase in it (returns); `partial`; `reactivation_possible`, missing
#'   look-back ends before. Invariants: active = new + returning + reactivated; the four sales add
#'   up to those of the period.
#' @examples
#' new_returning(example_ledger(), "quarter", lookback = 1)
#' new_returning(example_ledger(), "quarter", by = "channel")
#' @export
new_returning <- function(
  ledger, clock = NULL, lookback = NULL, unit = "periods", lines = list(), scope = "within",
  by = NULL, new_again = FALSE
) {
  check_ledger(ledger)
  check_choice(unit, c("periods", "days"))
  check_choice(scope, c("within", "any"))
  check_whole(lookback, lower = 0L, null = TRUE)
  check_text(by, null = TRUE)
  throw_unless(checkmate::check_flag(new_again), "new_again", rlang::current_env())
  clock <- ledger_clock(ledger, clock)
  check_columns_exist(c(by, names(lines)), line_columns(ledger), "the lines")
  for (name in names(lines)) {
    check_values(lines[[name]], line_values(ledger, name), name)
  }
  shown <- group_names(by, new_columns)
  filters <- filters_by(ledger, lines, by)
  parts <- lapply(filters, \(filter) arrivals(ledger, clock, lookback, unit, filter, scope))
  columns <- lapply(
    stats::setNames(nm = names(parts[[1L]])), \(name) do.call(c, lapply(parts, `[[`, name))
  )
  if (new_again) columns$new_again <- columns$new + columns$reactivated
  if (!is.null(by)) {
    group <- rep(unlist(lapply(filters, `[[`, by)), each = length(parts[[1L]]$period))
    columns <- c(stats::setNames(list(group), by), columns)
  }
  filtered <- length(lines) > 0L || !is.null(by)
  new_result(
    columns,
    "new",
    ledger,
    rbind(
      carried(ledger, c("as of", "history start")),
      partial_remark(parts[[1L]], clock),
      if (filtered) scope_remark(scope)
    ),
    basis = list(
      clock = clock,
      lookback = lookback,
      unit = unit,
      scope = if (filtered) scope,
      by = if (!is.null(by)) shown,
      attribute = by,
      lines = lines
    )
  )
}

# The filter itself, or one for each value of an attribute of lines.
filters_by <- function(ledger, lines, by) {
  if (is.null(by)) return(list(lines))
  others <- lines[names(lines) != by]
  lapply(line_values(ledger, by), \(value) c(others, stats::setNames(list(value), by)))
}

scope_remark <- function(scope) {
  remark_table("scope", if (scope == "within") {
    say(paste0(
      "History means purchases inside the filter: who bought other things before may be new ",
      "here."
    ))
  } else {
    say("History means purchases of anything.")
  })
}

new_columns <- c(
  "period", "active", "new", "returning", "reactivated", "sales_new", "sales_returning",
  "sales_reactivated", "sales_not_active", "partial", "reactivation_possible", "new_again"
)

partial_remark <- function(columns, clock) {
  partial <- columns$period[columns$partial]
  if (length(partial) > 0L) {
    remark_table("partial period", say(
      "The data cover %s only in part.", paste(period_label(partial, clock), collapse = " and ")
    ))
  }
}

arrivals <- function(ledger, clock, lookback, unit, lines, scope) {
  frame <- period_frame(ledger, clock)
  n <- length(frame$number)
  found <- reduce_arrivals(ledger, clock, lookback, unit, lines, scope == "any")
  possible <- if (is.null(lookback)) {
    rep(FALSE, n)
  } else if (unit == "periods") {
    seq_len(n) > lookback + 1L
  } else {
    as.integer(pmin(period_end(frame$number, clock), ledger$as_of)) -
      as.integer(ledger$history_start) >
      lookback &
      seq_len(n) > 1L
  }
  money <- c("sales_new", "sales_returning", "sales_reactivated", "sales_not_active")
  c(
    list(period = frame$start, active = found$new + found$returning + found$reactivated),
    found[c("new", "returning", "reactivated")],
    lapply(found[money], \(x) major(ledger, x)),
    list(partial = frame$partial, reactivation_possible = possible)
  )
}
