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

# Each argument of these calls changes a variable that another one reads, or draws.
test_that("arguments are worked out in the order in which R asks for them", {
  # styler: off
  # nolint start: two statements on a line show the order
  kernels <- list(
    function(x, k) sum({ k <- !k; x }, na.rm = k),
    function(x, k) mean({ k <- !k; x }, na.rm = k),
    function(x, k) range({ k <- !k; x }, na.rm = k),
    function(x, k) sort({ k <- !k; x }, decreasing = k),
    function(x, k) dnorm({ k <- !k; 0.5 }, log = k),
    function(x, k) list(u = list(a = k, b = list(x)), v = { x <- c(k, 7); k <- 3; x }, k),
    function(x, k) {
      l <- list()
      for (i in 1:2) l[[i]] <- x
      list(u = list(l), v = { l[[1]] <- x * 2; k })
    },
    function(x, k) {
      v <- c(1, 4)
      w <- c(3, 1, 2)
      d <- 2
      list(
        findInterval(w, { w <- w + 1; v }), append(w, { w <- w * 2; v }, after = d),
        cor(w, { w <- w^2; w + d }), seq(d, 9, length.out = { d <- 3; 4 }),
        seq(to = d, from = { d <- 1; 5 }), round(digits = { d <- 0; 1 }, x = 1 / d),
        rep(w, each = { w <- 1; 2 }), log(base = { d <- 8; d }, x = d),
        pmin(w, { w <- 9; 2 }, na.rm = FALSE), k
      )
    },
    function(x, k) {
      m <- diag(2)
      v <- c(1, 2)
      late <- function(a, b) b + sum(a)
      either <- function(a, b) if (b > 1) a else 0
      set <- function() v[1] <<- v[1] + 10
      found <- m[cbind({ m <- m * 5; 1 }, 1)]
      list(found, late(v, { v <- c(7, 8); 5 }), late(v, set()), either(k, { for (k in 3:4) 0; 2 }), k)
    },
    function(x, k) {
      r <- 0
      for (i in 1:3) r <- r + sum(x, na.rm = i > 1) + either_way(k, { for (k in 1:4) z <- 0; 2 })
      list(r, k)
    },
    function(x, k) {
      list(
        findInterval(rnorm(5), sort(rexp(3))), cor(rnorm(5), rexp(5)), cov(rnorm(4), rnorm(4)),
        zapsmall(rnorm(2), rpois(1, 3)),
        sort(rnorm(4), decreasing = runif(1) < 0.5), seq(runif(1), 9, length.out = rpois(1, 4) + 2),
        mad(rnorm(6), rnorm(1), rexp(1)), sweep(STATS = runif(2), MARGIN = 1, x = matrix(rnorm(4), 2)),
        round(digits = rpois(1, 1), x = rnorm(2)), runif(1)
      )
    }
  )
  # nolint end
  # styler: on
  either_way <- function(a, b) if (b > 1) a + b else 0
  for (f in kernels) {
    fast <- ds_compile(f)
    for (k in c(TRUE, FALSE)) for (x in list(c(1, NA, 3), c(4, 2))) {
      expected <- withr::with_seed(2, list(f(x, k), runif(1)))
      expect_identical(withr::with_seed(2, list(fast(x, k), runif(1))), expected, info = paste(deparse(body(f)), k))
    }
  }
})

test_that("the order in which R asks for arguments is that of this R", {
  asked <- function(call) {
    seen <- character()
    told <- function(name, value) {
      seen <<- c(seen, name)
      value
    }
    for (at in seq_along(call)[-1]) {
      if (!is.character(call[[at]])) call[[at]] <- bquote(told(.(as.character(at - 1)), .(call[[at]])))
    }
    suppressWarnings(eval(call))
    unique(as.integer(seen))
  }
  calls <- expression(
    cor(c(1, 2, 4), c(2, 1, 5)), cov(c(1, 2), c(2, 1)), findInterval(1, c(0, 2)), sort(c(2, 1), decreasing = TRUE),
    zapsmall(c(1, 2), 3), rank(c(2, 1), na.last = TRUE), mad(c(1, 2, 5), constant = 2, na.rm = TRUE),
    order(c(2, 1), na.last = TRUE, decreasing = TRUE), seq(1, 9, length.out = 3), seq(to = 9, by = 2, length.out = 3),
    seq(to = 9, from = 2), sweep(STATS = 1:2, MARGIN = 1, x = diag(2)), weighted.mean(w = 1:2, x = c(3, 4)),
    quantile(probs = 0.5, x = c(1, 2)), backsolve(x = c(1, 2), r = diag(2)), convolve(y = c(1, 2), x = 2:3)
  )
  for (call in calls) {
    where <- environmentName(environment(get(as.character(call[[1]]))))
    turns <- order(internal("asked_turns")(as.character(call[[1]]), where, as.list(call)[-1]))
    expect_identical(turns, asked(call), info = deparse(call))
  }
})

test_that("what is assigned is worked out before its places, and stays so, whatever they change", {
  kernels <- list(
    function(x, m, i) for (t in 1:3) z <- x[(i <- i + 1)] <- i,
    function(x, m, i) for (t in 1:3) z <- m[1, (i <- i + 1)] <- i,
    function(x, m, i) for (t in 1:3) m[cbind((i <- i + 1), 1)] <- i,
    function(x, m, i) for (t in 1:3) x <- c(x, list(i, (i <- i + 1))),
    function(x, m, i) for (t in 1:3) x <- c(x, list(length(x <- list())))
  )
  for (loop in kernels) {
    body(loop) <- call("{", quote(z <- 0), body(loop), quote(list(x, m, i, z)))
    for (x in list(c(5, 6), list(2))) {
      fast <- ds_compile(loop)
      expect_identical(suppressMessages(fast(x, diag(3), 0)), loop(x, diag(3), 0), info = deparse(body(loop)[[3]]))
    }
  }
})

test_that("a loop that R does again draws the same numbers again", {
  fill <- function(x) {
    for (i in 3:5) x[i] <- runif(1)
    x
  }
  for (x in list(c(a = 1, b = 2, c = 3, d = 4), c(1, 2))) {
    fast <- ds_compile(fill)
    for (time in 1:2) {
      expect_identical(withr::with_seed(3, list(fast(x), runif(1))), withr::with_seed(3, list(fill(x), runif(1))))
    }
  }
})
