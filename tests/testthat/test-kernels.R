# The compiled passes alone, without a ledger around them, against the obvious R for the same.

# Rows of customers 1 to `n_customers` sorted by customer and day; some have none.
random_rows <- function(seed, n = 200L, n_customers = 30L) {
  set.seed(seed)
  rows <- data.frame(
    customer = sample(seq_len(n_customers - 3L), n, TRUE),
    day = sample(100:400, n, TRUE),
    sales = sample(c(-500:900), n, TRUE) * 1
  )
  rows <- rows[order(rows$customer, rows$day), ]
  row.names(rows) <- NULL
  rows
}
per_customer <- function(x, customer, fun, n, none = NA) {
  vapply(seq_len(n), \(c) {
    mine <- x[customer %in% c]
    if (length(mine) == 0L) none * 1 else fun(mine) * 1
  }, 0)
}

test_both("measures over a span, first days and nth days are those of each customer's rows", {
  for (seed in worlds(1:3, 1:12)) {
    orders <- random_rows(seed)
    bought <- unique(orders[orders$sales > 0, c("customer", "day")])
    span <- c(180L, 330L)
    threads <- 1L + seed %% 3L
    got <- cpp_span_measures(orders, bought, span, 30L, TRUE, threads)
    inside <- orders[orders$day >= 180 & orders$day <= 330, ]
    kept <- bought[bought$day >= 180 & bought$day <= 330, ]
    expect_equal(got$orders, per_customer(inside$day, inside$customer, length, 30L, 0))
    expect_equal(got$sales, per_customer(inside$sales, inside$customer, sum, 30L, 0))
    expect_equal(got$purchases, per_customer(kept$day, kept$customer, length, 30L, 0))
    expect_equal(got$first, per_customer(kept$day, kept$customer, min, 30L))
    expect_equal(got$last, per_customer(kept$day, kept$customer, max, 30L))
    few <- cpp_span_measures(orders, bought, span, 30L, FALSE, threads)
    expect_identical(few, got[c("purchases", "sales")])
    expect_equal(cpp_first_days(bought, 30L), per_customer(bought$day, bought$customer, min, 30L))
    third <- cpp_nth_days(bought, 3L, 30L)
    expect_equal(
      third$nth,
      per_customer(
        bought$day, bought$customer, \(d) if (length(d) < 3L) NA else sort(d)[[3L]], 30L
      )
    )
  }
})

test_both("customers by period hold every order, purchase and cent once", {
  for (seed in worlds(1:2, 1:8)) {
    orders <- random_rows(seed)
    bought <- unique(orders[orders$sales > 0, c("customer", "day")])
    period <- (100:400 - 100L) %/% 30L + 1L
    got <- cpp_customer_periods(orders, bought, period, 100L)
    key <- \(rows) paste(rows$customer, period[rows$day - 99L])
    expect_identical(paste(got$customer, got$row), unique(key(orders)))
    at <- match(key(orders), unique(key(orders)))
    expect_equal(got$orders, tabulate(at))
    expect_equal(got$sales, as.vector(rowsum(orders$sales, at)))
    expect_equal(sum(got$purchases), nrow(bought))
    expect_equal(
      got$purchases, tabulate(match(key(bought), unique(key(orders))), length(got$row))
    )
  }
})

test_both("gaps between purchases, and their counts by period, are the differences of days", {
  for (seed in worlds(1:2, 1:8)) {
    rows <- unique(random_rows(seed)[c("customer", "day")])
    got <- cpp_gap_measures(rows, 30L)
    gaps_of <- \(d) diff(sort(d))
    measure <- \(fun, none = 0) per_customer(rows$day, rows$customer, \(d) {
      if (length(d) < 2L) none else fun(gaps_of(d))
    }, 30L, none)
    expect_equal(got$gaps, measure(length))
    expect_equal(got$sum, measure(sum))
    expect_equal(got$squares, measure(\(g) sum(g^2)))
    expect_equal(got$median, measure(stats::median, NA))
    expect_equal(got$log_sum, measure(\(g) sum(log(g + 1))))
    expect_equal(got$longest, measure(max))
    week <- (100:400 - 100L) %/% 7L
    early <- rows[rows$day <= 350, ]
    apart <- unlist(lapply(split(early$day, early$customer), \(d) diff(week[d - 99L])))
    expect_identical(
      cpp_gap_counts(rows, week, 100L, 350L), tabulate(apart + 1L, max(week) + 1L)
    )
  }
})

