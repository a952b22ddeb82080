# Campaigns: draws by a published hash, effects worked by hand and in worlds with a known effect.

test_that("draws are SipHash-2-4 of seed and id alone, whoever else is there", {
  # Aumasson & Bernstein (2012), appendix: key 00..0f, empty message: 726fdb47dd0e0e31
  wanted <- (strtoi("726fdb47", 16L) * 2^32 + as.double(strtoi("5d0e0e31", 16L)) + 2^31) / 2^64
  expect_equal(cpp_keyed_units("", as.raw(0:15)), wanted, tolerance = 1e-15)
  ids <- sprintf("P%05d", 1:20000)
  one <- keyed_draws(ids, 1L)
  expect_identical(keyed_draws(rev(ids), 1L), rev(one))
  expect_identical(keyed_draws(ids[17:19], 1L), one[17:19])
  expect_gt(stats::ks.test(one, "punif")$p.value, 0.01)
  # two seeds know nothing of each other
  other <- keyed_draws(ids, 2L)
  expect_lt(abs(stats::cor(one, other)), 0.025)
  expect_gt(stats::chisq.test(one < 0.2, other < 0.2)$p.value, 0.01)
  ledger <- example_ledger()
  all <- audience(ledger, purchases >= 1, name = "all")
  drawn <- draw_control(all, ledger, share = 0.4, seed = 3)
  few <- draw_control(audience(ledger, purchases >= 2), ledger, share = 0.4, seed = 3)
  expect_identical(few$arm, drawn$arm[match(few$customer, drawn$customer)])
  offers <- draw_control(all, ledger, share = 0.4, seed = 3, offers = c("post", "call"))
  expect_identical(offers$arm == "held back", drawn$arm == "held back")
  expect_error(draw_control(all, ledger, share = 0), class = "nubrek_error_argument")
})

test_that("the effect on paper: regression, difference of means, difference of changes", {
  contacted <- rep(c(TRUE, FALSE), c(4, 4))
  before <- c(1, 2, 3, 4, 1, 2, 3, 4)
  after <- c(3, 4, 6, 7, 1, 2, 2, 4)
  got <- contact_effects(after, before, contacted)
  expect_equal(got$plain, 5 - 2.25)
  expect_equal(got$difference_in_differences, 5 - 2.25)
  expect_equal(
    c(got$plain_lower, got$plain_upper),
    as.vector(stats::t.test(after[contacted], after[!contacted])$conf.int)
  )
  # the same regression and its HC2 errors by R's own tools
  z <- before - mean(before)
  fit <- stats::lm(after ~ contacted * z)
  x <- stats::model.matrix(fit)
  bread <- solve(crossprod(x))
  hc2 <- bread %*% crossprod(x * (stats::residuals(fit) / sqrt(1 - stats::hatvalues(fit)))) %*%
    bread
  expect_equal(got$effect, unname(stats::coef(fit)[[2L]]))
  expect_equal(got$error, sqrt(hc2[2L, 2L]))
  expect_equal(got$upper, got$effect + stats::qt(0.975, 4) * got$error)
  changes <- stats::t.test((after - before)[contacted], (after - before)[!contacted])
  expect_equal(c(got$did_lower, got$did_upper), as.vector(changes$conf.int))
  # effects drawn together: moments by hand; equal ones stay, far ones stay apart
  expect_equal(drawn_together(c(2, 2), c(1, 1)), c(2, 2))
  expect_equal(drawn_together(c(0, 10), c(1, 1)), c(5 - 49 / 50 * 5, 5 + 49 / 50 * 5))
  # of weights 1 and 1/4 the common one is 2; the spread (4 + 16 - 1) / (1.25 - 1.0625 / 1.25)
  middle <- (10 / 51.5) / (1 / 48.5 + 1 / 51.5)
  expect_equal(drawn_together(c(0, 10), c(1, 2)), c(
    middle * (1 - 47.5 / 48.5), middle + 47.5 / 51.5 * (10 - middle)
  ))
})

