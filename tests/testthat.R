library(testthat)
library(nubrek)
test_check("nubrek")
