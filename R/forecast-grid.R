#' The cohort grid, continued
#'
#' The observed cells of a [cohort_grid()], and behind them what the models expect of the same
#' cohorts. The present period is observed in part: its cell holds what has come and what is
#' expected of its rest.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock,by,older_within See [cohort_grid()]; ages are calendar ones.
#' @param periods `[integer(1)]` Whole periods to come. Default: a year of them.
#' @param money,level,draws,seed,models See [forecast_value()].
#' @return A `nubrek_outlook_grid`, sorted by group, cohort and age: the columns of `by`; `cohort`,
#'   `period` `[Date]`; `age`; `size`; `what`: `"observed"`, `"partly"` or `"forecast"`; `customers`
#'   active; `sales`, net, with `sales_lower`, `sales_upper` where something is forecast; `margin`,
#'   where it is known; `per_customer`, cumulative margin per acquired customer (sales where no
#'   margin is known), undiscounted, with `per_customer_lower`, `per_customer_upper`; missing for
#'   cohorts not seen from age 0; `older`. Money in major units. [cohort_value()] makes economics of
#'   it.
#' @section Errors: `nubrek_error_argument` where groups, periods and draws are more than fit into
#'   memory; `nubrek_error_unidentified` where the models cannot be fitted.
#' @examples
#' forecast_grid(example_ledger(), "quarter", periods = 2, money = economics(0.45))
#' @export
forecast_grid <- function(
  ledger, clock = NULL, periods = NULL, by = NULL, money = economics(), level = 0.95,
  draws = c(50L, 10L), seed = 1L, models = forecast_models(), older_within = NULL
) {
  check_ledger(ledger)
  by <- meant_attributes(ledger, by)
  check_drawing(level, draws, seed)
  check_whole(periods, lower = 1L, null = TRUE)
  throw_unless(checkmate::check_class(money, "nubrek_economics"), "money", rlang::current_env())
  grid <- cohort_grid(
    ledger, clock, by = by, margin = money$margin_rate, older_within = older_within
  )
  clock <- basis_of(grid, "clock")
  known <- !is.null(grid$margin)
  ahead <- coming_periods(ledger, clock, periods %||% as.integer(floor(periods_a_year[[clock]])))
  fitted <- fit_models(ledger, models)
  rows <- rows_of_cohorts(ledger, fitted$history$customer, clock, basis_of(grid, "attributes"))
  shares <- money_shares(ledger, fitted$history$customer, money)
  found <- cells_to_come(ledger, fitted, shares, rows, ahead, draws, seed)
  cells <- observed_and_expected(grid, rows, ahead, found, known)
  drawn <- found$drawn * rep(if (known) found$margin else 1, each = prod(dim(found$drawn)[1:2]))
  cells <- with_intervals(cells, drawn, found$drawn, level)
  shown <- c(
    basis_of(grid, "by"), "cohort", "period", "age", "size", "what", "customers", "sales",
    "sales_lower", "sales_upper", if (known) "margin", "per_customer", "per_customer_lower",
    "per_customer_upper", "older"
  )
  notes <- remarks(grid)
  new_result(
    as.list(cells)[shown],
    "outlook_grid",
    ledger,
    rbind(
      notes[notes$about %in% c("as of", "slice", "older cohorts", "margin"), ],
      fitted$remarks,
      value_remarks(fitted, money, ledger, shares)
    ),
    basis = c(
      attr(grid, "basis")[c(
        "clock", "ages", "by", "attributes", "older_within", "margin", "margin_digits"
      )],
      list(money = if (known) "margin" else "sales", level = level, kinds = c(
        customers = "decimal", per_customer = "money", per_customer_lower = "money",
        per_customer_upper = "money"
      ))
    ),
    cells = cells,
    drawn = drawn
  )
}

# The group and cohort of each of these customers, and the table of those there are.
rows_of_cohorts <- function(ledger, ids, clock, by) {
  place <- ledger_codes(ledger, ids)
  group <- if (is.null(by)) {
    list(code = rep(1L, n_customers(ledger)), labels = list())
  } else {
    side_by_side(ledger, by, grid_columns)
  }
  people <- data.table(
    code = as.integer(group$code)[place],
    number = period_number(first_purchase_day(ledger)[place], clock)
  )
  rows <- unique(people)[order(code, number)]
  list(
    of = rows[people, on = c("code", "number"), which = TRUE],
    table = rows,
    labels = group$labels,
    clock = clock
  )
}

