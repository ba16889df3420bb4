# What comes of functions of several vectors has the extents and names that R gives it, and the random state is R's
# whatever stops.

shapes <- list(
  one = 2, named = c(a = 2), two = c(1, 2), labelled = c(a = 1, b = 2), four = c(1, 2, 3, 4), whole = 3L, none = numeric(),
  matrix = matrix(c(1, 2, 3, 4), 2), row = matrix(c(1, 2), 1), single = matrix(3),
  columns = matrix(c(1, 2, 3, 4), 2, dimnames = list(c("u", "v"), NULL)), array = array(c(1, 2, 3, 4), c(1, 2, 2))
)

test_that("functions of several numbers give the extents and names of the first that is as long as the result", {
  codes <- alist(choose(x, n), log(x, n), atan2(x, n), dnorm(x, 1, n), qbeta(x / 10, n, 2), complex(real = x, imaginary = n))
  for (code in codes) for (looped in c(FALSE, TRUE)) {
    body <- if (looped) bquote(for (i in 1:2) r <- .(code)) else bquote(r <- .(code))
    f <- eval(bquote(function(x, n) {
      .(body)
      r
    }))
    fast <- ds_compile(f)
    for (x in shapes) for (n in shapes) expect_identical(
      suppressMessages(outcome_of(fast, list(x, n))), outcome_of(f, list(x, n)), label = deparse1(list(code, x, n))
    )
  }
})

test_that("numbers drawn before a function of R stops are drawn, and each argument is worked out once", {
  codes <- alist(
    unique(x, nmax = n), duplicated(x, nmax = n), match(x, 2, n), crossprod(x, n), x %*% n, rep_len(x, n),
    rep_len(x, sample.int(3L, 1)), sort(x, n), tail(x, n), solve(n), matrix(x, sample.int(2L, 1)), x[[n]]
  )
  for (code in codes) {
    f <- eval(bquote(function(x, n) {
      first <- sample.int(4L)
      list(first, .(code), runif(1))
    }))
    fast <- ds_compile(f)
    for (n in list(2, -1, 0L, NA, c(-0.5, 0), Inf, numeric())) expect_identical(
      suppressMessages(outcome_of(fast, list(c(2, 1, 3, 1), n))), outcome_of(f, list(c(2, 1, 3, 1), n)),
      label = deparse1(list(code, n))
    )
  }
})
