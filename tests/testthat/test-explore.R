skip_without_explorer <- function() {
  for (package in c("shiny", "bslib", "callr")) skip_if_not_installed(package)
}

demo_exploration <- function() {
  new_exploration(read_study(system.file("pellmere", "study.yaml", package = "nubrek")))
}

# What the knobs of a view say at first, with some moved.
view_values <- function(state, view, ...) {
  knobs <- view$knobs(state$study, state$ledger)
  values <- stats::setNames(lapply(knobs, `[[`, "value"), vapply(knobs, `[[`, "", "id"))
  utils::modifyList(values, list(...))
}

test_long("every view gives the numbers of its call and of its saved study, also of a slice", {
  state <- demo_exploration()
  moved <- list(
    map = list(purchases = 4, mean_sales = 31), tiers = list(share1 = 7), payback = list(cost = 55),
    new = list(lookback = 2, clock = "quarter"), cohorts = list(clock = "quarter"),
    waits = list(nth = 3), audiences = list(rule = "purchases >= 3\nopen_gap > 100"),
    shares = list(years = 2.5, margin = 30)
  )
  for (lines in list(list(), list(channel = "Web store"))) {
    reopened <- NULL
    for (view in explore_views()) {
      values <- do.call(view_values, c(list(state, view), moved[[view$part]]))
      shown <- view$show(explored_result(state, view, values, lines), values)$x
      calls <- parse(text = explored_call(state, view, values, lines))
      place <- list2env(list(ledger = state$ledger), parent = asNamespace("nubrek"))
      for (call in calls) told <- eval(call, place)
      # the call of cohorts gives the measure, that of an audience the audience itself
      same <- switch(view$part,
        cohorts = shaded_grid(told, values$most)$x,
        audiences = audience_course(told),
        view$show(told, values)$x
      )
      expect_identical(plain_table(same), plain_table(shown), label = view$part)
      path <- save_explored(state, view, values, lines, withr::local_tempfile(fileext = ".yaml"))
      study <- read_study(path)
      study$path <- state$study$path # beside the data
      reopened <- reopened %||% open_study_ledger(study)
      again <- ask_part(view$part, study, reopened)
      expect_identical(
        plain_table(view$show(again, values)$x),
        plain_table(shown),
        label = paste(view$part, "saved")
      )
    }
  }
})

# A small shop with its study.
local_study <- function(frame = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = frame)
  data.table::fwrite(random_orders(11L, 400L), file.path(folder, "orders.csv"))
  path <- file.path(folder, "study.yaml")
  writeLines(c(
    "data:", "  orders:", "    files: orders.csv",
    "    columns: {customer: customer, order: receipt, date: day, sales: amount, channel: shop}",
    "meanings:", "  currency: EUR", "  cancelled: {column: state, values: [cancelled]}"
  ), path)
  path
}

# All keys that marks of an answer ask with, in the order drawn.
keys_of <- function(html) {
  found <- regmatches(html, gregexpr("data-key=\"[^\"]*\"", html))[[1L]]
  gsub("&quot;", "\"", sub("data-key=\"(.*)\"", "\\1", unique(found)))
}

asked_behind <- function(state, view, key, ...) {
  values <- view_values(state, explore_views()[[view]], ...)
  explored_behind(state, list(part = view, values = values, lines = list(), key = key))$html |>
    as.character()
}

