#' What is to come, period by period
#'
#' Purchases, active customers and net sales of each coming period: from today's customers by the models, and from those who are still to be won by an assumption that can be changed.
#'
#' @param ledger `[nubrek_ledger]`
#' @param clock `[character(1)]` Width of the periods; default the ledger's.
#' @param periods `[integer(1)]` Whole periods to come; the rest of the present one stands before them. Default: a year of them.
#' @param acquisitions `[numeric]` New customers of each whole period: one number for all, or one for each (the rest of the present period gets its part of the first). `0`: today's customers
#'   alone. Default: as many as in the last 365 days, with the season of acquisition where every month is seen in two years.
#' @param money,level,draws,seed,models See [forecast_value()].
#' @return A `nubrek_outcome`, one row per period: `period` `[Date]`; `partial`, whether only its rest is to come; `new`, customers won; `active`, customers who buy; `purchases`; `sales`,
#'   net of returns, in major units, each with an interval (`_lower`, `_upper`); `margin`, where it is known; the part of today's customers in `active_today`, `purchases_today`, `sales_today`;
#'   `sales_before`, the net sales of the same period a year before (the same days of a partial one), as far as it was observed. The attribute `total` sums up all rows, with its interval;
#'   `history` has the observed periods.
#' @details Today's customers: the models' expectation, exact, in the season's time. Those to come arrive evenly in it, buy at once (the first purchase worth as much against later ones as it was
#'   in the last 365 days), and then like any customer of whom nothing else is known, with the covariates of those won in the last 365 days. The interval holds the uncertainty of the
#'   parameters and of the level of acquisition, its scatter (quasi-Poisson), and the chance of every single course; not that the assumption itself is wrong. Numbers given by the user are taken as
#'   they are. `active` is the mean of the draws.
#' @examples
#' forecast_sales(example_ledger(), clock = "quarter", periods = 2, acquisitions = 3)
#' @export
forecast_sales <- function(ledger, clock = NULL, periods = NULL, acquisitions = NULL, money = economics(), level = 0.95, draws = c(50L, 10L), seed = 1L, models = forecast_models()) {
  check_ledger(ledger)
  clock <- ledger_clock(ledger, clock)
  check_whole(periods, lower = 1L, null = TRUE)
  check_drawing(level, draws, seed)
  ahead <- coming_periods(ledger, clock, periods %||% as.integer(floor(periods_a_year[[clock]])))
  check_acquisitions(acquisitions, sum(!ahead$partial))
  fitted <- fit_models(ledger, models)
  fit <- fitted$purchases
  edges <- c(0, business_weeks(fit, ledger$as_of, ahead$end))
  today <- sales_of_today(ledger, fitted, money, edges, draws, seed, season_factors(ledger, fitted, ahead$end, draws[[1L]], seed))
  signal_progress("drawing customers to come")
  arrivals <- expected_arrivals(ledger, ahead, acquisitions)
  coming <- sales_to_come(ledger, fitted, today$shares, edges, arrivals, draws, seed)
  both <- lapply(stats::setNames(nm = c("purchases", "active", "sales")), \(name) today$drawn[[name]] + coming$drawn[[name]])
  between <- \(drawn) draw_interval(drawn, level)
  ends <- lapply(both, between)
  known <- !is.null(today$shares$words)
  sales <- today$sales + coming$sales
  all <- between(cbind(rowSums(both$sales), rowSums(both$purchases)))
  new_result(c(list(period = ahead$start, partial = ahead$partial, new = arrivals$expected, active = colMeans(both$active), active_lower = ends$active[1L, ], active_upper = ends$active[2L, ],
                    purchases = today$purchases + coming$purchases, purchases_lower = ends$purchases[1L, ], purchases_upper = ends$purchases[2L, ],
                    sales = sales, sales_lower = ends$sales[1L, ], sales_upper = ends$sales[2L, ]), if (known) list(margin = today$margin + coming$margin),
               list(active_today = colMeans(today$drawn$active), purchases_today = today$purchases, sales_today = today$sales, sales_before = sales_a_year_before(ledger, ahead))),
             "outcome", ledger, rbind(carried(ledger), fitted$remarks, value_remarks(fitted, money, ledger, today$shares), arrivals$remark),
             basis = list(clock = clock, level = level, assumption = arrivals$words, return_share = today$shares$return_share, kinds = counted_columns),
             total = data.frame(sales = sum(sales), sales_lower = all[1L, 1L], sales_upper = all[2L, 1L], purchases = sum(today$purchases + coming$purchases), purchases_lower = all[1L, 2L],
                                purchases_upper = all[2L, 2L], new = sum(arrivals$expected), sales_today = sum(today$sales)),
             history = observed_periods(ledger, clock))
}

# Expected counts are shown without decimals.
counted_columns <- stats::setNames(rep("count", 9L), c("new", "active", "active_lower", "active_upper", "active_today", "purchases", "purchases_today", "purchases_lower", "purchases_upper"))