test_that("groups of lines count orders, customers and purchases as their rows say", {
  withr::local_seed(5)
  orders <- data.frame(customer = rep(1:6, each = 4L), day = sort(sample(1:90, 24L, TRUE)))
  orders <- orders[order(orders$customer, orders$day), ]
  line <- rep(seq_len(24L), sample(1:4, 24L, TRUE))
  code <- sample(1:3, length(line), TRUE)
  money <- sample(-3:4, length(line), TRUE) * 1
  sign <- sample(0:1, length(line), TRUE) * ifelse(money < 0, -1L, 1L)
  money[money > 2 | money < -2] <- 0 # some orders are worth nothing
  for (by_day in c(FALSE, TRUE)) for (free in c(FALSE, TRUE)) {
    got <- cpp_group_sales(
      list(
        code = code, number = 3L, by_customer = FALSE, least = 1, by_day = by_day,
        sign = if (free) sign else integer()
      ),
      line, orders, money, c(10L, 80L)
    )
    rows <- data.frame(order = line, code = code, money = money, sign = sign)
    rows <- cbind(rows, orders[line, ])
    rows <- rows[rows$day >= 10 & rows$day <= 80, ]
    for (g in 1:3) {
      mine <- rows[rows$code == g, ]
      each <- tapply(mine$money, mine$order, sum)
      none <- tapply(mine$sign, mine$order, \(x) all(x >= 0) && any(x > 0))
      sold <- as.integer(names(each)[each >= 1 | (free & each == 0 & none)])
      expect_equal(got$orders[[g]], length(each))
      expect_equal(got$seen[[g]], length(unique(mine$customer)))
      expect_equal(got$customers[[g]], length(unique(orders$customer[sold])))
      expect_equal(got$units[[g]], sum(mine$money))
      keys <- if (by_day) unique(orders[sold, c("customer", "day")]) else data.frame(sold)
      expect_equal(got$purchases[[g]], nrow(keys))
    }
  }
})

test_both("orders are formed, summed and sorted: the same rows in the order the page says", {
  for (seed in worlds(1:2, 1:8)) {
    set.seed(seed)
    n <- 120L
    customer <- sample(9L, n, TRUE)
    receipt <- sample(25L, n, TRUE)
    pairs <- cpp_number_pairs(customer, receipt, 25L)
    key <- paste(customer, receipt)
    expect_identical(pairs$unit, match(key, unique(key)))
    expect_identical(pairs$n, length(unique(key)))
    day <- sample(1:40, n, TRUE)
    seconds <- sample(c(0, 3600, 7200), n, TRUE)
    sales <- sample(-50:90, n, TRUE) * 1
    apart <- sort(sample(n, 10L))
    got <- cpp_unit_sums(pairs$unit, pairs$n, day, seconds, sales, apart, 2L)
    expect_equal(got$sales, as.vector(rowsum(sales, pairs$unit)))
    expect_equal(got$rows, tabulate(pairs$unit))
    those <- setdiff(seq_len(n), apart)
    first <- those[match(seq_len(pairs$n), pairs$unit[those])]
    expect_identical(got$first, first)
    moment <- day * 86400 + seconds
    earliest <- vapply(seq_len(pairs$n), \(u) {
      mine <- those[pairs$unit[those] == u]
      if (length(mine) == 0L) NA_real_ else min(moment[mine])
    }, 0)
    expect_equal(ifelse(is.na(got$start), NA, got$start * 86400 + got$seconds), earliest)

    ids <- c("b", "a10", "a9", "\u00e9")
    id <- sample(0:4, n, TRUE)
    sorted <- cpp_sort_orders(customer, 9L, day, seconds, id, ids, 2L)
    text <- c("", ids)[id + 1L]
    expect_identical(sorted, order(
      customer, day, seconds, match(text, sort(c("", ids), method = "radix")), seq_len(n)
    ))
    by_unit <- cpp_rows_by_unit(pairs$unit, seq_len(pairs$n), got$first, got$rows)
    expect_identical(by_unit, order(pairs$unit))
  }
  # no order id is 0: such rows are told apart like any other
  blank <- cpp_number_pairs(c(1L, 1L, 2L, 1L), c(0L, 1L, 0L, 0L), 1L)
  expect_identical(blank, list(unit = c(1L, 2L, 3L, 1L), n = 3L))
  together <- cpp_rows_by_unit(c(1L, 1L, 2L, 3L, 3L), c(3L, 1L, 2L), c(1L, 3L, 4L), c(2L, 1L, 2L))
  expect_identical(together, c(4L, 5L, 1L, 2L, 3L))
})

