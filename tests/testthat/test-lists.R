nasty <- data.frame(
  customer = c("1", "2", "3", "4"),
  name = c("=1+1", "@x", "O'Hara & Co", NA),
  shop = c("Mill/Lane: [1]", "Quay", "Mill/Lane: [1]", NA),
  sales = c(1.5, -2, 0, 3)
)

test_that("CSV lists: a file for each group, safe names, formulas made harmless, order kept", {
  folder <- withr::local_tempdir()
  files <- write_list(nasty, file.path(folder, "list.csv"), apart = "shop")
  expect_identical(
    basename(files), c("list - Mill_Lane_ _1_.csv", "list - Quay.csv", "list - (missing).csv")
  )
  first <- utils::read.csv(files[[1L]], colClasses = "character", fileEncoding = "UTF-8-BOM")
  expect_identical(first$name, c("'=1+1", "O'Hara & Co"))
  expect_identical(
    write_list(nasty, file.path(folder, "one.csv"), columns = c("sales", "customer")),
    file.path(folder, "one.csv")
  )
  expect_identical(
    names(utils::read.csv(file.path(folder, "one.csv"), fileEncoding = "UTF-8-BOM")),
    c("sales", "customer")
  )
  with_contact <- write_list(
    rank_customers(example_ledger(), top = 2),
    file.path(folder, "top.csv"),
    ledger = example_ledger(),
    contact = "state"
  )
  expect_identical(
    names(utils::read.csv(with_contact, fileEncoding = "UTF-8-BOM"))[1:3],
    c("rank", "customer", "latest_state")
  )
  expect_error(write_list(nasty, file.path(folder, "x.pdf")), class = "nubrek_error_argument")
  expect_error(
    write_list(nasty, file.path(folder, "x.csv"), ledger = example_ledger(), contact = "phone"),
    class = "nubrek_error_columns"
  )
})

test_that("a workbook has a sheet for each group, and text that looks like a formula stays text", {
  skip_if_not(
    requireNamespace("openxlsx", quietly = TRUE) && requireNamespace("readxl", quietly = TRUE),
    "no XLSX packages"
  )
  path <- withr::local_tempfile(fileext = ".xlsx")
  write_list(nasty, path, apart = "shop")
  expect_identical(readxl::excel_sheets(path), c("Mill_Lane_ _1_", "Quay", "(missing)"))
  sheet <- readxl::read_excel(path, 1L)
  expect_identical(sheet$name, c("=1+1", "O'Hara & Co"))
  expect_identical(sheet$sales, c(1.5, 0))
  inside <- withr::local_tempdir()
  utils::unzip(path, exdir = inside)
  expect_false(any(grepl(
    "<f>",
    unlist(lapply(
      list.files(file.path(inside, "xl", "worksheets"), "xml$", full.names = TRUE),
      readLines,
      warn = FALSE
    )),
    fixed = TRUE
  )))
})

test_that("Parquet lists keep types", {
  skip_if_not(requireNamespace("nanoparquet", quietly = TRUE), "no Parquet package")
  path <- withr::local_tempfile(fileext = ".parquet")
  tiers <- assign_tiers(example_ledger())
  write_list(tiers, path)
  again <- as.data.frame(nanoparquet::read_parquet(path))
  expect_identical(again$sales, tiers$sales)
  expect_identical(again$tier, as.character(tiers$tier))
})

test_long("the workbook holds the run: contents, a sheet a part, definitions, remarks, no people", {
  skip_if_not_installed("openxlsx")
  skip_if_not_installed("readxl")
  run <- pellmere()
  path <- withr::local_tempfile(fileext = ".xlsx")
  write_workbook(run, path)
  sheets <- readxl::excel_sheets(path)
  expect_identical(sheets[c(1L, length(sheets) - 1:0)], c("Contents", "Definitions", "Remarks"))
  sheet <- \(name) as.data.frame(readxl::read_excel(path, name, skip = 3L))
  # numbers are numbers, days are days, and they are those of the run
  new <- sheet("new")
  expect_identical(new$active, as.double(run$new$active))
  expect_s3_class(new$period, "POSIXct")
  expect_equal(new[["sales new, EUR"]], run$new$sales_new)
  rates <- sheet("by first_channel")
  expect_equal(rates$rate, run$by$first_channel$rate)
  kept <- grid_measure(run$cohorts, "retention")
  shaded <- sheet("retention")
  expect_equal(
    shaded[["age 3"]], kept$value[kept$age == 3L][match(shaded$cohort, period_label(
      kept$cohort[kept$age == 3L], "month"
    ))]
  )
  expect_true(all(sheet("proof")$exact %in% c(TRUE, "yes", "TRUE")))
  remarks <- as.data.frame(readxl::read_excel(path, "Remarks"))
  expect_true(all(remarks(run$cohorts)$remark %in% remarks$remark))
  # what stands in the contents is there, and nobody's id anywhere
  contents <- as.data.frame(readxl::read_excel(path, "Contents", skip = 4L))
  expect_identical(nrow(contents), length(sheets) - 3L)
  inside <- withr::local_tempdir()
  utils::unzip(path, exdir = inside)
  strings <- file.path(inside, "xl", "sharedStrings.xml")
  texts <- readChar(strings, file.size(strings), useBytes = TRUE)
  expect_false(grepl("P[0-9]{6}|@[a-z]+[.]", texts))
  grid <- file.path(inside, "xl", "worksheets", sprintf("sheet%d.xml", match("retention", sheets)))
  expect_true(grepl("<colorScale>", readChar(grid, file.size(grid), useBytes = TRUE)))
})

test_that("a workbook shows people only where asked, as text and never as formulas", {
  skip_if_not_installed("openxlsx")
  folder <- withr::local_tempdir()
  run <- nasty_run(folder, report = "no")
  sheets_of <- function(study) {
    run$study <- study
    path <- withr::local_tempfile(fileext = ".xlsx")
    write_workbook(run, path)
    inside <- withr::local_tempdir()
    utils::unzip(path, exdir = inside)
    files <- list.files(inside, "[.]xml$", recursive = TRUE, full.names = TRUE)
    vapply(files, \(file) readChar(file, file.size(file), useBytes = TRUE), "")
  }
  open <- run$study
  closed <- utils::modifyList(open, list(outputs = list(people = FALSE, least = 5L)))
  hidden <- sheets_of(closed)
  expect_false(any(grepl("Hara", hidden, fixed = TRUE)))
  shown <- sheets_of(open)
  expect_true(any(grepl("Hara", shown, fixed = TRUE)))
  formulas <- unlist(regmatches(shown, gregexpr("<f>[^<]*</f>", shown)))
  expect_true(all(grepl("^<f>=?HYPERLINK\\(&quot;#|^<f>=?HYPERLINK\\(\"#", formulas)))
  expect_gt(length(formulas), 10L)
})
