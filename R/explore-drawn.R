# How each view is drawn: from its result and the width there is, the picture.

# The density of customers on the plane of the order map, its cuts, and the best as points.
drawn_map <- function(view, x, width) {
  rows <- plain_table(x)
  if (nrow(rows) == 0L) return(NULL)
  positive <- rows$mean_sales[rows$mean_sales > 0]
  if (length(positive) == 0L) return(NULL)
  most <- min(25L, max(rows$purchases))
  steps <- round_steps(stats::quantile(positive, c(0.005, 0.995), names = FALSE))
  if (length(steps) > 30L) steps <- steps[c(TRUE, FALSE)]
  # where an amount stands between the steps, so that cuts and points stand exactly
  up <- \(amount) 1.5 + stats::approx(
    log(steps), seq_along(steps) - 1, log(pmax(amount, 1e-9)), rule = 2, ties = "ordered"
  )$y
  often <- pmin(rows$purchases, most)
  high <- findInterval(rows$mean_sales, steps) + 1L
  cells <- data.table(x = often, y = high)[, .(n = .N), keyby = .(x, y)]
  edges <- c(-Inf, steps, Inf)
  keys <- data.frame(
    purchases_from = cells$x,
    purchases_until = ifelse(cells$x == most & max(rows$purchases) > most, Inf, cells$x),
    sales_from = edges[cells$y],
    sales_below = edges[cells$y + 1L]
  )
  money <- picture_money(x)
  best <- utils::head(rows[rows$top, ], 100L)
  cut <- basis_of(x, "cut")
  marks <- unique(round(seq(1, length(steps), length.out = min(6L, length(steps)))))
  picture_plane(
    view, cells$x, cells$y, log1p(cells$n) / log1p(max(cells$n)),
    said = sprintf(
      "%s, %s: %s",
      purchases_words(keys$purchases_from, keys$purchases_until),
      between_words(keys$sales_from, keys$sales_below, money),
      n_of_each(cells$n)
    ),
    keys = keys,
    ends = c(most, length(steps) + 1L),
    across_ticks = number_ticks(most, max(rows$purchases) > most, width),
    up_ticks = list(at = marks + 0.5, text = money(steps[marks])),
    width = width,
    title = say("Customers by purchases (across) and mean order sales (up)"),
    lines = c(min(most + 0.5, cut[["purchases"]] - 0.5), up(cut[["mean_sales"]])),
    points = if (nrow(best) > 0L) {
      list(
        x = pmin(best$purchases, most), y = up(best$mean_sales),
        said = say(
          "%s: %s, %s each, %s in all", best$customer, purchases_words(best$purchases),
          money(best$mean_sales), money(best$sales)
        ),
        keys = best["customer"]
      )
    }
  )
}

# Amounts as short as they are clear.
picture_money <- function(x) {
  currency <- basis_of(x, "currency", NULL) %||% ""
  \(amount) trim_text(paste0(four_digits(amount), "\u00a0", currency))
}

purchases_words <- function(from, until = from) {
  ifelse(
    is.infinite(until),
    paste0(number_text(from), say(" purchases or more")),
    paste0(number_text(from), ifelse(from == 1, say(" purchase"), say(" purchases")))
  )
}

between_words <- function(from, below, write) {
  ifelse(
    is.infinite(from),
    say("below %s each", write(below)),
    ifelse(
      is.infinite(below),
      say("%s or more each", write(from)),
      say("%s to below %s each", write(from), write(below))
    )
  )
}

# 1, 5, 10 ...; the last one holds the rest.
number_ticks <- function(most, more, width) {
  at <- unique(c(1L, pretty(c(1, most), if (width < 500L) 4L else 8L), most))
  at <- at[at >= 1 & at <= most & (at == most | at < most - 1)]
  list(at = at, text = ifelse(at == most & more, paste0(at, "+"), at))
}

drawn_tiers <- function(view, x, width) {
  rows <- plain_table(tier_profile(x))
  said <- \(share, what) sprintf("%s: %s %s", rows$tier, present_share(share, 1L), what)
  picture_strips(
    view,
    list(rows$share_of_customers, rows$share_of_sales),
    say("%s: %s of customers, %s of sales", rows$tier, present_share(rows$share_of_customers),
      present_share(rows$share_of_sales)),
    stats::setNames(palette_of[c("ochre", "petrol")], c(say("customers"), say("sales"))),
    list(
      said(rows$share_of_customers, say("of the customers")),
      said(rows$share_of_sales, say("of the sales"))
    ),
    rows["tier"],
    width,
    say("Shares of customers and of sales by tier")
  )
}

