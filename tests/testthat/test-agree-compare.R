words <- internal("remark_words")

compare_results <- internal("compare_results")

test_that("differences are found through nested lists and named as a user would write them", {
  one <- list(peak = 3, series = list(a = 1:3, b = matrix(c(1, 2, 3, 4), 2)))
  two <- one
  two$series$b[2, 1] <- 2.5
  found <- compare_results(one, two)
  expect_identical(found$where, "$series$b[2, 1]")
  expect_match(found$values, "2.5, the reference's is 2", fixed = TRUE)
  expect_length(compare_results(one, one)$mismatch |> words(), 0)
  unnamed <- compare_results(list(1, list("odd name" = 2)), list(1, list("odd name" = 3)))
  expect_identical(unnamed$where, "[[2]][[1]]")
})

test_that("shape, class and length count; names, and the type of equal values, are noted", {
  m <- matrix(1:6, 2)
  expect_match(compare_results(m, as.vector(m))$mismatch |> words(), "has no dim, the reference's has dim 2 x 3",
    fixed = TRUE
  )
  expect_match(compare_results(1:3, 1:4)$mismatch |> words(), "length 4")
  expect_match(compare_results(structure(1, class = "depth"), 1)$mismatch |> words(), "class")
  expect_match(compare_results(1, sum)$mismatch |> words(), "a function, which can't be compared")
  expect_match(compare_results(list(1), list(1, 2))$mismatch |> words(), "has 2 elements")
  expect_match(compare_results("a", "b")$mismatch |> words(), "text")
  expect_match(compare_results(c(a = 1), c(b = 1))$mismatch |> words(), "names")
  named <- compare_results(c(a = 1), c(b = 1), slack = "labels")
  expect_identical(named[c("mismatch", "n_different")], list(mismatch = list(), n_different = 0))
  expect_match(named$notes |> words(), "names")
  typed <- compare_results(1:3, c(1, 2, 3))
  expect_length(typed$mismatch |> words(), 0)
  expect_match(typed$notes |> words(), "is double, the reference's is integer", fixed = TRUE)
  expect_length(compare_results(c(1L, NA), c(1, NA))$mismatch |> words(), 0)
})

test_that("an NA in place of a number differs, and so does NA in place of NaN", {
  expect_match(compare_results(c(1, 2), c(1, NA))$mismatch |> words(), "`result[2]` is NA, the reference's is 2",
    fixed = TRUE
  )
  strict <- compare_results(c(1, NaN), c(1, NA), slack = character())
  expect_match(strict$mismatch |> words(), "NA, the reference's is NaN")
  loose <- compare_results(c(1, NaN), c(2, NA))
  expect_identical(loose[c("n_different", "mismatch")], list(n_different = 1, mismatch = list()))
  expect_match(loose$notes |> words(), "1 of 2 elements")
  expect_length(compare_results(c(Inf, 1), c(NaN, 1), slack = "spread")$mismatch |> words(), 0)
  expect_match(compare_results(c(Inf, 1), c(5, 1), slack = "spread")$mismatch |> words(), "is 5")
  expect_length(compare_results(c(NaN, NA, Inf), c(NaN, NA, Inf))$mismatch |> words(), 0)
})

test_that("a sign of zero is a difference of rounding, not of value", {
  found <- compare_results(c(1, 0), c(1, -0))
  expect_identical(internal("verdict_of")(found, 0), "rounding")
  expect_identical(found$where, "[2]")
})
