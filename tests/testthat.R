library(testthat)
library(deepstride)

test_check("deepstride")