drawn_moves <- function(view, x, width) {
  rows <- plain_table(x)
  from <- unique(rows$from)
  to <- unique(rows$to)
  picture_plane(
    view, match(rows$to, to), match(rows$from, rev(from)),
    rows$customers / max(1, rows$customers),
    said = say(
      "from %s to %s: %s", rows$from, rows$to, n_of_each(rows$customers)
    ),
    keys = rows[c("from", "to")],
    ends = c(length(to), length(from)),
    across_ticks = named_ticks(to, width - 120),
    up_ticks = list(at = seq_along(from), text = rev(from)),
    width = width,
    title = say("Customers by tier before (down) and after (across)"),
    text = format_count(rows$customers)
  )
}

drawn_payback <- function(view, x, width) {
  rows <- plain_table(payback_pool(x))
  if (nrow(rows) == 0L) return(NULL)
  money <- picture_money(x)
  cost <- rows$value / rows$value_to_cost
  picture_line(
    view, rows$age, rows$value, rows$lower, rows$upper, cost[is.finite(cost)][1L],
    said = say(
      "age %s: %s a customer (%s to %s), %s times the cost; %s",
      rows$age, money(rows$value), money(rows$lower), money(rows$upper),
      fixed(rows$value_to_cost, 2L), n_of_each(rows$size)
    ),
    keys = rows["age"],
    width = width,
    title = say("What a customer has brought by age, against the cost")
  )
}

drawn_counts <- function(view, x, width) {
  rows <- plain_table(x)
  shown <- utils::head(rows, 40L)
  picture_bars(
    view, list(shown$customers), as.character(shown$purchases), palette_of[["petrol"]],
    list(sprintf("%s: %s", purchases_words(shown$purchases), n_of_each(shown$customers))),
    list(shown["purchases"]), width, say("Customers by number of purchases")
  )
}

drawn_waits <- function(view, x, width) {
  rows <- plain_table(x)
  came <- as.data.table(rows)[!is.na(waited), .(customers = sum(customers)), keyby = waited]
  if (nrow(came) == 0L) return(NULL)
  clock <- basis_of(x, "clock")
  picture_bars(
    view, list(came$customers), as.character(came$waited), palette_of[["petrol"]],
    list(say("%s %ss waited: %s", came$waited, clock, n_of_each(came$customers))),
    list(data.frame(waited = came$waited)), width,
    say("Customers by how long they waited")
  )
}

drawn_new <- function(view, x, width) {
  rows <- utils::tail(plain_table(x), if (width < 500L) 24L else 60L)
  label <- period_label(rows$period, basis_of(x, "clock"))
  kinds <- c("returning", "new", "reactivated")
  kinds <- kinds[vapply(rows[kinds], sum, 0) > 0]
  picture_bars(
    view, unclass(rows[kinds]), label, new_colours[kinds],
    lapply(kinds, \(kind) sprintf("%s, %s: %s", label, kind, n_of_each(rows[[kind]]))),
    lapply(kinds, \(kind) data.frame(period = rows$period, kind = kind)),
    width, say("Customers by period")
  )
}

drawn_audience <- function(view, x, width) {
  rows <- plain_table(audience_course(one_audience(x, explored_name)))
  picture_strips(
    view, list(rows$customers), paste0(rows$condition, ": ", format_count(rows$customers)),
    palette_of[["petrol"]], list(sprintf("%s: %s", rows$condition, n_of_each(rows$customers))),
    rows["step"], width, say("Customers left after each condition")
  )
}

drawn_value <- function(view, x, width) {
  rows <- plain_table(x)
  money <- picture_money(x)
  columns <- intersect(c("value_to_date", "value"), names(rows))
  if (length(columns) == 0L) columns <- "sales"
  titles <- c(
    value_to_date = say("margin to date"),
    value = say("value to come"),
    sales = say("sales to come")
  )
  picture_bars(
    view, unclass(rows[columns]), as.character(rows$group),
    stats::setNames(palette_of[c("ochre", "petrol")][seq_along(columns)], titles[columns]),
    lapply(columns, \(one) sprintf(
      "%s, %s: %s", say("group %s", rows$group), titles[[one]], money(rows[[one]])
    )),
    rep(list(rows["group"]), length(columns)), width,
    say("Value by groups of equal size, the best first")
  )
}
