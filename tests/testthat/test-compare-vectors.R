# The one-pass comparison against plain R, on vectors built to be awkward.

compare_vectors <- internal("compare_vectors")

# The double `steps` units in the last place away, through its bits.
step_ulp <- function(x, steps) {
  words <- readBin(writeBin(x, raw(), endian = "little"), "integer", 2 * length(x), endian = "little")
  low <- seq(1, length(words), 2)
  words[low] <- words[low] + as.integer(steps)
  readBin(writeBin(words, raw(), endian = "little"), "double", length(x), endian = "little")
}

expected_counts <- function(x, y) {
  same <- mapply(identical, x, y, MoreArgs = list(num.eq = FALSE, single.NA = TRUE))
  finite <- is.finite(x) & is.finite(y)
  gap <- abs(x - y)[finite & !same]
  scale <- pmax(abs(x), abs(y))[finite & !same]
  list(
    n_different = sum(!same), patterns = sum(!same & !finite),
    max_abs = max(0, gap), max_rel = max(0, ifelse(scale > 0, gap / scale, 0))
  )
}

test_that("counts and maxima are those of plain R, whatever the values and the length", {
  specials <- c(NA, NaN, Inf, -Inf, 0, -0, 5e-324, -5e-324, 1e308, -1e308, 2.2e-308)
  set.seed(3)
  for (n in c(0, 1, 2, 7, 1023, 1024, 1025, 5000)) {
    for (kind in 1:4) {
      x <- rnorm(n, 0, 10^sample(-5:5, 1))
      y <- x
      touched <- which(runif(n) < 0.3)
      y[touched] <- y[touched] * (1 + rnorm(length(touched), 0, 1e-12))
      if (kind >= 3) y[touched] <- sample(specials, length(touched), TRUE)
      if (kind == 4) x[sample(n, n %/% 3)] <- sample(specials, n %/% 3, TRUE)
      found <- compare_vectors(x, y)
      expect_equal(found[c("n_different", "patterns", "max_abs", "max_rel")], expected_counts(x, y), tolerance = 0)
    }
  }
})

test_that("ULPs are counted exactly and found where they are", {
  set.seed(5)
  for (n in c(1, 100, 3000)) {
    x <- abs(rnorm(n)) + 0.5
    at <- sample(n, 1)
    for (steps in c(1, 2, 1000)) {
      y <- x
      y[at] <- step_ulp(x[at], steps)
      found <- compare_vectors(x, y)
      expect_identical(c(found$n_different, found$max_ulp, found$at), c(1, steps, at))
    }
  }
  expect_identical(compare_vectors(5e-324, -5e-324)$max_ulp, 2)
  expect_identical(
    compare_vectors(0, -0)[c("n_different", "max_ulp", "max_abs")],
    list(n_different = 1, max_ulp = 0, max_abs = 0)
  )
})

test_that("the place is that of the largest relative difference, in whole blocks and in the rest", {
  x <- rep(1, 4000)
  for (at in c(1, 1024, 1025, 3071, 3999, 4000)) {
    y <- x * (1 + 1e-15)
    y[at] <- 1.5
    expect_identical(compare_vectors(x, y)$at, as.double(at))
  }
})

test_that("integers, logicals and complex numbers are compared in kind", {
  expect_identical(
    compare_vectors(c(1L, NA, 3L), c(1L, 2L, 7L))[c("n_different", "patterns", "max_abs")],
    list(n_different = 2, patterns = 1, max_abs = 4)
  )
  expect_identical(compare_vectors(c(TRUE, NA), c(TRUE, NA))$n_different, 0)
  expect_identical(compare_vectors(c(-2147483647L, 1L), c(2147483647L, 1L))$max_abs, 4294967294)
  z <- complex(real = 1:5, imaginary = 5:1)
  w <- z
  w[4] <- complex(real = 4, imaginary = 2.5)
  found <- compare_vectors(z, w)[c("n_different", "max_abs", "at")]
  expect_identical(found, list(n_different = 1, max_abs = 0.5, at = 4))
})
