# Audiences: conditions worked out by our own rules, against R's evaluation of the same expressions
# on slow measures, customer by customer.

slow_scope <- function(ledger) {
  everybody <- as.data.frame(customers(ledger, everybody = TRUE))
  gaps <- as.data.frame(purchase_gaps(ledger))
  lines <- as.data.frame(ledger$lines)
  lines$sales <- lines$sales / 10^ledger$decimals
  lines$customer <- ledger$ids[ledger$orders$customer[lines$number]]
  lines$day <- as.Date(ledger$orders$day[lines$number], origin = "1970-01-01")
  least <- ledger$least / 10^ledger$decimals
  of_each <- \(read) function(..., last = NULL, from = NULL, until = NULL) {
    conditions <- as.list(substitute(list(...)))[-1L]
    inside <- rep(TRUE, nrow(lines))
    for (condition in conditions) {
      inside <- inside & (eval(condition, lines, three_answers) %in% TRUE)
    }
    if (!is.null(last)) inside <- inside & lines$day > ledger$as_of - last
    if (!is.null(from)) inside <- inside & lines$day >= as.Date(from)
    if (!is.null(until)) inside <- inside & lines$day <= as.Date(until)
    vapply(ledger$ids, \(id) {
      mine <- lines[inside & lines$customer == id, ]
      orders <- split(mine, mine$number)
      sold <- Filter(\(order) sum(order$sales) >= least - 1e-9, orders)
      days <- do.call(c, lapply(sold, \(order) order$day[[1L]]))
      n <- if (ledger$meaning$purchase_unit == "day") length(unique(days)) else length(sold)
      read(sum(mine$sales), n, days, mine)
    }, 0, USE.NAMES = FALSE)
  }
  gap <- \(name) gaps[[name]][match(ledger$ids, gaps$customer)]
  scope <- list2env(c(
    as.list(everybody[setdiff(names(everybody), "customer")]),
    list(
      first_purchase = everybody$first, last_purchase = everybody$last, overdue = gap("overdue"),
      visits_per_year = gap("visits_per_year"), expected_gap = gap("expected_gap")
    )
  ), parent = three_answers)
  calls <- new.env(parent = scope)
  calls$sales <- of_each(\(money, n, days, mine) round(money, 2))
  calls$purchases <- of_each(\(money, n, days, mine) n)
  calls$mean_sales <- of_each(\(money, n, days, mine) if (n > 0) round(money, 2) / n else NA_real_)
  calls$days_since <- of_each(\(money, n, days, mine) {
    if (n > 0) as.numeric(ledger$as_of - max(days)) else NA_real_
  })
  bought <- of_each(\(money, n, days, mine) as.numeric(n > 0))
  returned <- of_each(\(money, n, days, mine) as.numeric(any(mine$sales < 0)))
  calls$bought <- function(...) bought(...) == 1
  calls$returned <- function(...) returned(...) == 1
  list(names = scope, calls = calls)
}

# `&` and `|` of R know three answers; `%in%` does not.
three_answers <- list2env(list(
  `%in%` = \(x, values) ifelse(is.na(x), NA, match(x, values, 0L) > 0L),
  between = \(x, low, high) x >= low & x <= high,
  all_of = \(...) Reduce(`&`, list(...)),
  any_of = \(...) Reduce(`|`, list(...)),
  none_of = \(...) !Reduce(`|`, list(...)),
  month_of = \(day) as.POSIXlt(day)$mon + 1
), parent = baseenv())

# Measures are functions where they are called, columns where they are named.
slow_truth <- function(node, slow) {
  work <- \(node) {
    if (!is.call(node)) return(eval(node, slow$names))
    name <- as.character(node[[1L]])
    if (exists(name, slow$calls, inherits = FALSE)) return(eval(node, slow$calls))
    do.call(get(name, three_answers), lapply(as.list(node)[-1L], work))
  }
  work(node)
}

