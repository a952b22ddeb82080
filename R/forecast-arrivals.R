# Customers still to be won: how many, and what they bring.

# How many customers are to come in each period: their expectation, and how to draw them.
expected_arrivals <- function(ledger, ahead, said) {
  if (!is.null(said)) {
    whole <- rep_len(as.double(said), sum(!ahead$partial))
    expected <- c(if (ahead$partial[[1L]]) whole[[1L]] * ahead$share[[1L]], whole)
    words <- if (all(said == 0)) "nobody new" else "as many new customers as asked"
    return(list(
      expected = expected,
      error = 0,
      dispersion = 0,
      words = words,
      remark = remark_table("new customers", say(
        "Assumed: %s (%s over all periods).", words, number_text(round(sum(expected)))
      ))
    ))
  }
  first <- first_purchase_day(ledger)
  first <- sort(first[!is.na(first)])
  last_year <- max(as.integer(ledger$as_of) - 364L, as.integer(ledger$history_start))
  count <- sum(first >= last_year)
  season <- arrival_season(ledger, first)
  weight <- \(from, to) diff(business_days(season$index, c(from - 1L, to)))
  level <- count / weight(last_year, as.integer(ledger$as_of))
  expected <- level * mapply(weight, as.integer(ahead$first), as.integer(ahead$end))
  words <- paste0(
    "as many new customers as in the last 365 days",
    if (!is.null(season$index)) ", with the season of acquisition"
  )
  list(
    expected = expected,
    error = sqrt(season$dispersion / max(1, count)),
    dispersion = season$dispersion,
    words = words,
    remark = remark_table("new customers", say(
      "Assumed: %s (%s over all periods). Say it otherwise with acquisitions.",
      words,
      number_text(round(sum(expected)))
    ))
  )
}

# The months in which customers are won, without those that may hold older customers; and how much
# more than Poisson their numbers scatter.
arrival_season <- function(ledger, first) {
  edge <- period_start(
    period_number(ledger$history_start, "month") + usual_gap(ledger, "month"), "month"
  )
  by_month <- season_months(max(edge, ledger$history_start), ledger$as_of)
  if (nrow(by_month) < 6L) return(list(index = NULL, dispersion = 1))
  data <- data.frame(
    actual = findInterval(by_month$to, first) - findInterval(by_month$from - 1L, first),
    expected = by_month$to - by_month$from + 1L,
    by_month
  )
  data$trend <- as.double(scale(data$from + data$to))
  if (any(tabulate(data$month, 12L) < 2L)) {
    # nobody new for long: the trend has no end, the dispersion has
    fitted <- suppressWarnings(
      stats::glm(actual ~ trend, stats::quasipoisson(), data, offset = log(expected))
    )
    return(list(index = NULL, dispersion = max(1, summary(fitted)$dispersion)))
  }
  data$month <- factor(data$month, 1:12)
  found <- seasonal_effects(data)
  list(
    index = exp(shrunk_months(found$effect, found$error)$effect),
    dispersion = max(1, found$dispersion)
  )
}

# Purchases and sales of customers still to be won: expected, and draws (draw x period).
sales_to_come <- function(ledger, fitted, shares, edges, arrivals, draws, seed) {
  wanted <- arrivals$expected
  none <- 0 * wanted
  if (sum(wanted) == 0) {
    nobody <- list(purchases = 0, active = 0, sales = 0)
    return(list(purchases = none, sales = none, margin = none, drawn = nobody))
  }
  like <- recent_newcomers(ledger, fitted$history)
  later <- newcomers_by_period(fitted$purchases, like, edges, wanted)
  spend <- predict(fitted$spend)
  if (is.na(spend)) spend <- mean(fitted$history$spend, na.rm = TRUE) # where the model has no mean
  multiple <- like$first_sales / spend
  kept <- kept_share(ledger)
  margin <- if (is.null(shares$words)) {
    NA_real_
  } else {
    sum(shares$to_date) / major(ledger, reduce_totals(ledger)$sales)
  }
  sales <- (wanted * multiple + later) * spend * kept
  drawn <- draw_newcomers(fitted, like, edges, arrivals, multiple, draws, seed)
  list(
    purchases = wanted + later,
    sales = sales,
    margin = sales * margin,
    drawn = list(
      purchases = over_groups(drawn$purchases),
      active = over_groups(drawn$active),
      sales = over_groups(drawn$sales, kept)
    )
  )
}

# Customers to come in each period, a row for each draw: gamma-Poisson with the dispersion seen,
# about a level that is itself uncertain; a given number is taken as it is.
draw_arrivals <- function(arrivals, n, seed) {
  number <- with_seed(seed, {
    average <- outer(exp(stats::rnorm(n, 0, arrivals$error)), arrivals$expected)
    over <- arrivals$dispersion - 1
    each <- if (arrivals$dispersion == 0) {
      floor(average + stats::runif(length(average)))
    } else {
      stats::rpois(
        length(average),
        if (over > 1e-6) stats::rgamma(length(average), average / over, 1 / over) else average
      )
    }
    matrix(each, n)
  })
  storage.mode(number) <- "integer"
  number
}

# What they do: histories like those of recent newcomers, with nothing behind them yet.
draw_newcomers <- function(fitted, like, edges, arrivals, factor, draws, seed) {
  number <- draw_arrivals(arrivals, prod(draws), seed + 2L)
  most <- apply(number, 2L, max)
  come <- rep(seq_along(most), most)
  line <- with_seed(seed + 3L, like$rows[sample.int(length(like$rows), length(come), TRUE)])
  history <- fitted$history[line, ]
  for (column in c("repeats", "last", "span")) {
    history[[column]] <- 0
  }
  draw_periods(
    drawn_worlds(history, fitted$purchases, fitted$spend, draws[[1L]], seed),
    edges,
    draws[[2L]],
    seed + 4L,
    rep(1L, length(come)),
    1L,
    list(come = come, place = sequence(most), number = number, first_factor = factor)
  )
}

# Customers won in the last 365 days (all, where there are none): rows of the history, and their
# mean first purchase.
recent_newcomers <- function(ledger, history) {
  first <- first_purchase_day(ledger)[ledger_codes(ledger, history$customer)]
  rows <- which(first > as.integer(ledger$as_of) - 365L)
  if (length(rows) == 0L) rows <- seq_along(first)
  m <- reduce_customers(ledger)
  list(rows = rows, first_sales = mean(major(
    ledger, m$sales_first[ledger_codes(ledger, history$customer[rows])]
  )))
}

# Later purchases in each period that customers coming evenly in each period are expected to make.
newcomers_by_period <- function(fit, like, edges, wanted, points = 24L) {
  mine <- packed_sets(fit)
  weight <- if (is.null(fit$design)) {
    1
  } else {
    tabulate(fit$packed$set[fit$packed$row], ncol(mine$sets))
  }
  grid <- edges[[length(edges)]] * seq(0, 1, length.out = 160L)^2
  expected <- 0
  for (one in which(weight > 0)) {
    expected <- expected +
      weight[[one]] /
        sum(weight) *
        newcomers_expected(fit, list(sets = mine$sets[, one, drop = FALSE], set = integer()), grid)
  }
  curve <- stats::splinefun(grid, expected, "monoH.FC")
  place <- (seq_len(points) - 0.5) / points
  by_end <- vapply(
    edges,
    \(end) {
      came <- outer(diff(edges), place) + edges[-length(edges)]
      rowMeans(matrix(curve(pmax(0, end - came)), nrow(came))) * wanted
    },
    wanted
  )
  colSums(diff_columns(matrix(by_end, length(wanted))))
}