test_that("sums by group leave out rows without a group, and missing values from sums", {
  got <- cpp_group_sums(c(1, 2, NA, 4, 8), c(11L, 12L, 11L, NA, 12L), 10L, 3L)
  expect_identical(got, list(sums = c(1, 10, 0), rows = c(2L, 2L, 0L)))
  expect_identical(cpp_gather(c(a = 5, b = 7), c(2L, 2L, 1L), 2L), c(7, 7, 5))
  expect_identical(cpp_gather(factor(c("x", "y")), c(2L, 1L), 2L), factor(c("y", "x")))
  expect_error(cpp_gather("text", 1L, 1L), "only numbers and factors")
})

test_both("columns become codes: strings, numbers, missing ones; repeated rows are found", {
  strings <- cpp_code_column(c("b", NA, "a", "b"))
  expect_identical(as.character(strings), c("b", NA, "a", "b"))
  expect_identical(levels(strings), c("b", "a"))
  numbers <- cpp_code_column(c(2, -0, 0, NaN, 2, 1e22, 0.1))
  expect_identical(as.character(numbers), c("2", "0", "0", NA, "2", "1e+22", "0.1"))
  running <- cpp_code_column(c(-1, 0, 5))
  expect_identical(as.character(running), c("-1", "0", "5"))
  expect_true(cpp_any_missing(c(1L, NA)))
  expect_false(cpp_any_missing(1:2))
  expect_true(cpp_all_distinct(c(2L, NA, 1L), 3L))
  expect_false(cpp_all_distinct(c(2L, 1L, 2L), 3L))
  expect_false(cpp_all_distinct(1:4, 3L)) # more rows than texts
  for (seed in worlds(1:2, 1:10)) {
    set.seed(seed)
    columns <- replicate(3L, sample(c(1:3, NA), 60L, TRUE), simplify = FALSE)
    expect_identical(
      cpp_repeated_rows(columns), which(duplicated(as.data.frame(columns, col.names = 1:3)))
    )
  }
})

test_that("texts are ordered by their bytes, blanks known, lines written and read back", {
  texts <- c("b", "ba", "", "a\u00e9", "a", "prefix-longer-than-8", "prefix-longer-than-9", "B")
  expect_identical(texts[cpp_order_texts(texts)], sort(texts, method = "radix"))
  expect_identical(cpp_order_texts(character()), integer())
  expect_identical(
    cpp_is_blank(c("", " \t", "\u00a0 ", "\u00a1", "x", NA)),
    c(TRUE, TRUE, TRUE, FALSE, FALSE, TRUE)
  )
  expect_identical(cpp_text_flags(c("a", " b"))[["edge"]], TRUE)
  expect_identical(cpp_text_flags(c("a", "b"))[["edge"]], FALSE)
  expect_identical(cpp_text_flags("\u00e9")[["wide"]], TRUE)
  path <- withr::local_tempfile()
  many <- sprintf("id-%06d \u00e9", 1:90000)
  expect_true(cpp_write_lines(many, path, 2L))
  expect_identical(as.character(cpp_read_lines(path)), enc2utf8(many))
  expect_false(cpp_write_lines(c("fine", "two\nlines"), path, 2L))
  expect_false(cpp_write_lines(c("fine", NA), path, 2L))
  cat("whole\ncut", file = path)
  expect_error(cpp_read_lines(path), "cut short")
  expect_error(cpp_read_lines(file.path(path, "nowhere")), "cannot open")
})

