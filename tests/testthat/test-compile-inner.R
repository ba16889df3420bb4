# Loops of functions that are made inside and called by R's own functions, or by the function itself.

expect_inner <- function(f, call, native = TRUE) {
  without_comparing()
  fast <- suppressMessages(ds_compile(f))
  for (turn in 1:3) {
    shown <- utils::capture.output(expected <- call(f))
    expect_identical(utils::capture.output(expect_identical(suppressMessages(call(fast)), expected)), shown)
  }
  expect_identical("native" %in% ds_inspect(fast)$parts$runs, native)
}

test_that("functions that R's own functions call run their loops native, and see what is around them as it is", {
  x <- c(1, 2, 3, 4)
  expect_inner(function(x, y) {
    misfit <- function(p) {
      s <- 0
      for (i in seq_along(x)) s <- s + (y[i] - p[1] - p[2] * x[i])^2
      s
    }
    optim(c(0, 0), misfit)[c("par", "value", "counts")]
  }, function(f) f(x, c(2, 4.1, 5.9, 8.2)))
  expect_inner(function(x, k) {
    sums <- sapply(seq_along(x), function(i) {
      s <- 0
      for (j in seq_len(i)) s <- s + x[j] * k
      s
    })
    Reduce(function(a, b) {
      for (i in 1:3) a <- a + b * i
      a
    }, sums, accumulate = TRUE)
  }, function(f) f(x, 2))
  expect_inner(function(m) {
    k <- 1
    scale <- function(v) v * k
    step <- function(v) {
      out <- numeric(nrow(m))
      for (i in seq_len(nrow(m))) for (j in seq_len(ncol(m))) out[i] <- out[i] + m[i, j] * scale(v[j])
      out
    }
    cat("first\n")
    once <- step(c(1, 2))
    k <- 3
    m[1, 2] <- 50
    list(once, step(once))
  }, function(f) f(matrix(x, 2, dimnames = list(c("a", "b"), NULL))))
  expect_inner(function(x, k) {
    outer_sum <- function(v) {
      inner_sum <- function(w) {
        s <- 0
        for (j in seq_along(w)) s <- s + w[j] * k + v[1]
        s
      }
      cat("inner\n")
      inner_sum(v) + inner_sum(rev(v))
    }
    outer_sum(x)
  }, function(f) f(x, 2))
})

test_that("what such a loop reads around it is worked out when R would, and leaves no trace", {
  seen <- function() ls(parent.frame())
  said <- function(value) {
    cat("worked out\n")
    value
  }
  expect_inner(function(x, k) {
    high <- function(v) {
      s <- 0
      for (j in seq_along(v)) if (v[j] > 2) s <- s + v[j] * k
      cat(seen(), "\n")
      s
    }
    cat("begun\n")
    c(high(c(1, 2)), high(x))
  }, function(f) f(c(1, 2, 3), said(2)))
  level <- 7
  expect_inner(function(x) {
    total <- function(v) {
      s <- 0
      for (j in seq_along(v)) s <- s + v[j] * level
      s
    }
    cat("begun\n")
    before <- total(x)
    level <- 3
    c(before, total(x))
  }, function(f) f(c(1, 2, 3)))
  expect_inner(function(x, k) {
    total <- function(v) {
      s <- 0
      for (j in seq_along(v)) s <- s + v[j] * k
      k <- 100
      c(s, k)
    }
    cat("begun\n")
    c(total(x), k)
  }, function(f) f(c(1, 2, 3), 2), native = FALSE)
})

test_that("what functions that are called read by name in the frame is there", {
  seen <- function() paste(ls(parent.frame()), collapse = " ")
  shown <- function(text, env = parent.frame()) cat(text, "is", eval(parse(text = text), env), "\n")
  deeper <- function(text) above(text)
  above <- function(text) get(text, envir = parent.frame(2))
  expect_inner(function(x) {
    s <- 0
    for (v in x) {
      w <- v * 2
      s <- s + w
    }
    shown("w")
    list(s, seen(), deeper("v"))
  }, function(f) f(c(1, 2, 3)))
  expect_inner(function(x) {
    y <- numeric(5)
    for (i in 1:5) y[i] <- x[i]^2
    coef(lm(as.formula("y ~ x")))
  }, function(f) f(c(1, 2, 3, 5, 4)))
})

test_that("a function that others may look at stays as it is, and so does one that changes what is around it", {
  given <- function(k) {
    cat("made\n")
    function(z) {
      sapply(z, function(i) {
        for (j in 1:3) i <- i * k
        i
      })
    }
  }
  fast <- suppressMessages(ds_compile(given))
  expect_output(expect_identical(rlang::zap_srcref(body(fast(2))), rlang::zap_srcref(body(given(2)))))
  passed <- function(k) {
    total <- function(v) {
      for (j in 1:3) v <- v * k
      v
    }
    cut <- function(v, f) !is.null(attr(body(f), "as_written"))
    c(total(2), sapply(1:2, cut, f = total), vapply(1, cut, NA, function(v) {
      for (j in 1:3) v <- v * k
      v
    }))
  }
  expect_identical(suppressMessages(ds_compile(passed))(2), c(16, 0, 0, 0))
  made <- function(k) {
    total <- function(v) {
      s <- 0
      for (j in seq_along(v)) s <- s + v[j] * k
      s
    }
    cat(total(1), "\n")
    list(total, integrate(function(t) {
      for (i in seq_along(t)) t[i] <- t[i] * k
      t
    }, 0, 1)$call)
  }
  fast <- suppressMessages(ds_compile(made))
  for (get in list(function(f) body(f(2)[[1]]), function(f) f(2)[[2]])) {
    expect_output(expect_identical(rlang::zap_srcref(get(fast)), rlang::zap_srcref(get(made))))
  }
  expect_inner(function(x) {
    count <- 0
    total <- function(v) {
      s <- 0
      for (j in seq_along(v)) {
        s <- s + v[j]
        count <<- count + 1
      }
      s
    }
    cat("begun\n")
    c(total(x), count)
  }, function(f) f(c(1, 2, 3)), native = FALSE)
})

test_that("where a loop is left to R for being short, it is looked at again when its vectors grow or shrink", {
  held <- function(x, k) count_in_variables(environment(), list(quote(x), quote(k), quote(none)))
  expect_identical(held(c(1, 2, 3), list(c(1, 2), c(3, 4))), 0) # nothing is worked out for it
  sizes <- function(x, k) {
    force(x)
    force(k)
    count_in_variables(environment(), list(quote(x), quote(k), quote(none)))
  }
  expect_identical(sizes(c(1, 2, 3), list(c(1, 2), c(3, 4))), 7)
  part <- list2env(list(numbers = double(5), compared = "native", took_in_r = 1e-6, rest = 16))
  part$symbols <- list(quote(x))
  frame <- list2env(list(x = double(10)))
  compare_part(part, 1e-5, frame)
  expect_identical(part$numbers[[3]], 64) # R is faster: so many turns are its
  part$compared <- "native"
  part$faster_from <- Inf
  compare_part(part, 1e-7, frame)
  expect_identical(list(part$compared, part$faster_from), list("faster", 10))
  compare_part(part, 1e-7, list2env(list(x = double(20))))
  expect_identical(part$compared, "faster")
  compare_part(part, 1e-7, list2env(list(x = double(5))))
  expect_identical(part$compared, "R")
})