test_that("in a small arm with a few large amounts the interval follows the skewness", {
  contacted <- rep(c(TRUE, FALSE), c(90, 10))
  after <- c(rep(1, 80), rep(2, 8), 20, 30, rep(1, 9), 12)
  before <- rep(0, 100)
  got <- contact_effects(after, before, contacted)
  rest <- after - ifelse(contacted, mean(after[contacted]), mean(after[!contacted]))
  skew <- mean(rest^3) / mean(rest^2)^1.5 * (1 / 8100 - 1 / 100) / (1 / 90 + 1 / 10)^1.5
  expect_true(skew < -0.4)
  skew <- -0.4
  expect_identical(skew_of(rest, contacted), skew)
  mild <- stats::qgamma(stats::ppoints(100), 3)
  mild <- mild - mean(mild)
  expect_equal(
    skew_of(mild, contacted),
    mean(mild^3) / mean(mild^2)^1.5 * (1 / 8100 - 1 / 100) / (1 / 90 + 1 / 10)^1.5
  )
  # where the transformed distance is the quantile of t, there is the end
  welch <- stats::t.test(after[contacted], after[!contacted])
  ends <- (got$plain - c(got$plain_lower, got$plain_upper)) / welch$stderr
  g <- ends + skew * ends^2 / 3 + skew^2 * ends^3 / 27 + skew / 6
  expect_equal(g, stats::qt(0.975, welch$parameter[[1L]]) * c(1, -1))
  t <- got$effect / got$error
  expect_equal(got$p, 2 * stats::pt(
    -abs(t + skew * t^2 / 3 + skew^2 * t^3 / 27 + skew / 6),
    mean_difference(after, contacted)$freedom
  ))
  # arms of one size, and amounts without a long tail: as in every book
  expect_identical(skew_of(rest, rep(c(TRUE, FALSE), 50)), 0)
  expect_identical(skew_of(rep(c(-1, 1), 50), contacted), 0)
})

test_long("95 % intervals hold a known effect of heavy-tailed sales, also unreached and 9 : 1", {
  # every world: gamma rates, own level of spend, log-normal purchases with sigma 1.5
  one_world <- function(n, share, more, reached) {
    rate <- stats::rgamma(n, 0.8, 0.8 / 1.2)
    spend <- stats::rlnorm(n, 3, 0.7)
    buy <- \(k) {
      sums <- rowsum(stats::rlnorm(sum(k), 0, 1.5), rep(seq_len(n), k))
      replace(numeric(n), as.integer(rownames(sums)), sums) * spend
    }
    held <- stats::runif(n) < share
    got <- !held & stats::runif(n) < reached
    before <- buy(stats::rpois(n, rate))
    after <- buy(stats::rpois(n, rate * (1 + more * got)))
    contact_effects(after, before, !held)
  }
  set.seed(20)
  mean_sales <- 1.2 * exp(3 + 0.7^2 / 2 + 1.5^2 / 2)
  share_covered <- function(n, share, more, reached, worlds) {
    truth <- more * reached * mean_sales
    mean(replicate(worlds, {
      got <- one_world(n, share, more, reached)
      got$lower <= truth && truth <= got$upper
    }))
  }
  within <- \(x, worlds) expect_lt(abs(x - 0.95), 0.02 + 2 * sqrt(0.95 * 0.05 / worlds))
  within(share_covered(2000, 0.5, 0.2, 0.95, 200), 200)
  within(share_covered(10000, 0.1, 0.2, 1, 60), 60)
  within(share_covered(2000, 0.5, 0, 1, 200), 200)
})

