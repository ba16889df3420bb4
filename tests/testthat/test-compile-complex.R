# Complex numbers give what R gives, part by part, in the awkward cases too.

awkward <- c(0, -0, 1, -1, 2, 0.5, 3.25, Inf, -Inf, NaN, NA, 1e300, 1e-300, 65537)

awkward_complex <- function(n = 40) {
  complex(real = sample(c(awkward, rnorm(14)), n, TRUE), imaginary = sample(c(awkward, rnorm(14)), n, TRUE))
}

gives_the_same <- function(f, ...) {
  given <- list(...)
  fast <- ds_compile(f, whole = TRUE)
  expect_identical(outcome_of(fast, given), outcome_of(f, given))
  expect_gt(length(attr(fast, "ds_compiled")$routines), 0)
  invisible(fast)
}

test_that("arithmetic, powers, comparisons and functions of complex numbers are R's, bit for bit", {
  set.seed(8)
  a <- awkward_complex(400)
  b <- awkward_complex(400)
  x <- sample(awkward, 400, TRUE)
  gives_the_same(function(a, b) a + b, a, b)
  gives_the_same(function(a, b) a - b * a, a, b)
  gives_the_same(function(a, b) a / b, a, b)
  gives_the_same(function(a, b) a^b, a, b)
  for (k in c(-3, 0, 1, 2, 7, 0.5)) gives_the_same(function(a, k) a^k, a, k)
  gives_the_same(function(a, x) -a + x * 2i - x, a, x)
  gives_the_same(function(a, b) (a == b) | (a != 1), a, b)
  gives_the_same(function(a) is.na(a) + 2 * is.nan(a) + 4 * is.finite(a) + 8 * is.infinite(a), a)
  gives_the_same(function(a) Mod(a) + Arg(a), a)
  gives_the_same(function(a) c(Re(a), Im(a), Re(Conj(a)), Im(Conj(a)), abs(a)), a)
  calm <- complex(real = rnorm(50), imaginary = rnorm(50))
  gives_the_same(function(z) exp(z) + log(z) * sqrt(z) - sin(z) / cos(z), calm)
  gives_the_same(function(z) sinh(z) + cosh(z) + tan(z) + atan(z), calm)
  gives_the_same(function(z) c(sum(z), mean(z), prod(z), sum(z, 1, TRUE)), calm)
  gives_the_same(function(z) c(sum(z, na.rm = TRUE), mean(z, na.rm = TRUE), prod(z, na.rm = TRUE)), c(calm, NA, NaN))
  gives_the_same(function(z) list(cumsum(z), cumprod(z), diff(z), rev(z), rep(z, 2), z[-1], head(z, 3)), calm)
  gives_the_same(function(x, y) complex(real = x, imaginary = y) + as.complex(x), rnorm(3), rnorm(3))
  gives_the_same(function(r, phi) complex(modulus = r, argument = phi), 2, 0.3)
})

test_that("loops over complex numbers run native: Newton's method, an iterated map, a transform, a polynomial", {
  newton <- function(z, turns) {
    for (k in seq_len(turns)) z <- z - (z^3 - 1) / (3 * z^2)
    z
  }
  gives_the_same(newton, 0.3 + 1i, 20L)
  gives_the_same(newton, 0 + 0i, 3L)
  escape <- function(at, most) {
    z <- 0
    count <- 0L
    while (Mod(z) < 2 && count < most) {
      z <- z^2 + at
      count <- count + 1L
    }
    count
  }
  for (at in c(-0.5 + 0.5i, 0.4 + 0.4i, 1 + 1i)) gives_the_same(escape, at, 100L)
  slow_transform <- function(x) {
    n <- length(x)
    out <- complex(n)
    for (k in 1:n) for (j in 1:n) out[k] <- out[k] + x[j] * exp(-2i * pi * (j - 1) * (k - 1) / n)
    out
  }
  gives_the_same(slow_transform, c(1, 5, 2, 0.5, -3))
  horner <- function(a, z) {
    value <- 0i
    for (i in rev(seq_along(a))) value <- value * z + a[i]
    value
  }
  gives_the_same(horner, c(1, -2, 0.5), 1 - 2i)
  roots <- function(a) {
    z <- polyroot(a)
    keep <- numeric(0)
    for (i in seq_along(z)) if (abs(Im(z[i])) < 1e-8) keep <- c(keep, Re(z[i]))
    sort(keep)
  }
  gives_the_same(roots, c(6, -5, 1))
  gives_the_same(function(x) Mod(fft(x))^2 / length(x), c(1, 2, 4, 8))
})

test_that("what is complex at one place only, grows, or comes out of a matrix is R's", {
  grown <- function(n) {
    out <- c()
    for (i in seq_len(n)) out[i] <- complex(real = i, imaginary = -i)
    out
  }
  gives_the_same(grown, 5L)
  turned <- function(x) {
    for (i in seq_along(x)) x[i] <- x[i] * 1i
    x
  }
  gives_the_same(turned, c(1, 2, NA))
  product <- function(m, v) {
    for (k in 1:3) v <- m %*% v
    v
  }
  gives_the_same(product, matrix(c(1i, 2, 0, 1), 2), c(1 + 0i, 2i))
  gives_the_same(function(z) if (is.complex(z)) Re(z) else z, 3i)
  expect_true(ds_compile(function(z) inherits(z, "complex"))(3i))
  gives_the_same(function(z) as.numeric(z) + as.integer(Re(z)), 2 + 0i)
  kept <- function(z) {
    out <- vector("list", length(z))
    for (i in seq_along(z)) out[[i]] <- z[i] * c(1, 1i)
    out
  }
  gives_the_same(kept, c(1i, NA, 2))
})

test_that("what R does not do with complex numbers stops as in R, and what it warns of is warned of", {
  stops <- list(
    function(z) z > 1, function(z) floor(z), function(z) z %% 2, function(z) max(z), function(z) c(1, 2)[z],
    function(z) c(1, 2)[-z], function(z) 1:z,
    function(z) dnorm(z), function(z) if (z) 1 else 2, function(z) as.integer(z), function(z) pmin(z, 1)
  )
  for (f in stops) {
    fast <- ds_compile(f)
    for (z in list(1 + 1i, c(2 + 0i, NA))) {
      expect_identical(suppressMessages(outcome_of(fast, list(z))), outcome_of(f, list(z)))
    }
  }
})

test_that("what is missing of doubles is stored among complex numbers as R stores it", {
  stores <- list(
    function(x, k) {
      x[1] <- k
      x[[2]] <- k + 1
      x
    },
    function(x, k) {
      m <- matrix(0i, 2, 2)
      m[1, ] <- c(k, 1)
      m[]
    }
  )
  parts <- function(z) list(Re(z), Im(z), is.nan(Re(z)), dim(z))
  for (f in stores) for (k in list(NA_real_, NaN, NA_integer_, 1)) {
    expect_identical(parts(ds_compile(f, whole = TRUE)(c(1 + 2i, NA, 2), k)), parts(f(c(1 + 2i, NA, 2), k)))
  }
})
