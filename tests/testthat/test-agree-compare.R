compare_results <- internal("compare_results")

test_that("differences are found through nested lists and named as a user would write them", {
  one <- list(peak = 3, series = list(a = 1:3, b = matrix(c(1, 2, 3, 4), 2)))
  two <- one
  two$series$b[2, 1] <- 2.5
  found <- compare_results(one, two)
  expect_identical(found$where, "$series$b[2, 1]")
  expect_match(found$values, "2.5, the reference's is 2", fixed = TRUE)
  expect_length(compare_results(one, one)$mismatch, 0)
  unnamed <- compare_results(list(1, list("odd name" = 2)), list(1, list("odd name" = 3)))
  expect_identical(unnamed$where, "[[2]][[1]]")
})

test_that("shape, class and length count; names, and the type of equal values, are noted", {
  m <- matrix(1:6, 2)
  expect_match(compare_results(m, as.vector(m))$mismatch, "has no dim, the reference's has dim 2 x 3", fixed = TRUE)
  expect_match(compare_results(1:3, 1:4)$mismatch, "length 4")
  expect_match(compare_results(structure(1, class = "depth"), 1)$mismatch, "class")
  expect_match(compare_results(1, sum)$mismatch, "a function, which can't be compared")
  expect_match(compare_results(list(1), list(1, 2))$mismatch, "has 2 elements")
  expect_match(compare_results("a", "b")$mismatch, "text")
  named <- compare_results(c(a = 1), c(b = 1))
  expect_identical(named[c("mismatch", "different")], list(mismatch = character(), different = 0))
  expect_match(named$notes, "names")
  typed <- compare_results(1:3, c(1, 2, 3))
  expect_length(typed$mismatch, 0)
  expect_match(typed$notes, "is double, the reference's is integer", fixed = TRUE)
  expect_length(compare_results(c(1L, NA), c(1, NA))$mismatch, 0)
})

test_that("an NA in place of a number differs, and so does NA in place of NaN", {
  expect_match(compare_results(c(1, 2), c(1, NA))$mismatch, "`result[2]` is NA, the reference's is 2", fixed = TRUE)
  expect_match(compare_results(c(1, NaN), c(1, NA), slack = character())$mismatch, "NA, the reference's is NaN")
  loose <- compare_results(c(1, NaN), c(2, NA))
  expect_identical(loose[c("different", "mismatch")], list(different = 1, mismatch = character()))
  expect_match(loose$notes, "1 of 2 elements")
  expect_length(compare_results(c(Inf, 1), c(NaN, 1), slack = "infinite")$mismatch, 0)
  expect_match(compare_results(c(Inf, 1), c(5, 1), slack = "infinite")$mismatch, "is 5")
  expect_length(compare_results(c(NaN, NA, Inf), c(NaN, NA, Inf))$mismatch, 0)
})

test_that("a sign of zero is a difference of rounding, not of value", {
  found <- compare_results(c(1, 0), c(1, -0))
  expect_identical(internal("verdict_of")(found, 0), "rounding")
  expect_identical(found$where, "[2]")
})
