# Groups that were found: the search against a look at everything, the judgement against lots drawn,
# leaks refused, and the group as an audience.

# All groups of up to `depth` conditions, one after the other: ranges of ordered bins, any set of
# levels. The best by sqrt(n) (mean - everybody's).
slow_best <- function(attributes, y, least, depth) {
  each <- lapply(attributes, \(one) {
    bins <- seq_len(one$bins) - 1L
    inside <- if (one$ordered) {
      there <- setdiff(bins, one$missing)
      c(
        if (one$missing >= 0L) list(one$missing),
        unlist(lapply(there, \(a) lapply(there[there >= a], \(b) a:b)), recursive = FALSE)
      )
    } else {
      lapply(seq_len(2^length(bins) - 1), \(k) bins[bitwAnd(k, 2^bins) > 0])
    }
    lapply(inside, \(set) as.integer(one$bin) %in% set)
  })
  best <- -Inf
  for (k in seq_len(depth)) {
    for (which in utils::combn(length(each), k, simplify = FALSE)) {
      grid <- do.call(expand.grid, lapply(each[which], seq_along))
      for (i in seq_len(nrow(grid))) {
        inside <- Reduce(`&`, Map(\(a, j) each[[a]][[j]], which, as.integer(grid[i, ])))
        n <- sum(inside)
        if (n >= least && n < length(y)) best <- max(best, sqrt(n) * (mean(y[inside]) - mean(y)))
      }
    }
  }
  best
}

drawn_attributes <- function(n) {
  ordered <- \(bins, missing = -1L) list(
    bin = as.raw(sample(0:(bins - 1L), n, TRUE)), bins = bins, ordered = TRUE, missing = missing,
    rest = -1L
  )
  levels <- ordered(4L)
  levels$ordered <- FALSE
  list(ordered(4L), ordered(5L, 4L), ordered(3L), levels)
}

search_limits <- function(...) {
  utils::modifyList(list(
    least = 8, depth = 3L, beam = 1e6, per_set = 1e6, keep = 5, gain = -1e300, same = 0.8,
    threads = 1L
  ), list(...))
}

test_long("with room for all the search finds what a look at every group finds", {
  for (seed in 1:6) {
    set.seed(seed)
    attributes <- drawn_attributes(120L)
    y <- round(stats::rexp(120), 2)
    found <- cpp_find_groups(attributes, y, search_limits(depth = 2L))
    expect_equal(found[[1L]]$quality, slow_best(attributes, y, 8, 2L))
    one <- found[[1L]]
    inside <- people_of_group(one, attributes)
    expect_equal(one$quality, sqrt(sum(inside)) * (mean(y[inside]) - mean(y)))
    expect_equal(c(one$size, one$sum), c(sum(inside), sum(y[inside])))
    expect_identical(found, cpp_find_groups(attributes, y, search_limits(depth = 2L, threads = 2L)))
    # no two of them are nearly the same people
    rows <- lapply(found, people_of_group, attributes)
    for (pair in utils::combn(length(rows), 2L, simplify = FALSE)) {
      both <- sum(rows[[pair[[1L]]]] & rows[[pair[[2L]]]])
      expect_lt(both, 0.8 * max(sum(rows[[pair[[1L]]]]), sum(rows[[pair[[2L]]]])))
    }
  }
  set.seed(9)
  attributes <- drawn_attributes(60L)[c(1L, 3L, 4L)]
  y <- stats::rnorm(60)
  found <- cpp_find_groups(attributes, y, search_limits(least = 5))
  expect_equal(found[[1L]]$quality, slow_best(attributes, y, 5, 3L))
  expect_error(cpp_find_groups(list(list(
    bin = as.raw(7), bins = 2L, ordered = TRUE, missing = -1L, rest = -1L
  )), 1, search_limits()), "out of range")
})

