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
    c("rank", "customer", "state")
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
