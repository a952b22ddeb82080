# What comes after what: from the first purchase to the second, and within one purchase
# (definition 60).

#' From the first purchase to the second, and what is bought together
#'
#' `product_steps()` tells what the second purchase of those holds whose first one held a product
#' (or category, or any other column of the lines). `companion_goods()` tells the same of goods in
#' one purchase. `first_products()` tells after which first goods customers come back at all.
#'
#' What is expected is what everybody buys then: the share of the other label in all second
#' purchases of the same calendar months that hold as many different goods, weighted alike; of goods
#' bought together, what purchases of the same month that hold as many different goods hold beside
#' the one. So goods of a season are not taken for followers of each other, nor are those of
#' customers who fill large baskets, nor those of small purchases for strangers. A label counts as
#' held where its lines of the purchase are worth more than 0.
#'
#' @param ledger `[nubrek_ledger]`
#' @param by `[character(1)]` A column of the lines. Default the category, else the product.
#' @param basket `[logical(1)]` Take all labels of a purchase together as one ("Needles + Yarn").
#' @param at_least `[integer(1)]` Steps after fewer customers (or purchases) are not judged. Default
#'   30.
#' @return `product_steps()`: a `nubrek_steps`, one row per pair that was seen, the most common
#'   first label first: `first`, `second`; `customers`, whose first purchase held `first`;
#'   `came_back` of them, with a second purchase so far; `held`, whose second purchase held
#'   `second`; `share`, `held` by `came_back`, with `lower` and `upper` (95 %, Wilson); `expected`
#'   share; `lift`, `share` by `expected`; `adjusted_p`, two-sided, of all pairs together (Benjamini
#'   and Hochberg), missing after fewer than `at_least` customers; `median_days` between the two.
#'   Customers without a second purchase have not all had the time for one: the share who come back
#'   stands in `first_products()`.
#' @details The number of holders, given months and sizes, is a sum of hypergeometric counts (Mantel
#'   and Haenszel 1959); its tails are taken from a binomial with the same mean and variance. Steps
#'   from a purchase to the next are those of orders (or days, as purchases are counted); shares
#'   back count purchases on different days, as [waiting_curve()] does.
#' @examples
#' product_steps(example_ledger(), "channel", at_least = 3)
#' companion_goods(example_ledger(), "channel", at_least = 3)
#' first_products(example_ledger(), "channel", adjust = NULL, at_least = 3)
#' @export
product_steps <- function(ledger, by = goods_of(ledger), basket = FALSE, at_least = 30L) {
  check_ledger(ledger)
  check_whole(at_least, lower = 1L)
  found <- first_and_second(ledger, by, basket)
  first <- labels_of_purchase(found, 1L)
  second <- labels_of_purchase(found, 2L)
  second[, stratum := paste(month, size)]
  back <- unique(second[, .(customer, stratum)])
  months <- back[, .N, keyby = stratum]
  count <- \(table) label_grid(table[, .N, keyby = .(label, stratum)], n, months$stratum)
  n <- length(found$labels)
  rows <- count(first[, .(customer, label)][back, on = "customer", nomatch = NULL])
  pairs <- step_pairs(found)[, .(
    held = .N, median_days = stats::median(as.double(until - from))
  ), keyby = .(a, b)]
  judged <- judge_pairs(
    pairs, step_moments(rows, count(second[, .(label, stratum)]), months$N), rowSums(rows),
    at_least
  )
  size <- first[, .(customers = .N), keyby = label]
  judged$customers <- size$customers[match(judged$a, size$label)]
  judged <- pairs_in_order(judged, "customers", found$labels)
  new_result(
    c(
      list(
        first = found$labels[judged$a],
        second = found$labels[judged$b],
        customers = judged$customers,
        came_back = judged$base,
        held = judged$held
      ),
      judged_columns(judged),
      list(median_days = judged$median_days)
    ),
    "steps",
    ledger,
    rbind(carried(ledger, c("as of", "history start")), found$remarks),
    basis = list(
      by = by, basket = basket, at_least = at_least, judged = attr(judged, "judged"),
      customers = found$customers, came_back = nrow(back),
      kinds = c(expected = "share", adjusted_p = "p", held = "count")
    )
  )
}

