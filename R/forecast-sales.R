#' What is to come, period by period
#'
#' Purchases, active customers and net sales of each coming period: from today's customers by the
#' models, and from those who are still to be won by an assumption that can be changed.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Width of the periods; default the ledger's.
#' @param periods `[integer(1)]` Whole periods to come; the rest of the present one stands before
#'   them. Default: a year of them.
#' @param acquisitions `[numeric]` New customers of each whole period: one number for all, or one
#'   for each (the rest of the present period gets its part of the first). `0`: today's customers
#'   alone. Default: as many as in the last 365 days, with the season of acquisition where every
#'   month is seen in two years.
#' @param money,level,draws,seed,models See [forecast_value()].
#' @return A `nubrek_outcome`, one row per period: `period` `[Date]`; `partial`, whether only its
#'   rest is to come; `new`, customers won; `active`, customers who buy; `purchases`; `sales`, net
#'   of returns, in major units, each with an interval (`_lower`, `_upper`); `margin`, where it is
#'   known; the part of today's customers in `active_today`, `purchases_today`, `sales_today`;
#'   `sales_before`, the net sales of the same period a year before (the same days of a partial
#'   one), as far as it was observed. The attribute `total` sums up all rows, with its interval;
#'   `history` has the observed periods.
#' @details Today's customers: the models' expectation, exact, in the season's time. Those to come
#'   arrive evenly in it, buy at once (the first purchase worth as much against later ones as it was
#'   in the last 365 days), and then like any customer of whom nothing else is known, with the
#'   covariates of those won in the last 365 days. The interval holds the uncertainty of the
#'   parameters and of the level of acquisition, its scatter (quasi-Poisson), and the chance of
#'   every single course; not that the assumption itself is wrong. Numbers given by the user are
#'   taken as they are. `active` is the mean of the draws.
#' @examples
#' forecast_sales(example_ledger(), clock = "quarter", periods = 2, acquisitions = 3)
#' @export
forecast_sales <- function(
  ledger, clock = NULL, periods = NULL, acquisitions = NULL, money = economics(), level = 0.95,
  draws = c(50L, 10L), seed = 1L, models = forecast_models()
) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  check_whole(periods, lower = 1L, null = TRUE)
  check_drawing(level, draws, seed)
  ahead <- coming_periods(ledger, clock, periods %||% as.integer(floor(periods_a_year[[clock]])))
  check_acquisitions(acquisitions, sum(!ahead$partial))
  fitted <- fit_models(ledger, models)
  edges <- c(0, business_weeks(fitted$purchases, ledger$as_of, ahead$end))
  factors <- season_factors(ledger, fitted, ahead$end, draws[[1L]], seed)
  today <- sales_of_today(ledger, fitted, money, edges, draws, seed, factors)
  signal_progress("drawing customers to come")
  arrivals <- expected_arrivals(ledger, ahead, acquisitions)
  coming <- sales_to_come(ledger, fitted, today$shares, edges, arrivals, draws, seed)
  both <- lapply(
    stats::setNames(nm = c("active", "purchases", "sales")),
    \(name) today$drawn[[name]] + coming$drawn[[name]]
  )
  new_result(
    c(
      list(period = ahead$start, partial = ahead$partial, new = arrivals$expected),
      outcome_columns(today, coming, both, level),
      list(
        active_today = colMeans(today$drawn$active),
        purchases_today = today$purchases,
        sales_today = today$sales,
        sales_before = sales_a_year_before(ledger, ahead)
      )
    ),
    "outcome",
    ledger,
    rbind(
      carried(ledger),
      fitted$remarks,
      value_remarks(fitted, money, ledger, today$shares),
      arrivals$remark
    ),
    basis = list(
      clock = clock,
      level = level,
      assumption = arrivals$words,
      return_share = today$shares$return_share,
      kinds = counted_columns
    ),
    total = outcome_total(today, coming, both, arrivals, level),
    history = observed_periods(ledger, clock)
  )
}

# Active customers, purchases and sales of each period with their intervals; margin where known.
outcome_columns <- function(today, coming, both, level) {
  expected <- list(
    active = colMeans(both$active),
    purchases = today$purchases + coming$purchases,
    sales = today$sales + coming$sales
  )
  columns <- lapply(names(expected), \(name) {
    ends <- draw_interval(both[[name]], level)
    stats::setNames(
      list(expected[[name]], ends[1L, ], ends[2L, ]), paste0(name, c("", "_lower", "_upper"))
    )
  })
  known <- !is.null(today$shares$words)
  c(unlist(columns, recursive = FALSE), if (known) list(margin = today$margin + coming$margin))
}

