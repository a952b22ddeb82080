# What customers did in the lines for which conditions hold.

# For each of `questions` (see `line_question()`), all in one pass, per customer code, of lines
# within a span for which every condition holds: `sales` in minor units, returns taken off;
# `purchases`, those whose lines under the conditions are worth a purchase together (definitions 25
# and 43: an order that is none as a whole is none here); `last`, the day of the latest, missing
# without one; `returned`, lines below zero; `units` where they are wanted. A condition that reads a
# missing attribute cannot be told for that line, and so does not hold, unless it asks whether it is
# missing.
reduce_lines <- function(ledger, questions) UseMethod("reduce_lines")

#' @export
reduce_lines.nubrek_ledger <- function(ledger, questions) {
  # a part need not have all the texts that a rule may name
  texts <- if (!inherits(ledger, "nubrek_memory")) {
    read <- intersect(unlist(lapply(questions, \(question) {
      lapply(question$filter, all.vars)
    })), line_columns(ledger))
    lapply(stats::setNames(nm = read), \(name) used_texts(ledger, name))
  }
  by_customer(ledger, \(part, codes) ask_lines(with_texts(part, texts), questions))
}

with_texts <- function(ledger, texts) {
  for (name in names(texts)) {
    cells <- ledger$lines[[name]]
    if (!is.factor(cells)) next
    data.table::set(ledger$lines, NULL, name, structure(
      match(levels(cells), texts[[name]])[cells], levels = texts[[name]], class = "factor"
    ))
  }
  ledger
}

ask_lines <- function(ledger, questions) {
  units <- quantity_units(ledger, questions)
  cpp_line_measures(
    ledger$orders,
    list(
      sales = ledger$lines$sales,
      goods = if (is.null(ledger$lines$line_kind)) integer() else as.integer(
        goods_lines(ledger$lines)
      ),
      quantity = if (is.null(units)) integer() else ledger$lines$.quantity,
      units = as.double(units),
      bought = as.integer(is_purchase(ledger, ledger$orders))
    ),
    lapply(questions, \(question) {
      list(
        span = c(as.integer(question$span$from), as.integer(question$span$until)),
        units = question$units,
        tests = lapply(question$filter, line_test, ledger = ledger, text = question$text)
      )
    }),
    list(
      least = ledger$least, by_day = ledger$meaning$purchase_unit == "day",
      free = counts_free(ledger$meaning)
    ),
    n_customers(ledger),
    reading_threads()
  )
}

# Conditions on lines (`filter`, expressions), days (`span`), whether `units` are wanted, and the
# `text` of the rule, for its errors.
line_question <- function(filter, span, units = FALSE, text = "") {
  list(filter = filter, span = span, units = units, text = text)
}

# A condition, worked out once for each level where it reads one column of texts, else for each
# line.
line_test <- function(condition, ledger, text) {
  scope <- line_scope(ledger, text)
  reads <- all.vars(condition)
  column <- if (length(reads) == 1L && reads %in% line_columns(ledger)) ledger$lines[[reads]]
  if (!is.factor(column)) {
    truth <- rule_truth(condition, scope, nrow(ledger$lines))$x
    return(list(code = as.integer(truth), holds = 0:1))
  }
  # the last one stands for lines without a text
  texts <- c(levels(column), NA_character_)
  scope$column <- \(name) if (name == reads) rule_value("text", texts, name)
  truth <- as.integer(rule_truth(condition, scope, length(texts))$x)
  list(code = column, holds = c(truth[length(texts)], truth[-length(texts)]))
}

# The quantity that each code stands for; NULL where nobody asks.
quantity_units <- function(ledger, questions) {
  asking <- Find(\(question) question$units, questions)
  if (is.null(asking)) return(NULL)
  cells <- ledger$lines$.quantity
  scope <- list(text = asking$text)
  if (is.null(cells)) {
    abort_rule(
      scope, "units", "The lines have no quantity.",
      "i" = "Map it: {.code column_map(quantity = )}."
    )
  }
  units <- suppressWarnings(as.double(levels(cells)))
  if (anyNA(units)) {
    abort_rule(
      scope, "units", "A quantity is no number: {.val {levels(cells)[is.na(units)][[1L]]}}."
    )
  }
  units
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

# The texts of a line column that stand in any line, and NA where one has none.
reduce_values <- function(ledger, name) UseMethod("reduce_values")

#' @export
reduce_values.nubrek_ledger <- function(ledger, name) {
  unique(unlist(each_part(ledger, \(part, codes) {
    cells <- part$lines[[name]]
    c(levels(cells)[tabulate(cells, length(levels(cells))) > 0L], if (anyNA(cells)) NA)
  })))
}
