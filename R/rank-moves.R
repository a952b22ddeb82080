#' Who moved between tiers
#'
#' Tiers of two or more parts of time by the same rule, and how many customers went from each place
#' to each other. Places of the second time are the tiers and `"absent"` (no purchase in it); of the
#' first also `"new"` (first purchase ever after its end).
#'
#' @param ledger `[nubrek_ledger]`
#' @param periods `[character]` Two or more parts of time in order, such as `c("2024", "2025")` or
#'   four quarters; each is compared with the next.
#' @param shares,thresholds,measure,match,benefits See [assign_tiers()]; the rule is the same in
#'   each time, shares are ranked anew.
#' @param same_days `[logical(1)]` When the later time is not over, compare with the earlier only up
#'   to the same day? Default `TRUE`; said either way.
#' @param least_base `[integer(1)]` `change_percent` is left out where fewer customers stand behind
#'   it: a large percent on a small base says little. Default 30.
#' @return A `nubrek_moves`, one row per step and pair of places, zeros too: `step`, such as `"2024
#'   to 2025"`; `from`, `to`; `customers`; `sales_before`, `sales_after`, net; `change`;
#'   `change_percent`, by `sales_before`; `share_of_from`. Invariants: customers of a step add up to
#'   those who bought by its end; `sales_before` and `sales_after` to the sales of customers with a
#'   purchase by then. [moved_customers()] lists who is behind a cell, [move_noise()] how many moves
#'   chance alone would make.
#' @examples
#' moves <- tier_moves(example_ledger(), c("2024 Q1", "2024 Q2"), shares = c(top = 30, base = 70))
#' moves
#' moved_customers(moves, from = "top", to = "absent")
#' @export
tier_moves <- function(
  ledger, periods, shares = c(top = 10, middle = 30, base = 60), thresholds = NULL,
  measure = "sales", match = "all", benefits = NULL, same_days = TRUE, least_base = 30L
) {
  check_ledger(ledger)
  check_purchases(ledger)
  throw_unless(checkmate::check_flag(same_days), "same_days", rlang::current_env())
  check_whole(least_base, lower = 0L)
  if (is.numeric(periods)) periods <- format(periods)
  if (!(is.character(periods) || is.list(periods)) || length(periods) < 2L) {
    abort_nubrek(c(
      "{.arg periods} must be two or more parts of time.",
      "i" = 'Such as {.code c("2024", "2025")}.'
    ), "argument")
  }
  rule <- tier_rule(shares, thresholds, measure, match, benefits)
  first <- first_purchase_day(ledger)
  steps <- lapply(
    seq_len(length(periods) - 1L),
    \(i) one_step(ledger, periods[[i]], periods[[i + 1L]], rule, first, same_days)
  )
  words <- rule$labels
  columns <- rbindlist(lapply(steps, move_cells, words))
  unit <- 10^ledger$decimals
  columns[,
    `:=`(
      sales_before = sales_before / unit,
      sales_after = sales_after / unit,
      change = (sales_after - sales_before) / unit
    )
  ]
  columns[,
    change_percent := data.table::fifelse(
      customers >= least_base & sales_before > 0 & from != "new", change / sales_before, NA_real_
    )
  ]
  columns[,
    share_of_from := if (sum(customers) > 0L) customers / sum(customers) else NA_real_,
    by = .(step, from)
  ]
  spans <- lapply(steps, `[[`, "spans")
  new_result(
    as.list(columns),
    "moves",
    ledger,
    rbind(carried(ledger), do.call(rbind, lapply(steps, length_remark)), remark_table(
      "small base",
      say("Percent are left out below %s behind them.", n_of(least_base, "customer"))
    )),
    basis = list(
      labels = words,
      measure = rule$measures[[1L]],
      how = rule,
      spans = spans,
      steps = vapply(steps, `[[`, "", "step")
    ),
    who = lapply(steps, `[[`, "who"),
    ids = ledger_ids(ledger)
  )
}

one_step <- function(ledger, before, after, rule, first, same_days, call = rlang::caller_env()) {
  span <- list(
    read_during(before, ledger, "periods", call), read_during(after, ledger, "periods", call)
  )
  if (span[[2L]]$from <= span[[1L]]$until) {
    abort_nubrek(c(
      "{.arg periods} must follow one another.",
      "x" = "{.val {format(after)}} begins before {.val {format(before)}} has ended."
    ), "argument", call = call)
  }
  if (same_days) span[[1L]] <- earlier_span(before, span[[2L]], ledger, call)
  m <- lapply(span, \(s) reduce_span(ledger, s, all = FALSE))
  last <- vapply(span, \(s) as.integer(s$until), 0L)
  place <- lapply(m, place_in, rule, 10^ledger$decimals)
  place[[1L]][which(first > last[[1L]])] <- length(rule$labels) + 2L # new
  place[[1L]][which(is.na(first) | first > last[[2L]])] <- NA_integer_ # not there yet, or never
  label <- \(s, asked) {
    if (length(asked) == 1L) {
      as.character(asked)
    } else {
      paste(format(s$from), "-", format(s$until))
    }
  }
  list(
    step = paste(label(span[[1L]], before), "to", label(span[[2L]], after)),
    spans = span,
    who = list(
      from = place[[1L]],
      to = place[[2L]],
      before = m[[1L]]$sales,
      after = m[[2L]]$sales,
      purchases_before = m[[1L]]$purchases,
      purchases_after = m[[2L]]$purchases
    )
  )
}

