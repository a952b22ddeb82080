# The records of the parts, and how parts are made of them.

test_that("every record names a section, parts and options that are there, and no two are alike", {
  parts <- part_records()
  expect_identical(anyDuplicated(names(parts)), 0L)
  for (part in parts) {
    expect_true(part$section %in% names(report_sections), label = part$name)
    expect_true(all(c(part$needs, part$remarks) %in% names(parts)), label = part$name)
    expect_true(
      all(part$options %in% c(
        "measure", "view", "curves", "through", "by", "from", "to", "stayers", "name", "against"
      )),
      label = part$name
    )
    expect_lt(nchar(part$about), 75L)
    expect_identical("measure" %in% part$options, !is.null(part$measures), label = part$name)
  }
  files <- unlist(lapply(unname(parts), \(part) names(part$lists)))
  expect_identical(anyDuplicated(files), 0L)
  # a first run has nothing to compare with
  files <- setdiff(files, "changes.csv")
  expect_setequal(list.files(dirname(pellmere()$files[[1L]]), "[.]csv$"), files)
})

test_that("the demo study has every part, and each that has a figure is drawn", {
  run <- pellmere()
  kept <- setdiff(parts_with(\(part) part$in_run && part$wanted(run$study)), "changes")
  expect_setequal(names(run), c("study", "ledger", "files", kept))
  # the demo world is paid in one currency
  for (name in setdiff(figure_parts(), c(names(run), "changes", "constant_currency"))) {
    expect_s3_class(ggplot2::autoplot(ask_part(name, run$study, run$ledger)), "ggplot")
  }
})

test_that("a part is made once, after those it needs; without one it must have it is lacking", {
  count <- 0L
  records <- list(
    base = study_part("base", "", "data", make = \(study, ledger) {
      count <<- count + 1L
      ledger
    }),
    absent = study_part("absent", "", "data", may_lack = TRUE, make = \(study, ledger) {
      abort_nubrek("Too short.", "unidentified")
    }),
    double = study_part("double", "", "data", make = \(study, ledger, base) 2 * base),
    either = study_part(
      "either", "", "data", make = \(study, ledger, base, absent = 1) base + absent
    ),
    both = study_part("both", "", "data", make = \(study, ledger, base, absent) base + absent)
  )
  expect_identical(wanted_results(list(), 21, records), list(base = 21, double = 42, either = 22))
  expect_identical(count, 1L)
  expect_s3_class(part_maker(list(), 21, records)("both"), "nubrek_error_unidentified")
  # one that can be done without is not even tried where the study does not ask for it
  records$absent$wanted <- asks_never
  records$absent$make <- \(study, ledger) stop("tried")
  expect_identical(part_maker(list(), 21, records)("either"), 22)
  records$absent$wanted <- records$base$wanted
  records$absent$make <- \(study, ledger) abort_nubrek("Too short.", "unidentified")
  # one that may not lack stops the run
  records$absent$may_lack <- FALSE
  expect_error(wanted_results(list(), 21, records), class = "nubrek_error_unidentified")
})

test_that("an option that a part does not know is refused with the parts that do", {
  for (words in list(
    c("draw", "tiers", "x.yaml", "--file", "a.png", "--curves"),
    c("show", "gaps", "x.yaml", "--view", "age"),
    c("list", "tiers", "x.yaml", "--file", "a.csv", "--from", "top")
  )) {
    expect_error(command_parse(words), class = "nubrek_error_usage", label = words[[2L]])
  }
  expect_match(
    conditionMessage(expect_error(command_parse(c("show", "tiers", "x.yaml", "--by", "town")))),
    "value_by"
  )
})
