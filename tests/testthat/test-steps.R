# Definition 60 by loops over customers.
goods_rows <- function(seed, n = 400L, customers = 90L) {
  set.seed(seed)
  receipts <- data.frame(
    who = sprintf("C%03d", sample(customers, n, TRUE)),
    day = as.Date("2024-01-01") + sample(0:500, n, TRUE)
  )
  receipts <- receipts[order(receipts$day), ]
  receipts$receipt <- sprintf("R%03d", seq_len(n))
  lines <- receipts[rep(seq_len(n), sample(1:3, n, TRUE)), ]
  lines$goods <- sample(c("Yarn", "Kit", "Needle", NA), nrow(lines), TRUE, c(5, 3, 2, 1))
  lines$paid <- sample(c(1:9, -3), nrow(lines), TRUE)
  lines
}

goods_ledger <- function(rows, ...) {
  open_ledger(
    rows,
    column_map("who", "day", "receipt", "paid", category = "goods"),
    meanings(currency = "EUR", ...)
  )
}

# Purchases in their order, each with what it holds and what it held as a whole.
slow_purchases <- function(rows) {
  rows$goods[is.na(rows$goods)] <- "(missing)"
  each <- lapply(split(rows, rows$receipt), \(x) {
    if (sum(x$paid) < 0.01) return(NULL)
    worth <- tapply(x$paid, x$goods, sum)
    list(who = x$who[[1L]], day = x$day[[1L]], month = format(x$day[[1L]], "%Y-%m"),
      goods = names(worth)[worth > 0])
  })
  each <- Filter(Negate(is.null), each)
  split(unname(each), vapply(each, `[[`, "", "who"))
}

slow_steps <- function(rows) {
  people <- slow_purchases(rows)
  back <- Filter(\(x) length(x) > 1L, people)
  all <- c("(missing)", "Kit", "Needle", "Yarn")
  holds <- \(x, k, what) what %in% x[[k]]$goods
  result <- NULL
  for (a in all) for (b in all) {
    begun <- Filter(\(x) holds(x, 1L, a), people)
    mine <- Filter(\(x) holds(x, 1L, a), back)
    held <- Filter(\(x) holds(x, 2L, b), mine)
    if (length(held) == 0L) next
    kin <- \(x) paste(x[[2L]]$month, length(x[[2L]]$goods))
    then <- vapply(mine, \(x) {
      others <- Filter(\(y) kin(y) == kin(x), back)
      mean(vapply(others, holds, NA, 2L, b))
    }, 0)
    result <- rbind(result, data.frame(
      first = a, second = b, customers = length(begun), came_back = length(mine),
      held = length(held), expected = mean(then),
      median_days = stats::median(vapply(held, \(x) as.double(x[[2L]]$day - x[[1L]]$day), 0))
    ))
  }
  result
}

test_both("steps from the first purchase to the second are those of the definition", {
  for (seed in worlds(1:2, 1:12)) {
    rows <- goods_rows(seed)
    x <- product_steps(goods_ledger(rows), at_least = 5L)
    slow <- slow_steps(rows)
    mine <- plain_table(x)[names(slow)]
    mine <- mine[order(mine$first, mine$second, method = "radix"), ]
    expect_equal(mine, slow[order(slow$first, slow$second, method = "radix"), ],
      ignore_attr = TRUE
    )
    expect_equal(x$lift, x$held / x$came_back / x$expected)
    expect_identical(is.na(x$adjusted_p), x$came_back < 5L)
  }
})

test_that("in one month the tail is that of a hypergeometric count", {
  for (case in list(c(9, 20, 30, 100), c(3, 8, 5, 60), c(0, 12, 10, 40), c(40, 100, 90, 300))) {
    k <- case[[1L]]
    mean <- case[[2L]] * case[[3L]] / case[[4L]]
    n <- case[[4L]]
    variance <- mean * (n - case[[2L]]) * (n - case[[3L]]) / n / (n - 1)
    exact <- min(1, 2 * min(
      stats::phyper(k - 1, case[[3L]], n - case[[3L]], case[[2L]], lower.tail = FALSE),
      stats::phyper(k, case[[3L]], n - case[[3L]], case[[2L]])
    ))
    expect_lt(abs(log(pair_p(k, mean, variance) / exact)), 0.2)
  }
  # what can only be as it is surprises nobody
  expect_identical(pair_p(c(1, 3), c(1, 3), c(0, 0)), c(1, 1))
})