test_that("delimited text is read as RFC 4180 says, and faults have their row", {
  read <- function(text, header = FALSE) {
    path <- withr::local_tempfile()
    writeBin(charToRaw(text), path)
    cpp_read_delimited(path, ",", header)
  }
  plain <- read("\xef\xbb\xbfa,b\r\n1,\"x,\"\"y\"\"\nz\"\r\n\r\n2,\r\n")
  expect_identical(plain$table, list(a = c("1", "2"), b = c("x,\"y\"\nz", "")))
  expect_identical(names(read("a,b\n1,2\n", TRUE)$table), c("a", "b"))
  expect_true(read("a\n1\n\x1a")$mark)
  expect_identical(read("a,b\n1,2\n3\n")[c("fault", "row")], list(
    fault = "it has another number of cells than the header", row = 2
  ))
  expect_match(read("a,b\n\"1,2\n")$fault, "never closed")
  expect_match(read("a,b\n\"1\"x,2\n")$fault, "after|follows")
})

test_both("bands, ranks and counts of others are those of plain comparisons", {
  for (seed in worlds(1:2, 1:10)) {
    set.seed(seed)
    value <- sample(if (seed %% 2L == 0L) 1:15 else stats::rnorm(15L), 40L, TRUE)
    worse <- vapply(value, \(v) sum(value < v), 0L)
    expect_identical(cpp_count_others(value, FALSE), worse)
    expect_identical(cpp_count_others(value, TRUE), vapply(value, \(v) sum(value > v), 0L))
    got <- cpp_bands(as.double(value), worse, 5L)
    expect_identical(got$band, 1L + (5L * worse) %/% 40L)
    expect_identical(got$lowest, vapply(
      1:5, \(b) if (any(got$band >= b)) as.double(min(value[got$band >= b])) else Inf, 0
    ))
    rank <- 1L + cpp_count_others(value, TRUE)
    expect_identical(cpp_rows_by_rank(rank), order(rank))
  }
})

test_that("dealing orders keeps every cent and every order of a customer with him", {
  withr::local_seed(2)
  orders <- list(
    customer = sample(5L, 80L, TRUE), sales = sample(1:90, 80L, TRUE) * 1,
    which = sample(c(-1L, 0L, 1L, 2L), 80L, TRUE), bought = rep(TRUE, 80L)
  )
  share <- c(0, 0.3, 0.5, 1, 0.9)
  counts <- replicate(400L, 0L)
  for (i in seq_len(400L)) {
    dealt <- cpp_deal_orders(orders, share, 7, i)
    counts[[i]] <- dealt$purchases_second[[3L]]
    expect_identical(
      dealt$sales_first + dealt$sales_second, as.vector(rowsum(orders$sales, orders$customer))
    )
  }
  fixed <- \(c, where) sum(orders$customer == c & orders$which == where)
  moved <- \(c) sum(orders$customer == c & orders$which > 0L)
  expect_identical(dealt$purchases_second[c(1L, 4L)], c(fixed(1, -1L), fixed(4, -1L) + moved(4)))
  expect_identical(dealt, cpp_deal_orders(orders, share, 7, 400)) # the same seed and draw
  # only what is a purchase counts as one
  edge <- list(
    customer = c(1L, 1L, 2L), sales = c(50, 49, 50), which = c(0L, 0L, -1L),
    bought = c(TRUE, FALSE, TRUE)
  )
  at_edge <- cpp_deal_orders(edge, c(0, 0), 7, 1)
  expect_identical(at_edge$purchases_first, c(1L, 0L))
  expect_identical(at_edge$purchases_second, c(0L, 1L))
  expect_equal(mean(counts), fixed(3, -1L) + 0.5 * moved(3), tolerance = 0.03)
})

