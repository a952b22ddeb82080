test_that("names become neither formulas in lists nor scripts in the report (trap)", {
  without_figures(but = "nubrek_rate")
  run <- nasty_run(withr::local_tempdir())
  tiers <- utils::read.csv(
    grep("tiers", run$files, value = TRUE), colClasses = "character", fileEncoding = "UTF-8-BOM"
  )
  expect_false(any(grepl("^[=+@\t\r-]", tiers$name)))
  expect_true("'=HYPERLINK(\"x\")" %in% tiers$name)
  html <- paste(readLines(run$files[[1L]]), collapse = "\n")
  expect_false(grepl("<script>document.title|<img src=x", html))
  expect_true(grepl("<text[^>]*>[^<]*&lt;script&gt;document", html)) # it stands in a figure, too
  expect_false(grepl("(src|href)=\"(https?:)?//", html)) # nothing is loaded from elsewhere
  skip_without_browser()
  dom <- browse(run$files[[1L]])
  expect_true(grepl("&lt;script&gt;document.title", dom, fixed = TRUE))
  expect_false(grepl("<title>owned|<img src=\"?x", dom))
})

test_that("figures say their finding, name what is left out, and hold the numbers of the result", {
  counts <- ggplot2::autoplot(pellmere()$counts)
  expect_match(counts$labels$title, "^The most common number of purchases is one")
  expect_identical(sum(counts$data$customers), sum(pellmere()$counts$customers))
  grid <- ggplot2::autoplot(pellmere()$cohorts, cohorts = 36L)
  expect_match(grid$labels$caption, "\u2020 may hold older customers")
  retention <- grid_measure(pellmere()$cohorts)
  bottom <- bottom_lines(retention)
  expect_equal(sort(grid$data$value), sort(c(retention$value, bottom$value)))
  # partial cells are marked, cells not observed are not there
  expect_identical(sum(!grid$data$complete), sum(!retention$complete))
  expect_match(ggplot2::autoplot(pellmere()$tiers)$labels$title, "cashmere")
  expect_match(ggplot2::autoplot(pellmere()$backtest)$labels$title, "naive rule")
})

test_that("every result prints its finding, its basis and what it left out, within 100 columns", {
  withr::local_options(width = 100)
  for (part in c(
    "audit", "repeat", "counts", "cohorts", "rfm", "tiers", "forecast", "backtest", "proof"
  )) {
    lines <- capture.output(out <- print(pellmere()[[part]]))
    expect_identical(
      out,
      if (part == "cohorts") grid_measure(pellmere()$cohorts) else pellmere()[[part]],
      label = part
    )
    expect_lte(max(nchar(lines, "width")), 100, label = part)
    expect_match(lines, "as of 14 Dec 2025", all = FALSE, label = part)
  }
  expect_match(capture.output(print(pellmere()$counts)), "more rows: print", all = FALSE)
})

test_that("lists are whole or not at all", {
  expect_error(
    write_list(example_orders(), file.path(tempdir(), "nowhere", "x.csv")),
    class = "nubrek_error_file"
  )
  expect_error(
    write_list(example_orders(), tempfile(fileext = ".csv"), columns = "no"),
    class = "nubrek_error_columns"
  )
  path <- file.path(withr::local_tempdir(), "half.csv")
  expect_error(
    write_whole(path, \(to) {
      writeLines("half", to)
      stop("broken")
    }),
    "broken"
  )
  expect_false(file.exists(path))
  expect_identical(list.files(dirname(path), "^[.]nubrek-", all.files = TRUE), character())
})

test_that("the figure of groups is drawn where their intervals are not known", {
  few <- random_ledger(27, random_orders(27, 900L), history_start = "2024-05-05")
  value <- value_by(few, "first_channel", money = economics(0.4), seed = 4)
  expect_type(value$value_lower, "double")
  expect_no_error(ggplot2::ggplot_build(ggplot2::autoplot(value)))
})
