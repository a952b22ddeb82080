#' Prove that all numbers agree, to the cent
#'
#' Each check computes the same total by two independent paths. Money is compared as whole minor
#' units, so a check is exact or it fails.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Period of the cohort and period checks; default the ledger's.
#' @param shown `[list]` Results that were made of the ledger before, to be held against it: `rate`
#'   of [repeat_rate()], `counts` of [order_counts()], `cohorts` of [cohort_grid()].
#' @return A `nubrek_proof`, one row per check: `check`, `left`, `right` and `difference` (money in
#'   major units, else counts), `exact` `[logical]`.
#' @examples
#' prove_totals(example_ledger())
#' @export
prove_totals <- function(ledger, clock = NULL, shown = list()) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  checks <- rbindlist(Filter(Negate(is.null), c(
    prove_intake(ledger), prove_customers(ledger), prove_cells(ledger, clock), prove_tiers(ledger),
    prove_shown(ledger, shown)
  )))
  unit <- ifelse(checks$money, 10^ledger$decimals, 1)
  new_result(list(
    check = checks$check,
    left = checks$left / unit,
    right = checks$right / unit,
    difference = (checks$left - checks$right) / unit,
    exact = checks$left == checks$right
  ), "proof", ledger)
}

claim <- function(check, left, right, money = TRUE) {
  list(check = check, left = as.double(left), right = as.double(right), money = money)
}

prove_intake <- function(ledger) {
  counts <- ledger$intake$counts
  kept <- counts$reason == "kept"
  inside <- reduce_sums(ledger, "orders")
  before <- reduce_sums(ledger, "before")
  of_lines <- reduce_sums(ledger, "lines")$sales
  total <- inside$sales
  outside <- ledger$outside %||% list(sales = 0, n_lines = 0)
  list(
    claim(
      "rows read = rows kept + rows set aside",
      ledger$intake$rows,
      sum(counts$rows[kept]) + nrow(ledger$intake$aside),
      FALSE
    ),
    claim(
      "rows kept = lines of orders + before history start + outside the slice",
      sum(counts$rows[kept]),
      inside$n_lines + before$n_lines + outside$n_lines,
      FALSE
    ),
    claim(
      "money kept by the audit = ledger + before history start + outside the slice",
      sum(counts$units[kept]),
      total + before$sales + outside$sales
    ),
    claim(
      "money before history start",
      before$sales,
      sum(counts$units[kept]) - outside$sales - of_lines
    ),
    claim("ledger = its lines", total, of_lines)
  )
}

prove_customers <- function(ledger) {
  total <- reduce_totals(ledger)
  m <- reduce_customers(ledger)
  rate <- repeat_rate(ledger)
  minor <- function(x) round(x * 10^ledger$decimals)
  list(
    claim("ledger = sum over customers", total$sales, sum(m$sales)),
    claim(
      "ledger = repeat + one-time customers + no purchase",
      total$sales,
      minor(rate$sales_repeat) + minor(rate$sales_one_time) + minor(rate$sales_no_purchase)
    ),
    claim(
      "ledger = first + later purchases + outside purchases",
      total$sales,
      minor(rate$sales_first) + minor(rate$sales_later) + minor(rate$sales_outside)
    ),
    claim(
      "purchases = customers with one + gaps",
      total$purchases,
      sum(m$purchases > 0L) + sum(reduce_gaps(ledger)$gaps),
      FALSE
    ),
    if (bought_any(ledger)) {
      claim(
        "customers = back for a second + not yet + known earlier",
        sum(m$purchases > 0L),
        sum(next_purchase(ledger)$customers) + sum(reduce_waits(ledger, 2L)$known),
        FALSE
      )
    },
    if (bought_any(ledger)) {
      claim(
        "purchases = sum over order counts",
        total$purchases,
        {
          k <- order_counts(ledger)
          sum(k$purchases * k$customers)
        },
        FALSE
      )
    }
  )
}

# What is shown was made of the ledger that was read.
prove_shown <- function(ledger, shown) {
  total <- reduce_totals(ledger)
  minor <- \(x) sum(round(x * 10^ledger$decimals))
  rate <- shown$rate
  grid <- shown$cohorts
  list(
    if (!is.null(rate) && is.null(basis_of(rate, "during", NULL))) {
      claim(
        "ledger = sales of the repeat rate as shown", total$sales,
        minor(rate$sales_repeat) + minor(rate$sales_one_time) + minor(rate$sales_no_purchase)
      )
    },
    if (!is.null(shown$counts)) {
      claim(
        "purchases = those of the order counts as shown", total$purchases,
        sum(shown$counts$purchases * shown$counts$customers), FALSE
      )
    },
    if (!is.null(grid)) {
      cells <- reduce_cells(
        ledger, basis_of(grid, "clock"), elapsed = identical(basis_of(grid, "ages"), "elapsed")
      )
      claim(
        "ledger = cells of the cohort table as shown + no cohort", total$sales,
        minor(grid$sales) + cells$sales$outside
      )
    }
  )
}