test_that("a campaign on paper: windows, outcomes, net gain, what was not as planned", {
  orders <- utils::read.csv(text = "who,receipt,day,paid
    A,1,2024-05-20,10
    A,2,2024-06-01,50
    A,3,2024-06-10,30
    B,4,2024-06-03,20
    B,5,2024-06-20,5
    C,6,2024-05-25,8
    C,7,2024-06-30,40
    D,8,2024-05-30,12
    E,9,2024-06-02,15
    F,10,2024-05-05,9
    G,11,2024-07-30,1", strip.white = TRUE)
  map <- column_map("who", "day", order = "receipt", sales = "paid")
  said <- meanings(currency = "EUR", consent = "not recorded")
  ledger <- open_ledger(orders, map, said)
  drawn <- draw_control(
    audience(ledger, purchases >= 0, name = "letter"), ledger, 0.5, day = "2024-06-01", days = 20,
    cost_per_contact = 1, offer_cost = 2, margin_rate = 0.5
  )
  drawn$arm[] <- ifelse(drawn$customer %in% c("A", "B", "C"), "contacted", "held back")
  got <- measure_campaign(ledger, drawn)
  # 2 to 21 June; the day of contact is in neither window
  sales <- got[got$outcome == "sales", ]
  expect_equal(sales$plain, mean(c(30, 25, 0)) - mean(c(0, 15, 0, 0)))
  # 12 to 31 May: A 10, C 8, D 12
  change <- mean(c(20, 25, -8)) - mean(c(-12, 15, 0, 0))
  expect_equal(sales$difference_in_differences, change)
  expect_equal(got$plain[got$outcome == "bought_again"], 2 / 3 - 1 / 4)
  expect_equal(got$plain[got$outcome == "purchases"], mean(c(1, 2, 0)) - 1 / 4)
  expect_equal(
    got$plain[got$outcome == "visits_per_year"], (1 - 1 / 4) * 365.25 / 20
  )
  expect_equal(got$plain[got$outcome == "gap"], mean(c(9, 2, 20)) - mean(c(20, 1, 20, 20)))
  margin <- got[got$outcome == "margin", ]
  expect_equal(margin$net, 3 * margin$effect - 3 * 1 - 2 * 2) # A and B took the offer
  expect_equal(margin$effect, sales$effect / 2)
  expect_equal(
    margin$chance_paid,
    stats::pnorm(margin$net / ((margin$net_upper - margin$net_lower) / 2 / stats::qnorm(0.975)))
  )
  # shortened as far as the data go, for both alike; gone ids count without purchases
  late <- measure_campaign(ledger_slice(ledger, until = "2024-06-12", first = "any"), drawn)
  expect_match(remarks(late)$remark, "the first 11 of its 20 days", all = FALSE)
  expect_equal(late$plain[late$outcome == "sales"], mean(c(30, 20, 0)) - mean(c(0, 15, 0, 0)))
  # two ids that are one customer now count once, in the arm of one of them (definition 70)
  merged <- open_ledger(
    orders, map, said, aliases = attribute_table(
      data.frame(id = "F", main = "A"), "id", c(same_as = "main")
    )
  )
  one <- measure_campaign(merged, drawn, outcomes = "sales")
  salt <- c(as.raw(utf8ToInt("merged")), raw(6L))
  tie <- keyed_draws(c("A", "F"), basis_of(drawn, "seed"), salt)
  if (tie[[1L]] < tie[[2L]]) {
    expect_identical(c(one$contacted, one$held_back), c(3L, 3L))
    expect_equal(one$plain, mean(c(30, 25, 0)) - mean(c(0, 15, 0)))
  } else {
    expect_identical(c(one$contacted, one$held_back), c(2L, 4L))
    expect_equal(one$plain, mean(c(25, 0)) - mean(c(30, 0, 15, 0)))
  }
  expect_match(remarks(one)$remark, "merged with another drawn customer", all = FALSE)
  drawn$customer[drawn$customer == "D"] <- "X"
  gone <- measure_campaign(ledger, drawn)
  expect_match(remarks(gone)$remark, "1 of the held back", all = FALSE)
  expect_error(
    measure_campaign(ledger_slice(ledger, until = "2024-05-30"), drawn), "nothing to measure"
  )
})

test_both("a kept campaign is all that is needed, and a changed one is refused", {
  ledger <- pellmere()$ledger
  chosen <- audience(ledger, purchases >= 2, open_gap <= 200, as_of = "2025-06-30", name = "letter")
  drawn <- draw_control(
    chosen, ledger, 0.3, seed = 5, day = "2025-07-01", days = 60, margin_rate = 0.4
  )
  path <- withr::local_tempfile(fileext = ".json")
  save_campaign(drawn, path)
  again <- open_campaign(path)
  for (column in c("customer", "arm", "draw")) {
    expect_identical(again[[column]], drawn[[column]])
  }
  expect_identical(
    as.data.frame(measure_campaign(ledger, path)), as.data.frame(measure_campaign(ledger, drawn))
  )
  course <- campaign_course(measure_campaign(ledger, path))
  whole <- measure_campaign(ledger, path)
  expect_equal(
    course$effect[course$days == 60],
    whole$effect[match(course$outcome[course$days == 60], whole$outcome)]
  )
  text <- readLines(path, warn = FALSE)
  writeLines(sub("\"contacted\"", "\"held back\"", text), path)
  expect_error(open_campaign(path), "not as it was written", class = "nubrek_error_file")
  # the whole file stands under its hash: no byte can be another
  save_campaign(drawn, path)
  bytes <- readBin(path, "raw", file.size(path))
  set.seed(1)
  places <- sample(length(bytes), worlds(3L, 16L))
  for (at in c(places, regexpr("2025-07-01", rawToChar(bytes)) + 5L)) {
    for (change in list(replace(bytes, at, xor(bytes[[at]], as.raw(1L))), bytes[-at])) {
      writeBin(change, path)
      expect_error(open_campaign(path), class = "nubrek_error_file", label = paste("byte", at))
    }
  }
  # a seal that anybody can make is not that of this user
  forged <- \(by) {
    said <- jsonlite::fromJSON(rawToChar(bytes))
    said$day <- "2025-05-01"
    write_sealed(c(list(own = said$own)[by], list(by = said$by)[by], said[-(1:3)]), path)
  }
  forged(TRUE)
  expect_error(open_campaign(path), "not as it was written", class = "nubrek_error_file")
  forged(FALSE)
  expect_match(remarks(open_campaign(path))$remark, "not written by this user", all = FALSE)
  writeBin(bytes, path)
  expect_false("seal" %in% remarks(open_campaign(path))$about)
  writeLines(sub("nubrek campaign 2", "nubrek campaign 1", rawToChar(bytes)), path)
  expect_error(open_campaign(path), class = "nubrek_error_file")
  writeLines("{}", path)
  expect_error(open_campaign(path), class = "nubrek_error_file")
  # drawn anew, a letter of that summer stands in both arms alike: one in twenty is beyond chance
  seen <- unlist(lapply(1:20, \(seed) {
    drawn <- draw_control(chosen, ledger, 0.5, seed = seed, day = "2025-07-01", days = 60)
    measure_campaign(ledger, drawn, outcomes = "sales")$p
  }))
  expect_lte(sum(seen < 0.05), stats::qbinom(0.999, 20, 0.05))
})

test_that("a plan says what can be seen: the power that it promises is the power there is", {
  ledger <- pellmere()$ledger
  chosen <- audience(ledger, purchases >= 2, open_gap <= 200, name = "letter")
  plan <- plan_campaign(
    ledger, chosen, days = 60, cost_per_contact = 0.5, margin_rate = 0.4, uplift = 0.3
  )
  n <- nrow(chosen)
  half <- plan[plan$control_share == 0.5, ]
  noise <- basis_of(plan, "spread") * sqrt(1 - basis_of(plan, "explained"))
  # with many in each arm nearly that of the textbook, with few held back a little more
  textbook <- (stats::qnorm(0.975) + stats::qnorm(0.8)) * noise *
    sqrt(1 / plan$contacted + 1 / plan$held_back)
  expect_true(all(plan$detectable > 0.85 * textbook & plan$detectable < 1.6 * textbook))
  expect_equal(plan$detectable, plan_campaign(ledger, chosen, days = 60)$detectable)
  # two large arms and a small effect: the textbook's
  expect_equal(
    least_seen(NULL, 1000, 10, 5000, 5000, 0.9),
    (stats::qnorm(0.975) + stats::qnorm(0.9)) * 10 * sqrt(2 / 5000), tolerance = 0.05
  )
  expect_equal(half$net, half$contacted * (half$expected * 0.4 - 0.5))
  expect_equal(half$break_even, 0.5 / 0.4)
  expect_equal(half$expected, 0.3 * basis_of(plan, "without"))
  expect_identical(basis_of(plan, "advised"), min(plan$control_share[
    plan$detectable <= plan$expected
  ], 0.5))
  expect_error(plan_campaign(ledger, chosen, days = 5000), "too short")
})

test_long("the power that a plan promises is the power there is, in a world that stays as it is", {
  set.seed(31)
  n <- 3000L
  rate <- stats::rgamma(n, 1.1, 1.1 / 9) # purchases in two years
  k <- stats::rpois(n, rate)
  orders <- data.frame(
    who = rep(sprintf("K%04d", seq_len(n)), k),
    day = as.Date("2023-01-01") + sample(730L, sum(k), TRUE),
    paid = round(stats::rlnorm(sum(k), 3, 0.6) + 0.01, 2)
  )
  ledger <- open_ledger(orders, column_map("who", "day", sales = "paid"), meanings(
    currency = "EUR", history_start = "2023-01-01", as_of = "2024-12-30",
    consent = "not recorded"
  ))
  day <- as.Date("2024-09-30")
  chosen <- audience(ledger, purchases >= 2, as_of = day, name = "back")
  plan <- plan_campaign(ledger_at(ledger, day), chosen, days = 91, control = c(0.04, 0.3))
  window <- list(
    days = 91L,
    before = list(from = day - 91, until = day - 1),
    after = list(from = day + 1, until = day + 91)
  )
  seen <- campaign_outcomes(ledger, ledger_codes(ledger, chosen$customer), window)
  for (i in 1:2) {
    power <- mean(replicate(400, {
      held <- stats::runif(nrow(chosen)) < plan$control_share[[i]]
      after <- seen$after$sales * ifelse(held, 1, 1 + plan$detectable_share[[i]])
      contact_effects(after, seen$before$sales, !held)$p < 0.05
    }))
    expect_lt(abs(power - 0.8), 0.03 + 2 * sqrt(0.8 * 0.2 / 400))
  }
})

test_that("a chosen tail is not credited with its return (trap: regression towards the mean)", {
  ledger <- pellmere()$ledger # nothing was done to these customers
  for (day in c("2024-06-30", "2025-03-31")) {
    silent <- audience(
      ledger, purchases >= 3, between(open_gap, 121, 399), as_of = day, name = "longest silent"
    )
    got <- measure_without_control(ledger, silent, days = 90)
    expect_gt(got$naive, 0.1 * got$customers) # what before and after would have credited
    expect_true(got$beyond_lower <= 0 && got$beyond_upper >= 0)
    expect_equal(got$beyond, got$came - got$expected)
    # against another that is drawn by lot nothing is credited either
    drawn <- draw_control(silent, ledger, 0.5, seed = 9, day = day, days = 90)
    expect_gt(measure_campaign(ledger, drawn, outcomes = "purchases")$p, 0.01)
  }
  text <- paste(capture.output(print(got)), collapse = " ")
  expect_match(text, "^.*Nobody was held back, so what the contact changed cannot be\\s+known")
})

test_that("campaigns of a study are planned, held once and measured when their day has passed", {
  folder <- withr::local_tempdir()
  data.table::fwrite(example_orders(), file.path(folder, "orders.csv"))
  study <- file.path(folder, "study.yaml")
  write_study <- \(day) writeLines(c(
    "data: {orders: {files: orders.csv, columns: {customer: customer, order: receipt, date: day,",
    "  sales: amount, channel: shop}}}", "outputs: {report: no}",
    "meanings: {consent: not recorded}", "economics: {margin_rate: 0.4}",
    "audiences: {all: purchases >= 1}", "campaigns:",
    paste0("  letter: {audience: all, share: 0.4, days: 60, day: ", day, ", file: letter.json,"),
    "    cost_per_contact: 0.5, uplift: 0.2}"
  ), study)
  write_study("2024-06-01")
  small <- c(readLines(study), "  tiny: {audience: all, share: 0.4, days: 300}")
  writeLines(small, study)
  planned <- run_study(study) # what cannot be planned is said, and stops nothing
  expect_match(remarks(planned$plans)$remark, "tiny: The history is too short", all = FALSE)
  expect_identical(planned$plans$campaign, "letter")
  expect_null(planned$effects)
  say <- command_do(command_parse(c("hold", "letter", study)))
  expect_match(capture.output(say()), "held back", all = FALSE)
  lists <- lapply(file.path(folder, c("letter-contact.csv", "letter-held-back.csv")), \(path) {
    data.table::fread(path)$customer
  })
  drawn <- open_campaign(file.path(folder, "letter.json"))
  expect_setequal(lists[[1L]], drawn$customer[drawn$arm == "contacted"])
  expect_setequal(lists[[2L]], drawn$customer[drawn$arm == "held back"])
  expect_error(
    command_do(command_parse(c("hold", "letter", study))), "has been held",
    class = "nubrek_error_file"
  )
  expect_error(command_do(command_parse(c("hold", "leter", study))), "letter")
  run <- run_study(study)
  effect <- attr(run$effects, "effects")$letter
  expect_equal(
    as.data.frame(effect)$effect, as.data.frame(measure_campaign(run$ledger, drawn))$effect
  )
  expect_s3_class(ggplot2::autoplot(effect), "ggplot")
  expect_s3_class(ggplot2::autoplot(attr(run$plans, "plans")$letter), "ggplot")
  expect_match(page_effects(run)[[1L]]$question, "Did .*letter.* work")
})

test_that("69: before its end a campaign has no verdict, and looks on every day are allowed for", {
  # worlds without an effect, looked at every day: how many ever seem to have one
  set.seed(12)
  worlds <- 4000L
  for (days in c(7L, 30L, 60L)) {
    walk <- apply(matrix(stats::rnorm(worlds * days), days), 2L, cumsum) / sqrt(seq_len(days))
    bounds <- look_bounds(days, 0.95)
    expect_false(is.unsorted(-bounds))
    early <- mean(colSums(abs(walk) > bounds) > 0)
    expect_lt(abs(early - 0.05), 3 * sqrt(0.05 * 0.95 / worlds), label = paste(days, early))
    # uncorrected, many more would
    expect_gt(mean(colSums(abs(walk) > stats::qnorm(0.975)) > 0), 0.15)
  }
  # a look between those that are counted stands at the earlier bound
  expect_identical(look_level(7, 364, 0.95), look_level(4, 364, 0.95))
  expect_gt(look_level(10, 60, 0.95), look_level(50, 60, 0.95))
  ledger <- random_ledger(3)
  all <- audience(ledger, purchases >= 1, as_of = ledger$as_of - 20)
  drawn <- \(days) draw_control(
    all, ledger, 0.5, seed = 2, name = "spring", day = ledger$as_of - 20, days = days,
    margin_rate = 0.4
  )
  over <- measure_campaign(ledger, drawn(20))
  running <- measure_campaign(ledger, drawn(40))
  expect_equal(running$effect, over$effect)
  # in the far tails an interval may reach further than by t, never less far
  reach <- (running$effect - running$lower) / (over$effect - over$lower)
  freedom <- nrow(drawn(20)) - 4L
  far <- stats::qt((1 + look_level(20, 40, 0.95)) / 2, freedom) / stats::qt(0.975, freedom)
  expect_true(all(reach > 1) && all(running$upper > over$upper))
  expect_equal(min(abs(reach - far)), 0)
  expect_true(all(is.na(running$p)) && all(is.na(running$net)) && all(is.na(running$chance_paid)))
  expect_false(anyNA(over$p))
  expect_match(describe(running)$finding, "^Day 20 of 40: .* so far .* reported at the end[.]$")
  expect_no_match(paste(describe(running)$after, collapse = " "), "paid")
  expect_match(describe(over)$finding, "No effect|brought")
  expect_match(ggplot2::autoplot(running)$labels$title, "^Day 20 of 40")
  folder <- withr::local_tempdir()
  save_campaign(drawn(40), file.path(folder, "a.json"))
  history <- campaign_history(ledger, folder)
  expect_identical(history$state, "running")
  expect_match(describe(history)$finding, "No campaign has ended yet")
})

test_that("70: merged customers fall to both arms alike, whoever of them was contacted", {
  n <- 1500L
  ids <- c(sprintf("A%04d", seq_len(n)), sprintf("B%04d", seq_len(n)))
  orders <- data.frame(
    who = ids, no = seq_along(ids), paid = "5", day = rep(c("2024-01-03", "2024-02-03"), n)
  )
  map <- column_map("who", "day", order = "no", sales = "paid")
  said <- meanings(currency = "EUR", consent = "not recorded")
  ledger <- open_ledger(orders, map, said)
  drawn <- draw_control(
    audience(ledger, purchases >= 1, name = "all"), ledger, 0.5, seed = 3, day = "2024-02-01",
    days = 2
  )
  merged <- open_ledger(orders, map, said, aliases = attribute_table(
    data.frame(id = ids[n + seq_len(n)], main = ids[seq_len(n)]), "id", c(same_as = "main")
  ))
  now <- drawn_now(merged, drawn)
  expect_length(now$id, n)
  arm <- \(id) drawn$arm[match(id, drawn$customer)]
  first <- arm(ids[seq_len(n)])
  second <- arm(ids[n + seq_len(n)])
  mixed <- first != second
  mine <- now$arm[match(ids[seq_len(n)], now$id)]
  expect_identical(mine[!mixed], first[!mixed])
  # 5 standard errors
  expect_lt(abs(mean(mine[mixed] == "contacted") - 0.5), 2.5 / sqrt(sum(mixed)))
  # and not by the number that chose the arm
  draw <- matrix(keyed_draws(ids, 3), n)
  low <- ifelse(draw[, 1L] < draw[, 2L], first, second)
  expect_lt(abs(mean((mine == low)[mixed]) - 0.5), 2.5 / sqrt(sum(mixed)))
})

test_that("71: contacts belong to a campaign by its name and its days; others are told", {
  orders <- data.frame(
    who = rep(sprintf("K%02d", 1:40), 2L), no = 1:80, paid = "5",
    day = rep(c("2024-01-03", "2024-06-20"), each = 40L)
  )
  ledger <- open_ledger(
    orders, column_map("who", "day", order = "no", sales = "paid"),
    meanings(currency = "EUR", consent = "not recorded")
  )
  then <- ledger_slice(ledger, until = "2024-04-30")
  drawn <- draw_control(
    audience(then, purchases >= 1, name = "letter"), then, 0.5, seed = 2, day = "2024-05-01",
    days = 30
  )
  arms <- split(drawn$customer, drawn$arm)
  of <- \(who, day, campaign, responded = "no") data.frame(
    customer = who, day = day, campaign = campaign, responded = responded
  )
  contacts <- rbind(
    of(arms$contacted, "2024-05-01", "letter"),
    of(arms$contacted[1:3], "2024-06-02", "letter", "yes"),
    of(arms$`held back`[1:2], "2023-05-01", "letter", "yes"),
    of(arms$`held back`[1:5], "2024-05-31", "spring"),
    of(arms$`held back`[7], "2024-06-01", "spring")
  )
  told <- remarks(measure_campaign(add_contacts(ledger, contacts), drawn))
  said <- told$remark[told$about == "not as planned"]
  expect_match(said, "^5.contacts of this name on days outside of the campaign", all = FALSE)
  expect_match(said, "^5.customers of the held back were contacted by something else", all = FALSE)
  expect_false(any(grepl("contacted all the same", said)))
  now <- drawn_now(add_contacts(ledger, contacts), drawn)
  expect_identical(sum(now$responded), 0L)
})
