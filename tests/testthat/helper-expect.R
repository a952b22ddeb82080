# What is identical is told at once: the comparison that finds and words a difference costs
# milliseconds a time, and there are thousands.
expect_identical <- function(object, expected, ..., label = deparse1(substitute(object))) {
  if (identical(object, expected)) return(invisible(succeed()))
  testthat::expect_identical(object, expected, ..., label = label)
}

expect_equal <- function(object, expected, ..., label = deparse1(substitute(object))) {
  if (identical(object, expected)) return(invisible(succeed()))
  testthat::expect_equal(object, expected, ..., label = label)
}

expect_true <- function(object, ..., label = deparse1(substitute(object))) {
  if (identical(as.vector(object), TRUE)) return(invisible(succeed()))
  testthat::expect_true(object, ..., label = label)
}