test_that("behind each mark stand the people that it counts, and their orders", {
  study <- read_study(local_study())
  state <- new_exploration(study)
  who <- plain_table(customers(state$ledger))
  who <- who[who$purchases > 0, ]
  answer <- \(view, ...) explored_answer(state, list(
    part = view, values = view_values(state, explore_views()[[view]], ...), lines = list(),
    width = 700
  ))
  # the cells of the plane hold every buyer once
  keys <- lapply(keys_of(answer("map", top = 0)$drawn), jsonlite::fromJSON)
  counted <- vapply(keys, \(key) {
    k <- lapply(key, as.double)
    sum(
      who$purchases >= k$purchases_from & who$purchases <= k$purchases_until &
        who$sales / who$purchases >= k$sales_from & who$sales / who$purchases < k$sales_below
    )
  }, 0L)
  expect_identical(sum(counted), nrow(who))
  for (i in c(1L, length(keys))) {
    key <- jsonlite::toJSON(keys[[i]], auto_unbox = TRUE)
    expect_match(asked_behind(state, "map", key), paste0("of ", counted[[i]], ".customer"))
  }
  # after a condition those are left who meet it
  left <- audience(state$ledger, purchases >= 2)
  expect_match(
    asked_behind(state, "audiences", "{\"step\":\"1\"}", rule = "purchases >= 2\nsales > 100"),
    paste0("of ", nrow(left), ".customers")
  )
  # a payback's point holds what its cohorts bought until that age, no more
  pool <- payback_pool(cohort_payback(
    cohort_grid(state$ledger, margin = 0.45), cost = 30, together = TRUE
  ))
  for (age in range(pool$age)) {
    expect_match(
      asked_behind(state, "payback", sprintf("{\"age\":\"%d\"}", age)),
      paste0("of ", pool$size[pool$age == age], ".customer")
    )
  }
  # each picture has marks, and each of them an answer
  for (view in names(explore_views())) {
    x <- answer(view)
    expect_null(x$wrong, label = view)
    expect_gt(length(keys_of(paste(x$drawn, x$table))), 0L)
  }
})

test_that("text from files stays text in the page, whatever it is", {
  odd <- c("<img src=x onerror=a()>", "\"]},{\\", "=1+1", "tea\ttwo \033[31mred")
  orders <- data.frame(
    customer = rep(c("007", "8", "9"), 4L), day = as.Date("2024-01-01") + 20 * 1:12, sales = 5,
    channel = rep(odd, each = 3L)
  )
  folder <- withr::local_tempdir()
  data.table::fwrite(orders, file.path(folder, "o.csv"))
  writeLines(c(
    "data:", "  orders:", "    files: o.csv",
    "    columns: {customer: customer, date: day, sales: sales, channel: channel}",
    "meanings: {currency: EUR}"
  ), file.path(folder, "study.yaml"))
  state <- new_exploration(read_study(file.path(folder, "study.yaml")))
  expect_match(asked_behind(state, "map", "{\"customer\":\"007\"}"), "of 1.customer")
  start <- as.character(explore_page(explore_start(state)))
  expect_false(grepl("<img", start, fixed = TRUE))
  marks <- pick_attributes(list(part = "tiers"), data.frame(tier = odd))
  expect_false(any(grepl("[<\033\t]", marks)))
  keys <- vapply(keys_of(paste(marks, collapse = "")), \(key) {
    jsonlite::fromJSON(gsub("&lt;", "<", gsub("&gt;", ">", key)))$tier
  }, "", USE.NAMES = FALSE)
  expect_identical(keys, odd)
})

test_long("the page works on a ledger in parts and on one in a database", {
  skip_if_not_installed("RSQLite")
  plain <- new_exploration(read_study(local_study()))
  con <- local_database(lines = random_orders(11L, 400L))
  map <- column_map("customer", "day", "receipt", "amount", channel = "shop")
  said <- meanings(currency = "EUR", cancelled = order_rule("state", "cancelled"))
  states <- lapply(list(
    parts = in_parts(plain$ledger, 3L),
    database = open_ledger(db_table(con, "lines"), map, said, workspace = "temporary")
  ), \(ledger) {
    state <- new.env()
    state$study <- plain$study
    state$ledger <- ledger
    state$kept <- list()
    state
  })
  for (state in states) {
    for (view in explore_views()) {
      ask <- list(part = view$part, values = view_values(plain, view), lines = list(), width = 800)
      expect_identical(explored_answer(state, ask), explored_answer(plain, ask), label = view$part)
    }
  }
})

