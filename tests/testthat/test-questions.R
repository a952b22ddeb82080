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

# The rows of the page of questions: the call, and the command where there is one.
question_rows <- function() {
  page <- test_path("../../vignettes/how-do-i.Rmd")
  skip_if_not(file.exists(page), "sources not at hand")
  rows <- grep("^[|] .*`", readLines(page, encoding = "UTF-8"), value = TRUE)
  expect_gte(length(rows), 40L)
  lapply(regmatches(rows, gregexpr("`[^`]+`", rows)), \(cells) gsub("`", "", cells))
}

question_place <- function(ledger) {
  demo <- \(name) system.file("pellmere", name, package = "nubrek")
  list2env(list(
    ledger = ledger, letter = demo("summer-letter.json"), panel = demo("panel.csv.gz"),
    costs = demo("acquisition-costs.csv")
  ), parent = asNamespace("nubrek"))
}

question_words <- function(command) {
  scan(text = sub("^nubrek ", "", command), what = "", quiet = TRUE, quote = "'")
}

test_long("each call of the page of questions runs, and each command is one", {
  whole <- pellmere()$ledger
  # the customers of one shop are enough, but for the letter that was drawn among all
  place <- question_place(ledger_slice(whole, customers = list(first_channel = "Fern Street")))
  for (row in question_rows()) {
    here <- if (grepl("letter", row[[1L]])) question_place(whole) else place
    call <- sub("ledger)$", "ledger, draws = 20)", row[[1L]])
    call <- if (startsWith(call, "move_noise")) call else row[[1L]]
    expect_s3_class(eval(parse(text = call)[[1L]], here), "nubrek_result")
    for (command in row[-1L]) expect_type(command_parse(question_words(command)), "list")
  }
})

test_long("call and command of the page of questions give the same table", {
  demo <- demo_run()
  place <- question_place(demo$run$ledger)
  for (row in Filter(\(row) length(row) > 1L, question_rows())) {
    job <- command_parse(sub("^study.yaml$", demo$study, question_words(row[[2L]])))
    call <- eval(parse(text = row[[1L]])[[1L]], place)
    if (job$verb == "count") {
      job$format <- "csv"
      expect_identical(
        utils::capture.output(command_do(job)()), utils::capture.output(write_csv(call)),
        label = row[[2L]]
      )
    } else {
      answer <- plain_table(asked_part(job)$result)
      expect_identical(names(answer), names(call), label = row[[2L]])
      expect_equal(answer, plain_table(call), ignore_attr = TRUE, label = row[[2L]])
    }
  }
})