test_that("moments of log amounts leave out the first amount of each customer", {
  customer <- c(1L, 1L, 1L, 3L, 4L, 4L)
  sales <- c(900, 200, 800, 50, 100, 300)
  got <- cpp_log_amounts(customer, sales, 100, 4L)
  expect_equal(got$log_spend, c(mean(log(c(2, 8))), NA, NA, log(3)))
  expect_equal(got$log_spread, c(sum((log(c(2, 8)) - mean(log(c(2, 8))))^2), NA, NA, 0))
})

test_that("cohort cells of one pass are those of each order, and starts their range", {
  rows <- random_rows(9)
  bought <- unique(rows[rows$sales > 0, c("customer", "day")])
  first <- cpp_first_days(bought, 30L)
  period <- (100:400 - 100L) %/% 30L + 1L
  cohort <- period[first - 99L]
  place <- list(kind = "calendar", row = period, origin = 100L)
  got <- cpp_active_cells(bought, place, first, cohort, 11L, 11L)
  money <- cpp_money_cells(
    rows, rows$sales, place, list(start = first, first = first, cohort = cohort), 11L, 11L
  )
  for (c in sort(unique(cohort))) {
    for (p in 1:11) {
      mine <- bought[cohort[bought$customer] %in% c & period[bought$day - 99L] == p, ]
      expect_equal(got$customers[c, p], length(unique(mine$customer)))
      expect_equal(got$purchases[c, p], nrow(mine))
      spent <- rows[
        cohort[rows$customer] %in% c &
          period[rows$day - 99L] == p &
          rows$day >= first[rows$customer],

      ]
      expect_equal(money$sums[c, p], sum(spent$sales))
      expect_equal(money$orders[c, p], nrow(spent))
    }
  }
  starts <- cpp_cohort_starts(first, cohort, 11L)
  expect_equal(starts$oldest, per_customer(first, cohort, min, 11L))
  expect_equal(starts$youngest, per_customer(first, cohort, max, 11L))
})

test_that("draws of what is to come do not depend on threads or on where rows are cut", {
  history <- simulate(
    purchase_model("pareto-nbd", c(r = 0.6, alpha = 8, s = 0.5, beta = 12)),
    seed = 4, history = data.frame(span = rep(52, 60))
  )
  history$spend <- ifelse(history$repeats > 0, 25, NA)
  history$log_spend <- ifelse(history$repeats > 0, log(25), NA)
  history$log_spread <- ifelse(history$repeats > 0, 0.2, NA)
  worlds <- drawn_worlds(
    history, fit_purchases(history), spend_model("gamma-gamma", c(p = 6, q = 4, gamma = 15)), 3L, 1L
  )
  draw <- \(w, first, threads) cpp_simulate_value(
    w, list(individual = 4L, seed = 9, first = first, threads = threads),
    list(of = rep(1:2, length.out = length(w$histories$repeats)), number = 2L),
    26, 0.001, c(0.1, 0.9)
  )
  all <- draw(worlds, 0, 1L)
  expect_identical(draw(worlds, 0, 3L), all)
  ahead <- draw(some_rows(worlds, 31:60), 30, 2L)
  expect_identical(ahead$quantiles, all$quantiles[31:60, ])
  behind <- draw(some_rows(worlds, 1:30), 0, 2L)
  expect_equal(behind$totals + ahead$totals, all$totals)
  expect_true(all(all$quantiles[, 1L] <= all$quantiles[, 2L]))
  # each customer a group of its own: the draws themselves, of which these are the quantiles
  each <- cpp_simulate_value(
    worlds, list(individual = 4L, seed = 9, first = 0, threads = 1L),
    list(of = 1:60, number = 60L), 26, 0.001, c(0.1, 0.5, 0.9)
  )
  expect_equal(
    each$quantiles,
    unname(t(apply(each$totals, 2L, stats::quantile, c(0.1, 0.5, 0.9), names = FALSE)))
  )
  chances <- cpp_simulate_tiers(
    worlds, list(individual = 4L, seed = 9, first = 0, threads = 2L), 26, c(100, 20, 0), 1
  )
  expect_equal(rowSums(chances), rep(1, 60))
  periods <- cpp_simulate_periods(
    worlds, list(individual = 4L, seed = 9, first = 0, threads = 2L),
    list(of = rep(1:2, each = 30L), number = 2L), c(0, 10, 26), NULL
  )
  expect_identical(dim(periods$purchases), c(12L, 2L, 2L))
  # of the customers to come as many come as are drawn, up to that place and no further
  none <- history[1:4, ]
  none[c("repeats", "last", "span")] <- 0
  newcomers <- draw_periods(
    drawn_worlds(none, fit_purchases(history), spend_model(
      "gamma-gamma", c(p = 6, q = 4, gamma = 15)
    ), 3L, 1L),
    c(0, 10, 26), 4L, 9, rep(1L, 4L), 1L, list(
      come = c(1L, 1L, 1L, 2L), place = c(1L, 2L, 3L, 1L),
      number = cbind(rep(2L, 12L), 0L), first_factor = 1
    )
  )
  expect_true(all(newcomers$active[, 1L, 1L] == 2L))
  expect_true(all(periods$active <= periods$purchases))
})