test_long("goods drawn apart stand out rarely, a planted step and a planted pair are found", {
  false_steps <- false_pairs <- 0L
  for (seed in 1:40) {
    rows <- goods_rows(seed + 100L, 1500L, 400L)
    ledger <- goods_ledger(rows)
    false_steps <- false_steps + any(product_steps(ledger)$adjusted_p < 0.05, na.rm = TRUE)
    false_pairs <- false_pairs + any(companion_goods(ledger)$adjusted_p < 0.05, na.rm = TRUE)
  }
  # a family is wrong in at most 5 of 100; 40 families: seven or fewer with probability 0.999
  expect_lte(false_steps, 7L)
  expect_lte(false_pairs, 7L)
  began <- Filter(\(p) length(p) > 1L && "Needle" %in% p[[1L]]$goods, slow_purchases(rows))
  next_one <- vapply(began, \(p) which(rows$who == p[[2L]]$who & rows$day == p[[2L]]$day)[[1L]], 1L)
  rows$goods[next_one] <- "Kit"
  rows$paid[next_one] <- 99
  x <- product_steps(goods_ledger(rows))
  best <- x[which.max(ifelse(x$adjusted_p < 0.05, x$lift, NA)), ]
  expect_identical(c(best$first, best$second), c("Needle", "Kit"))
  pairs <- rows[rows$goods %in% "Needle" & rows$paid > 0, ]
  pairs <- pairs[seq_len(nrow(pairs) %/% 2L), ]
  pairs$goods <- "Case"
  x <- companion_goods(goods_ledger(rbind(rows, pairs)))
  best <- x[which.max(ifelse(x$adjusted_p < 0.05, x$lift, NA)), ]
  expect_setequal(c(best$item, best$with), c("Needle", "Case"))
})

# Nobody has a taste: customers differ in how much they buy, goods in how common they are.
tasteless <- function(seed, customers = 1200L) {
  set.seed(seed)
  often <- 2L + stats::rnbinom(customers, 0.7, mu = 1.5)
  size <- 0.4 + stats::rgamma(customers, 0.6, 0.4)
  goods <- sprintf("G%02d", 1:12)
  who <- rep(seq_len(customers), often)
  n <- length(who)
  receipts <- data.frame(
    who = sprintf("C%04d", who), receipt = seq_len(n),
    day = as.Date("2024-01-01") + sample(0:700, n, TRUE)
  )
  many <- pmin(length(goods), 1L + stats::rpois(n, size[who]))
  lines <- receipts[rep(seq_len(n), many), ]
  lines$goods <- unlist(lapply(many, \(k) sample(goods, k, prob = 1 / seq_along(goods))))
  lines$paid <- sample(1:9, nrow(lines), TRUE)
  lines
}

test_long("large baskets make no steps, of single goods or of whole baskets", {
  false <- vapply(1:60, \(seed) {
    ledger <- goods_ledger(tasteless(seed))
    any(product_steps(ledger)$adjusted_p < 0.05, na.rm = TRUE)
  }, NA)
  # 5 in 100 of 60 families: more than seven with probability 0.006
  expect_lte(sum(false), 7L)
  whole <- vapply(1:20, \(seed) {
    ledger <- goods_ledger(tasteless(seed))
    any(product_steps(ledger, basket = TRUE)$adjusted_p < 0.05, na.rm = TRUE)
  }, NA)
  expect_lte(sum(whole), 4L)
})

test_that("what is bought together adds up to what purchases hold beside it", {
  rows <- goods_rows(7L)
  ledger <- goods_ledger(rows)
  x <- companion_goods(ledger, at_least = 1L)
  held <- unlist(slow_purchases(rows), recursive = FALSE)
  for (i in seq_len(nrow(x))) {
    both <- vapply(held, \(p) all(c(x$item[[i]], x$with[[i]]) %in% p$goods), NA)
    expect_identical(x$together[[i]], sum(both))
    expect_identical(x$purchases[[i]], as.double(sum(vapply(held, \(p) {
      x$item[[i]] %in% p$goods
    }, NA))))
  }
  sums <- tapply(x$expected * x$purchases, x$item, sum)
  beside <- vapply(names(sums), \(item) {
    sum(vapply(Filter(\(p) item %in% p$goods, held), \(p) length(p$goods) - 1L, 0L))
  }, 0)
  expect_equal(as.vector(sums), unname(beside), tolerance = 1e-3)
  behind <- rows_behind(x, ledger, item = "Yarn", with = "Kit")
  expect_identical(nrow(behind), x$together[x$item == "Yarn" & x$with == "Kit"])
})

