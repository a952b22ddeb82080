#' How many moves would chance alone make?
#'
#' Everybody who buys now and then is in a higher tier in one year and in a lower one in the next,
#' without any change of mind. Under a stationary model a customer's orders of both times could as
#' well have fallen into the other one: they are dealt anew, in proportion to the days that the
#' customer was there in each, the tiers are made again, and the moves counted. A move is a finding
#' only if it happens more (or less) often than in such draws.
#'
#' The first purchase stays in its place, and so do all orders of customers who are new in the
#' second time. The p-value is normal with the mean and variance of the draws and must hold for all
#' cells together (false discovery rate, Benjamini and Hochberg); besides, fewer than 5 % of the
#' draws may be as far from their mean.
#'
#' @param moves `[nubrek_moves]` From [tier_moves()].
#' @param ledger `[nubrek_ledger]` The ledger it came from.
#' @param step `[character(1)]` Default the last one.
#' @param draws `[integer(1)]` Default 200.
#' @param seed `[integer(1)]` The same seed gives the same draws.
#' @param level `[numeric(1)]` Of the interval and of the verdict, default 0.95.
#' @return A `nubrek_noise`, one row per pair of places (not from `"new"`): `from`, `to`,
#'   `customers`; `expected` by chance alone, with `lower` and `upper`; `p`; `verdict`: `"more"`,
#'   `"fewer"` or `"as by chance"`. The attribute `net` has the customers who rose and fell (absent
#'   being the lowest place) against chance.
#' @references Benjamini and Hochberg (1995), Controlling the false discovery rate. Given their
#'   number, the events of a Poisson process are spread evenly over its time: Kingman (1993),
#'   Poisson Processes, section 2.4.
#' @examples
#' moves <- tier_moves(example_ledger(), c("2024 Q1", "2024 Q2"), shares = c(top = 30, base = 70))
#' move_noise(moves, example_ledger(), draws = 50)
#' @export
move_noise <- function(moves, ledger, step = NULL, draws = 200L, seed = 1L, level = 0.95) {
  throw_unless(checkmate::check_class(moves, "nubrek_moves"), "moves", rlang::current_env())
  check_ledger(ledger)
  check_whole(draws, lower = 20L)
  check_whole(seed, lower = 0L)
  check_share(level, 0.5, 0.999)
  steps <- basis_of(moves, "steps")
  step <- step %||% steps[[length(steps)]]
  check_choice(step, steps)
  place <- match(step, steps)
  rule <- basis_of(moves, "how")
  if (identical(basis_of(moves, "purchase_unit"), "day") && "purchases" %in% rule$measures) {
    abort_nubrek(c(
      "Draws deal orders, but a purchase is a day here.",
      "i" = "Tiers by sales can be held against chance."
    ), "argument")
  }
  who <- attr(moves, "who")[[place]]
  world <- dealing_world(ledger, basis_of(moves, "spans")[[place]], who, rule)
  places <- move_places(basis_of(moves, "labels"))
  counts <- dealt_counts(world, draws, seed, prod(lengths(places)))
  observed <- as.integer(count_cells(attr(moves, "who")[[place]], places))
  every <- expand.grid(to = places$to, from = places$from, stringsAsFactors = FALSE)
  found <- lapply(judge_counts(observed, counts, level), `[`, every$from != "new")
  shown <- cbind(every, customers = observed)[every$from != "new", ]
  new_result(
    list(
      from = shown$from,
      to = shown$to,
      customers = shown$customers,
      expected = found$mean,
      lower = found$lower,
      upper = found$upper,
      p = found$p,
      verdict = noise_verdict(shown$customers, found, level)
    ),
    "noise",
    remarks = rbind(remarks(moves), remark_table("noise", say(paste0(
      "Chance: each customer's orders of both times dealt anew between them, %s times. It knows ",
      "no season and nobody who leaves: beyond chance are these, or a change of mind."
    ), number_text(draws)))),
    basis = c(attr(moves, "basis"), list(
      step = step,
      draws = draws,
      level = level,
      kinds = c(expected = "decimal", lower = "count", upper = "count", p = "decimal")
    )),
    net = net_moves(every, places$to, observed, counts, level)
  )
}