# Expected sales and active customers of each row (group and cohort) in each coming period, and
# draws of the sales (draw x period x row), all net of returns.
cells_to_come <- function(ledger, fitted, shares, rows, ahead, draws, seed) {
  history <- fitted$history
  edges <- c(0, business_weeks(fitted$purchases, ledger$as_of, ahead$end))
  expected <- diff_columns(cbind(
    0, purchases_ahead(fitted$purchases, history, edges[-1L])$expected
  ))
  each <- predict(fitted$spend, history)
  n <- nrow(rows$table)
  if (as.double(n) * length(ahead$start) * prod(draws) > 1e8) {
    abort_nubrek(c(
      "Too many cohorts of groups to draw: {n}, in {length(ahead$start)} periods.",
      "i" = "Take fewer groups, a coarser {.arg clock}, fewer {.arg periods} or {.arg draws}."
    ), "argument", call = rlang::caller_env(2L))
  }
  sum_up <- \(m) rowsum(m, rows$of)
  gross <- sum_up(expected * each)
  net <- sum_up(expected * each * shares$kept)
  margin <- sum_up(expected * each * shares$kept * shares$margin)
  # who has bought in the present period already is active in it whatever comes
  so_far <- reduce_counts(ledger, from = ahead$start[[1L]])
  now <- so_far[ledger_codes(ledger, history$customer)] > 0L
  group <- 2L * rows$of - !now
  factors <- season_factors(ledger, fitted, ahead$end, draws[[1L]], seed)
  drawn <- lapply(draw_todays(fitted, edges, draws, seed, group, 2L * n), by_season, factors)
  odd <- seq(1L, 2L * n, by = 2L)
  ratio <- \(top, base) {
    top <- rowSums(top)
    base <- rowSums(base)
    ifelse(base > 0, top / base, 1)
  }
  kept <- ratio(net, gross)
  active <- (drawn$active[, , odd, drop = FALSE] + drawn$active[, , odd + 1L, drop = FALSE])
  active[, 1L, ] <- if (ahead$partial[[1L]]) drawn$active[, 1L, odd] else active[, 1L, ]
  list(
    sales = net,
    margin_sums = margin,
    margin = ratio(margin, net),
    active = t(colMeans(active)),
    drawn = (drawn$sales[, , odd, drop = FALSE] + drawn$sales[, , odd + 1L, drop = FALSE]) *
      rep(kept, each = dim(drawn$sales)[[1L]] * dim(drawn$sales)[[2L]])
  )
}

# One table of cells. `seen` is the observed part of the money, `row` and `place` tell where in the
# draws a cell's forecast stands.
observed_and_expected <- function(grid, rows, ahead, found, known) {
  grouped_by <- basis_of(grid, "by")
  n <- nrow(rows$table)
  p <- length(ahead$start)
  cohort <- period_start(rows$table$number, rows$clock)
  key <- data.table::setDT(c(
    lapply(rows$labels, \(x) x[rows$table$code]), list(cohort = cohort, row = seq_len(n))
  ))
  money <- if (known) "margin" else "sales"
  seen <- as.data.table(plain_table(grid))[key, on = c(grouped_by, "cohort")]
  seen[, seen := .SD[[1L]], .SDcols = money]
  sizes <- seen[, .(size = size[[1L]], older = older[[1L]]), keyby = row]
  future <- data.table(
    row = rep(seq_len(n), each = p), place = rep(seq_len(p), n), period = rep(ahead$start, n)
  )
  position <- cbind(future$row, future$place)
  future[,
    `:=`(
      age = period_number(period, rows$clock) - rows$table$number[row],
      sales_to_come = found$sales[position],
      margin_to_come = found$margin_sums[position],
      active_to_come = found$active[position]
    )
  ]
  cells <- merge(
    seen[,
      c("row", "age", "period", "customers", "sales", if (known) "margin", "seen"), with = FALSE
    ],
    future,
    by = c("row", "age", "period"),
    all = TRUE
  )
  cells[, what := ifelse(is.na(place), "observed", ifelse(is.na(sales), "forecast", "partly"))]
  add <- \(x, y) data.table::fcoalesce(as.double(x), 0) + data.table::fcoalesce(y, 0)
  cells[,
    `:=`(
      customers = add(customers, active_to_come),
      sales = add(sales, sales_to_come),
      seen = data.table::fcoalesce(as.double(seen), 0)
    )
  ]
  if (known) cells[, margin := add(margin, margin_to_come)]
  cells[, money := .SD[[1L]], .SDcols = money]
  cells[, `:=`(size = sizes$size[row], older = sizes$older[row])]
  cells[, c(grouped_by, "cohort") := key[cells$row, c(grouped_by, "cohort"), with = FALSE]]
  data.table::setorder(cells, row, age)
  cells[, from_start := age[[1L]] == 0L, by = row]
  unit <- 10^(
    basis_of(grid, "decimals") + if (known) basis_of(grid, "margin_digits") %||% 0L else 0L
  )
  cells[, seen_so_far := cumsum(round(seen * unit)) / unit, by = row]
  cells[,
    per_customer := ifelse(from_start, (seen_so_far + cumsum(money - seen)) / size, NA_real_),
    by = row
  ]
  cells[, c("margin_to_come", "active_to_come") := NULL][]
}

# Intervals of the cells that hold something to come: of their sales, and of what has accumulated by
# then.
with_intervals <- function(cells, drawn, drawn_sales, level) {
  ends <- \(m) array(draw_interval(matrix(m, dim(m)[[1L]]), level), c(2L, dim(m)[-1L]))
  running <- drawn
  for (k in seq_len(dim(drawn)[[2L]])[-1L]) {
    running[, k, ] <- running[, k - 1L, ] + drawn[, k, ]
  }
  each <- ends(drawn_sales)
  sums <- ends(running)
  pending <- cells[
    !is.na(place), .(place, row, from_start, size, seen_so_far, before = sales - sales_to_come)
  ]
  position <- \(e, end) e[cbind(end, pending$place, pending$row)]
  per_customer <- \(end) ifelse(
    pending$from_start, (pending$seen_so_far + position(sums, end)) / pending$size, NA_real_
  )
  new <- list(
    pending$before + position(each, 1L),
    pending$before + position(each, 2L),
    per_customer(1L),
    per_customer(2L)
  )
  data.table::set(
    cells,
    NULL,
    c("sales_lower", "sales_upper", "per_customer_lower", "per_customer_upper"),
    NA_real_
  )
  data.table::set(
    cells,
    which(!is.na(cells$place)),
    c("sales_lower", "sales_upper", "per_customer_lower", "per_customer_upper"),
    new
  )
  cells[]
}
