test_that("quadruple precision gives numbers known in closed form to thirty digits", {
  known <- list(
    list("3.14159265358979323846264338328", function(n) { # arithmetic and geometric means
      a <- 1
      b <- 1 / sqrt(2)
      gap <- 1 / 4
      width <- 1
      for (i in seq_len(n)) {
        mean <- (a + b) / 2
        b <- sqrt(a * b)
        gap <- gap - width * (a - mean)^2
        a <- mean
        width <- 2 * width
      }
      (a + b)^2 / (4 * gap)
    }),
    list("3.14159265358979323846264338328", function(n) 16 * atan(1 / 5) - 4 * atan(1 / 239) + 0 * n),
    list("2.71828182845904523536028747135", function(n) {
      total <- term <- 1
      for (k in seq_len(3 * n)) {
        term <- term / k
        total <- total + term
      }
      total
    }),
    list("0.693147180559945309417232121458", function(n) {
      total <- 0
      for (k in 0:(4 * n)) total <- total + 2 / ((2 * k + 1) * 3^(2 * k + 1))
      total
    }),
    list("1.41421356237309504880168872421", function(n) {
      x <- 1
      for (i in seq_len(n)) x <- (x + 2 / x) / 2
      x
    }),
    list("1.25992104989487316476721060728", function(n) {
      x <- 1
      while (abs(x^3 - 2) > 1e-31) x <- x - (x^3 - 2) / (3 * x^2)
      x + 0 * n
    }),
    list("1.61803398874989484820458683437", function(n) {
      x <- 1
      for (i in seq_len(8 * n)) x <- 1 + 1 / x
      x
    }),
    list("0.739085133215160641655312087674", function(n) {
      x <- 1
      for (i in seq_len(n)) x <- x - (x - cos(x)) / (1 + sin(x))
      x
    }),
    list("0.567143290409783872999968662210", function(n) {
      x <- 1
      for (i in seq_len(n)) x <- x - (x * exp(x) - 1) / (exp(x) * (1 + x))
      x
    }),
    list("1.20205690315959428539973816151", function(n) { # sums over binomials
      total <- 0
      choices <- 1
      for (k in seq_len(6 * n)) {
        choices <- choices * (2 * (2 * k - 1)) / k
        total <- total + (-1)^(k + 1) / (k^3 * choices)
      }
      2.5 * total
    }),
    list("23.1406926327792690057290863679", function(n) exp(4 * atan(1)) + 0 * n),
    list("0.100000000000000005551115123126", function(n) 0.1 + 0 * n) # the constant that R has
  )
  for (one in known) {
    exact <- ds_truth(one[[2]])(12L)
    expect_identical(format(exact), one[[1]])
    expect_equal(as.double(exact), one[[2]](12L), tolerance = 1e-15)
  }
})

test_that("other precisions keep shapes, what is missing, and the mode of what is no double", {
  f <- function(x, m, k) {
    out <- numeric(length(x))
    for (i in seq_along(x)) out[i] <- if (is.na(x[i])) x[i] else x[i] / 3
    middle <- median(x[x > 0 & is.finite(x)])
    list(out = out, half = m / 2, far = x[k], large = which(x > 1), some = c(1L, NA), middle = middle)
  }
  x <- c(1, NA, NaN, Inf, -0, 7)
  given <- list(x, matrix(c(1, 2, 3, 4, 5, 6), 2), c(TRUE, FALSE, TRUE, FALSE, FALSE, TRUE))
  expected <- do.call(f, given)
  exact <- do.call(ds_truth(f), given)
  plain <- internal("nearest_doubles")(exact)
  expect_identical(plain[-6], expected[-6])
  expect_equal(plain$middle, expected$middle)
  single <- do.call(ds_compile(f, precision = "single"), given)
  expect_identical(single[-1], expected[-1])
  expect_equal(single$out, expected$out, tolerance = 1e-6)
  expect_false(identical(single$out, expected$out))
  expect_identical(is.nan(single$out), is.nan(expected$out))
  expect_identical(format(exact$half[2, 3], digits = 5), "3.0000")
  thirds <- c("0.33333333333333333333", "NA", "2.3333333333333333333")
  expect_identical(format(exact$out[c(1, 2, 6)], digits = 20), thirds)
  expect_identical(exact$out[[1]] + 1, expected$out[[1]] + 1)
  expect_identical(sum(exact$half), 10.5)
  expect_output(print(exact$half), "0.500000000000000000000000000000")
})

test_that("what is written out is the sum of two doubles, rounded once", {
  digits <- internal("decimal_digits")
  expect_identical(digits(1, -1e-25, 30), "0.999999999999999999999999900000")
  expect_identical(digits(-2, -1e-20, 22), "-2.000000000000000000010")
  expect_identical(digits(9.5, 0, 1), "1.e+01")
  expect_identical(digits(2^70, 0, 10), "1.180591621e+21")
  expect_identical(digits(2^70, 0, 22), "1180591620717411303424")
  expect_identical(digits(1e-300, 0, 6), "1.00000e-300")
})

test_that("sums lose as little as their kind allows, in loops and helpers too, and nothing where nothing is lost", {
  add <- function(total, v) {
    total <- total + v
    total <- total - 1e-20
    total
  }
  f <- function(x) {
    total <- down <- 0
    for (v in x) {
      total <- total + v
      if (down > 1e300) down <- 0
      down <- down - v
    }
    c(sum(x), mean(x), total, -down, sum(x, na.rm = TRUE), add(total, 1))
  }
  withr::local_seed(4)
  x <- c(1e16, rnorm(20000), -1e16)
  exact <- internal("nearest_doubles")(ds_truth(f)(x))
  odd <- list(c(1, NA), c(1, NaN), c(-Inf, Inf), c(1, Inf), double(), 3, rep(0.1, 300))
  kinds <- names(internal("sums_table"))
  off <- lapply(stats::setNames(kinds, kinds), function(sums) {
    fast <- ds_compile(f, whole = TRUE, sums = sums)
    for (one in odd) expect_equal(fast(one), f(one), tolerance = 1e-13)
    expect_identical(fast(1:100), f(1:100))
    abs(fast(x) - exact) / abs(exact)
  })
  expect_gt(off$plain[[1]], 10 * off$pairwise[[1]])
  expect_gt(off$pairwise[[1]], 10 * off$extended[[1]])
  expect_lt(max(off$compensated), 1e-12)
  expect_gt(min(off$plain), 1e-3)
  expect_error(ds_compile(f, "relaxed", sums = "compensated"), "contradict", class = "ds_error_input")
  expect_error(ds_compile(f, sums = "kahan"), class = "ds_error_input")
})

test_that("what has no other precision is refused by class, and so is what R would warn of", {
  refused <- function(f, ...) {
    expect_error(ds_truth(f)(...), class = "ds_error_unsupported")
    expect_error(ds_compile(f, precision = "single")(...), class = "ds_error_unsupported")
  }
  refused(function(x) x + rnorm(1), 1)
  refused(function(x) sort(x), c(2, 1))
  refused(function(x) x * 1i, 1)
  refused(function(x) list(1, x), "a")
  expect_error(ds_truth(function(x) gamma(x))(3), "gammafn", class = "ds_error_unsupported")
  expect_error(ds_truth(function(x) sqrt(x))(-1), "no exact result", class = "ds_error_unsupported")
  expect_error(ds_truth(function(...) 1), class = "ds_error_unsupported")
  expect_error(ds_truth(3), class = "ds_error_input")
  expect_error(ds_truth(sum), class = "ds_error_input")
  expect_error(ds_compile(function(x) x, precision = "half"), class = "ds_error_input")
})