test_that("the place of a mean among those of lots is what drawing lots gives, also of money", {
  set.seed(5)
  y <- c(stats::rlnorm(150, 3, 1.2), rep(0, 250))
  lots <- replicate(20000, mean(sample(y, 25)))
  for (at in c(0.02, 0.1, 0.5, 0.9, 0.98)) {
    average <- stats::quantile(lots, at, names = FALSE)
    got <- chance_of_mean(average, 25, y)
    expect_lt(abs(got[["low"]] - at), 0.02)
    expect_equal(got[["low"]] + got[["high"]], 1)
  }
})

# What chance alone brings is confirmed in one of twenty searches, of money with a long tail.
test_long("noise is confirmed no more often than it may be", {
  confirmed <- vapply(1:60, \(seed) {
    set.seed(seed)
    n <- 1500L
    attributes <- c(
      lapply(1:4, \(k) number_bins(paste0("x", k), paste0("x", k), stats::rnorm(n))),
      lapply(1:4, \(k) {
        level_bins(paste0("l", k), paste0("l", k), sample(letters[1:6], n, TRUE), 10)
      })
    )
    y <- stats::rlnorm(n, 3, 1.3) * (stats::runif(n) < 0.6)
    part <- parts_of(seq_len(n), 1L, seed)
    turn <- search_turn(attributes, list(y = y, yes = FALSE), part, 1L, 10, list(
      conditions = 3L, beam = 30L, most = 20L
    ))
    sign <- vapply(turn$groups, `[[`, 0, "sign")
    any(stats::p.adjust(ifelse(sign > 0, turn$rows$high, turn$rows$low), "holm") < 0.05)
  }, NA)
  expect_lte(sum(confirmed), stats::qbinom(0.999, 60, 0.05))
})

