shapes <- list(
  2, c(a = 2), c(1, 2), c(1, 2, 3, 4), numeric(), matrix(c(1, 2, 3, 4), 2), matrix(c(1, 2), 1), matrix(3),
  matrix(0, 0, 2)
)

test_that("functions of several numbers give the extents and names of the first that is as long as the result", {
  codes <- alist(choose(x, n), log(x, n), dnorm(x, 1, n), qbeta(x / 10, n, 2), complex(real = x, imaginary = n))
  for (k in seq_along(codes)) {
    code <- codes[[k]]
    step <- if (k %% 2) bquote(for (i in 1:2) r <- .(code)) else bquote(r <- .(code))
    f <- eval(bquote(function(x, n) list(.(step), r)))
    fast <- ds_compile(f)
    for (x in shapes) for (n in shapes) expect_identical(
      suppressMessages(outcome_of(fast, list(x, n))), outcome_of(f, list(x, n)),
      label = deparse1(list(code, x, n))
    )
  }
})

test_that("numbers drawn before a function of R stops are drawn, and each argument is worked out once", {
  codes <- alist(
    unique(x, nmax = n), duplicated(x, nmax = n), match(x, 2, n), crossprod(x, n), x %*% n, rep_len(x, n),
    rep_len(x, sample.int(3L, 1)), sort(x, n), tail(x, n), solve(n), matrix(x, sample.int(2L, 1)), x[[n]]
  )
  for (code in codes) {
    f <- eval(bquote(function(x, n) list(sample.int(4L), .(code), runif(1))))
    fast <- ds_compile(f)
    for (n in list(2, -1, 0L, NA, c(-0.5, 0), Inf, numeric())) expect_identical(
      suppressMessages(outcome_of(fast, list(c(2, 1, 3, 1), n))), outcome_of(f, list(c(2, 1, 3, 1), n)),
      label = deparse1(list(code, n))
    )
  }
})

test_that("what is worked out late is not where the other way is taken, or a helper does not ask for it", {
  first <- function(a, b) a
  either <- function(a, b) if (a > 1) a else b
  codes <- alist(
    x[1] <- if (k > 1) k + 1 else late + 0, x[2] <- if (k > 1) x[1] else (late), x[1] <- first(k, late + 1),
    for (i in 1:2) x[i] <- either(k, late), x <- x[first(1, late)]
  )
  for (code in codes) for (k in c(2, 0)) {
    made <- function() {
      scope <- list2env(list(first = first, either = either))
      delayedAssign("late", print(1.5), scope, scope)
      eval(bquote(function(x, k) list(.(code), x)), scope)
    }
    given <- list(c(1, 2), k)
    expect_identical(outcome_of(ds_compile(made()), given), outcome_of(made(), given), label = deparse1(code))
  }
})

test_that("parts of arrays keep their shape, and what is joined is converted whole", {
  sums <- function(b, m, s = 0) {
    for (i in 1:2) s <- s + sum(b[-1, , i]) * b[2, 1, i]
    list(for (i in 1:2) m[, i] <- c(1, NA, rep(NA, 2), seq_len(i), 8L)[1:4], s, m, c(2.5, rep(1L, 2), rep(NA, 3)))
  }
  for (b in list(array(1:8 / 2, c(2, 2, 2)), array(1:8 / 2, c(4, 1, 2)))) {
    expect_identical(over_parts(sums, b, matrix(1:8, 4)), "native")
  }
})
