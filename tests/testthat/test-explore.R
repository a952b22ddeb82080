skip_without_explorer <- function() {
  skip_if_not_installed("shiny")
  skip_if_not_installed("bslib")
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

test_that("every view gives the numbers of its call and of its saved study, also of a slice", {
  state <- demo_exploration()
  moved <- list(
    map = list(purchases = 4, mean_sales = 31), tiers = list(share1 = 7), payback = list(cost = 55),
    new = list(lookback = 2, clock = "quarter"), cohorts = list(clock = "quarter"),
    waits = list(nth = 3), audiences = list(rule = "purchases >= 3\nopen_gap > 100")
  )
  for (view in explore_views()) {
    values <- do.call(view_values, c(list(state, view), moved[[view$part]]))
    for (lines in list(list(), list(channel = "Web store"))) {
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
      again <- ask_part(view$part, study, open_study_ledger(study))
      expect_identical(
        plain_table(view$show(again, values)$x),
        plain_table(shown),
        label = paste(view$part, "saved")
      )
    }
  }
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
  }, 120)
  refused <- drive_browser(sub("token=.*", "token=0", address))
  wait_for(\() if (identical(refused("document.body.innerText.trim()"), "403")) TRUE)
  page <- drive_browser(address)
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

test_that("another address is warned of, and what is lacking is told", {
  expect_error(explore_study("nowhere.yaml"), class = "nubrek_error_file")
  expect_match(secret_token(), "^[0-9a-f]{32}$")
  expect_false(secret_token() == secret_token())
})