test_that("ids are found among sorted ones as match() finds them, ascending or not", {
  set.seed(41)
  pool <- c(sprintf("P%03d", 1:400), "\u00c4a", "", "P", "z", "P10")
  for (n in c(0L, 1L, 7L, 300L)) {
    there <- sample(pool, n)
    there <- there[cpp_order_texts(there)]
    asked <- sample(c(pool, NA), 600L, TRUE)
    for (one in list(asked, sort(asked, method = "radix"), rev(there), character())) {
      expect_identical(cpp_sorted_places(one, there), match(one, there))
    }
  }
  ledger <- open_ledger(
    data.frame(who = c("M\u00fcller", "Ost"), day = "2024-01-05", paid = 3),
    column_map("who", "day", sales = "paid"), meanings(currency = "EUR")
  )
  expect_identical(ledger_codes(ledger, iconv("M\u00fcller", "UTF-8", "latin1")), 1L)
})

test_that("ranks within groups are R's own, with ties, missing values and several threads", {
  withr::local_seed(3)
  for (n in c(1L, 7L, 400L, 4000L)) {
    value <- sample(c(NA, seq_len(max(9L, n %/% 4L)) / 2), n, TRUE)
    group <- sample.int(5L, n, TRUE)
    known <- !is.na(value)
    slow <- \(rank) {
      out <- rep(NA_integer_, n)
      for (g in unique(group[known])) {
        at <- which(known & group == g)
        out[at] <- as.integer(rank(-value[at]))
      }
      out
    }
    rules <- list(\(x) rank(x, ties.method = "min"), \(x) match(x, sort(unique(x))), \(x) {
      rank(x, ties.method = "first")
    })
    for (how in 0:2) {
      expect_identical(cpp_rank_in_groups(value, group, 5L, how, Inf, 2L), slow(rules[[how + 1L]]))
      expect_identical(
        cpp_rank_in_groups(as.integer(2 * value), group, 5L, how, Inf, 1L), slow(rules[[how + 1L]])
      )
      for (most in c(1, 3, 20, 500)) {
        found <- cpp_rank_in_groups(value, group, 5L, how, most, 2L)
        exact <- slow(rules[[how + 1L]])
        listed <- which(exact <= most)
        expect_identical(which(found <= most), listed)
        expect_identical(found[listed], exact[listed])
      }
    }
  }
})

test_that("picked texts are counted without comparing them, and only where that holds", {
  text <- cpp_read_lines(withr::local_tempfile(lines = sprintf("K%05d", 1:30000)))
  expect_identical(cpp_count_picked(text[rep(c(5L, 9L), 15000L)], text), 2L)
  expect_identical(cpp_count_picked(text[30000:1], text), 30000L)
  expect_identical(cpp_count_picked(c("a", "b"), text), NA_integer_)
  expect_identical(cpp_count_picked(text, text[30000:1]), NA_integer_) # does not ascend
  expect_identical(count_different(c("a", "b", "a"), text), 2L)
})