test_long("long work can be stopped, old questions are dropped, a dead worker is replaced", {
  skip_without_explorer()
  desk <- new_desk(read_study(local_study()))
  withr::defer(close_desk(desk))
  start <- desk_start(desk)
  expect_setequal(names(start$knobs), names(explore_views()))
  got <- list()
  told <- \(name) \(x) got[[name]] <<- x
  ask <- \(slot, name, what = "answer") desk_ask(desk, slot, list(
    what = what, part = "counts", values = list(), lines = list(), width = 500
  ), told(name))
  settle <- \() while (desk_busy(desk)) {
    desk_step(desk)
    Sys.sleep(0.02)
  }
  for (i in 1:5) ask("view", paste0("n", i))
  settle()
  expect_named(got, "n5")
  expect_match(got$n5$said, "most common")
  # sleeping stands for long work
  sleep <- \(name) {
    desk$now <- list(slot = "view", ask = list(), done = told(name), since = Sys.time() - 2)
    desk$worker$call(\() repeat Sys.sleep(60), package = FALSE)
  }
  sleep("long")
  expect_match(desk_words(desk), "computing")
  ask("view", "newer")
  settle()
  expect_match(got$long$wrong, "Stopped")
  expect_match(got$newer$said, "most common")
  sleep("lost")
  tools::pskill(desk$worker$get_pid(), 9L)
  settle()
  expect_match(got$lost$wrong, "opened again")
  ask("view", "after")
  settle()
  expect_match(got$after$said, "most common")
})

test_that("in the browser: knobs move numbers, a click shows the orders, a token is asked for", {
  skip_without_explorer()
  skip_without_browser()
  folder <- withr::local_tempdir()
  file.copy(
    list.files(system.file("pellmere", package = "nubrek"), full.names = TRUE), folder
  )
  study <- file.path(folder, "study.yaml")
  log <- in_background("Rscript", c("-e", sprintf(
    "nubrek::explore_study(%s, open = FALSE)", deparse(study)
  )))
  address <- wait_for(\() {
    found <- regmatches(
      text <- paste(readLines(log, warn = FALSE), collapse = "\n"),
      regexpr("http://127[^ ]*token=[0-9a-f]+", text)
    )
    if (length(found) > 0L) found
  })
  refused <- drive_browser(sub("token=.*", "token=0", address))
  wait_for(\() if (grepl("^403", refused("document.body.innerText.trim()"))) TRUE)
  # who asks without the token, by another name, or from another page gets nothing
  status <- \(path, ...) {
    found <- curlGetHeaders(paste0(sub("/[?].*", "", address), path), redirect = FALSE)
    attr(found, "status")
  }
  expect_identical(status("/?token=0"), 403L)
  expect_identical(status("/"), 403L)
  page <- drive_browser(address)
  # the address says the token no more, and no script can read it
  wait_for(\() if (identical(page("location.pathname + location.search"), "/")) TRUE)
  expect_identical(page("document.cookie"), "")
  # a text of the page, once it is as wanted
  when <- \(script, holds) wait_for(\() {
    value <- page(script)
    if (holds(value)) value
  })
  text_of <- \(id) sprintf("document.getElementById('%s')?.innerText ?? ''", id)
  set <- \(id, value) page(sprintf(paste0(
    "{ const x = document.getElementById('%s'); x.value = '%s'; ",
    "for (const e of ['input', 'change']) x.dispatchEvent(new Event(e, {bubbles: true})); }"
  ), id, value))
  show <- \(view) page(sprintf("document.querySelector('a[data-value=%s]').click()", view))
  when(text_of("cohorts_said"), \(text) grepl("bought in the month", text))
  ledger <- study_ledger(study)
  show("map")
  when(text_of("map_said"), nzchar)
  set("map_purchases", 4)
  set("map_mean_sales", 31)
  expected <- map_profile(order_map(ledger, cut = c(purchases = 4, mean_sales = 31)))
  told <- when(text_of("map_table"), \(text) grepl(format_count(expected$customers[[1L]]), text))
  for (n in format_count(expected$customers)) expect_true(grepl(n, told, fixed = TRUE))
  # a click on a region shows its orders
  page("document.querySelector('#map_table .pick').click()")
  behind <- rows_behind(
    order_map(ledger, cut = c(purchases = 4, mean_sales = 31)), ledger,
    region = expected$region[[1L]]
  )
  said <- when(text_of("map_behind"), \(text) grepl("orders of", text))
  expect_true(grepl(format_count(nrow(behind)), said, fixed = TRUE))
  # saved, the study says the same
  page("document.querySelector('[data-value=map] .repeat-it').open = true")
  page("document.getElementById('map_save').click()")
  when(text_of("map_saved"), \(text) grepl("explored-map.yaml", text))
  saved <- read_study(file.path(folder, "explored-map.yaml"))
  expect_identical(as.double(saved$map$cut), c(4, 31))
  # many quick changes leave the last one, and no error
  show("new")
  page("document.querySelector('[data-value=new] .repeat-it').open = true")
  when(text_of("new_call"), nzchar)
  for (i in 1:200) set("new_lookback", i %% 40L + 1L)
  expected <- new_returning(ledger, "month", lookback = 200L %% 40L + 1L)
  last <- format_count(utils::tail(expected$returning, 1L))
  when(text_of("new_call"), \(text) grepl("lookback = 1L", text, fixed = TRUE))
  when(text_of("new_table"), \(text) grepl(last, text, fixed = TRUE))
  expect_identical(page("document.querySelectorAll('.shiny-output-error, .wrong').length"), 0L)
  # a rule that cannot be is told in the page
  show("audiences")
  set("audiences_rule", "saless >= 3")
  wrong <- when(text_of("audiences_said"), \(text) grepl("saless", text))
  expect_true(grepl("sales", wrong))
  # nothing was asked of anybody else
  asked <- page("performance.getEntriesByType('resource').map(r => r.name)")
  origin <- sub("/[?].*", "", address)
  expect_true(all(startsWith(unlist(asked), origin)))
})