# Customers who bought in 2023, half of them again in 2024: more where the town is Carrow and the
# first shop south.
planted_ledger <- function(n = 3000L, seed = 1L) {
  set.seed(seed)
  who <- sprintf("C%04d", seq_len(n))
  people <- data.frame(
    id = who, town = sample(c("Carrow", "Dunsey", "Stell", ""), n, TRUE), size = round(
      stats::rnorm(n, 170, 9)
    ), joined = as.character(as.Date("2022-01-01") + sample(300, n, TRUE))
  )
  shop <- sample(c("north", "south", "east"), n, TRUE)
  good <- people$town == "Carrow" & shop == "south"
  later <- stats::rpois(n, 0.8 + 1.2 * good)
  rows <- data.frame(
    who = c(who, rep(who, later)),
    day = c(
      as.Date("2023-01-01") + sample(300, n, TRUE),
      as.Date("2024-01-01") + sample(360, sum(later), TRUE)
    ),
    shop = c(shop, rep(shop, later)),
    paid = round(stats::rgamma(n + sum(later), 3, 0.1), 2)
  )
  spent <- rowsum(rows$paid[-seq_len(n)], rows$who[-seq_len(n)])
  people$score <- 0
  people$score[match(rownames(spent), who)] <- rank(spent[, 1L])
  people$score <- as.character(people$score)
  list(good = good, people = people, rows = rows, ledger = open_ledger(
    rows, column_map("who", "day", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", as_of = "2024-12-31", history_start = "2023-01-01"),
    customers = attribute_table(people, "id", c("town", "size", "joined", "score"))
  ))
}

test_that("a planted group is found, judged on others, refuses leaks, and becomes an audience", {
  world <- planted_ledger()
  ledger <- world$ledger
  found <- discover_groups(ledger, sales(from = "2024-01-01"), least = 0.02)
  expect_true(all(c("score") %in% basis_of(found, "refused")$attribute))
  expect_match(basis_of(found, "refused")$reason, "orders the target almost perfectly", all = FALSE)
  one <- found[1L, ]
  expect_true(one$confirmed)
  expect_match(one$rule, "town == \"Carrow\"", fixed = TRUE)
  expect_match(one$rule, "first_channel == \"south\"", fixed = TRUE)
  # the audience is the group, and its money the estimate's
  chosen <- as_audience(found, 1L, ledger)
  expect_identical(nrow(chosen), one$customers)
  all <- audience(
    ledger, rule = c(basis_of(found, "population"), "sales(from = \"2024-01-01\") > -1")
  )
  spent <- all[["sales(from = \"2024-01-01\")"]]
  judged <- parts_of(all$customer, 1L, 1L) == 1L
  inside <- all$customer %in% chosen$customer
  expect_equal(one$mean, mean(spent[inside & judged]))
  expect_equal(one$others, mean(spent[!inside & judged]))
  expect_equal(c(one$lower, one$upper), as.vector(stats::t.test(
    spent[inside & judged], spent[!inside & judged]
  )$conf.int))
  expect_equal(one$mean_found, mean(spent[inside & !judged]))
  expect_equal(one$money_a_year, one$difference * one$customers * 365.25 / 366)
  # every rule is the group it says
  for (i in seq_len(min(8L, nrow(found)))) {
    expect_identical(nrow(as_audience(found, i, ledger)), found$customers[[i]])
  }
  # what counts the answer itself is refused by name, unless it is asked for
  tiers <- assign_tiers(ledger, shares = c(high = 0.2, low = 0.8))
  leaks <- discover_groups(
    ledger, sales(from = "2024-01-01"), using = c("town", "tier", "sales"), with = list(tiers)
  )
  expect_setequal(basis_of(leaks, "refused")$attribute, c("tier", "sales"))
  forced <- discover_groups(
    ledger, sales(from = "2024-01-01"), using = c("town", "score"), even_if = "score"
  )
  expect_match(forced$rule[[1L]], "score")
  expect_error(
    discover_groups(ledger, sales(from = "2024-01-01"), using = "score"), "almost perfectly",
    class = "nubrek_error_unidentified"
  )
  expect_error(discover_groups(ledger, sales, using = "twon"), "town", class = "nubrek_error")
})

test_that("what was made from the answer is refused however it is written", {
  world <- planted_ledger()
  ledger <- world$ledger
  m <- customers(ledger)
  value <- m$sales
  back <- ledger_ids(ledger) %in% all_gaps(ledger)$customer
  n <- nrow(m)
  made <- data.frame(
    id = m$customer,
    half = ifelse(value > stats::median(value), "upper", "lower"),
    tercile = c("C", "A", "B")[cut(rank(value), 3L, labels = FALSE)],
    nearly = ifelse(xor(value > stats::median(value), seq_len(n) %% 40L == 0L), "1", "0"),
    toss = ifelse(seq_len(n) %% 2L == 0L, "yes", "no")
  )
  with_made <- open_ledger(
    world$rows, column_map("who", "day", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", as_of = "2024-12-31", history_start = "2023-01-01"),
    customers = attribute_table(made, "id", setdiff(names(made), "id"))
  )
  refused <- basis_of(discover_groups(with_made, sales), "refused")
  expect_setequal(refused$attribute, c("half", "tercile", "nearly"))
  # bought_again() is counted from purchases too
  tiers <- assign_tiers(ledger, shares = c(high = 0.2, low = 0.8))
  again <- discover_groups(
    ledger, bought_again(within = 180), using = c("town", "purchases", "tier"), with = list(tiers)
  )
  expect_setequal(basis_of(again, "refused")$attribute, c("purchases", "tier"))
  # a number that only those who came back have, and a day after the window began
  asked <- audience(ledger, purchases(from = "2024-01-01") > 0)$customer
  made <- data.frame(
    id = m$customer, points = ifelse(m$customer %in% asked, as.character(seq_len(n) * 7L), ""),
    called = format(as.Date("2023-06-01") + seq_len(n) %% 400L, "%d.%m.%Y"),
    joined = format(as.Date("2022-06-01") + seq_len(n) %% 400L, "%d.%m.%Y")
  )
  with_made <- open_ledger(
    world$rows, column_map("who", "day", sales = "paid", channel = "shop"),
    meanings(currency = "EUR", as_of = "2024-12-31", history_start = "2023-01-01"),
    customers = attribute_table(made, "id", c("points", "called", "joined"))
  )
  found <- discover_groups(with_made, purchases(from = "2024-01-01") > 0)
  refused <- basis_of(found, "refused")
  expect_setequal(refused$attribute, c("points", "called"))
  expect_match(refused$reason, "whether it is known", all = FALSE)
  expect_match(refused$reason, "dated after 1.Jan.2024", all = FALSE)
})

test_that("shares have Newcombe's interval, and a flag is told apart as by counting", {
  y <- rep(c(1, 0, 1, 0), c(12, 28, 30, 130))
  one <- judge_one(y, rep(c(TRUE, FALSE), c(40, 160)), yes = TRUE)
  # Wilson's ends of 12 of 40 and of 30 of 160, by hand
  wilson_ends <- \(k, n) (k + 1.96^2 / 2 + c(-1, 1) * 1.96 * sqrt(k * (n - k) / n + 0.9604)) /
    (n + 1.96^2)
  mine <- wilson_ends(12, 40)
  theirs <- wilson_ends(30, 160)
  off <- 0.3 - 0.1875
  expect_equal(one$lower, off - sqrt((0.3 - mine[1])^2 + (theirs[2] - 0.1875)^2), tolerance = 1e-4)
  expect_equal(one$upper, off + sqrt((mine[2] - 0.3)^2 + (0.1875 - theirs[1])^2), tolerance = 1e-4)
  expect_true(tells_apart(c(rep(FALSE, 50L), rep(TRUE, 50L)), 1:100))
  # six of each side are on the other: wherever it is cut, six are wrong
  moved <- rep(c(FALSE, TRUE, FALSE, TRUE), c(44L, 6L, 6L, 44L))
  expect_false(tells_apart(moved, 1:100))
  expect_true(tells_apart(rep(c(FALSE, TRUE, FALSE, TRUE), c(46L, 4L, 4L, 46L)), 1:100))
  expect_false(tells_apart(rep(c(TRUE, FALSE), c(4L, 96L)), 1:100))
  expect_false(tells_apart(rep(c(TRUE, FALSE), c(96L, 4L)), 1:100))
  # equal values of the target are never cut apart
  expect_false(tells_apart(rep(c(TRUE, FALSE), c(25L, 75L)), rep(1:2, each = 50L)))
  # how well a number orders yes and no: pairs in its order less pairs against it, of all
  set.seed(6)
  x <- sample(20, 60, TRUE)
  y <- as.double(runif(60) < x / 25)
  pairs <- sign(outer(x[y == 1], x[y == 0], "-"))
  expect_equal(
    ordering_of(list(values = x), list(y = y, yes = TRUE), rep(TRUE, 60L)), abs(mean(pairs))
  )
})

test_that("where a few decide, the interval is that of samples drawn from everybody", {
  set.seed(9)
  y <- rlnorm(2000, 3, 1.5)
  inside <- seq_along(y) <= 50L
  y[inside] <- 2 * y[inside]
  expect_true(few_decide(y, 50L))
  found <- drawn_bounds(y, inside)
  # drawn again, one sample after the other
  times <- mean(y[inside]) / mean(y[!inside])
  all <- c(y[inside] / times, y[!inside])
  ratio <- replicate(4000, mean(sample(all, 50L, TRUE)) / mean(sample(y[!inside], replace = TRUE)))
  slow <- (times / quantile(ratio, c(0.975, 0.025), names = FALSE) - 1) * mean(y[!inside])
  expect_equal(found, slow, tolerance = 0.12)
  # in cents as in euros
  expect_equal(drawn_bounds(100 * y, inside), 100 * found)
})

test_long("intervals hold in money of which a few spend most, without a difference and with one", {
  held <- function(seed, times, n) {
    set.seed(seed)
    y <- rlnorm(4000L, 3, 1.5) * (runif(4000L) < 0.5)
    inside <- seq_along(y) <= n
    y[inside] <- y[inside] * times
    one <- judge_one(y, inside)
    truth <- exp(3 + 1.5^2 / 2) / 2 * (times - 1)
    one$lower <= truth && truth <= one$upper
  }
  for (times in c(1, 1.8)) {
    # of 400 at 95 %: fewer than 364 with probability 0.0005; Welch's hold 72 to 80 %
    expect_gte(sum(vapply(1:400, held, NA, times = times, n = 40L)), 364L)
  }
})

test_that("a group is confirmed by its p value and its interval together", {
  rows <- list(
    high = c(0.001, 0.001, 0.2, 0.001), low = 1 - c(0.001, 0.001, 0.2, 0.001), mean = rep(3, 4L),
    others = rep(1, 4L), difference = rep(2, 4L), lower = c(0.5, -0.1, 0.5, 0.5),
    upper = rep(4, 4L), error = c(0.4, 1, 0.4, 0), size_found = rep(40L, 4L),
    size_judged = rep(40L, 4L), mean_found = rep(3, 4L)
  )
  groups <- rep(list(list(sign = 1, copies = 1, attribute = "a")), 4L)
  target <- list(y = rep(c(1, 3), 100L), yes = FALSE, codes = 1:200, words = "sales")
  found <- found_columns(
    example_ledger(), groups, rep(list(rep(c(TRUE, FALSE), 100L)), 4L), rows,
    as.list(letters[1:4]), letters[1:4], list(a = list(ordered = TRUE)), target
  )
  expect_identical(found$confirmed, c(TRUE, FALSE, FALSE, FALSE))
  expect_equal(found$adjusted_p, c(0.004, 0.004, 0.2, 0.004))
})

test_that("yes and no, a level, folds: rates beside everybody else's", {
  world <- planted_ledger(seed = 2L)
  ledger <- world$ledger
  came <- discover_groups(
    ledger, purchases(from = "2024-01-01") == 0, using = c("town", "first_channel", "size"),
    folds = 2L
  )
  one <- came[1L, ]
  expect_lt(one$difference, 0)
  expect_lte(one$mean, 1)
  expect_identical(sum(came$size_found >= 0.01 * 1500), nrow(came))
  # a rule that both parts found stands once
  expect_false(anyDuplicated(came$rule) > 0L)
  expect_true(all(came$lower[came$confirmed] * came$upper[came$confirmed] > 0))
  level <- discover_groups(ledger, first_channel == "south", using = c("town", "size"))
  expect_false(any(level$confirmed))
  expect_match(describe(level)$finding, "No group is confirmed")
  expect_error(discover_groups(ledger, town), class = "nubrek_error_rule")
  expect_error(discover_groups(example_ledger(), sales), "takes 50", class = "nubrek_error")
  # an attribute that is dated too late
  late <- discover_groups(ledger, sales(from = "2022-06-01"), using = c("town", "joined"))
  expect_true(nrow(basis_of(late, "refused")) <= 1L)
})

test_that("words for rules: back within days, missing, numbers in texts", {
  ledger <- planted_ledger(300L)$ledger
  members <- \(...) audience(ledger, ...)$customer
  days <- as.data.frame(all_gaps(ledger))
  second <- days[days$visit == 2L, ]
  m <- customers(ledger)
  quick <- second$customer[second$gap <= 200]
  seen <- m$customer[as.integer(as.Date("2024-12-31") - as.Date(m$first)) >= 200]
  expect_identical(members(bought_again(within = 200)), sort(intersect(quick, seen)))
  expect_identical(sort(members(is_missing(town))), sort(m$customer[is.na(m$town)]))
  expect_identical(
    sort(members(number_of(size) >= 175)), sort(m$customer[as.double(m$size) >= 175])
  )
  expect_error(audience(ledger, bought_again()), "within = 90", class = "nubrek_error_rule")
})