test_that("arrays come back as they were written, and a damaged one is refused", {
  path <- withr::local_tempfile()
  for (x in list(c(1.5, NA, -Inf), c(3L, NA, -1L), double(), integer())) {
    write_array(x, path)
    expect_identical(read_array(path), x)
    expect_identical((file.size(path) - length(x) * if (is.integer(x)) 4 else 8) %% 64, 0)
  }
  expect_error(write_array(1, file.path(path, "below a file")), class = "nubrek_error_disk")
  write_array(c(1, 2, 3), path)
  whole <- readBin(path, "raw", 1000L)
  writeBin(whole[-length(whole)], path)
  expect_error(read_array(path), "cut short")
  writeBin(rev(whole), path)
  expect_error(read_array(path), "no head")
  to <- file.path(withr::local_tempdir(), "lines")
  save_arrays(list(sku = factor(c("a", NA, "b"))), to)
  expect_identical(saved_arrays(to)$columns$sku, factor(c("a", NA, "b")))
  write_array(c(1L, 3L, 1L), paste0(to, "-1.npy"))
  expect_error(saved_arrays(to), "without a level")
})

test_that("lines are numbered by their orders, and what is out of range is seen", {
  expect_identical(cpp_order_of_lines(c(2L, 0L, 3L)), c(1L, 1L, 3L, 3L, 3L))
  expect_error(cpp_order_of_lines(c(-2L, 3L)), "no number of lines")
  expect_error(cpp_order_of_lines(NA_integer_), "no number of lines")
  within <- \(x, ...) cpp_all_within(x, 1L, 9L, ...)
  expect_true(within(c(3L, 1L, 9L), FALSE))
  expect_false(within(c(3L, 1L, 9L), TRUE))
  expect_true(within(c(1L, 1L, 9L), TRUE))
  for (x in list(0L, 10L, NA_integer_)) expect_false(within(c(2L, x), FALSE))
})

test_that("a file is copied whole, or the error says why not", {
  folder <- withr::local_tempdir()
  from <- file.path(folder, "from")
  writeBin(as.raw(0:255), from)
  copy_whole(from, file.path(folder, "to"))
  expect_identical(readBin(file.path(folder, "to"), "raw", 300L), as.raw(0:255))
  expect_error(copy_whole(from, file.path(folder, "to")), class = "nubrek_error_disk")
  expect_error(copy_whole(paste0(from, "2"), file.path(folder, "b")), class = "nubrek_error_disk")
})

test_that("months begin on the days that R says, back to the year 1600", {
  month <- (1600L * 12L):(2400L * 12L)
  expect_identical(
    first_of_month(month), as.Date(ISOdate(month %/% 12L, month %% 12L + 1L, 1L, tz = "UTC"))
  )
})

test_that("orders formed by several threads are those formed by one", {
  withr::local_seed(5)
  n <- 400000L
  unit <- c(1:150000L, sample.int(150000L, n - 150000L, TRUE))
  day <- sample.int(900L, n, TRUE)
  seconds <- sample.int(86400L, n, TRUE) / 4
  apart <- sort(sample.int(n, 1000L))
  by <- \(threads) {
    sums <- cpp_unit_sums(unit, 150000L, day, seconds, as.double(day), apart, threads)
    whose <- unit[seq_len(150000L)] %% 40000L + 1L
    ids <- sprintf("R%d", rev(seq_len(150000L)))
    start <- ifelse(is.na(sums$start), 0L, sums$start %/% 300L) # many of one day
    place <- cpp_sort_orders(whose, 40000L, start, double(), seq_len(150000L), ids, threads)
    list(sums, place, cpp_gather(sums$sales, place, threads))
  }
  one <- by(1L)
  expect_identical(by(2L), one)
  expect_identical(by(5L), one)
  expect_identical(one[[1L]]$rows, tabulate(unit, 150000L))
})