# The counts of all cells in each draw: a column each.
dealt_counts <- function(world, draws, seed, n_cells) {
  vapply(
    seq_len(draws),
    \(i) {
      if (i %% 10L == 0L) signal_progress("dealing orders anew", i / draws)
      world$count(cpp_deal_orders(world, world$share, seed, i))
    },
    integer(n_cells)
  )
}

# Beyond chance are cells that are so for all of them together, and rarely so far off in the draws.
noise_verdict <- function(observed, found, level) {
  sure <- stats::p.adjust(found$p, "BH") < 1 - level & found$rare
  ifelse(!sure, "as by chance", ifelse(observed > found$mean, "more", "fewer"))
}

# Customers who rose and who fell, against chance.
net_moves <- function(every, to, observed, counts, level) {
  height <- \(place) match(place, to)
  from <- height(ifelse(every$from == "new", NA, every$from))
  both <- every$from != "new" & every$to %in% to
  net <- do.call(rbind, lapply(
    list(
      rose = which(both & height(every$to) < from), fell = which(both & height(every$to) > from)
    ),
    \(cells) as.data.frame(c(list(customers = sum(observed[cells])), judge_counts(
      sum(observed[cells]), matrix(colSums(counts[cells, , drop = FALSE]), 1L), level
    )))
  ))
  data.frame(direction = rownames(net), net, row.names = NULL)
}

count_cells <- function(who, places) {
  tabulate((who$from - 1L) * length(places$to) + who$to, prod(lengths(places)))
}

# Counts against those of the draws: mean, interval, p-value, and whether fewer than 5 % of the
# draws are as far off.
judge_counts <- function(observed, counts, level) {
  average <- rowMeans(counts)
  sd <- sqrt(rowSums((counts - average)^2) / (ncol(counts) - 1))
  off <- pmax(0, abs(observed - average) - 0.5)
  ends <- apply(
    counts, 1L, stats::quantile, c((1 - level) / 2, (1 + level) / 2), names = FALSE, type = 1L
  )
  list(
    mean = average,
    lower = ends[1L, ],
    upper = ends[2L, ],
    p = ifelse(sd > 0, 2 * stats::pnorm(-off / sd), ifelse(off > 0, 0, 1)),
    rare = rowMeans(abs(counts - average) >= abs(observed - average)) < 1 - level
  )
}

# The orders of both times, which of them may move, and how a draw is counted.
dealing_world <- function(ledger, spans, who, rule) {
  code <- which(!is.na(who$from))
  orders <- lapply(
    spans, \(s) ledger_rows(
      ledger, "orders", c("customer", "day", bought_columns(ledger)), code, s$from, s$until
    )
  )
  of_first <- rep(c(TRUE, FALSE), lengths(lapply(orders, `[[`, "row")))
  orders <- Map(c, orders[[1L]], orders[[2L]])
  sorting <- order(orders$row)
  orders <- lapply(orders, `[`, sorting)
  of_first <- of_first[sorting]
  from <- who$from[code]
  place <- rep(NA_integer_, n_customers(ledger))
  place[code] <- seq_along(code)
  mine <- place[orders$customer]
  first <- first_purchase_day(ledger)[code]
  days <- vapply(spans, days_of, 0L)
  # whoever came during the first time had only the rest of it
  early <- pmax(0L, as.integer(spans[[1L]]$until) - pmax(as.integer(spans[[1L]]$from) - 1L, first))
  share <- days[[2L]] / (early + days[[2L]])
  fixed <- from[mine] > length(rule$labels) + 1L | orders$day <= first[mine]
  part_of <- ifelse(of_first, ifelse(fixed, 0L, 1L), ifelse(fixed, -1L, 2L))
  new <- from > length(rule$labels) + 1L
  unit <- 10^ledger$decimals
  tiers <- length(rule$labels)
  list(
    customer = mine,
    sales = orders$sales,
    bought = is_purchase(ledger, orders),
    which = part_of,
    share = share,
    count = \(dealt) {
      was <- place_in(
        list(sales = dealt$sales_first, purchases = dealt$purchases_first), rule, unit
      )
      was[new] <- tiers + 2L
      to <- place_in(
        list(sales = dealt$sales_second, purchases = dealt$purchases_second), rule, unit
      )
      count_cells(list(from = was, to = to), move_places(rule$labels))
    }
  )
}

#' @export
rows_behind.nubrek_noise <- function(result, ledger, ...) {
  abort_nubrek(c("Draws have no orders behind them.", "i" = "{.fn tier_moves} has."), "argument")
}
