# Compiled kernels beside R itself: values, types, warnings, errors, random state.

# The same, and no call fell back to R: it was native code that gave it.
natively_as_r <- function(f, ...) {
  expect_identical(ds_inspect(same_as_r(f, ...))$fallbacks, 0, label = paste(deparse(body(f))[[1]], "fell back"))
}

odd <- c(1.5, -2, 3, NA, NaN, Inf, -0, 0)
plain <- c(0.2, 0.9, 0.4, 0.7)
whole <- c(3L, -1L, NA, 7L)

test_that("arithmetic, comparison and logic are R's, recycling and warnings included", {
  same_as_r(
    function(x, y) x * y + x / 2 - y^2 + x^3, list(odd, rev(odd)), list(odd, 2), list(numeric(), plain),
    list(odd, plain), list(odd, plain[1:3])
  )
  same_as_r(
    function(a, b) list(a + b, a * b, a - b, a / b, a %% b, a %/% b, -a, abs(a)), list(whole, 2L),
    list(whole, -3L),
    list(2147483647L, 1L), list(5L, 0L), list(TRUE, 3L), list(odd, 2.5), list(1e300, 3), list(5.2, Inf)
  )
  same_as_r(
    function(a, b) list(a < b, a >= b, a == b, a != b, a & b, a | b, !a, xor(a, b)), list(odd, 1),
    list(whole, 2.5),
    list(c(TRUE, FALSE, NA), NA)
  )
  same_as_r(
    function(x) list(sqrt(x), log(x), exp(x), floor(x), trunc(x), sign(x), is.na(x), is.finite(x)), list(plain),
    list(odd), list(whole), list(9L)
  )
  same_as_r(function(x) list(0 * x, -x, x + 0), list(-0), list(c(-0, 0)))
})

test_that("operands recycle as R puts them together", {
  fs <- list(function(x, a, b) x + a * b, function(x, a, b) sum(x * 2 - (a + 1) / b))
  some <- list(1:6 + 0, c(1, 2, 3), c(10, 20), 7, numeric(), 1:12 / 2, matrix(1:6 / 2, 3), matrix(1:6 + 0, 2))
  combinations <- asplit(expand.grid(1:8, 1:8, 1:8), 1)
  for (i in seq_along(fs)) {
    f <- fs[[i]]
    fast <- ds_compile(f, whole = TRUE)
    for (at in combinations[seq(i, 512, by = if (i == 1) 1 else 5)]) { # the first with all, the others with a fifth
      expect_identical(outcome_of(fast, unname(some[at])), outcome_of(f, unname(some[at])), label = toString(at))
    }
  }
  fast <- ds_compile(fs[[1]], whole = TRUE)
  fast(some[[7]], some[[2]], 2)
  expect_identical(ds_inspect(fast)$fallbacks, 0)
})

