# Compiled kernels beside R itself: values, types, warnings, errors, random state.

same_as_r <- function(f, ...) {
  fast <- ds_compile(f)
  for (arguments in list(...)) {
    set.seed(7)
    expected <- outcome_of(f, arguments)
    state <- .Random.seed
    set.seed(7)
    expect_identical(outcome_of(fast, arguments), expected, label = paste(deparse(body(f))[[1]],
                                                                          deparse(arguments)[[1]]))
    expect_identical(.Random.seed, state)
  }
  invisible(fast)
}

odd <- c(1.5, -2, 3, NA, NaN, Inf, -0, 0)
plain <- c(0.2, 0.9, 0.4, 0.7)
whole <- c(3L, -1L, NA, 7L)

test_that("arithmetic, comparison and logic are R's, recycling and warnings included", {
  same_as_r(function(x, y) x * y + x / 2 - y^2 + x^3, list(odd, rev(odd)), list(odd, 2), list(numeric(), plain),
            list(odd, plain), list(odd, plain[1:3]))
  same_as_r(function(a, b) list(a + b, a * b, a - b, a / b, a %% b, a %/% b, -a, abs(a)), list(whole, 2L),
            list(whole, -3L),
            list(2147483647L, 1L), list(5L, 0L), list(TRUE, 3L), list(odd, 2.5), list(1e300, 3), list(5.2, Inf))
  same_as_r(function(a, b) list(a < b, a >= b, a == b, a != b, a & b, a | b, !a, xor(a, b)), list(odd, 1),
            list(whole, 2.5),
            list(c(TRUE, FALSE, NA), NA))
  same_as_r(function(x) list(sqrt(x), log(x), exp(x), floor(x), trunc(x), sign(x), is.na(x), is.finite(x)), list(plain),
            list(odd), list(whole), list(9L))
  same_as_r(function(x) list(0 * x, -x, x + 0), list(-0), list(c(-0, 0)))
})

test_that("reductions and running totals are R's, in extended precision", {
  same_as_r(function(x) list(sum(x), mean(x), prod(x), min(x), max(x), any(x > 1), all(x > 1), length(x)), list(plain),
            list(odd), list(whole), list(5L), list(numeric()), list(c(2147483647L, 1L)), list(1e308 * c(1, 1, -1)))
  same_as_r(function(x) list(cumsum(x), cumprod(x), rev(x)), list(plain), list(whole), list(c(2147483647L, 1L)),
            list(2))
  same_as_r(function(x, y) list(pmin(x, y), pmax(x, y), ifelse(x > 0.5, x, -x)), list(plain, 0.5), list(odd, 1))
})

test_that("control flow, growth and odd indices are R's", {
  same_as_r(function(n) {
    out <- c()
    for (i in seq_len(n)) out[i] <- i^2
    out
  }, list(10), list(0), list(-1))
  same_as_r(function(x) {
    out <- numeric(0)
    for (v in x) out <- c(out, v * 2)
    out
  }, list(plain), list(numeric()), list(3))
  same_as_r(function(x, k) x[k], list(plain, 3), list(plain, 10), list(plain, 0), list(plain, -1),
            list(plain, NA_real_),
            list(5, 2L))
  same_as_r(function(a, b) {
    s <- 0
    for (i in a:b) s <- s * 2 + i
    s
  }, list(1, 5), list(5, 1), list(1.5, 4), list(1, 3.7), list(NA_real_, 3))
  same_as_r(function(x) {
    y <- if (x > 1) {
      x * 2
    } else {
      z <- x
      z + 1
    }
    k <- 0
    repeat {
      k <- k + 1
      if (k == 2) next
      if (k > 4) break
    }
    while (k < 9) k <- k + y
    k
  }, list(3), list(0.5), list(NA_real_))
  same_as_r(function(n) {
    for (i in seq_len(n)) {}
    i
  }, list(3), list(0))
  same_as_r(function(x) {
    if (x > 0) y <- 1
    y
  }, list(1), list(-1))
  same_as_r(function(x, k = length(x)) x[k], list(plain), list(plain, 2))
})

test_that("matrices, lists, errors and the random stream are R's", {
  m <- matrix(c(0.3, 0.1, 0.8, 0.5, 0.9, 0.2), 2)
  same_as_r(function(m) {
    out <- matrix(0, nrow(m), ncol(m))
    for (i in seq_len(nrow(m))) for (j in seq_len(ncol(m))) out[i, j] <- m[i, j]^2
    list(out, m * 2 + m, total = sum(m))
  }, list(m))
  same_as_r(function(m, k) m[k, 1], list(m, 2), list(m, 3), list(m, 0))
  same_as_r(function(n) {
    s <- 0
    for (i in seq_len(n)) s <- s + rnorm(1)
    list(s, runif(3, -1, 1), rexp(n, 2))
  }, list(5), list(0))
  same_as_r(function(x) {
    u <- runif(1)
    if (x > 2) warning("hm")
    if (x < 0) stop("negative: ", x)
    stopifnot(x < 10)
    u
  }, list(1), list(3), list(-1), list(11))
  same_as_r(function(x) x * 2, list(c(a = 1, b = 2)))
})

test_that("helpers, recursion and constants are compiled in", {
  paths <- function(n) if (n < 2) n else paths(n - 1) + paths(n - 2)
  factor <- 3.5
  fast <- same_as_r(function(n) paths(n) * factor, list(15), list(1))
  expect_identical(ds_inspect(fast)$constants, list(factor = 3.5))
})

test_that("arguments never change, whoever shares them", {
  rain <- plain + 0
  shared <- rain
  fast <- ds_compile(function(x) {
    z <- x
    x[1] <- 99
    z[2] <- -1
    list(x, z)
  })
  expect_identical(fast(rain), list(c(99, plain[-1]), c(plain[1], -1, plain[3:4])))
  expect_identical(list(rain, shared), list(plain, plain))
})

test_that("random programs come to the same as in R", {
  refusals$count <- 0
  for (seed in 1:24) expect_null(program_mismatch(seed, 3))
  expect_lt(refusals$count, 8)
})
