# A small part of `make fuzz`. The files of its defects stay in the folder corpus.

cases <- test_path("../../tools/fuzz-cases.R")

test_both("damaged input of every kind ends as something sound or as an error of ours", {
  skip_if_not(file.exists(cases), "sources not at hand")
  fuzz <- new.env(parent = asNamespace("nubrek"))
  sys.source(cases, fuzz)
  needs <- c(parquet = "nanoparquet", kept = "nanoparquet", xlsx = "openxlsx")
  for (kind in names(fuzz$fuzz_kinds)) {
    if (kind %in% names(needs) && !requireNamespace(needs[[kind]], quietly = TRUE)) next
    for (number in worlds(1L, 1:8)) {
      got <- fuzz$fuzz_case(kind, number)
      expect_true(got %in% c("sound", "refused"), label = paste(kind, number, attr(got, "why")))
    }
  }
  corpus <- list.files(test_path("corpus"), full.names = TRUE)
  expect_gt(length(corpus), 0L)
  for (path in corpus) {
    fuzz$fuzz_kinds$one <- \(folder) {
      if (endsWith(path, "yaml")) {
        is.list(read_study(path))
      } else {
        fuzz$sound_ledger(open_ledger(path, fuzz$fuzz_map()))
      }
    }
    expect_true(fuzz$fuzz_case("one", 1) %in% c("sound", "refused"), label = basename(path))
  }
  expect_error(filter_where(example_orders(), "customer=\xc3("), class = "nubrek_error_usage")
  fuzz$fuzz_kinds$broken <- \(folder) stop("not ours")
  expect_identical(c(fuzz$fuzz_case("broken", 1)), "defect")
  fuzz$fuzz_kinds$broken <- \(folder) FALSE
  expect_identical(c(fuzz$fuzz_case("broken", 1)), "defect")
})
