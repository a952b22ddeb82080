# Calls go one way: a floor knows itself and those before it.
floors <- list(
  "aaa",
  c("ledger", "reduce"),
  "repeat",
  "cohort",
  "rank",
  "forecast",
  "audience",
  "campaign",
  "discover",
  "proof",
  "change",
  "watch",
  "print",
  "figure",
  "report",
  "study",
  "part",
  "run",
  "explore",
  "command"
)
level_of <- stats::setNames(rep(seq_along(floors), lengths(floors)), unlist(floors))
faces <- c("print", "figure", "report", "study", "part", "run", "explore", "command")
drawing <- c("cat", "print", "message", "writeLines", "autoplot", "readline", "ggplot")
row_tables <- c("orders", "lines", "purchases", "days", "before", "ids", "attributes")

# What is defined at the top of a file: name, floor, and the expression.
definitions <- function(files = list.files(test_path("../../R"), "[.]R$", full.names = TRUE)) {
  found <- lapply(files, \(file) {
    code <- as.list(parse(file, keep.source = FALSE))
    code <- Filter(\(x) is.call(x) && identical(x[[1L]], as.name("<-")) && is.name(x[[2L]]), code)
    lapply(
      code,
      \(x) list(
        name = as.character(x[[2L]]), floor = sub("[-.].*", "", basename(file)), code = x[[3L]]
      )
    )
  })
  Filter(\(one) one$floor %in% names(level_of), unlist(found, recursive = FALSE))
}

# What stands in a call, without arguments left empty.
children <- function(code) {
  inside <- as.list(code)
  empty <- vapply(seq_along(inside), \(i) is.name(inside[[i]]) && !nzchar(inside[[i]]), NA)
  inside[!empty]
}

# All names in an expression, those behind `pkg::` too, but for its own arguments and locals.
names_used <- function(code) {
  own <- character()
  walk <- function(x) {
    if (is.pairlist(x)) own <<- c(own, names(x))
    if (is.call(x) && identical(x[[1L]], as.name("<-")) && is.name(x[[2L]])) {
      own <<- c(own, as.character(x[[2L]]))
    }
    if (is.call(x) || is.pairlist(x)) {
      for (part in children(x)) {
        walk(part)
      }
    }
  }
  walk(code)
  setdiff(all.names(code), own)
}

reads_rows <- function(code) {
  if (!is.call(code) && !is.pairlist(code)) return(FALSE)
  if (
    is.call(code) &&
      length(code) == 3L &&
      as.character(code[[1L]])[[1L]] %in% c("$", "[[") &&
      identical(code[[2L]], as.name("ledger")) &&
      as.character(code[[3L]])[[1L]] %in% row_tables
  ) {
    return(TRUE)
  }
  any(vapply(children(code), reads_rows, NA))
}

breaches <- function(defined, looked_at = defined) {
  floor_of <- stats::setNames(vapply(defined, `[[`, "", "floor"), vapply(defined, `[[`, "", "name"))
  unlist(lapply(looked_at, \(one) {
    used <- names_used(one$code)
    above <- used[used %in% names(floor_of)]
    above <- above[level_of[floor_of[above]] > level_of[[one$floor]]]
    draws <- if (!one$floor %in% faces) intersect(used, drawing)
    rows <- !one$floor %in% c("ledger", "reduce") && reads_rows(one$code)
    calls <- unique(c(above, draws))
    c(
      if (length(calls) > 0L) paste(one$name, "calls", calls),
      if (rows) paste(one$name, "reads rows")
    )
  }))
}

test_long("calls go one way, the core draws nothing, and only two floors read rows", {
  skip_if_not(dir.exists(test_path("../../R")), "sources not at hand")
  defined <- definitions()
  expect_setequal(unique(vapply(defined, `[[`, "", "floor")), names(level_of))
  expect_null(breaches(defined))
  # and each rule is seen to fail
  plant <- \(floor, code) breaches(
    defined, list(list(name = "planted", floor = floor, code = code))
  )
  expect_identical(
    plant("repeat", quote(function(x) nubrek::cohort_grid(x))), "planted calls cohort_grid"
  )
  expect_identical(
    plant("cohort", quote(function(x) ggplot2::autoplot(x))), "planted calls autoplot"
  )
  expect_identical(
    plant("rank", quote(function(ledger) sum(ledger$orders$sales))), "planted reads rows"
  )
  expect_identical(
    plant("forecast", quote(function(ledger) ledger[["days"]]$day)), "planted reads rows"
  )
  expect_null(plant("reduce", quote(function(ledger) ledger$orders$sales)))
})

test_that("a reduction is a generic with a method for every ledger", {
  generics <- ls(asNamespace("nubrek"), pattern = "^(reduce_|ledger_(rows|customers)$)[a-z_]*$")
  for (name in generics) {
    expect_true(
      any(all.names(body(get(name, asNamespace("nubrek")))) == "UseMethod") &&
        is.function(utils::getS3method(name, "nubrek_ledger", TRUE, asNamespace("nubrek"))),
      label = name
    )
  }
  expect_gt(length(generics), 15L)
})

test_that("every export has an example and says what it returns", {
  skip_if_not(dir.exists(test_path("../../man")), "sources not at hand")
  pages <- lapply(list.files(test_path("../../man"), full.names = TRUE), readLines)
  has <- \(p, word) any(grepl(word, p, fixed = TRUE))
  bare <- Filter(
    \(p) !has(p, "\\keyword{internal}") &&
      !has(p, "glossary") &&
      !(has(p, "\\examples") && has(p, "\\value")),
    pages
  )
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
  for (link in unlist(regmatches(
    text, gregexpr("(?<=\\()[A-Za-z/.-]+(?=\\))", text, perl = TRUE)
  ))) {
    if (grepl("[.]", link)) expect_true(file.exists(test_path("../..", link)), label = link)
  }
})

test_long("the code of the vignettes runs as printed", {
  pages <- list.files(test_path("../../vignettes"), "[.]Rmd$", full.names = TRUE)
  skip_if(length(pages) == 0L, "sources not at hand")
  grDevices::png(withr::local_tempfile(), type = "cairo")
  withr::defer(grDevices::dev.off())
  for (page in pages) {
    text <- readLines(page)
    inside <- cumsum(grepl("^```", text)) %% 2L == 1L & !grepl("^```", text)
    expect_error(
      capture.output(source(
        exprs = parse(text = text[inside]), local = new.env(), echo = FALSE, print.eval = TRUE
      )),
      NA,
      label = basename(page)
    )
  }
})