#' @return `companion_goods()`: a `nubrek_companions`, one row per ordered pair: `item`, `with`;
#'   `purchases` that held `item`; `together`, `share`, `lower`, `upper`, `expected`, `lift`,
#'   `adjusted_p` as above, over purchases; `customers` who bought both at once. Purchases of one
#'   customer are not independent, so that intervals are rather too narrow. Where the most common
#'   goods stand in nearly all baskets and baskets are large, pairs are called significant too often
#'   (`docs/promises.md` of the source).
#' @rdname product_steps
#' @export
companion_goods <- function(ledger, by = goods_of(ledger), at_least = 30L) {
  check_ledger(ledger)
  check_whole(at_least, lower = 1L)
  found <- labels_held(ledger, by, FALSE)
  at <- found$held[found$purchases, on = "purchase", nomatch = NULL]
  at[, stratum := paste(month, size)]
  strata <- unique(at[, .(purchase, stratum, size)])[, .N, keyby = .(stratum, size)]
  held <- label_grid(
    at[, .N, keyby = .(label, stratum)], length(found$labels), strata$stratum
  )
  pairs <- companion_pairs(found)[, .(
    held = .N, customers = data.table::uniqueN(customer)
  ), keyby = .(a, b)]
  judged <- judge_pairs(
    pairs, companion_moments(held, strata$size), rowSums(held), at_least
  )
  judged <- pairs_in_order(judged, "base", found$labels)
  new_result(
    c(
      list(
        item = found$labels[judged$a],
        with = found$labels[judged$b],
        purchases = judged$base,
        together = judged$held
      ),
      judged_columns(judged),
      list(customers = judged$customers)
    ),
    "companions",
    ledger,
    carried(ledger),
    basis = list(
      by = by, at_least = at_least, judged = attr(judged, "judged"),
      kinds = c(expected = "share", adjusted_p = "p", together = "count")
    )
  )
}

# Labels of the first or second purchase of each customer.
labels_of_purchase <- function(found, which) {
  found$held[found$purchases[number == which], on = "purchase", nomatch = NULL]
}

# Each customer's labels of the first purchase with those of the second.
step_pairs <- function(found) {
  merge(
    labels_of_purchase(found, 1L)[, .(customer, a = label, from = day)],
    labels_of_purchase(found, 2L)[, .(customer, b = label, until = day)],
    by = "customer", allow.cartesian = TRUE
  )
}

# The labels that stood in a purchase together, both ways.
companion_pairs <- function(found) {
  at <- found$held[found$purchases, on = "purchase", nomatch = NULL]
  merge(
    at[, .(purchase, customer, a = label)], at[, .(purchase, b = label)],
    by = "purchase", allow.cartesian = TRUE
  )[a != b]
}

# `pairs` seen (`a`, `b`, `held`) held against `moments`, whose products over strata tell the mean
# of a pair (`x` by `y`) and its variance (`x2` by `y2`, taken from the mean where `less` says so);
# `base`, cases of each `a`. All pairs with a base that is large enough are judged together, those
# that nobody made too, which stand for the largest p.
judge_pairs <- function(pairs, moments, base, at_least) {
  judged <- data.table::copy(pairs)
  mean <- pair_sums(moments$x, moments$y, pairs$a, pairs$b)
  variance <- pair_sums(moments$x2, moments$y2, pairs$a, pairs$b)
  if (moments$less) variance <- mean - variance
  judged[, base := base[a]]
  tested <- judged$base >= at_least
  there <- rowSums(moments$y) > 0
  possible <- sum(base >= at_least) * sum(there) -
    if (moments$less) sum(base >= at_least & there) else 0
  p <- rep(NA_real_, nrow(judged))
  p[tested] <- stats::p.adjust(
    pair_p(judged$held[tested], mean[tested], variance[tested]), "BH", possible
  )
  judged[, expected := mean / base]
  judged[, adjusted_p := p]
  judged[, c("share", "lower", "upper") := share_interval(held, base)]
  data.table::setattr(judged, "judged", possible)
  judged
}

judged_columns <- function(judged) {
  c(
    as.list(judged)[c("share", "lower", "upper", "expected")],
    list(lift = judged$share / judged$expected, adjusted_p = judged$adjusted_p)
  )
}

# Counts of labels by stratum as a matrix.
label_grid <- function(table, n, strata) {
  m <- matrix(0, n, length(strata))
  m[cbind(table$label, match(table$stratum, strata))] <- table$N
  m
}

# Given months and sizes, the number of pairs is a sum of hypergeometric counts.
step_moments <- function(rows, columns, total) {
  total <- rep(total, each = nrow(rows))
  list(
    x = rows, y = columns / total, x2 = rows * (total - rows),
    y2 = columns * (total - columns) / total^2 / pmax(total - 1, 1), less = FALSE
  )
}

