test_that("amounts become whole minor units, half to even, exactly", {
  cases <- utils::read.table(
    text = "
    text           mark units
    12.50          .    1250
    12,50          ,    1250
    1,234.50       .    123450
    1.234,50       ,    123450
    1'234.5        .    123450
    -7             .    -700
    7-             .    -700
    (7.00)         .    -700
    \u22127.00     .    -700
    0.005          .    0
    0.015          .    2
    0.025          .    2
    -0.015         .    -2
    2.675          .    268
    1e2            .    10000
    1e400          .    NA
    1e-400         .    0
    90000000000000 .    9000000000000000
    90000000000001 .    NA
    12.3.4         .    NA
    1,23           .    NA
    1,2345         .    NA
    1234,567       .    NA
    0,335          .    NA
    12a            .    NA
    --1            .    NA
    .5             .    50
    5.             .    500
    1.005          ,    100500",
    header = TRUE,
    colClasses = c("character", "character", "numeric"),
    quote = ""
  )
  for (i in seq_len(nrow(cases))) {
    got <- cpp_minor_units(plain_amounts(cases$text[[i]]), 2L, cases$mark[[i]])
    expect_identical(got$units, cases$units[[i]], label = cases$text[[i]])
    expect_identical(length(got$unreadable) == 1L, is.na(cases$units[[i]]), label = cases$text[[i]])
  }
  blank <- cpp_minor_units(plain_amounts(c("", "  ", NA)), 2L, ".")
  expect_identical(blank$blank, 1:3)
  two <- \(first, second, arithmetic) cpp_minor_units(list(
    first = first, second = second, arithmetic = arithmetic, off = list(), rate = character()
  ), 2L, ".")$units
  expect_identical(
    two(c("3", "1.005"), c("0.335", "100"), "times"), c(100, 10050)
  ) # 1.005 rounds half to even
  # 9.895
  expect_identical(two("10", "0.105", "minus"), 990)
  expect_identical(
    cpp_shortest_text(c(0.1 + 0.2, 100000, 1e15, NA)),
    c("0.30000000000000004", "100000", "1000000000000000", NA)
  )
})

test_that("days are read in the order said, and an ambiguous column is refused", {
  read <- function(text, order) {
    as.character(as.Date(cpp_read_days(text, order)$day, origin = "1970-01-01"))
  }
  text <- c(
    "05.03.2024", "2024-02-29", "2023-02-29", "20240305", "2024-03-05T23:59:59", "31/04/2024",
    "2024-03-05 25:00", "0000-01-01", "9999-12-31", "3/5/2024 1:05 PM", "05.03.24", ""
  )
  expect_identical(read(text, "day-first"), c(
    "2024-03-05", "2024-02-29", NA, "2024-03-05", "2024-03-05", NA, NA, NA, NA, "2024-05-03", NA, NA
  ))
  expect_identical(read("05/03/2024", "month-first"), "2024-05-03")
  hours <- c("23:59", "24:00", "12:05 AM", "12:05 PM", "0:05 PM", "13:05 PM")
  clock <- cpp_read_days(paste("2024-03-05", hours), "day-first")
  expect_identical(is.na(clock$day), c(FALSE, TRUE, FALSE, FALSE, TRUE, TRUE))
  expect_identical(clock$seconds[c(1L, 3L, 4L)], c(86340, 300, 43500))
  expect_error(
    detect_date_order(c("05.03.2024", "01.02.2024"), "sold", "detect"),
    "5 Mar 2024",
    class = "nubrek_error_dates"
  )
  expect_identical(detect_date_order(c("05.03.2024", "25.02.2024"), "sold", "detect"), "day-first")
  expect_identical(
    detect_date_order(c("05/03/2024", "02/25/2024"), "sold", "detect"), "month-first"
  )
  expect_error(
    detect_date_order(c("25/03/2024", "02/25/2024"), "sold", "detect"), class = "nubrek_error_dates"
  )
  all_days <- seq(as.Date("1900-01-01"), as.Date("2199-12-31"), by = "day")
  expect_identical(cpp_read_days(format(all_days), "year-first")$day, as.integer(all_days))
})

test_that("periods hold each day once, in every clock", {
  days <- seq(as.Date("2019-12-20"), as.Date("2025-01-20"), by = "day")
  for (clock in names(clocks)) {
    number <- period_number(days, clock)
    expect_true(
      all(period_start(number, clock) <= days & days <= period_end(number, clock)), label = clock
    )
    expect_true(all(diff(number) %in% 0:1), label = clock)
  }
  expect_identical(
    format(period_start(period_number(as.Date("2024-12-31"), "week"), "week")), "2024-12-30"
  )
  expect_identical(period_label(as.Date("2024-12-30"), "week"), "2025-W01")
})
