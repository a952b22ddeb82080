# What customers did in the lines for which conditions hold.

# Per customer code, of lines within a span for which every condition of `filter` holds (expressions
# over line columns, worked out by their own rules): `sales` in minor units, returns taken off;
# `purchases`, those whose lines under the conditions are worth a purchase together (definition 25);
# `last`, the day of the latest, missing without one; `returned`, lines below zero. A condition that
# reads a missing attribute does not hold for that line. `text` is the rule, for its errors.
reduce_lines <- function(ledger, filter, span, text) UseMethod("reduce_lines")

#' @export
reduce_lines.nubrek_memory <- function(ledger, filter, span, text) {
  lines <- ledger$lines
  scope <- line_scope(ledger, text)
  keep <- rep(TRUE, nrow(lines))
  for (condition in filter) {
    keep <- keep & rule_truth(condition, scope, nrow(lines))$x
  }
  keep[is.na(keep)] <- FALSE
  data.table::setDT(cpp_line_measures(
    list(number = lines$number, sales = lines$sales, keep = keep),
    ledger$orders,
    list(least = ledger$least, by_day = ledger$meaning$purchase_unit == "day"),
    c(as.integer(span$from), as.integer(span$until)),
    n_customers(ledger)
  ))
}

# What conditions on lines may speak of: the columns of the lines, and their sales.
line_scope <- function(ledger, text) {
  known <- line_columns(ledger)
  list(
    text = text,
    names = c(known, "sales"),
    calls = rule_operators,
    belongs = \(name) NULL,
    column = \(name) {
      if (name == "sales") return(rule_value("number", major(ledger, ledger$lines$sales), "sales"))
      if (name %in% known) rule_value("text", ledger$lines[[name]], name)
    }
  )
}