test_that("who comes back after which goods is the log-rank within month and channel", {
  rows <- goods_rows(3L, 900L, 300L)
  rows$shop <- ifelse(as.integer(substr(rows$who, 2L, 4L)) %% 2L == 0L, "Mill", "Web")
  ledger <- open_ledger(
    rows,
    column_map("who", "day", "receipt", "paid", category = "goods", channel = "shop"),
    meanings(currency = "EUR")
  )
  x <- first_products(ledger, within = 180L)
  waits <- plain_table(waiting_customers(ledger))
  held <- vapply(slow_purchases(rows), \(p) "Needle" %in% p[[1L]]$goods, NA)
  waits$needle <- held[waits$customer]
  # day by day: who is there, who comes
  sums <- c(off = 0, variance = 0)
  for (one in split(waits, paste(
    format(waits$first, "%Y-%m"), rows$shop[match(waits$customer, rows$who)]
  ))) {
    for (day in unique(one$days[one$state == "back"])) {
      there <- one$days >= day
      came <- one$days == day & one$state == "back"
      n <- sum(there)
      share <- sum(there & one$needle) / n
      sums[["off"]] <- sums[["off"]] + sum(came & one$needle) - sum(came) * share
      sums[["variance"]] <- sums[["variance"]] + if (n > 1) {
        sum(came) * share * (1 - share) * (n - sum(came)) / (n - 1)
      } else {
        0
      }
    }
  }
  mine <- x[x$first == "Needle", ]
  z <- stats::qnorm(0.975)
  expect_equal(mine$rate_ratio, exp(sums[["off"]] / sums[["variance"]]))
  expect_equal(mine$ratio_upper, mine$rate_ratio * exp(z / sqrt(sums[["variance"]])))
  expect_equal(mine$customers, sum(held))
  curve <- 1
  for (day in sort(unique(waits$days[waits$needle & waits$state == "back"]))) {
    if (day > 180) break
    there <- sum(waits$needle & waits$days >= day)
    curve <- curve * (1 - sum(waits$needle & waits$days == day & waits$state == "back") / there)
  }
  expect_equal(mine$share, 1 - curve)
})

test_that("the list of those due is read off the waiting curve, with permission and offers", {
  rows <- goods_rows(5L, 700L, 300L)
  ledger <- goods_ledger(rows)
  x <- purchase_due(ledger, passed = 20L, steps = product_steps(ledger))
  curve <- waiting_curve(ledger)
  edges <- vapply(c(0.25, 0.75), \(share) {
    curve$days[[which(curve$share >= share * max(curve$share))[[1L]]]]
  }, 0)
  waits <- waiting_customers(ledger)
  late <- waits[waits$state == "not yet", ]
  expect_setequal(
    x$customer, late$customer[late$days >= edges[[1L]] & late$days <= edges[[2L]] + 20]
  )
  expect_identical(x$state, ifelse(x$days <= edges[[2L]], "inside", "passed"))
  at <- \(day) shares_by_day(curve, day)$share
  one <- which(!is.na(x$chance_to_come))[[1L]]
  day <- x$days[[one]]
  expect_equal(x$chance_to_come[[one]], (at(day + 30) - at(day)) / (1 - at(day)))
  bought <- slow_purchases(rows)[x$customer]
  expect_identical(x$bought, vapply(bought, \(p) {
    paste(sort(p[[1L]]$goods, method = "radix"), collapse = ", ")
  }, "", USE.NAMES = FALSE))
  behind <- rows_behind(x, ledger, state = "inside")
  expect_setequal(behind$customer, x$customer[x$state == "inside"])
  run <- pellmere()
  listed <- utils::read.csv(run$files[basename(run$files) == "due.csv"])
  expect_setequal(listed[[1L]], run$due$customer)
  expect_error(product_steps(ledger, "categry"), "category", class = "nubrek_error_attribute")
})