test_that("who may come in: own address, own page, the cookie", {
  asked <- \(host = "127.0.0.1:4321", ...) list(HTTP_HOST = host, ...)
  own <- \(...) is_own_request(asked(...), "127.0.0.1", 4321L)
  expect_true(own())
  expect_true(own("localhost:4321", HTTP_ORIGIN = "http://localhost:4321"))
  expect_false(own("shop.example:4321"))
  expect_false(own("127.0.0.1:4322"))
  expect_false(own(HTTP_ORIGIN = "http://shop.example"))
  expect_false(own(HTTP_ORIGIN = "null"))
  expect_false(is_own_request(list(), "127.0.0.1", 4321L))
  expect_true(is_own_request(asked("[::1]:80"), "::1", 80L))
  expect_true(has_cookie(asked(HTTP_COOKIE = "a=b; nubrek_4321=abc"), "abc", 4321L))
  expect_false(has_cookie(asked(HTTP_COOKIE = "nubrek_4321=abcd"), "abc", 4321L))
  expect_false(has_cookie(asked(HTTP_COOKIE = "nubrek_4322=abc"), "abc", 4321L))
  expect_false(has_cookie(asked(), "", 4321L))
})

test_that("values that no control sends are refused before a view sees them", {
  start <- list(knobs = list(map = list(), new = list()), filters = list(channel = c("p", "y")))
  number <- list(kind = "number", value = 3, low = 1, high = 9)
  choice <- list(kind = "choice", value = "a", choices = list(A = "a", B = "b"))
  text <- list(kind = "text", value = "sales > 1")
  strange <- list(
    NULL, NA, NaN, Inf, -1e300, "x", "\xff", character(), c("a", "b"), list(), list(1), TRUE,
    strrep("x", 1e5), list(view = "map"), list(view = "no", key = "{}"),
    list(view = "map", key = "{\"a\":{\"b\":1}}"), list(view = "map", key = "[1"),
    list(view = "map", key = "{\"a\":[1,2]}")
  )
  for (given in strange) {
    expect_null(let_in$view(given, start))
    expect_null(let_in$picked(given, start))
    expect_true(is.finite(let_in$room(given, start)))
    expect_length(let_in$lines(list(channel = given, other = given), start), 0L)
    expect_true(knob_value(number, given) %in% c(1, 3))
    expect_identical(knob_value(choice, given), "a")
    value <- knob_value(text, given)
    expect_true(value %in% list("sales > 1", "x"))
  }
  expect_identical(let_in$view("new", start), "new")
  picked <- list(view = "map", key = "{\"region\":\"often\",\"age\":null}")
  expect_identical(let_in$picked(c(picked, more = 1), start), picked)
  expect_identical(let_in$lines(list(channel = c("y", "z")), start), list(channel = "y"))
  expect_identical(knob_value(number, 12), 9)
  expect_identical(knob_value(choice, "b"), "b")
})

test_that("another address is warned of, and what is lacking is told", {
  expect_error(explore_study("nowhere.yaml"), class = "nubrek_error_file")
  expect_match(secret_token(), "^[0-9a-f]{32}$")
  expect_false(secret_token() == secret_token())
})
