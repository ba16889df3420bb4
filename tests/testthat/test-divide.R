test_that("elements are shared: the same results for any number of workers, random ones too", {
  draw <- function(levels, draws = 200) vapply(levels, function(level) mean(rexp(draws) > level), 0)
  x <- seq(0.1, 2, length.out = 33)
  one <- ds_divide(draw, "levels", 1, seed = 3)
  two <- ds_divide(draw, "levels", 2, seed = 3)
  state <- .Random.seed
  expect_identical(one(x), two(x))
  expect_identical(two(x, draws = 10), one(x, 10))
  expect_identical(.Random.seed, state)
  last <- attr(two, "ds_divided")$last
  expect_true(last$work > 0 && last$longest <= last$work && last$efficiency <= 1.5)
  expect_output(print(two), "Shared by 2 processes")
  rows <- ds_divide(function(m, add) rowSums(m) + add, "m", 2)
  m <- matrix(1:40 / 3, 10)
  expect_identical(rows(m, 1), rowSums(m) + 1)
  expect_identical(summary(rows, function(n) list(m = matrix(1, n, 2), add = 0), c(4, 8))$size, c(4, 8))
  expect_identical(rows(m[0, , drop = FALSE], 1), numeric())
})

test_that("warnings and messages are given here, in the chunks' order, whoever listens", {
  told <- ds_divide(function(v) {
    if (any(v > 2)) warning("above two")
    message("seen ", min(v))
    v
  }, "v", 2, chunks = 4)
  expect_identical(tryCatch(suppressMessages(told(1:4)), warning = conditionMessage), "above two")
  seen <- capture_messages(suppressWarnings(value <- told(1:4)))
  expect_identical(trimws(seen), paste("seen", 1:4))
  expect_identical(value, 1:4)
})

test_that("errors come through, a process that dies is told, and the pool starts anew", {
  odd <- ds_divide(function(v) {
    if (any(v == 3)) stop("three")
    if (any(v == 5)) tools::pskill(Sys.getpid(), 9)
    v
  }, "v", 2)
  expect_error(odd(1:4), "three")
  expect_error(odd(4:8), class = "ds_error_worker")
  expect_identical(odd(6:9), 6:9)
  expect_error(ds_divide(sum, "no"), class = "ds_error_input")
  expect_error(ds_divide(function(v) v, "v", 1000), "at most", class = "ds_error_input")
})