# Over all periods together.
outcome_total <- function(today, coming, both, arrivals, level) {
  ends <- draw_interval(cbind(rowSums(both$sales), rowSums(both$purchases)), level)
  data.frame(
    sales = sum(today$sales + coming$sales),
    sales_lower = ends[1L, 1L],
    sales_upper = ends[2L, 1L],
    purchases = sum(today$purchases + coming$purchases),
    purchases_lower = ends[1L, 2L],
    purchases_upper = ends[2L, 2L],
    new = sum(arrivals$expected),
    sales_today = sum(today$sales)
  )
}

# Expected counts are shown without decimals.
counted_columns <- stats::setNames(rep("count", 9L), c(
  "new", "active", "active_lower", "active_upper", "active_today", "purchases", "purchases_today",
  "purchases_lower", "purchases_upper"
))

check_acquisitions <- function(acquisitions, whole, call = rlang::caller_env()) {
  throw_unless(
    checkmate::check_numeric(
      acquisitions, lower = 0, finite = TRUE, any.missing = FALSE, null.ok = TRUE
    ),
    "acquisitions",
    call
  )
  if (!is.null(acquisitions) && !length(acquisitions) %in% c(1L, whole)) {
    abort_nubrek(
      "{.arg acquisitions} must be one number, or one for each of the {whole} whole period{?s}.",
      "argument",
      call = call
    )
  }
}

# The rest of the present period, if there is one, and the whole ones after it.
coming_periods <- function(ledger, clock, whole) {
  from <- period_number(ledger$as_of + 1L, clock)
  start <- period_start(seq.int(from, from + whole), clock)
  inside <- start[[1L]] <= ledger$as_of
  start <- if (inside) start else start[seq_len(whole)]
  end <- period_start(period_number(start, clock) + 1L, clock) - 1L
  list(
    start = start,
    first = pmax(start, ledger$as_of + 1L),
    end = end,
    partial = start <= ledger$as_of,
    share = as.numeric(end - pmax(start, ledger$as_of + 1L) + 1L) / as.numeric(end - start + 1L)
  )
}

# Expected purchases and sales of today's customers in each period, and their draws (draw x period).
sales_of_today <- function(ledger, fitted, money, edges, draws, seed, factors) {
  history <- fitted$history
  shares <- money_shares(ledger, history$customer, money)
  expected <- diff_columns(cbind(
    0, purchases_ahead(fitted$purchases, history, edges[-1L])$expected
  ))
  each <- predict(fitted$spend, history) * shares$kept
  # draws know nothing of returns: customers with the same share of them are a group
  group <- match(shares$kept, unique(shares$kept))
  drawn <- lapply(draw_todays(fitted, edges, draws, seed, group, max(group)), by_season, factors)
  list(
    shares = shares,
    purchases = colSums(expected),
    sales = colSums(expected * each),
    margin = colSums(expected * each * shares$margin),
    drawn = list(
      purchases = over_groups(drawn$purchases),
      active = over_groups(drawn$active),
      sales = over_groups(drawn$sales, unique(shares$kept))
    )
  )
}

diff_columns <- function(m) m[, -1L, drop = FALSE] - m[, -ncol(m), drop = FALSE]

# Sums of an array of draw x period x group over its groups.
over_groups <- function(drawn, weights = rep(1, dim(drawn)[[3L]])) {
  matrix(matrix(drawn, ncol = dim(drawn)[[3L]]) %*% weights, dim(drawn)[[1L]])
}

# Net sales of the same days a year before each coming period.
sales_a_year_before <- function(ledger, ahead) {
  back <- \(day) {
    d <- as.POSIXlt(day)
    d$year <- d$year - 1L
    as.Date(d)
  }
  from <- back(ahead$first)
  to <- back(ahead$end + 1L) - 1L
  result <- major(ledger, reduce_sales_between(ledger, from, to))
  ifelse(from >= ledger$history_start & to <= ledger$as_of, result, NA_real_)
}

# The whole periods observed: net sales, and those of customers new in them.
observed_periods <- function(ledger, clock) {
  frame <- period_frame(ledger, clock)
  new <- new_returning(ledger, clock)
  data.frame(
    period = frame$start,
    sales = major(
      ledger, reduce_sales_between(ledger, frame$start, period_start(frame$number + 1L, clock) - 1L)
    ),
    sales_new = new$sales_new,
    new = new$new,
    partial = frame$partial
  )
}
