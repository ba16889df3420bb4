# On the C compiler's own flags: with little optimisation it makes none of the mistakes that these look for.
build_as_usual()
withr::defer(build_quickly(), teardown_env())

same_bits <- function(f, ...) {
  theirs <- f(...)
  ours <- suppressMessages(compiled_once(f)(...))
  expect_identical(ours, theirs, label = deparse1(body(f)))
  if (is.double(theirs)) expect_identical(1 / ours, 1 / theirs, label = deparse1(body(f))) # the sign of zero
}

test_that("quotients and remainders of whole numbers by constants are R's", {
  for (by in list(1, 2, 3, 1000, 2147483647, 2.5, -2, 7L, -2L)) {
    whole <- eval(bquote(function(low, high) {
      at <- 1
      middle <- near <- rest <- 0
      for (i in low:high) {
        middle <- (i + at) %/% .(by)
        near <- floor((at - i) / .(by))
        rest <- (i - high) %% .(by)
        at <- if (middle > at) middle + 1 else at - near
      }
      c(at, middle, near, rest, 1 / near)
    }))
    for (low in c(-7, 0, 2^31 - 9)) same_bits(whole, low, low + 5)
    any_number <- eval(bquote(function(x) c(x %/% .(by), x %% .(by), floor(x / .(by)))))
    for (x in list(-0, 0L, 5e-324, -5e-324, 0.5, -7, 2^31, -2^40, -3L, TRUE)) same_bits(any_number, x)
  }
})

test_that("what is cut to an integer is no negative zero", {
  same_bits(function(x) 1 / as.integer(x), -0.3)
  same_bits(function(x) as.integer(x) * 2.5, c(-0.3, 3, -0.1, 4, 5))
  same_bits(function(x) 1 / as.integer(round(x)), -0.3)
  same_bits(function(x) atan2(x %/% -2L, -1), 0L)
  same_bits(function(x) {
    s <- 0
    for (v in x) s <- s + 1 / as.integer(v)
    s
  }, c(-0.3, -0.5))
})

test_that("a sought place is found as R finds it", {
  find <- function(levels, values) {
    vapply(values, function(value) {
      ends <- c(0, length(levels) + 1)
      repeat {
        middle <- floor((ends[1] + ends[2]) / 2)
        if (middle == ends[1]) break
        ends[if (levels[middle] < value) 1 else 2] <- middle
      }
      low <- 1
      high <- length(levels)
      while (low <= high) {
        at <- (low + high) %/% 2
        if (levels[at] < value) low <- at + 1 else high <- at - 1
      }
      low - ends[2]
    }, 0)
  }
  set.seed(1)
  for (n in c(1, 2, 50)) same_bits(find, sort(runif(n)), runif(20))
  fast <- ds_compile(find, like = list(levels = double(3), values = double(2)))
  expect_match(ds_inspect(fast, "c"), "ds_whole_div", all = FALSE)
})

test_that("pairs of places pick of any type", {
  pick <- function(m, at) m[at]
  at <- cbind(c(1, 2, 2), c(3, 1.9, 1))
  for (m in list(matrix(1:6, 2), matrix(runif(6), 2), matrix(letters[1:6], 2), matrix(c(TRUE, NA), 2, 3))) {
    same_bits(pick, m, at)
  }
  fast <- ds_compile(pick)
  expect_error(fast(matrix(1:6, 2), cbind(3, 1)), "subscript out of bounds")
})

test_that("places are as they were before those after them", {
  m <- matrix(1:9 / 2, 3)
  for (f in list(
    function(m, x) m[at <- 1, at <- at + 1] + m[at, at <- 3],
    function(m, x) {
      at <- 0
      for (k in 1:2) m[at + 1, at <- at + 1] <- k
      m
    },
    function(m, x) m[x[1:2], x <- c(3, 3)],
    function(m, x) m[-x[1], x <- 2],
    function(m, x) {
      x[{
        x[2] <- 7
        1
      }] <- 5
      x
    },
    function(m, x) {
      at <- 1
      l <- list(m[, 1], m[, 2])
      for (i in 1:2) {
        at <- i
        l[[at]][at <- 2] <- at
      }
      l
    }
  )) same_bits(f, m, c(1, 2, 3))
})

test_that("no loop goes on with what was divided by nothing", {
  for (f in list(
    function(x, k) {
      while (k %% length(x) == 0) k <- k + 1
      k
    },
    function(x, k) {
      at <- 1
      repeat {
        rest <- at %% length(x)
        if (rest != 0) return(rest)
        at <- at + 1
      }
    }
  )) expect_identical(suppressMessages(outcome_of(ds_compile(f), list(double(), 1))), outcome_of(f, list(double(), 1)))
  same_bits(function(x) {
    n <- length(x)
    total <- 0
    for (i in 1:7) total <- total + 1 / (i %% (0 - n)) + i %/% (0 - n) + (0 - i) %% n
    total
  }, c(1, 2, 3))
})

test_that("a sum that never grows keeps the sign of its zero", {
  grows <- list(
    quote(if (v > 3) s <- s + v),
    quote({
      if (v < 3) next
      s <- v + s
    }),
    quote(s <- if (v > 3) s + v else s),
    quote({
      t <- s + v
      if (v > 3) s <- t else if (v > 2) s <- s - v
    }),
    quote({
      add <- function(a, b) if (b > 3) a + b else a
      s <- add(s, v)
    })
  )
  for (turn in grows) {
    same_bits(eval(bquote(function(x, s) {
      for (v in x) .(turn)
      s
    })), rep(0.1, 19), -0)
    same_bits(eval(bquote(function(x, s) {
      for (i in seq_along(x)) {
        v <- x[i]
        .(turn)
      }
      s
    })), rep(0.1, 19), -0)
  }
  from <- ds_compile(function(x) {
    s <- 0
    for (v in x) if (v > 3) s <- s + v
    s
  })
  from(c(1, 4))
  expect_no_match(ds_inspect(from, "c"), "MINUS_ZERO") # a zero of one's own is none
})