random_rule <- function(ledger, depth = 4L) {
  pick <- \(x) x[[sample(length(x), 1L)]]
  level <- \(name) pick(levels(ledger$lines[[name]]))
  number <- \() pick(c(0, 1, 2, 5, 12.5, 40, 90, 200))
  window <- \() pick(list(
    list(), list(), list(last = 180), list(from = "2024-06-01"), list(until = "2024-12-31")
  ))
  on_lines <- \() pick(list(
    list(), list(call("==", quote(channel), level("channel"))),
    list(call("!=", quote(channel), level("channel"))), list(call(">", quote(sales), number()))
  ))
  compare <- \(left) call(pick(c("<", "<=", ">", ">=", "==", "!=")), left, number())
  leaf <- \() switch(sample(8L, 1L),
    compare(pick(lapply(
      c("purchases", "sales", "mean_sales", "open_gap", "overdue", "visits_per_year"), as.name
    ))),
    compare(as.call(c(
      list(as.name(pick(c("sales", "purchases", "mean_sales", "days_since")))), on_lines(), window()
    ))),
    as.call(c(list(as.name(pick(c("bought", "returned")))), on_lines(), window())),
    call("==", quote(first_channel), level("channel")),
    call("%in%", quote(first_channel), call("c", level("channel"), level("channel"))),
    call("between", quote(sales), 5, number()),
    compare(call("month_of", quote(last_purchase))),
    compare(call("+", quote(open_gap), call("*", 2, quote(purchases))))
  )
  if (depth == 0L || stats::runif(1L) < 0.3) return(leaf())
  below <- \() random_rule(ledger, depth - 1L)
  switch(sample(6L, 1L),
    call("&", below(), below()),
    call("|", below(), below()),
    call("!", call("(", below())),
    call("all_of", below(), below()),
    call("any_of", below(), below(), below()),
    call("none_of", below())
  )
}

test_both("random rules to depth 4 hold for the customers for whom R says they hold", {
  three_answers$`(` <- identity
  rules <- 0L
  for (seed in worlds(1:3, 1:13)) {
    ledger <- random_ledger(seed, purchase_unit = if (seed %% 3L == 0L) "day" else "order")
    slow <- slow_scope(ledger)
    set.seed(seed)
    for (i in 1:40) {
      rule <- random_rule(ledger)
      scope <- audience_scope(ledger)
      scope$text <- rule_text(rule)
      got <- rule_truth(parse_rule(scope$text), scope, length(ledger$ids))$x
      expect_identical(got, as.logical(slow_truth(rule, slow)), label = scope$text)
      rules <- rules + 1L
    }
  }
  expect_gte(rules, worlds(100L, 500L))
})