# The tier of each customer in a part of time; without a purchase one place further. Customers of a
# step are all of the ledger, those not in it with a missing place.
place_in <- function(m, rule, unit) {
  result <- rep(length(rule$labels) + 1L, length(m$sales))
  active <- which(m$purchases > 0L)
  if (length(active) == 0L) return(result)
  m <- list(sales = m$sales[active], purchases = m$purchases[active])
  values <- lapply(
    stats::setNames(nm = rule$measures), \(name) customer_measures[[name]](m, unit, 0L)
  )
  result[active] <- tier_of(
    values,
    if (rule$kind == "share") {
      strictly_better(if (rule$measures[[1L]] == "sales") m$sales else values[[1L]]) + 1L
    },
    rule
  )
  result
}

move_places <- function(labels) list(from = c(labels, "absent", "new"), to = c(labels, "absent"))

move_cells <- function(step, labels) {
  places <- move_places(labels)
  n <- lengths(places)
  cell <- (step$who$from - 1L) * n[["to"]] + step$who$to
  sums <- \(x) cpp_group_sums(x, cell, 0L, prod(n))
  before <- sums(step$who$before)
  every <- expand.grid(to = places$to, from = places$from, stringsAsFactors = FALSE)
  data.table(
    step = rep(step$step, nrow(every)),
    from = every$from,
    to = every$to,
    customers = before$rows,
    sales_before = before$sums,
    sales_after = sums(step$who$after)$sums
  )
}

length_remark <- function(step) {
  days <- vapply(step$spans, days_of, 0L)
  told <- sprintf(
    "%s: %s to %s (%s) against %s to %s (%s)%s",
    step$step,
    format_day(step$spans[[1L]]$from),
    format_day(step$spans[[1L]]$until),
    n_of(days[[1L]], "day"),
    format_day(step$spans[[2L]]$from),
    format_day(step$spans[[2L]]$until),
    n_of(days[[2L]], "day"),
    if (isTRUE(step$spans[[1L]]$so_far)) {
      ", the earlier up to the same day."
    } else if (abs(days[[1L]] - days[[2L]]) > 3L) {
      ": of unequal length."
    } else {
      "."
    }
  )
  remark_table("compared", told)
}

#' @param moves `[nubrek_moves]` From [tier_moves()].
#' @param from,to `[character]` Places; default all.
#' @param step `[character(1)]` Default the last one.
#' @param stayers `[logical(1)]` Also who stayed where they were? Default no; a place named in both
#'   `from` and `to` is always shown.
#' @return `moved_customers()`: a `nubrek_movers`, a data frame of the customers behind the cells,
#'   the largest loss or gain first: `customer`, `from`, `to`, `sales_before`, `sales_after`,
#'   `change`, `purchases_before`, `purchases_after`.
#' @rdname tier_moves
#' @export
moved_customers <- function(moves, from = NULL, to = NULL, step = NULL, stayers = FALSE) {
  throw_unless(checkmate::check_class(moves, "nubrek_moves"), "moves", rlang::current_env())
  places <- move_places(basis_of(moves, "labels"))
  throw_unless(checkmate::check_flag(stayers), "stayers", rlang::current_env())
  for (name in from) {
    check_choice(name, places$from, "from")
  }
  for (name in to) {
    check_choice(name, places$to, "to")
  }
  steps <- basis_of(moves, "steps")
  step <- step %||% steps[[length(steps)]]
  check_choice(step, steps)
  who <- attr(moves, "who")[[match(step, steps)]]
  keep <- which(
    !is.na(who$from) &
      (is.null(from) | places$from[who$from] %in% from) &
      (is.null(to) | places$to[who$to] %in% to)
  )
  if (!stayers) {
    keep <- keep[
      places$from[who$from[keep]] != places$to[who$to[keep]] |
        (is.character(from) & places$to[who$to[keep]] %in% to)
    ]
  }
  who <- c(list(code = keep), lapply(who, `[`, keep))
  unit <- 10^basis_of(moves, "decimals")
  place <- order(-abs(who$after - who$before), who$code, method = "radix")
  columns <- list(
    customer = attr(moves, "ids")[who$code],
    from = places$from[who$from],
    to = places$to[who$to],
    sales_before = who$before / unit,
    sales_after = who$after / unit,
    change = (who$after - who$before) / unit,
    purchases_before = who$purchases_before,
    purchases_after = who$purchases_after
  )
  new_result(
    lapply(columns, `[`, place),
    "movers",
    remarks = remarks(moves),
    basis = c(attr(moves, "basis"), list(step = step))
  )
}
