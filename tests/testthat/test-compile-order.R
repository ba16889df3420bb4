test_that("vectors are sorted, ordered and cut as R does it, at every length where another way is taken", {
  kernels <- list(
    function(x) sort(x), function(x) sort(x, decreasing = TRUE), function(x) order(x), function(x, n) tail(x, n),
    function(x) order(x, decreasing = TRUE), function(x, n) head(x, n), function(x) which(x > 0), function(x) head(x)
  )
  awkward <- c(-3:3, 0.5, -0.0, NA, NaN, Inf, -Inf, 1e-310)
  whole <- c(-5:5, NA, .Machine$integer.max, -.Machine$integer.max)
  bits <- function(v) if (is.double(v)) list(v, 1 / v, is.nan(v)) else v # 0 and -0, NA and NaN
  counts <- list(0, 2L, -3, 1e9, 2.5, NA_real_)
  withr::local_seed(4)
  for (f in kernels) {
    fast <- ds_compile(f, whole = TRUE)
    lengths <- c(0, 1, 2, 17, 33, 100, 5000)
    vectors <- unlist(lapply(lengths, function(n) {
      list(sample(awkward, n, TRUE), rnorm(n), sample(whole, n, TRUE))
    }), recursive = FALSE)
    vectors <- c(vectors, list(
      c(1, 2, 2, 5), c(5, 2, 1), c(5, 2, 2, 1), c(0, -0, 0), c(-0, 0, 1), c(3, 1, NA), 5:1 / 2,
      sample(c(-9:9, NA), 200, TRUE)
    ))
    for (x in vectors) {
      for (count in if (length(formals(f)) > 1) counts else list(NULL)) {
        given <- c(list(x), if (!is.null(count)) list(count))
        told <- function(f) tryCatch(bits(do.call(f, given)), error = function(e) "stopped")
        expect_identical(told(fast), told(f), info = paste(deparse(body(f)), length(x), typeof(x), count))
      }
    }
  }
})

test_that("what only R can order is asked of R, where the call stands", {
  mixed <- ds_compile(function(x, y) order(x, y) + sort(x, partial = 2)[2], whole = TRUE)
  expect_identical(mixed(c(2, 1, 2), c(3, 1, 1)), order(c(2, 1, 2), c(3, 1, 1)) + 2)
  both <- ds_compile(function(x, d) sort(x, decreasing = d), whole = TRUE)
  expect_identical(both(c(2, NA, 3), TRUE), c(3, 2))
  expect_error(both(c(2, NA, 3), NA))
})