test_that("reductions and running totals are R's, in extended precision", {
  same_as_r(
    function(x) list(sum(x), mean(x), prod(x), min(x), max(x), any(x > 1), all(x > 1), length(x)), list(plain),
    list(odd), list(whole), list(5L), list(numeric()), list(c(2147483647L, 1L)), list(1e308 * c(1, 1, -1))
  )
  same_as_r(
    function(x) list(cumsum(x), cumprod(x), rev(x)), list(plain), list(whole), list(c(2147483647L, 1L)),
    list(2)
  )
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
  same_as_r(
    function(x, k) x[k], list(plain, 3), list(plain, 10), list(plain, 0), list(plain, -1),
    list(plain, NA_real_),
    list(5, 2L)
  )
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

test_that("callees and recursion are compiled in; what is found outside is read at each call", {
  paths <- function(n) if (n < 2) n else paths(n - 1) + paths(n - 2)
  factor <- 3.5
  fast <- same_as_r(function(n) paths(n) * factor, list(15), list(1))
  expect_identical(ds_inspect(fast)$outside, "factor")
})

test_that("a recursion without end is R's error, and numbers of lists outside are constants", {
  depth <- function(n) if (n <= 0) 0 else 1 + depth(n - 1)
  natively_as_r(function(n) depth(n), list(100))
  message_of <- function(f) callr::r(function(f) tryCatch(f(1e9), error = conditionMessage), list(f))
  plain <- function(text) sub("[0-9]+", "", text)
  expect_identical(plain(message_of(ds_compile(function(n) depth(n)))), plain(message_of(depth)))
  soil <- list(depth = 0.4, layers = 3L)
  natively_as_r(function(x) x * soil$depth + soil$layers + .Machine$double.eps, list(2))
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

test_that("several elements are read and written as in R", {
  m <- matrix(c(0.3, 0.1, 0.8, 0.5, 0.9, 0.2), 2)
  natively_as_r(
    function(x) list(x[-1], x[-length(x)] + x[-1], x[2:3] * 2, x[x > 0.5], x[-(1:2)], mean(x[x > 0.3])),
    list(plain)
  )
  natively_as_r(
    function(x, i) x[i], list(plain, c(1, 3)), list(plain, c(-1, -2)), list(plain, c(0, 2)),
    list(plain, c(9, NA, 1)), list(plain, c(TRUE, NA, TRUE, FALSE)), list(whole, 2:3)
  )
  natively_as_r(function(x) {
    x[x < 0.5] <- 0
    x[2:3] <- c(9, 8)
    x[2:4] <- x[1:3]
    x[6:7] <- 1
    x[c(1, 9)] <- c(5, 6)
    x[-1] <- x[-1] * 2
    x
  }, list(plain))
  natively_as_r(function(m) {
    first <- m[1, ] + m[2, ]
    m[, 2] <- m[, 3] * 2
    m[m > 0.4] <- 1
    list(first, m, m[, -1], m[2, , drop = FALSE], m[1, 2:3], sum(m[2, ]), dim(m))
  }, list(m))
  natively_as_r(function(a) {
    a[, 1, ] <- 0
    list(a, a[1, , 2], a[2, 3, 4])
  }, list(array(as.double(1:24), 2:4)))
  same_as_r(
    function(x, i, v) {
      x[i] <- v
      x
    }, list(plain, c(1, NA), 1), list(plain, 1:3, c(1, 2)), list(plain, -9, 0), list(plain, numeric(), 1),
    list(plain, c(-1, 1), 1)
  )
  same_as_r(function(x, k) x[[k]], list(plain, 2), list(plain, 9), list(3, 1))
})

test_that("functions that kernels call are compiled in, whatever they take and give", {
  smooth <- function(w, by = 2) {
    result <- w
    if (length(w) < 3) return(w)
    for (i in 2:(length(w) - 1)) result[i] <- (w[i - 1] + w[i + 1]) / by
    result
  }
  ends <- function(w) list(low = min(w), high = max(w))
  noise <- function(n) rnorm(n) + 1
  weights <- c(0.25, NA, -0)
  natively_as_r(function(x) smooth(x) + smooth(x[1:2], 3)[1], list(plain))
  natively_as_r(function(x) {
    found <- ends(x)
    found$high <- found$high + ends(x * 2)$low
    c(found[["low"]], found$high)
  }, list(plain))
  natively_as_r(function(x) {
    above <- function(a, by = 1) a * k + by
    k <- 3
    s <- 0
    for (v in x) s <- s + above(v) + above(v, 2)
    while (sum(smooth(x)) < 10) x <- x * 2
    list(s, x, weights)
  }, list(plain))
  natively_as_r(function(n) c(noise(n), noise(2)), list(3))
  natively_as_r(function(n) {
    both <- n > 5 && sum(noise(n)) > -99
    either <- n > 5 || sum(noise(n)) > -99
    list(both, either, runif(1))
  }, list(3), list(9))
  natively_as_r(function(n) rnorm(1) - rnorm(1) * runif(1), list(3))
  natively_as_r(function(x, k) {
    drawn <- ifelse(x > k, rnorm(length(x)), 0)
    once <- ifelse(runif(length(x)) > k, 1, rnorm(1))
    single <- ifelse(k > 0.5, runif(1), 2)
    both <- ifelse(x > k, noise(length(x)), rexp(1))
    list(drawn, once, single, both, runif(1))
  }, list(plain, 0.5), list(plain, 2), list(plain, -1), list(c(2, 3), 1))
  same_as_r(function(x, k) ifelse(x > k, rnorm(length(x)), 0), list(odd, 1), list(numeric(), 1))
})

test_that("switch, lists and names come out as in R", {
  natively_as_r(function(k, x) {
    switch(k,
      x <- x + 1,
      {
        x <- x * 2
      }
    )
    list(value = switch("b",
      a = x,
      b = ,
      c = x * 3
    ), c(end = x, 2), parts = list(deep = list(k)))
  }, list(1, 5), list(2L, 5), list(3, 5), list(2.7, 5))
  same_as_r(function(k) {
    switch(k,
      10,
      20
    )
  }, list(1), list(3), list(NA_real_))
  same_as_r(
    function(x) (if (x > 1) c(1, 2) else c(3, 4)) + if (x > 5) stop("too large") else 1, list(0), list(2),
    list(7)
  )
})

test_that("the functions of R that kernels may call give what R gives", {
  m <- matrix(c(0.3, 0.1, 0.8, 0.5, 0.9, 0.2), 2)
  natively_as_r(function(x) {
    list(
      which.max(x), which(x > 0.3), range(x), diff(x), order(x), sort(x), unique(x), cummax(x), x %in% c(0.2, 3),
      match(3, x), duplicated(x), rev(x)
    )
  }, list(plain), list(odd), list(whole))
  natively_as_r(function(x) {
    list(
      sum(x, na.rm = TRUE), mean(x, na.rm = TRUE), max(x, na.rm = TRUE), range(x, na.rm = TRUE), var(x), sd(x),
      median(x)
    )
  }, list(plain), list(odd), list(plain[-1]), list(3))
  set.seed(11) # found by random programs: products of the variance are extended too
  natively_as_r(function(x) list(sd(x * 0.1), median(x), median(x[-1])), list(rnorm(501)))
  natively_as_r(function(x) {
    list(
      round(x), round(x, 1), signif(x, 2), log(x, 2), log(x, base = 3), atan2(x, 2), sum(x, 1), max(x, 0.5),
      pmin(x, 0.5, 0.3)
    )
  }, list(plain))
  natively_as_r(function(x) {
    list(
      dnorm(x), pnorm(x, 1, 2, lower.tail = FALSE), qexp(x, 2), pgamma(x, 2, 3), dgamma(x, 2, scale = 3),
      dbinom(1, 3, x, log = TRUE)
    )
  }, list(plain))
  natively_as_r(function(n, x) {
    list(
      rgamma(n, 2, 3), rbinom(n, 10, 0.3), rpois(1, 3), rnorm(n, c(0, 100)), sample(n), sample(x, 3, replace = TRUE),
      sample(10, 1), sample(x)
    )
  }, list(5, plain))
  natively_as_r(function(a, b) list(bitwAnd(a, b), bitwXor(a, b), bitwNot(a)), list(5L, 3L), list(whole, 6L))
  natively_as_r(
    function(m, v) list(m %*% v, crossprod(m), t(m), rowSums(m), colMeans(m), outer(v, v)),
    list(m, c(1, 2, 3))
  )
  natively_as_r(function(x) {
    list(
      matrix(x, 2), matrix(x, ncol = 2, byrow = TRUE), array(x, dim = c(1, 2, 2)), seq(1, 10, by = 2), seq(2, 5),
      rep(x, each = 2), rep(0L, 3), tail(x, 2)
    )
  }, list(plain))
  same_as_r(function(m, b) solve(m, b), list(diag(2), c(1, 2)), list(matrix(0, 2, 2), c(1, 2)))
})

test_that("counters, places past the end and overwritten vectors keep R's values", {
  natively_as_r(function(x) {
    out <- numeric(length(x))
    count <- 0
    n <- length(x)
    for (i in n:1) {
      if (x[i] > 0.3) out[i] <- x[i] else out[i] <- -1
      count <- count + 2
    }
    i <- 1
    while (i <= length(x) && x[i] < 0.8) i <- i + 1
    list(out, count, i, 1 / (count - 2 * length(x)))
  }, list(plain), list(plain[1:2]))
  same_as_r(function(n) {
    out <- numeric(n)
    for (i in seq_len(n)) out[i + 1] <- i
    last <- numeric(n)
    for (i in 2:n) last[i] <- i
    list(out, out[n + 5], last)
  }, list(4), list(1), list(0))
  same_as_r(function(n) {
    steps <- 0
    value <- 1
    while (value < 1e17) {
      value <- value + value
      steps <- steps + 1
    }
    list(value, steps)
  }, list(1))
})

open_formals <- function(...) stats::setNames(rep(list(rlang::missing_arg()), ...length()), c(...))

test_that("R's own functions come to the same, or are left to R where they give something else", {
  x <- c(3, 1, 2, 5, 4)
  y <- c(2, 2, 1, 0, 4)
  m <- matrix(c(4, 1, 0, 1, 3, 1, 0, 1, 2), 3)
  k <- c(3L, 1L, 2L, 3L, 2L)
  calls <- expression(
    diag(m), diag(3), diag(x), diag(k), diag(m[, 1, drop = FALSE]), lower.tri(m), upper.tri(m, TRUE), row(m), col(m),
    kronecker(m, m), det(m), chol(m), chol2inv(m), qr.solve(m, x[1:3]), backsolve(m, x[1:3]), forwardsolve(m, m),
    sweep(m, 2, x[1:3]), norm(m), aperm(m), rank(y), cor(x, y), cor(m), cov(x, y), quantile(x, 0.3, names = FALSE),
    quantile(x, c(0.2, 0.5)), weighted.mean(x, y), mad(x), convolve(x, y), union(k, x), setdiff(x, y), intersect(k, y),
    anyDuplicated(y), anyNA(x), bitwShiftL(k, 2L), bitwShiftR(k, 1L), factorial(k), lfactorial(x), x %o% y,
    identity(x), cbind(m, 1), rbind(x + 1, y * 2), rbind(m, m), cbind(k + 0L, 7L), rbind(c(1, 2), 1L), zapsmall(x),
    sample(x, 2, prob = y + 1), sample(5, 9, TRUE, prob = x), sample(0:4, 1, prob = x), sample(5, prob = x),
    as.matrix(k), as.matrix(m), drop(m[, 1, drop = FALSE]), arrayInd(k, dim(m)), diff(m), Re(m), Mod(-k), Conj(k),
    m %x% m, unique(m), is.vector(x), is.vector(m), is.numeric(k), is.matrix(m), inherits(x, "lm"), norm(m, "F"),
    tryCatch(sqrt(x), error = function(e) 0), try(m %*% x[1:3], silent = TRUE), base::sum(x), stats::sd(x)
  )
  for (call in calls) {
    f <- as.function(c(open_formals("x", "y", "m", "k"), call("{", call("<-", quote(r), call), quote(r))))
    fast <- ds_compile(f, whole = TRUE)
    expect_identical(outcome_of(fast, list(x, y, m, k)), outcome_of(f, list(x, y, m, k)), label = deparse(call))
  }
  weigh <- function(p, n) sample(length(p), n, prob = p)
  fast <- ds_compile(weigh)
  for (p in list(c(0.5, 0, 0.2), c(1, NA), numeric(2), c(-1, 2), rep(1, 300))) for (n in list(1L, 2L, 3L, TRUE)) {
    expect_identical(outcome_of(fast, list(p, n)), outcome_of(weigh, list(p, n)))
  }
})

test_that("functions that apply others are loops, and come to the same", {
  x <- c(3, 1, 2, 5, 4)
  m <- matrix(c(4, 1, 0, 1, 3, 1), 3)
  shift <- function(v, by) v + by
  native <- expression(
    sapply(x, function(v) v^2), sapply(x, sqrt), sapply(x, "sqrt"), sapply(x, shift, by = k), sapply(m, function(v) v),
    sapply(1:3, function(i) sum(x[1:i])), sapply(x, function(v) c(v, v)), sapply(x, function(v) rnorm(1, v)),
    sapply(x, function(v) if (v > 2) return(0) else v), vapply(x, function(v) v * k, 0), vapply(x[x > 9], sqrt, 1),
    vapply(1:3, function(i) i, numeric(1)), vapply(x, function(v) v > 2, logical(1)), Reduce(`+`, x),
    unlist(lapply(1:3, seq_len)), unlist(lapply(x[x > 9], sqrt)), unlist(Map(function(a, b) a - b, x, x + 1)),
    Reduce(function(a, b) a * 2 + b, x, 10), Filter(function(v) v > 2, x), mapply(function(a, b) a * b, x, rev(x)),
    apply(m, 1, sum), apply(m, 2, max), apply(m, 1, range), outer(x, 1:2, "+"), outer(x, x, function(a, b) a + b^k),
    sapply(x, function(v) if (v > 2) NA else 1L), do.call(max, list(x, k)),
    sum(sapply(1:3, function(i) sum(sapply(1:i, function(j) i * j))))
  )
  in_r <- expression(
    sapply(x[x > 9], sqrt), Reduce(`+`, x[x > 9]),
    vapply(x, function(v) v, 0L), mapply(shift, x, k), sapply(1:2, seq_len), outer(x, x, function(a, b) 1)
  )
  scope <- list2env(list(shift = shift))
  for (call in c(native, in_r)) {
    f <- as.function(c(open_formals("x", "m", "k"), call("{", call("<-", quote(r), call), quote(r))), envir = scope)
    fast <- ds_compile(f, whole = TRUE)
    expect_identical(outcome_of(fast, list(x, m, 2)), outcome_of(f, list(x, m, 2)), label = deparse(call))
    expect_identical(ds_inspect(fast)$fallbacks > 0, deparse(call) %in% vapply(in_r, deparse, ""),
      label = deparse(call)
    )
  }
  own <- local({
    length <- function(x) 2
    function(x) sapply(x, sqrt)
  })
  expect_identical(suppressMessages(ds_compile(own)(x)), own(x))
})

test_that("a variable may be a vector before a loop and a matrix after its first turn", {
  m <- matrix(c(0.4, 0.1, 0, 0.1, 0.3, 0.1, 0, 0.1, 0.2), 3)
  power <- function(m, n) {
    v <- c(1, 1, 1)
    for (i in 1:n) {
      v <- m %*% v
      if (i == 2) next
      v <- v / sum(v)
    }
    v
  }
  settle <- function(m, n) {
    x <- numeric(3)
    turns <- 0
    repeat {
      fresh <- m %*% x + 1
      turns <- turns + 1
      if (turns >= n) break
      x <- fresh
    }
    list(x, turns)
  }
  climb <- function(m, n) {
    x <- c(1, 0, 0)
    while (sum(x) < n) x <- m %*% x + 1
    x
  }
  for (f in list(power, settle, climb)) {
    fast <- ds_compile(f, whole = TRUE)
    for (n in c(3, 5)) expect_identical(fast(m, n), f(m, n))
    expect_identical(ds_inspect(fast)$fallbacks, 0)
    for (n in c(1, 0)) expect_identical(outcome_of(fast, list(m, n)), outcome_of(f, list(m, n)))
  }
})