# A 20 + 30 (2 purchases), B 15, C only returned, D 50 and back 10; as of 30 April.
counted <- function() {
  open_ledger(
    utils::read.csv(text = "customer,receipt,day,amount,kind,born
      A,1,2024-01-10,20,yarn,1980-03-05
      A,2,2024-04-20,30,kit,1980-03-05
      B,3,2024-02-01,15,yarn,
      C,4,2024-03-03,-7,kit,1990-12-31
      D,5,2024-03-05,40,yarn,2000-04-30
      D,5,2024-03-05,10,kit,2000-04-30
      D,6,2024-04-30,-10,kit,2000-04-30", colClasses = "character", strip.white = TRUE),
    column_map(
      customer = "customer", order = "receipt", date = "day", sales = "amount",
      attributes = c(kind = "kind", born = "born")
    ),
    meanings(currency = "EUR")
  )
}

test_that("the count while building is that of paper, and its last row the audience", {
  ledger <- counted()
  got <- audience(ledger, sales >= 15, unless(bought(kind == "kit")), name = "yarn only")
  course <- audience_course(got)
  expect_identical(got$customer, "B")
  expect_identical(course$customers, c(3L, 1L))
  expect_identical(course$sales, c(50 + 15 + 40, 15))
  expect_identical(course$taken_away, c(1L, 2L))
  expect_identical(course$alone, c(3L, 2L))
  expect_identical(basis_of(got, "population"), 4L)
  expect_identical(course$share, c(0.75, 0.25))
  # who cannot be told: B's day of birth is missing; never true, on either side
  old <- audience(ledger, age_of(born) >= 24)
  expect_identical(old$customer, c("A", "C", "D")[c(TRUE, TRUE, TRUE)])
  expect_identical(audience(ledger, unless(age_of(born) < 99))$customer, "B")
  unsure <- audience_course(audience(ledger, age_of(born) > 30))
  expect_identical(c(unsure$cannot_be_told, unsure$customers), c(1L, 2L))
  expect_identical(unsure$missing, "latest_born")
  expect_identical(audience(ledger, age_of(born) > 30 | sales == 15)$customer, c("A", "B", "C"))
})

test_that("windows, returns and orders of several lines are those of the definitions", {
  ledger <- counted()
  # last = 11 days: 20 to 30 April, both included
  expect_identical(audience(ledger, sales(last = 11) == 30)$customer, "A")
  expect_identical(audience(ledger, bought(last = 10))$customer, character())
  expect_identical(audience(ledger, sales(kind == "kit") == 0)$customer, c("B", "D"))
  expect_identical(audience(ledger, purchases(kind == "kit") == 1)$customer, c("A", "D"))
  expect_identical(audience(ledger, returned(kind == "kit"))$customer, c("C", "D"))
  expect_identical(audience(ledger, days_since(kind == "yarn") == 56)$customer, "D")
  expect_identical(audience(ledger, days_since(kind == "kit") > 0)$`days_since(kind == "kit")`, c(
    10, 56
  ))
  expect_identical(audience(ledger, last_purchase > "2024-03-05")$customer, "A")
  expect_identical(audience(ledger, month_of(born) == 4)$customer, "D")
  expect_identical(nrow(audience(ledger, sales > 0, among = "2024-02")), 1L)
  total <- audience(ledger, sales() == sales)
  expect_identical(total$customer, c("A", "B", "C", "D")) # without conditions: all sales
})

test_both("sales() without a condition are the customers' sales to the cent", {
  for (seed in worlds(1:2, 1:6)) {
    ledger <- random_ledger(seed)
    span <- list(from = ledger$history_start, until = ledger$as_of)
    got <- reduce_lines(ledger, list(line_question(list(), span)))[[1L]]
    expect_identical(got$sales, reduce_customers(ledger)$sales)
    expect_identical(got$purchases, reduce_customers(ledger)$purchases)
    expect_identical(got$last, reduce_customers(ledger)$last)
  }
})

test_that("units are the mapped quantities of the lines, read with the file's mark", {
  lines <- data.frame(
    who = c("A", "A", "A", "B"), receipt = c("1", "1", "2", "3"), kind = c("x", "y", "x", "x"),
    day = as.Date("2024-03-01") + c(0, 0, 40, 3), pieces = c("1,5", "2", "", "3"),
    paid = c("10,50", "4,00", "6,00", "9,25")
  )
  map <- column_map(
    "who", "day", order = "receipt", category = "kind", quantity = "pieces", sales = "paid"
  )
  ledger <- open_ledger(lines, map, meanings(currency = "EUR", decimal_mark = ","))
  got <- audience(ledger, units(category == "x") >= 0, units() >= 0)
  expect_identical(got$`units(category == "x")`, c(1.5, 3))
  expect_identical(got$`units()`, c(3.5, 3))
  expect_identical(audience(ledger, units(until = "2024-03-03") > 3.4)$customer, "A")
  folder <- withr::local_tempdir()
  save_ledger(ledger, file.path(folder, "kept"))
  again <- open_ledger(file.path(folder, "kept"))
  expect_identical(audience(again, units() >= 0)$`units()`, c(3.5, 3))
  expect_false(".quantity" %in% names(customers(ledger)))
  lines$pieces[[2L]] <- "two"
  odd <- open_ledger(lines, map, meanings(currency = "EUR", decimal_mark = ","))
  expect_error(audience(odd, units() > 1), "two", class = "nubrek_error_rule")
  expect_error(audience(counted(), units() > 1), "no quantity", class = "nubrek_error_rule")
})

test_both("all questions to the lines in one pass answer as each alone, by any number of threads", {
  for (seed in worlds(1:2, 1:6)) {
    ledger <- random_ledger(seed)
    span <- list(from = ledger$history_start, until = ledger$as_of)
    one <- bquote(channel == .(levels(ledger$lines$channel)[[1L]]))
    questions <- list(
      line_question(list(one), span),
      line_question(list(quote(sales > 20), bquote(!.(one))), span),
      line_question(list(), list(from = ledger$as_of - 100, until = ledger$as_of))
    )
    together <- reduce_lines(ledger, questions)
    withr::with_options(list(nubrek.threads = 3L), {
      expect_identical(lapply(questions, \(one) reduce_lines(ledger, list(one))[[1L]]), together)
    })
  }
})

test_that("an audience may be a list of ids, and says which of them are not known", {
  ledger <- example_ledger()
  listed <- audience_of(ledger, c("P04", " P01", "P04", "X99"), "invited")
  expect_identical(listed$customer, c("P01", "P04"))
  expect_match(remarks(listed)$remark, "X99", all = FALSE)
  both <- audience(ledger, in_audience("invited") | sales > 200, known = list(listed))
  expect_identical(
    both$customer, sort(union(c("P01", "P04"), audience(ledger, sales > 200)$customer))
  )
  expect_error(audience_of(ledger, "X99", "lost"), "X99", class = "nubrek_error_argument")
  folder <- withr::local_tempdir()
  data.table::fwrite(example_orders(), file.path(folder, "orders.csv"))
  writeLines(c("card;who", "1;P01", "2;P07", "3;"), file.path(folder, "cards.csv"))
  write_study <- \(...) writeLines(c(
    "data: {orders: {files: orders.csv, columns: {customer: customer, order: receipt, date: day,",
    "  sales: amount, channel: shop}}}", "outputs: {report: no}", "audiences:", ...
  ), file.path(folder, "study.yaml"))
  write_study(
    "  carded: {files: cards.csv, key: who, description: holders of a card}",
    "  both: {rule: ['in_audience(\"carded\")', sales(channel == \"Web\", last = 900) >= 0]}"
  )
  run <- run_study(file.path(folder, "study.yaml"))
  expect_identical(run$audiences$description, c("holders of a card", ""))
  expect_identical(run$audiences$customers[[1L]], 2L)
  expect_true(file.path(folder, "cards.csv") %in% study_inputs(run$study))
  for (odd in c(
    "{files: cards.csv}", "{rule: sales > 1, files: cards.csv, key: who}", "{rool: x}"
  )) {
    write_study(paste("  carded:", odd))
    expect_error(read_study(file.path(folder, "study.yaml")), class = "nubrek_error_study")
  }
})

test_that("an audience over time and everybody else add up to the ledger", {
  ledger <- example_ledger()
  mine <- audience(ledger, purchases >= 2, name = "back")
  got <- audience_periods(mine, ledger = ledger, clock = "quarter")
  all <- customer_periods(ledger, "quarter")
  expect_equal(
    as.vector(tapply(got$sales, got$period, sum)[as.character(sort(unique(all$period)))]),
    as.vector(tapply(all$sales, all$period, sum))
  )
  # by hand: who of the members bought before the second quarter and in it
  before <- all[all$customer %in% mine$customer & all$purchases > 0L, ]
  second <- sort(unique(got$period))[[2L]]
  known <- unique(before$customer[before$period < second])
  row <- got[got$who == "back" & got$period == second, ]
  expect_identical(row$known, length(known))
  expect_identical(row$back, sum(known %in% before$customer[before$period == second]))
  expect_identical(row$active_share, row$back / row$known)
  several <- audience_periods(mine, audience(ledger, sales > 60), ledger = ledger)
  expect_identical(unique(several$who), c("back", "B", "all customers"))
  expect_s3_class(ggplot2::autoplot(several), "ggplot")
})

test_that("membership at a past day, who joined and left, audiences within audiences", {
  ledger <- counted()
  now <- audience(ledger, purchases >= 2, name = "back")
  before <- audience(ledger, open_gap <= 60, as_of = "2024-03-05", name = "lately")
  expect_identical(before$customer, c("A", "B", "D"))
  change <- audience_changes(now, before, ledger)
  expect_identical(change$customers, c(0L, 1L, 2L))
  expect_identical(change$sales, c(0, 50, 55))
  expect_identical(change$because, c("", "", "purchases >= 2"))
  gone <- audience_changes(
    audience(ledger, sales > 0, unless(returned()), among = "2024-02"), before, ledger
  )
  expect_identical(sum(gone$customers[gone$change == "left"]), sum(!before$customer %in% "A"))
  both <- audience(ledger, in_audience("back"), sales > 10, known = list(back = now))
  expect_identical(both$customer, "A")
  tiers <- assign_tiers(ledger, c(top = 30, rest = 70))
  expect_identical(audience(ledger, tier == "top", with = list(tiers))$customer, "A")
  expect_error(audience(ledger, in_audience("bakc"), known = list(back = now)), "Did you mean")
})

test_that("a rule says what is wrong, where, and the nearest word", {
  ledger <- example_ledger()
  wrong <- c(
    "salles > 3" = "Did you mean \"sales\"", "sales >= \"a lot\"" = "is text",
    "purchases(chanel == \"Web\") > 1" = "-+\\^",
    "first_channel == \"Webb\"" = "Did you mean \"Web\"",
    "channel == \"Web\"" = "stands in a measure: `purchases\\(channel",
    "sales" = "needs truth", "last_purchase > \"soon\"" = "no day", "sales(lst = 3) > 1" = "lst",
    "sales(last = 0) > 1" = "number of days",
    "sales(last = 1e999) > 1" = "number of days", "unless(a, b)" = "takes one condition",
    "sales > 3; sales < 9" = "cannot be read", "sales >" = "cannot be read",
    "in_audience(\"x\")" = "no earlier audience", "sales + first_channel > 2" = "does not go with",
    "!sales" = "needs truth", "between(sales, 1)" = "takes 3 parts", "month_of(sales) == 3" = "date"
  )
  for (rule in names(wrong)) {
    error <- expect_error(audience(ledger, rule = rule), class = "nubrek_error_rule")
    text <- cli::ansi_strip(conditionMessage(error))
    expect_match(gsub("\\s+", " ", text), wrong[[rule]], label = rule)
  }
  expect_error(audience(ledger), class = "nubrek_error_rule")
})

test_both("hostile and mutated rules end in a rule error or an answer, and evaluate nothing", {
  ledger <- example_ledger()
  trap <- withr::local_tempfile()
  hostile <- c(
    sprintf("system(\"touch %s\")", trap), sprintf("file.create(\"%s\")", trap),
    sprintf("(function() file.create(\"%s\"))()", trap), sprintf("base::file.create(\"%s\")", trap),
    sprintf("sales > {file.create(\"%s\"); 1}", trap), "`system`(\"ls\")", "sales$x > 1", "sales@x",
    "sales[[1]] > 1", "~sales", "?sales", "sales <- 3", "sales := 3", "if (TRUE) sales > 1",
    "repeat {}", "while (TRUE) 1", "quote(sales > 1)", "eval(parse(text = \"1\"))", "T & sales > 1",
    "s\u0430les > 1", "\u202esales > 1", "sales > NA", "sales > Inf", "sales > 1e999", "NULL",
    "sales > 1i", "c(1, 2)", "sales %in% sales", "sales(sales(last = 3) > 1) > 2", "sales > ''",
    paste0(strrep("(", 200), "sales", strrep(")", 200), " > 1"),
    paste0(strrep("!", 500), "(sales > 1)"),
    "sales > \xff1", "\xfcsales > 1", "first_channel == \"\xc3\x28\"",
    paste0(strrep("(", 5000), "sales > 1", strrep(")", 5000)), strrep("-", 3000),
    paste0("sales(", strrep("(", 3000), "sales > 1", strrep(")", 3000), ") > 1"),
    paste0(strrep("all_of(", 4000), "sales > 1", strrep(")", 4000)), "all_of(sales > 1, )",
    strrep("(", 5000), "first_channel == c(\"Web\")", "..1 > 2", "sales(, last = 3) > 1", ""
  )
  whole <- c(
    "purchases(channel == \"Web\", last = 90) >= 2 & !(open_gap > 30)", "between(sales, 10, 90)",
    "first_channel %in% c(\"Web\", \"Mill\") | overdue > 1.5",
    "unless(month_of(last_purchase) == 4)"
  )
  withr::local_seed(11)
  letters_of <- c(letters, strsplit("()\",=<&|!% 09${`", "")[[1L]])
  mutated <- vapply(seq_len(worlds(40L, 200L)), \(i) {
    text <- strsplit(sample(whole, 1L), "")[[1L]]
    for (k in seq_len(sample(4L, 1L))) {
      at <- sample(length(text), 1L)
      text[[at]] <- if (stats::runif(1L) < 0.4) "" else sample(letters_of, 1L)
    }
    paste(text, collapse = "")
  }, "")
  for (rule in c(hostile, mutated)) {
    end <- tryCatch(
      if (is.data.frame(audience(ledger, rule = rule))) "sound",
      nubrek_error_rule = \(e) "refused",
      nubrek_error = \(e) "refused",
      error = \(e) paste("base error:", conditionMessage(e))
    )
    expect_true(end %in% c("sound", "refused"), label = paste(rule, "-", end))
  }
  expect_false(file.exists(trap))
})

test_that("overlap and contrast are drawn to scale, and lead to the people", {
  ledger <- example_ledger()
  large <- audience(ledger, sales >= 60, name = "large")
  back <- audience(ledger, purchases >= 2, name = "back")
  third <- audience(ledger, first_channel == "Web", name = "web")
  two <- audience_overlap(large, back, ledger = ledger)
  behind <- rows_behind(two, ledger, place = "large and back")
  expect_setequal(behind$customer, intersect(large$customer, back$customer))
  each <- audience_overlap(large, back, ledger = ledger, by = "first_channel")
  some <- rows_behind(each, ledger, place = "only back", first_channel = "Web")
  expect_setequal(some$customer, setdiff(intersect(back$customer, third$customer), large$customer))
  drawn <- ggplot2::layer_data(ggplot2::autoplot(two), 2L)
  wide <- tapply(drawn$xmax - drawn$xmin, round((drawn$ymin + drawn$ymax) / 2), sum)
  expect_equal(sort(abs(as.vector(wide))), sort(as.double(c(nrow(large), nrow(back)))))
  three <- audience_overlap(large, back, third, ledger = ledger)
  expect_s3_class(ggplot2::autoplot(three), "ggplot")
  expect_s3_class(ggplot2::autoplot(each), "ggplot")
  # rows sorted or chosen keep their cells
  sorted <- three[order(-three$customers), ]
  expect_identical(describe(sorted)$finding, describe(three)$finding)
  expect_identical(
    overlap_blocks(sorted)[c("cell", "width")], overlap_blocks(three)[c("cell", "width")],
    ignore_attr = TRUE
  )
  inside <- sorted[sorted$place != "neither", ]
  expect_identical(sort(overlap_cells(inside)), setdiff(sort(overlap_cells(three)), 0L))
  contrast <- audience_differences(compare_audiences(third, ledger = ledger))
  points <- ggplot2::layer_data(ggplot2::autoplot(contrast), 3L)
  shown <- as.data.frame(contrast)
  shown <- shown[!shown$from_rule & is.finite(shown$standardised) & shown$level != "(missing)", ]
  expect_equal(points$x[seq_len(min(12L, nrow(shown)))], utils::head(shown$standardised, 12L))
  change <- audience_changes(back, large, ledger)
  left <- rows_behind(change, ledger, change = "left")
  expect_setequal(left$customer, setdiff(large$customer, back$customer))
})

test_that("audiences of the demo study are shown, listed, drawn and reported", {
  run <- pellmere()
  found <- attr(run$audiences, "audiences")
  expect_identical(run$audiences$audience, names(run$study$audiences))
  expect_identical(run$audiences$customers, unname(vapply(found, nrow, 0L)))
  expect_s3_class(ggplot2::autoplot(found[[1L]]), "ggplot")
  listed <- data.table::fread(file.path(dirname(run$files[[1L]]), "audiences.csv"))
  # with contact columns a list holds those who agreed to be contacted
  members <- audience_members(run$audiences)
  expect_identical(nrow(members), sum(run$audiences$customers))
  agreed <- consent_of(run$ledger, members$customer)$answer
  expect_identical(as.character(listed$customer), members$customer[agreed %in% TRUE])
  expect_true(all(c("customer", "name", "email", "audience") %in% names(listed)))
  # cut at commas by the brackets of YAML, put together again
  expect_identical(
    whole_conditions(c("purchases(category == \"Yarn\"", "last = 365) >= 3", "open_gap <= 120")),
    c("purchases(category == \"Yarn\", last = 365) >= 3", "open_gap <= 120")
  )
  # check looks at what a rule says of the data
  study <- read_study(demo_run()$study)
  study$audiences <- list(
    first = list(rule = "salles > 3"), second = list(rule = c("in_audience(\"fist\")", "tier == 3"))
  )
  problems <- expect_error(check_study_parts(study, run$ledger), class = "nubrek_error_study")
  expect_match(problems$problems, "fist|salles", all = FALSE)
  alone <- list(
    audiences = list(first = list(rule = "sales(chanel == \"Web store\") > 3")), path = study$path
  )
  problems <- expect_error(check_study_parts(alone, run$ledger), class = "nubrek_error_study")
  expect_match(problems$problems, "chanel.*Did you mean")
  expect_identical(sum(run$overlap$customers), basis_of(found[[1L]], "population"))
  expect_identical(unique(run$contrasts$audience), names(found))
  job <- command_parse(c(
    "show", "contrasts", demo_run()$study,
    "--name", names(found)[[3L]], "--against", names(found)[[1L]]
  ))
  beside <- part_record("contrasts")$read(run$contrasts, job, run$study, run$ledger)
  expect_identical(basis_of(beside, "names"), names(found)[c(3L, 1L)])
  counted <- command_parse(c("count", "sales >= 200; purchases > 2", demo_run()$study))
  expect_identical(counted$rule, "sales >= 200; purchases > 2")
  said <- capture.output(command_do(counted)())
  expect_match(said, "sales >= 200", fixed = TRUE, all = FALSE)
})

test_that("overlap is that of paper, chance and odds those of the fourfold table", {
  ledger <- counted()
  large <- audience(ledger, sales >= 40, name = "large")
  back <- audience(ledger, purchases >= 1, name = "bought")
  got <- audience_overlap(large, back, ledger = ledger)
  expect_identical(got$place, c("neither", "only large", "only bought", "large and bought"))
  expect_identical(got$customers, c(1L, 0L, 1L, 2L))
  expect_identical(got$sales, c(-7, 0, 15, 90))
  expect_equal(basis_of(got, "expected"), 2 * 3 / 4)
  expect_equal(basis_of(got, "lift"), 4 / 3)
  each <- audience_overlap(large, back, ledger = ledger, by = "kind")
  expect_identical(sum(each$customers), 4L)
  expect_identical(
    as.vector(tapply(each$customers, each$place, sum)[got$place]), got$customers
  )
  three <- audience_overlap(
    large, back, audience(ledger, returned(), name = "returned"), ledger = ledger
  )
  expect_identical(sum(three$customers), 4L)
  expect_identical(three$place, c(
    "only bought", "large and bought", "only returned", "large and bought and returned"
  ))
  past <- audience(ledger, sales >= 40, as_of = "2024-03-31")
  expect_error(audience_overlap(large, past, ledger = ledger), class = "nubrek_error_argument")
  # many: the interval is the conditional one, and every level adds up
  many <- random_ledger(11, random_orders(11, 900L))
  a <- audience(many, rule = paste("sales >", stats::median(customers(many)$sales)))
  b <- audience(many, first_channel == "Mill")
  of <- audience_overlap(a, b, ledger = many)
  expect_gt(min(of$customers), 0L)
  odds <- stats::fisher.test(matrix(of$customers[c(4L, 3L, 2L, 1L)], 2L))
  expect_equal(basis_of(of, "odds_ratio"), unname(odds$estimate), tolerance = 1e-3)
  expect_equal(
    c(basis_of(of, "lower"), basis_of(of, "upper")), as.vector(odds$conf.int), tolerance = 1e-3
  )
  every <- audience_overlap(a, audience(many, sales == sales), ledger = many)
  expect_identical(basis_of(every, "odds_ratio"), NA_real_)
  expect_no_match(describe(every)$finding, "odds|NA")
})

test_that("contrasts are Welch's of means and Newcombe's of shares, the rule's own set apart", {
  # Newcombe (1998), table II: 56 of 70 against 48 of 80
  got <- newcombe(56 / 70, 70, 48 / 80, 80, stats::qnorm(0.975))
  expect_equal(c(got$lower, got$upper), c(0.0524, 0.3339), tolerance = 1e-3)
  ledger <- pellmere()$ledger
  mine <- audience(ledger, first_channel == "Web store", purchases >= 2, name = "web")
  found <- audience_differences(compare_audiences(mine, ledger = ledger))
  everybody <- customers(ledger, everybody = TRUE)
  inside <- everybody$customer %in% mine$customer
  sales <- found[found$what == "sales", ]
  test <- stats::t.test(everybody$sales[inside], everybody$sales[!inside])
  expect_equal(c(sales$lower, sales$upper), as.vector(test$conf.int))
  expect_equal(c(sales$inside, sales$outside), unname(test$estimate))
  age <- found[found$what == "age" & found$level == "30 to 44", ]
  expect_equal(age$inside, mean(everybody$age[inside] %in% "30 to 44"))
  expect_true(all(found$from_rule[found$what %in% c("first_channel", "purchases", "orders")]))
  expect_false(any(found$from_rule[found$what %in% c("age", "sales", "first_category")]))
  expect_false(is.unsorted(found$from_rule)) # what the rule says itself is last
  free <- abs(found$standardised[!found$from_rule])
  expect_false(is.unsorted(-free))
  # against another: customers in both are in neither side
  large <- audience(ledger, sales >= 200, name = "large")
  two <- compare_audiences(mine, large, ledger)
  both <- length(intersect(mine$customer, large$customer))
  expect_identical(basis_of(audience_differences(two), "sizes"), c(nrow(mine), nrow(large)) - both)
  expect_identical(two$place, c("only a", "both", "only b", "neither"))
  expect_identical(two$customers[1:3], c(nrow(mine) - both, both, nrow(large) - both))
  expect_identical(sum(two$customers), nrow(everybody))
  expect_equal(two$share_of_a, c(1 - both / nrow(mine), both / nrow(mine), NA, NA))
  expect_equal(two$share_of_b, c(NA, both / nrow(large), 1 - both / nrow(large), NA))
  each <- compare_audiences(mine, large, ledger, by = "age")
  expect_identical(
    as.vector(tapply(each$customers, each$place, sum)[two$place]), two$customers
  )
  expect_setequal(rows_behind(two, ledger, place = "both")$customer, intersect(
    mine$customer, large$customer
  ))
  same <- compare_audiences(mine, mine, ledger)
  expect_identical(same$customers[1:3], c(0L, nrow(mine), 0L))
  expect_error(audience_differences(same), class = "nubrek_error_argument")
  overlap <- audience_overlap(mine, large, ledger = ledger, by = "age")
  for (result in list(found, two, each, overlap)) {
    expect_match(capture.output(print(result)), "\\.$", all = FALSE)
  }
})

test_that("43: bought() and its kin count purchases, and a missing cell is told apart row by row", {
  lines <- utils::read.csv(text = "who,no,day,kind,paid
    A,1,2024-01-03,Yarn,20
    A,2,2024-02-01,Yarn,15
    A,2,2024-02-01,Kit,-15
    B,3,2024-01-05,,8
    B,4,2024-01-09,Kit,5
    C,5,2024-01-09,Yarn,4
    C,5,2024-01-09,,-9
    D,6,2024-03-01,,3", colClasses = "character", strip.white = TRUE, na.strings = "none")
  map <- column_map("who", "day", order = "no", sales = "paid", category = "kind")
  con <- local_database(lines = lines)
  stores <- list(
    open_ledger(lines, map, meanings(currency = "EUR")),
    open_ledger(db_table(con, "lines"), map, meanings(currency = "EUR"), workspace = "temporary")
  )
  for (ledger in stores) {
    of <- \(rule) audience(ledger, rule = rule)
    got <- of("purchases(category == \"Yarn\") >= 0")
    # A's second order is worth 0, C's less: neither is a purchase
    expect_identical(got$customer, c("A", "B", "C", "D"))
    expect_identical(got[[2L]], c(1, 0, 0, 0))
    expect_identical(of("bought(category == \"Yarn\")")$customer, "A")
    last <- of("days_since(category == \"Yarn\") >= 0")
    expect_identical(last[[2L]], as.double(as.Date("2024-03-01") - as.Date("2024-01-03")))
    # the money is of all lines
    expect_identical(of("sales(category == \"Yarn\") >= 0")[[2L]], c(35, 0, 4, 0))
    for (rule in c("is_missing(category)", "is_missing(category) & sales > 0")) {
      got <- of(sprintf("purchases(%s) > 0", rule))
      expect_identical(got$customer, c("B", "D"), label = rule)
      expect_identical(got[[2L]], c(1, 1), label = rule)
    }
    # what cannot be told is neither the one nor the other
    expect_identical(of("bought(category != \"Yarn\")")$customer, "B")
    expect_identical(of("bought(!(category == \"Yarn\"))")$customer, "B")
    expect_identical(of("bought(category == \"Kit\" | is_missing(category))")$customer, c("B", "D"))
  }
})

test_that("42, 45: a birthday is one number in each year; a past day knows nobody of later", {
  rows <- data.frame(
    who = c("A", "B", "C", "A"), no = 1:4, paid = c("5", "6", "7", "8"),
    day = c("2024-01-03", "2024-02-01", "2024-05-09", "2024-06-01")
  )
  people <- attribute_table(
    data.frame(
      id = c("A", "B", "C", "D", "E"), joined = c("", "2023-12-01", "2024-01-15", "2024-04-01", ""),
      born = c("1999-03-01", "2000-03-01", "2000-02-29", "2001-12-31", "1996-12-31")
    ),
    "id", c("joined", "born")
  )
  open <- \(...) add_contacts(
    open_ledger(rows, column_map("who", "day", order = "no", sales = "paid"), meanings(
      currency = "EUR", ...
    ), customers = people),
    data.frame(customer = c("A", "B"), day = c("2024-01-20", "2024-05-01"))
  )
  ledger <- open(registered = "joined")
  expect_identical(audience(ledger, day_of_year(born) == 61)$customer, c("A", "B"))
  expect_identical(audience(ledger, day_of_year(born) == 60)$customer, "C")
  expect_identical(audience(ledger, day_of_year(born) == 366)$customer, c("D", "E"))
  # C was registered by March, D was not; of E nobody knows since when
  at <- \(ledger) audience(ledger, purchases >= 0, as_of = "2024-03-01")
  expect_identical(at(ledger)$customer, c("A", "B", "C", "E"))
  expect_identical(at(open())$customer, c("A", "B", "D", "E"))
  expect_identical(basis_of(at(ledger), "population"), 4L)
  letters <- audience(ledger, contacted(until = "2024-12-31"), as_of = "2024-03-01")
  expect_identical(letters$customer, "A")
  expect_identical(audience(ledger, contacted(until = "2024-12-31"))$customer, c("A", "B"))
})

test_that("46: the odds ratio and its interval are those of enumeration, however strong", {
  # by whole numbers: the polynomials of the ratio, whose values at the ends are known
  chance <- function(ratio, both, first, second, all, at_least) {
    x <- max(0, first + second - all):min(first, second)
    w <- choose(first, x) * choose(all - first, second - x) * ratio^x
    sum(w[if (at_least) x >= both else x <= both]) / sum(w)
  }
  for (case in list(c(3, 8, 9, 30), c(1, 4, 5, 12), c(9, 10, 11, 20), c(5, 12, 7, 19))) {
    got <- odds_of(case[[1L]], case[[2L]], case[[3L]], case[[4L]])
    expect_equal(do.call(chance, c(list(got[[2L]]), as.list(case), TRUE)), 0.025)
    expect_equal(do.call(chance, c(list(got[[3L]]), as.list(case), FALSE)), 0.025)
    x <- max(0, case[[2L]] + case[[3L]] - case[[4L]]):min(case[[2L]], case[[3L]])
    w <- choose(case[[2L]], x) * choose(case[[4L]] - case[[2L]], case[[3L]] - x) * got[[1L]]^x
    expect_equal(sum(x * w) / sum(w), case[[1L]])
  }
  # a cell of nobody, and only that, has no end
  expect_identical(odds_of(0, 4, 5, 20)[1:2], c(0, 0))
  expect_identical(odds_of(4, 4, 5, 20)[c(1L, 3L)], c(Inf, Inf))
  expect_identical(odds_of(5, 5, 5, 5), c(NA_real_, 0, Inf))
  strong <- odds_of(20000, 20001, 20003, 1e6)
  expect_true(all(is.finite(strong)) && all(diff(strong[c(2L, 1L, 3L)]) > 0))
  expect_equal(log(strong[[1L]]), log(20000 * (1e6 - 20004) / 3), tolerance = 0.02)
  expect_gt(strong[[3L]], 1e10)
  # one pair of groups the other way round
  weak <- odds_of(30, 300, 200, 5000)
  turned <- odds_of(270, 300, 4800, 5000)
  expect_equal(weak, 1 / turned[c(1L, 3L, 2L)], tolerance = 1e-9)
})