# Cells come from the C++ pass; the other side is counted again from the orders by data.table.
prove_cells <- function(ledger, clock) {
  total <- reduce_totals(ledger)
  cells <- reduce_cells(ledger, clock)
  elapsed <- if (bought_any(ledger)) reduce_cells(ledger, clock, elapsed = TRUE) else cells
  seen <- reduce_active(ledger, cells$frame)
  fresh <- new_returning(ledger, clock, lookback = 1L)
  parts <- fresh$sales_new +
    fresh$sales_returning +
    fresh$sales_reactivated +
    fresh$sales_not_active
  of_clock <- \(name, ...) claim(paste0("by ", clock, ": ", name), ...)
  # two series agree where their sum does and no place differs
  same_series <- \(name, a, b) of_clock(name, sum(a), sum(a) + sum(abs(a - b)), FALSE)
  list(
    of_clock(
      "ledger = cohort cells + no cohort", total$sales, sum(cells$sales$sums) + cells$sales$outside
    ),
    of_clock(
      "ledger = cells of elapsed ages + no cohort",
      total$sales,
      sum(elapsed$sales$sums) + elapsed$sales$outside
    ),
    of_clock(
      "purchases = cells of elapsed ages", total$purchases, sum(elapsed$purchases), FALSE
    ),
    of_clock("customers = last purchases in cells", seen$customers, sum(cells$last), FALSE),
    if (!is.null(cells$margin)) {
      of_clock(
        "margin of the customers = cohort cells + no cohort",
        total$sales - sum(reduce_customers(ledger)$cost),
        sum(cells$margin$sums) + cells$margin$outside
      )
    },
    of_clock("ledger = active customers + not active", total$sales, seen$active + seen$idle),
    of_clock("cohort sizes = customers with a purchase", sum(cells$size), seen$customers, FALSE),
    same_series(
      "active customers = diagonals of the cohort grid", seen$per_period, colSums(cells$customers)
    ),
    same_series(
      "active = new + returning + reactivated",
      seen$per_period,
      fresh$new + fresh$returning + fresh$reactivated
    ),
    of_clock(
      "ledger = new, returning, reactivated, not active",
      total$sales,
      sum(round(parts * 10^ledger$decimals))
    ),
    of_clock(
      "ledger = customers by period", total$sales, sum(reduce_periods(ledger, clock)$sales)
    ),
    of_clock(
      "new + known before = customers with a purchase",
      sum(fresh$new) + seen$known_before,
      sum(cells$size),
      FALSE
    )
  )
}

bought_any <- function(ledger) reduce_size(ledger)$purchases > 0L

# Tiers, groups, regions and moves are partitions: each customer with a purchase once, with all of
# their money.
prove_tiers <- function(ledger) {
  if (!bought_any(ledger)) return(NULL)
  bought <- reduce_counts(ledger) > 0L
  theirs <- sum(reduce_money(ledger)$net[bought])
  partition <- \(name, customers, sales) list(
    claim(
      paste(name, "hold each customer with a purchase once"), sum(bought), sum(customers), FALSE
    ),
    claim(
      paste(name, "hold the money of customers with a purchase"),
      theirs,
      sum(round(sales * 10^ledger$decimals))
    )
  )
  tiers <- assign_tiers(ledger)
  map <- map_profile(order_map(ledger))
  groups <- rfm_profile(score_rfm(ledger))
  middle <- ledger$history_start + as.integer(ledger$as_of - ledger$history_start) %/% 2L
  halves <- if (middle < ledger$as_of) {
    tier_moves(ledger, list(c(ledger$history_start, middle), c(middle + 1L, ledger$as_of)))
  }
  c(
    list(
      claim(
        "tiers hold each customer with a purchase once",
        sum(bought),
        count_different(tiers$customer, ledger_ids(ledger)),
        FALSE
      ),
      claim(
        "tiers hold the money of customers with a purchase",
        theirs,
        sum(round(tiers$sales * 10^ledger$decimals))
      )
    ),
    partition("groups of bands", groups$customers, groups$sales),
    partition("regions of the order map", map$customers, map$sales),
    if (!is.null(halves)) {
      partition(
        "moves between two halves", halves$customers, c(halves$sales_before, halves$sales_after)
      )
    }
  )
}