check_acquisitions <- function(acquisitions, whole, call = rlang::caller_env()) {
  throw_unless(checkmate::check_numeric(acquisitions, lower = 0, finite = TRUE, any.missing = FALSE, null.ok = TRUE), "acquisitions", call)
  if (!is.null(acquisitions) && !length(acquisitions) %in% c(1L, whole)) abort_nubrek("{.arg acquisitions} must be one number, or one for each of the {whole} whole period{?s}.",
    "argument", call = call)
}

# The rest of the present period, if there is one, and the whole ones after it.
coming_periods <- function(ledger, clock, whole) {
  from <- period_number(ledger$as_of + 1L, clock)
  start <- period_start(seq.int(from, from + whole), clock)
  inside <- start[[1L]] <= ledger$as_of
  start <- if (inside) start else start[seq_len(whole)]
  end <- period_start(period_number(start, clock) + 1L, clock) - 1L
  list(start = start, first = pmax(start, ledger$as_of + 1L), end = end, partial = start <= ledger$as_of, share = as.numeric(end - pmax(start, ledger$as_of + 1L) + 1L) / as.numeric(end - start + 1L))
}

# Expected purchases and sales of today's customers in each period, and their draws (draw x period).
sales_of_today <- function(ledger, fitted, money, edges, draws, seed, factors) {
  history <- fitted$history
  shares <- money_shares(ledger, history$customer, money)
  expected <- diff_columns(cbind(0, purchases_ahead(fitted$purchases, history, edges[-1L])$expected))
  each <- predict(fitted$spend, history) * shares$kept
  # draws know nothing of returns: customers with the same share of them are a group
  group <- match(shares$kept, unique(shares$kept))
  drawn <- lapply(draw_todays(fitted, edges, draws, seed, group, max(group)), by_season, factors)
  list(shares = shares, purchases = colSums(expected), sales = colSums(expected * each), margin = colSums(expected * each * shares$margin),
       drawn = list(purchases = over_groups(drawn$purchases), active = over_groups(drawn$active), sales = over_groups(drawn$sales, unique(shares$kept))))
}

diff_columns <- function(m) m[, -1L, drop = FALSE] - m[, -ncol(m), drop = FALSE]

# Sums of an array of draw x period x group over its groups.
over_groups <- function(drawn, weights = rep(1, dim(drawn)[[3L]])) matrix(matrix(drawn, ncol = dim(drawn)[[3L]]) %*% weights, dim(drawn)[[1L]])

# How many customers are to come in each period: their expectation, and how to draw them.
expected_arrivals <- function(ledger, ahead, said) {
  days <- as.integer(ahead$end - ahead$first) + 1L
  if (!is.null(said)) {
    whole <- rep_len(as.double(said), sum(!ahead$partial))
    expected <- c(if (ahead$partial[[1L]]) whole[[1L]] * ahead$share[[1L]], whole)
    words <- if (all(said == 0)) "nobody new" else "as many new customers as asked"
    return(list(expected = expected, error = 0, dispersion = 0, words = words, remark = remark_table("new customers", sprintf("Assumed: %s (%s over all periods).", words,
        number_text(round(sum(expected)))))))
  }
  first <- first_purchase_day(ledger)
  first <- sort(first[!is.na(first)])
  last_year <- max(as.integer(ledger$as_of) - 364L, as.integer(ledger$history_start))
  count <- sum(first >= last_year)
  season <- arrival_season(ledger, first)
  weight <- \(from, to) diff(business_days(season$index, c(from - 1L, to)))
  level <- count / weight(last_year, as.integer(ledger$as_of))
  expected <- level * mapply(weight, as.integer(ahead$first), as.integer(ahead$end))
  words <- paste0("as many new customers as in the last 365 days", if (!is.null(season$index)) ", with the season of acquisition")
  list(expected = expected, error = sqrt(season$dispersion / max(1, count)), dispersion = season$dispersion, words = words,
       remark = remark_table("new customers", sprintf("Assumed: %s (%s over all periods). Say it otherwise with acquisitions.", words, number_text(round(sum(expected))))))
}

# The months in which customers are won, without those that may hold older customers; and how much more than Poisson their numbers scatter.
arrival_season <- function(ledger, first) {
  edge <- period_start(period_number(ledger$history_start, "month") + usual_gap(ledger, "month"), "month")
  months <- season_months(max(edge, ledger$history_start), ledger$as_of)
  if (nrow(months) < 6L) return(list(index = NULL, dispersion = 1))
  data <- data.frame(actual = findInterval(months$to, first) - findInterval(months$from - 1L, first), expected = months$to - months$from + 1L, months)
  data$trend <- as.double(scale(data$from + data$to))
  if (any(tabulate(data$month, 12L) < 2L)) {
    fitted <- stats::glm(actual ~ trend, stats::quasipoisson(), data, offset = log(expected))
    return(list(index = NULL, dispersion = max(1, summary(fitted)$dispersion)))
  }
  data$month <- factor(data$month, 1:12)
  found <- seasonal_effects(data)
  list(index = exp(shrunk_months(found$effect, found$error)$effect), dispersion = max(1, found$dispersion))
}

