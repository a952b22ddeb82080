test_long("each figure of the gallery is drawn by the code beside it", {
  page <- test_path("../../vignettes/articles/figures.Rmd")
  skip_if_not(file.exists(page), "sources not at hand")
  text <- readLines(page, encoding = "UTF-8")
  inside <- cumsum(grepl("^```", text)) %% 2L == 1L & !grepl("^```", text)
  drawn <- Filter(\(x) identical(x[[1L]], quote(autoplot)), as.list(parse(text = text[inside])))
  expect_gte(length(drawn), 20L)
  place <- list2env(list(
    ledger = ledger_slice(pellmere()$ledger, customers = list(first_channel = "Fern Street")),
    autoplot = ggplot2::autoplot
  ), parent = asNamespace("nubrek"))
  for (call in drawn) expect_s3_class(eval(call, place), "ggplot")
})

test_that("each call and each command of the page of questions runs", {
  page <- test_path("../../vignettes/how-do-i.Rmd")
  skip_if_not(file.exists(page), "sources not at hand")
  rows <- grep("^\\| .*`", readLines(page, encoding = "UTF-8"), value = TRUE)
  expect_gte(length(rows), 40L)
  cells <- regmatches(rows, gregexpr("`[^`]+`", rows))
  expect_true(all(lengths(cells) == 2L))
  code <- gsub("`", "", unlist(cells))
  calls <- code[c(TRUE, FALSE)]
  commands <- code[c(FALSE, TRUE)]
  whole <- pellmere()$ledger
  place <- list2env(list(
    # the customers of one shop are enough, but for the letter that was drawn among all
    ledger = ledger_slice(whole, customers = list(first_channel = "Fern Street")),
    letter = system.file("pellmere", "summer-letter.json", package = "nubrek"),
    panel = system.file("pellmere", "panel.csv.gz", package = "nubrek")
  ), parent = asNamespace("nubrek"))
  for (call in calls) {
    here <- if (grepl("letter", call)) list2env(list(ledger = whole), parent = place) else place
    expect_s3_class(eval(parse(text = call)[[1L]], here), "nubrek_result")
  }
  for (command in commands) {
    words <- scan(text = sub("^nubrek ", "", command), what = "", quiet = TRUE, quote = "'")
    expect_type(command_parse(words), "list")
  }
})
