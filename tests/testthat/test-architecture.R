faces <- c("print", "figure", "study", "report", "command")

floor_of <- function() {
  ns <- asNamespace("nubrek")
  named <- Filter(\(n) is.function(get(n, ns)), ls(ns, all.names = TRUE))
  files <- list.files(testthat::test_path("../../R"), pattern = "[.]R$", full.names = TRUE)
  defined <- lapply(files, \(f) {
    e <- parse(f, keep.source = FALSE)
    vapply(Filter(\(x) is.call(x) && identical(x[[1L]], as.name("<-")) && is.name(x[[2L]]), as.list(e)), \(x) as.character(x[[2L]]), "")
  })
  floors <- rep(sub("-.*", "", basename(files)), lengths(defined))
  names(floors) <- unlist(defined)
  floors[intersect(named, names(floors))]
}

core_calls_to_faces <- function(floors, get_function = \(n) get(n, asNamespace("nubrek"))) {
  below <- names(floors)[!floors %in% c(faces, "aaa", "RcppExports.R", "nubrek")]
  up <- c(names(floors)[floors %in% faces], "cat", "print", "message", "writeLines", "autoplot", "readline", "ggplot")
  unlist(lapply(below, \(n) { hit <- intersect(codetools::findGlobals(get_function(n)), up); if (length(hit) > 0L) paste(n, "calls", hit) }))
}

test_that("the core calls no face and no plotting package", {
  skip_if_not(dir.exists(test_path("../../R")), "sources not at hand")
  floors <- floor_of()
  expect_true(all(c("aaa", "ledger", "reduce", "repeat", "cohort", "rank", "forecast", faces) %in% floors))
  expect_null(core_calls_to_faces(floors))
  broken <- function(n) if (n == "order_counts") function(x) autoplot(x) else get(n, asNamespace("nubrek"))
  expect_identical(core_calls_to_faces(floors, broken), "order_counts calls autoplot")
})

test_that("every export has an example and says what it returns", {
  skip_if_not(dir.exists(test_path("../../man")), "sources not at hand")
  pages <- lapply(list.files(test_path("../../man"), full.names = TRUE), readLines)
  has <- \(p, word) any(grepl(word, p, fixed = TRUE))
  bare <- Filter(\(p) !has(p, "\\keyword{internal}") && !has(p, "glossary") && !(has(p, "\\examples") && has(p, "\\value")), pages)
  expect_identical(vapply(bare, `[[`, "", 3L), character())
})

test_that("the example of the README works when pasted", {
  path <- test_path("../../README.md")
  skip_if_not(file.exists(path), "sources not at hand")
  text <- readLines(path)
  code <- text[(which(text == "```r") + 1L):(which(text == "```")[[1L]] - 1L)]
  expect_lte(length(code), 12L)
  printed <- gsub("^([a-z_]+\\(ledger.*)$", "print(\\1\n)", code)
  shown <- capture.output(eval(parse(text = c("local({", printed, "})")), globalenv()))
  expect_match(shown, "All 30 checks are exact", all = FALSE)
  for (link in unlist(regmatches(text, gregexpr("(?<=\\()[A-Za-z/.-]+(?=\\))", text, perl = TRUE)))) if (grepl("[.]", link)) expect_true(file.exists(test_path("../..", link)), label = link)
})

test_that("the code of the vignettes runs as printed", {
  pages <- list.files(test_path("../../vignettes"), "[.]Rmd$", full.names = TRUE)
  skip_if(length(pages) == 0L, "sources not at hand")
  grDevices::png(withr::local_tempfile(), type = "cairo")
  withr::defer(grDevices::dev.off())
  for (page in pages) {
    text <- readLines(page)
    inside <- cumsum(grepl("^```", text)) %% 2L == 1L & !grepl("^```", text)
    expect_error(capture.output(source(exprs = parse(text = text[inside]), local = new.env(), echo = FALSE, print.eval = TRUE)), NA, label = basename(page))
  }
})