# Purchases and sales of customers still to be won: expected, and draws (draw x period).
sales_to_come <- function(ledger, fitted, shares, edges, arrivals, draws, seed) {
  fit <- fitted$purchases
  n <- prod(draws)
  wanted <- arrivals$expected
  nothing <- list(purchases = 0 * wanted, sales = 0 * wanted, margin = 0 * wanted, drawn = list(purchases = 0, active = 0, sales = 0))
  if (sum(wanted) == 0) return(nothing)
  like <- recent_newcomers(ledger, fitted$history)
  later <- newcomers_by_period(fit, like, edges, wanted)
  spend <- predict(fitted$spend)
  if (is.na(spend)) spend <- mean(fitted$history$spend, na.rm = TRUE)      # where the model has no mean
  factor <- like$first_sales / spend
  kept <- sum(ledger$orders$sales) / sum(ledger$days$sales)
  margin <- if (is.null(shares$words)) NA_real_ else sum(shares$to_date) / major(ledger, sum(ledger$orders$sales))
  sales <- (wanted * factor + later) * spend * kept
  # numbers of new customers: gamma-Poisson with the dispersion seen, about a level that is itself uncertain; a given number is taken as it is
  number <- with_seed(seed + 2L, {
    mean <- outer(exp(stats::rnorm(n, 0, arrivals$error)), wanted)
    over <- arrivals$dispersion - 1
    if (arrivals$dispersion == 0) matrix(floor(mean + stats::runif(length(mean))), n) else matrix(stats::rpois(length(mean), if (over > 1e-6) stats::rgamma(length(mean), mean / over,
      1 / over) else mean), n)
  })
  storage.mode(number) <- "integer"
  most <- apply(number, 2L, max)
  come <- rep(seq_along(most), most)
  row <- with_seed(seed + 3L, like$rows[sample.int(length(like$rows), length(come), TRUE)])
  history <- fitted$history[row, ]
  for (column in c("repeats", "last", "span")) history[[column]] <- 0
  worlds <- drawn_worlds(history, fit, fitted$spend, draws[[1L]], seed)
  drawn <- draw_periods(worlds, edges, draws[[2L]], seed + 4L, rep(1L, length(come)), 1L, number, come, sequence(most), factor)
  list(purchases = wanted + later, sales = sales, margin = sales * margin,
       drawn = list(purchases = over_groups(drawn$purchases), active = over_groups(drawn$active), sales = over_groups(drawn$sales, kept)))
}

# Customers won in the last 365 days (all, where there are none): rows of the history, and their mean first purchase.
recent_newcomers <- function(ledger, history) {
  first <- first_purchase_day(ledger)[match(history$customer, ledger$ids)]
  rows <- which(first > as.integer(ledger$as_of) - 365L)
  if (length(rows) == 0L) rows <- seq_along(first)
  m <- reduce_customers(ledger)
  list(rows = rows, first_sales = mean(major(ledger, m$sales_first[match(history$customer[rows], ledger$ids)])))
}

# Later purchases in each period that customers coming evenly in each period are expected to make.
newcomers_by_period <- function(fit, like, edges, wanted, points = 24L) {
  own <- packed_sets(fit)
  weight <- if (is.null(fit$design)) 1 else tabulate(fit$packed$set[fit$packed$row], ncol(own$sets))
  grid <- edges[[length(edges)]] * seq(0, 1, length.out = 160L)^2
  expected <- 0
  for (one in which(weight > 0)) expected <- expected + weight[[one]] / sum(weight) * newcomers_expected(fit, list(sets = own$sets[, one, drop = FALSE], set = integer()), grid)
  curve <- stats::splinefun(grid, expected, "monoH.FC")
  at <- (seq_len(points) - 0.5) / points
  by_end <- vapply(edges, \(end) { came <- outer(diff(edges), at) + edges[-length(edges)]; rowMeans(matrix(curve(pmax(0, end - came)), nrow(came))) * wanted }, wanted)
  colSums(diff_columns(matrix(by_end, length(wanted))))
}

# Net sales of the same days a year before each coming period.
sales_a_year_before <- function(ledger, ahead) {
  back <- \(day) { d <- as.POSIXlt(day); d$year <- d$year - 1L; as.Date(d) }
  from <- back(ahead$first)
  to <- back(ahead$end + 1L) - 1L
  out <- major(ledger, sums_between(ledger$orders$day, ledger$orders$sales, from, to))
  ifelse(from >= ledger$history_start & to <= ledger$as_of, out, NA_real_)
}

sums_between <- function(day, value, from, to) {
  order <- order(day)
  running <- c(0, cumsum(as.double(value[order])))
  sorted <- day[order]
  running[findInterval(as.integer(to), sorted) + 1L] - running[findInterval(as.integer(from) - 1L, sorted) + 1L]
}

# The whole periods observed: net sales, and those of customers new in them.
observed_periods <- function(ledger, clock) {
  frame <- period_frame(ledger, clock)
  new <- new_returning(ledger, clock)
  data.frame(period = frame$start, sales = major(ledger, sums_between(ledger$orders$day, ledger$orders$sales, frame$start, period_start(frame$number + 1L, clock) - 1L)),
             sales_new = new$sales_new, new = new$new, partial = frame$partial)
}
