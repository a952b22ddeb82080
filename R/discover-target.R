# What groups are looked for by: a number or yes/no of every customer, and when its window begins.

# The target of the customers of a ledger: `codes` of those for whom it is known, `y`, whether it is
# `yes` or no, the first day that it looks at (`start`, NULL where it looks at none), the condition
# that says who is looked at (`population`).
search_target <- function(ledger, node, text, more, known, call) {
  scope <- audience_scope(ledger, more, known)
  scope$text <- text
  value <- work_rule(node, scope)
  if (!value$type %in% c("number", "truth")) {
    abort_rule(scope, text, "A target is a number or a condition; this is {.emph {value$type}}.")
  }
  start <- target_start(node, ledger, scope)
  windowed <- !is.null(start) && start > ledger$history_start
  population <- if (windowed) {
    sprintf("purchases(until = \"%s\") >= 1", format(start - 1))
  } else {
    "purchases >= 1"
  }
  scope$text <- population
  inside <- rule_truth(parse_rule(population), scope, n_customers(ledger))$x
  y <- as.double(rep_len(value$x, n_customers(ledger)))
  codes <- which(inside & !is.na(inside) & !is.na(y))
  unknown <- sum(inside, na.rm = TRUE) - length(codes)
  list(
    codes = codes, y = y[codes], yes = value$type == "truth", start = if (windowed) start,
    window = !is.null(start), population = population, words = all.vars(node),
    money = grepl("sales", paste(all.names(node), collapse = " "), fixed = TRUE),
    purchases = any(all.names(node) == "purchases"),
    days = if (windowed) as.integer(ledger$as_of - start) + 1L,
    remarks = if (unknown > 0L) {
      remark_table("target", say(
        "Of %s the target cannot be told; they are left out.", n_of(unknown, "customer")
      ))
    }
  )
}

# The first day that a target looks at; NULL where it looks at no purchases.
target_start <- function(node, ledger, scope) {
  days <- list()
  scope$depth <- 0L
  look <- function(node) {
    name <- if (is.symbol(node)) as.character(node) else ""
    if (nzchar(name) && name %in% names(audience_measures(ledger))) {
      days[[length(days) + 1L]] <<- ledger$history_start
    }
    if (!is.call(node)) return(invisible())
    name <- if (is.symbol(node[[1L]])) as.character(node[[1L]]) else ""
    parts <- as.list(node)[-1L]
    if (name == "bought_again") days[[length(days) + 1L]] <<- ledger$history_start
    if (name %in% c(line_measures, names(contact_calls))) {
      told <- conditions_and_window(parts, scope, name, ledger$history_start)
      days[[length(days) + 1L]] <<- told$span$from
    } else {
      lapply(given_parts(parts), look)
    }
  }
  look(node)
  if (length(days) == 0L) return(NULL)
  max(ledger$history_start, min(do.call(c, lapply(days, as.Date, origin = "1970-01-01"))))
}