# What goes with a label is drawn from the other labels of the purchases of the same month that
# hold as many (`size`): pairs are products of what each label has of them, none with itself, so
# that the pairs of each label add up (quasi-independence, Goodman 1968).
companion_moments <- function(held, size) {
  pairs <- held * rep(size - 1, each = nrow(held))
  u <- pairs / rep(sqrt(pmax(colSums(pairs), 1)), each = nrow(held))
  for (turn in seq_len(200L)) {
    next_u <- sqrt(u * pairs / pmax(rep(colSums(u), each = nrow(held)) - u, 1e-12))
    done <- all(abs(next_u - u) <= 1e-9 * u)
    u <- next_u
    if (done) break
  }
  list(x = u, y = u, x2 = u^2 / pmax(held, 1), y2 = u^2, less = TRUE)
}

# The largest first label first, and in it the most common pair; equal ones by their names.
pairs_in_order <- function(judged, size, labels) {
  judged[order(-judged[[size]], labels[a], -held, labels[b])]
}

# Sums over strata for each pair, some thousands at a time.
pair_sums <- function(x, y, a, b) {
  pieces <- split(seq_along(a), (seq_along(a) - 1L) %/% 10000L)
  as.double(unlist(lapply(pieces, \(i) {
    rowSums(x[a[i], , drop = FALSE] * y[b[i], , drop = FALSE])
  }), use.names = FALSE))
}

# Two-sided tails of a count with a mean and a variance below it, from the binomial that has both.
pair_p <- function(count, mean, variance) {
  chance <- 1 - variance / mean
  chance <- pmin(pmax(chance, 1e-12), 1)
  n <- pmax(mean / chance, count)
  above <- ifelse(count > 0, stats::pbeta(chance, count, n - count + 1), 1)
  below <- ifelse(
    count < n, stats::pbeta(chance, count + 1, pmax(n - count, 1e-12), lower.tail = FALSE), 1
  )
  pmin(1, 2 * pmin(above, below))
}

goods_of <- function(ledger) {
  c(intersect(c("category", "product"), line_columns(ledger)), "product")[[1L]]
}

# Purchases in their order, and the labels that each holds: `purchases` with `purchase` (a number),
# `customer`, `day`, `month`, `number` (of the customer's purchases) and `size`, how many different
# goods it holds; `held`, `purchase` and `label`, a code into `labels`.
labels_held <- function(ledger, by, basket, call = rlang::caller_env()) {
  throw_unless(checkmate::check_flag(basket), "basket", call)
  check_line_column(by, ledger, call)
  groups <- reduce_group_orders(ledger, by, call)
  orders <- as.data.table(
    ledger_rows(ledger, "orders", c("customer", "day", bought_columns(ledger)))
  )
  orders <- orders[!is.na(customer)]
  orders[, purchase := row]
  if (ledger$meaning$purchase_unit == "day") {
    whole <- c("customer", "day")
    orders[, purchase := min(purchase), by = whole]
    orders <- orders[, c(whole, "row", "purchase"), with = FALSE][
      orders_together(orders, whole), on = whole
    ]
  }
  held <- lines_together(data.table(
    purchase = orders$purchase[match(groups$order, orders$row)],
    label = groups$code,
    units = groups$units,
    sign = groups$sign
  ), c("purchase", "label"))
  held <- held[sales > 0 | (held$free %||% 0L) == 1L, .(purchase, label)]
  # only goods are steps and companions (definition 64)
  held <- held[!groups$labels[[1L]][label] %in% kind_labels()]
  purchases <- unique(orders[is_purchase(ledger, orders)], by = "purchase")
  purchases <- purchases[, c("customer", "day", "purchase"), with = FALSE]
  data.table::setorderv(purchases, c("customer", "day", "purchase"))
  purchases[, number := seq_len(.N), by = customer]
  purchases[, month := label_of_day(day, "month")]
  purchases[, size := held[, .N, keyby = purchase][.(purchases$purchase), N]]
  labels <- groups$labels[[1L]]
  if (!basket) return(list(purchases = purchases, held = held, labels = labels))
  data.table::setorderv(held, c("purchase", "label"))
  held <- held[order(purchase, labels[label]), .(whole = paste(labels[label], collapse = " + ")),
    by = purchase
  ]
  labels <- sort(unique(held$whole), method = "radix")
  list(
    purchases = purchases,
    held = held[, .(purchase, label = match(whole, labels))],
    labels = labels
  )
}

# The same for those whose first purchase lies in the data.
first_and_second <- function(ledger, by, basket, call = rlang::caller_env()) {
  found <- labels_held(ledger, by, basket, call)
  check_purchases(ledger, call = call)
  known <- reduce_waits(ledger, 2L)$known
  found$purchases <- found$purchases[number <= 2L & !known[customer]]
  found$customers <- data.table::uniqueN(found$purchases$customer)
  found$remarks <- known_earlier_remark(sum(known))
  found
}
