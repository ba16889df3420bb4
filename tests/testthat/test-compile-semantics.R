# What R gives in the corners of the language: constants, laziness, order, types, names, shapes, warnings.

both_ways <- function(f, ...) {
  given <- list(...) # drawn before the seed is set
  expect_identical(outcome_of(compiled_once(f), given), outcome_of(f, given), label = deparse1(body(f)))
}

without_source <- function(text) eval(parse(text = text, keep.source = FALSE), parent.frame())

test_that("constants are R's, bit for bit, with and without source references", {
  both_ways(without_source("function(x) x * 3.14159265358979323846"), 1)
  both_ways(eval(bquote(function(x) .(-2)^x)), 2)
  both_ways(function() c(tanh(0.45), expm1(1), log1p(0.2), log10(0.6), sinh(0.2), cosh(0.4), asinh(0.1)))
  places <- paste(sprintf("%s(%.17g)", rep(c("exp", "cos", "tan", "log2"), each = 40), (1:160) * 0.0377),
    collapse = ", "
  )
  both_ways(without_source(sprintf("function() c(%s)", places)))
})

test_that("what is found outside is read at each call", {
  make <- function(k) function(a) a * k
  twice <- make(2)
  other <- make(3)
  fast <- ds_compile(function(x) twice(x) + other(x))
  expect_identical(fast(1), 5)
  other <- make(5)
  expect_identical(fast(1), 7)
  rate <- 2
  by_default <- function(a, by = rate) a * by
  fast <- ds_compile(function(x) by_default(x))
  expect_identical(fast(1), 2)
  rate <- 3L
  expect_identical(fast(2), 6)
  `+` <- function(a, b) a - b
  expect_identical(ds_compile(function(x) x + 1)(5), 4)
  rm(`+`)
  added <- ds_compile(function(x) x + 1)
  expect_identical(added(5), 6)
  `+` <- function(a, b) 99
  expect_identical(added(5), 99)
})

test_that("arguments and defaults are worked out where R does, or not at all", {
  both_ways(function(x, n = length(x)) {
    x <- c(x, 1)
    n + 0
  }, c(1, 2, 3))
  both_ways(function(x, n = k) {
    k <- 3
    x + n
  }, 1)
  both_ways(function(x, y = stop("no")) x * 2, 1)
  both_ways(function(x, y) x * 2, 1)
  both_ways(function(x, y) x * y, 1)
  both_ways(function(x, y = runif(1)) {
    z <- runif(1)
    z + 2 * y + x
  }, 1)
  both_ways(function(x, y = 2) if (missing(y)) x else -x, 1)
  first_of <- function(a, b) if (a > 0) a else b
  both_ways(function(x) first_of(x, runif(1)) + runif(1), 1)
  unused <- function(a) 1
  both_ways(function(x) {
    unused({
      x <- 5
      x
    })
    x
  }, 1)
  forced <- character()
  told <- function(what, value) {
    forced <<- c(forced, what)
    value
  }
  fast <- ds_compile(function(x, k, never) {
    s <- 0
    for (v in x) s <- s + v * k
    if (s > 100) never else s
  })
  expect_identical(fast(c(1, 2), told("k", 2), told("never", 3)), 6)
  expect_identical(fast(numeric(), told("late", 2), stop("never")), 0)
  expect_identical(fast(c(1, 200), told("k", 2), told("never", 3)), 3)
  expect_identical(forced, c("k", "k", "never"))
  named <- ds_compile(function(x) if (x[1] > 0) x[[1]] else deparse1(sys.call()), whole = FALSE)
  expect_identical(named(-1), "named(-1)")
})

test_that("arguments that draw by way of functions inside, arguments and defaults are worked out late too", {
  two <- function(a, b) {
    x <- b
    y <- a
    x - y
  }
  late <- list(
    function(n) {
      h <- function() runif(1)
      g <- function(k) h() * k
      two(g(1), g(2)) + n
    },
    function(n) {
      outer <- function(a) two(a, 2 * runif(1))
      outer(runif(1)) + n
    },
    function(n) {
      outer <- function(a, z = rnorm(1)) {
        g <- function(k) z * k
        two(g(2), 2 * runif(1) + a)
      }
      outer(runif(1)) + n
    },
    function(n) {
      outer <- function(f) two(f(), 2 * f())
      outer(function() runif(1)) + n
    },
    function(n) {
      called <- function(f) f(1) * n
      two(called(runif), runif(1))
    }
  )
  for (f in late) both_ways(f, 3)
})

test_that("functions made inside assign the variables around them", {
  two <- function(a, b) {
    x <- b
    x - a
  }
  outward <- list(
    function(n) {
      seed <- 42
      drawn <- function() {
        seed <<- (seed * 16807) %% 2147483647
        seed / 2147483647
      }
      s <- 0
      for (i in 1:n) s <- s + drawn() * (seed - drawn() + seed) + two(drawn(), seed)
      s
    },
    function(n) {
      stack <- c()
      push <- function(v) stack <<- c(stack, v)
      pop <- function() {
        v <- stack[length(stack)]
        stack <<- stack[-length(stack)]
        v
      }
      for (i in 1:n) push(2 * i)
      s <- 0
      while (length(stack) > 0) s <- 3 * s + pop()
      s
    },
    function(n) {
      x <- c(1, 2, n)
      raise <- function(v, by = x[1]) {
        x[1] <<- x[1] + v
        by + v
      }
      held <- function(y) raise(1) + raise(2, x[1]) + sum(y)
      s <- 0
      for (i in 1:n) s <- s + held(x)
      c(s, x)
    },
    function(n) {
      best <- -Inf
      at <- NA
      count <- 0
      look <- function(i) {
        inner <- function() count <<- count + 1
        inner()
        if (sin(i) > best) {
          best <<- sin(i)
          at <<- i
        }
      }
      last <- sapply(1:n, function(i) count <<- count + i)
      for (i in 1:n) look(i)
      c(best, at, count, last)
    }
  )
  for (f in outward) {
    given <- list(7)
    for (fast in list(ds_compile(f, whole = TRUE), ds_compile(f))) {
      expect_identical(outcome_of(fast, given), outcome_of(f, given))
      expect_identical(ds_inspect(fast)$fallbacks, 0)
    }
  }
  shadowed <- function(n) {
    a <- 0
    g <- function() {
      a <- 5
      a <<- a + 1
      a
    }
    for (i in 1:n) g()
    a
  }
  expect_identical(suppressMessages(ds_compile(shadowed)(2)), shadowed(2))
})

test_that("random numbers are drawn in R's order, once", {
  for (f in list(
    function() runif(2) + diff(rnorm(3)), function() runif(1) * matrix(rnorm(4), 2),
    function() runif(2) + rnorm(5)[2:3],
    function() runif(2) + rnorm(2, rnorm(2)), function() runif(1) + sum(range(rnorm(3))), function() rep(rnorm(2), 2)
  )) both_ways(f)
  draw <- function(n) rnorm(n)
  both_ways(function(n) rowSums(matrix(draw(n * n), n)), 2)
  withr::with_seed(1, .rng_kind = "default", .rng_normal_kind = "Box-Muller", code = {
    f <- function(n, w) {
      s <- rnorm(1)
      if (w > 0) warning("late")
      s
    }
    expect_identical(outcome_of(ds_compile(f), list(3, 1)), outcome_of(f, list(3, 1)))
  })
})

test_that("whole numbers neither wrap nor compare unrounded, and integers stay integers", {
  both_ways(function() {
    k <- 1
    k * 536870912 * 536870912 * 64
  })
  both_ways(function(n) {
    s <- 0
    for (i in 1:n) if (i * 999999999 * 999999999 + 1 > i * 999999999 * 999999999) s <- s + 1
    s
  }, 3)
  both_ways(function(x, k) {
    s <- 0
    for (i in seq_along(x)) s <- s + x[i + k - k]
    s
  }, c(1, 2, 3), .Machine$integer.max)
  both_ways(function(n) {
    s <- n
    s <- s + 1L
    r <- s
    s <- 0.5
    r
  }, .Machine$integer.max)
  both_ways(function(n) {
    i <- n
    repeat {
      i <- i * 3L
      if (is.na(i)) break
    }
    i
  }, 1L)
  both_ways(function(s) 2147483647L * 10 + s, 1)
})

test_that("a variable may be several things, and is what R makes it", {
  kinds <- function(a) if (a > 1) 1L else if (a > 0) NA else 0.5
  for (x in list(2, 0.5, -1)) both_ways(function(x) kinds(x), x)
  both_ways(function(x) {
    best <- NA
    for (i in seq_along(x)) if (x[i] > 0) best <- i
    best
  }, c(-1, -2))
  both_ways(function(n) {
    s <- 0L
    for (i in seq_len(n)) s <- s + 0.5
    s
  }, 0)
  both_ways(function(a) {
    s <- sum(a)
    a[1] <- 0
    list(s, a)
  }, 1:3)
  for (use in c("c(peak = y)", "c(c(peak = y), 4L)", "list(c(peak = y))", "c(y, peak = 2L)", "c(y, 2L)")) {
    f <- without_source(sprintf("function(n) { y <- if (n > 1) 1L else 0.5; %s }", use))
    for (n in c(0, 2)) both_ways(f, n)
  }
  for (use in c(
    "sum(y)", "mean(y)", "abs(y)", "rev(y)", "y[y > 0]", "y[1]", "median(y)", "c(y, y)", "length(y)",
    "is.null(y)"
  )) {
    f <- without_source(sprintf("function(n) { y <- NULL; for (i in seq_len(n)) y <- c(y, 0.5); %s }", use))
    for (n in c(0, 2)) both_ways(f, n)
  }
})

test_that("elements of NULL make what R makes of them", {
  stores <- list(
    function(n, v) {
      x <- NULL
      x[seq_len(n)] <- v
      x
    },
    function(n, v) {
      x <- NULL
      if (n > 5) x <- 1
      x[seq_len(n)] <- v
      list(x, is.null(x))
    },
    function(n, v) {
      x <- NULL
      x[[n]] <- v
      x
    },
    function(n, v) {
      x <- NULL
      x[n] <- v[1]
      x
    }
  )
  for (f in stores) for (n in c(0, 3)) for (v in list(5, 1:3, numeric())) both_ways(f, n, v)
})

test_that("functions may call each other, and control flow stands wherever R takes it", {
  even <- function(n) if (n <= 0) TRUE else odd(n - 1)
  odd <- function(n) if (n <= 0) FALSE else even(n - 1)
  both_ways(function(n) even(n), 10)
  both_ways(function(x) {
    invisible(x)
    x + 1
  }, 1)
  both_ways(function(k) {
    m <- switch("b",
      a = 1,
      b = k + 1
    )
    m
  }, 2)
  both_ways(function(n) {
    s <- 0
    for (i in 1:n - 1) s <- s * 10 + i
    for (i in NULL) s <- -1
    s
  }, 3)
  both_ways(function(x) x + (x <- 5) + (if (x > 2) y <- 7 else 8) + y, 1)
  sums <- function(count) without_source(paste("function(x)", paste(rep("x", count), collapse = " + ")))
  both_ways(sums(300), 1.5)
  deep <- tryCatch(ds_compile(sums(4000))(1.5), error = identity)
  expect_true(identical(deep, 6000) || inherits(deep, "ds_error_unsupported"))
  names <- paste0("a", 1:65)
  wide <- without_source(sprintf("function(%s) a1 * a65", paste(names, collapse = ", ")))
  expect_identical(do.call(ds_compile(wide), as.list(as.double(1:65))), 65)
  both_ways(function(a) sum(a), array(1, rep(1, 10)))
  deep <- function(a, i) {
    a[1, 2, 1, 1, i] <- 5
    a[1, i, 1, 1, 1] + sum(a)
  }
  for (i in c(1, 2, 3)) both_ways(deep, array(1:8 / 2, c(1, 2, 2, 1, 2)), i)
  both_ways(function(a, k) a[1, 1, k] + a[2, k, 1], array(1:8 / 2, c(2, 2, 2)), 2)
  both_ways(function(x, n) {
    x[2:n] <- 7
    x
  }, c(1, 2), 5)
  expect_invisible(ds_compile(function(x) invisible(x))(1))
  expect_visible(ds_compile(function(x) invisible(x) + 1)(1))
})

test_that("names, shapes and warnings are R's", {
  named <- function(a) c(u = a, v = 2)
  both_ways(function(x) list(named(x), ci = c(lo = x, hi = 2), `2` = x), 1)
  both_ways(function(x) {
    r <- list(a = x, a = x + 1)
    r
  }, 1)
  both_ways(function(m) list(pmin(0.5, m), pmin(m, 0.5), bitwAnd(3L, 1L)), matrix(c(0, 1, 2, 3), 2))
  both_ways(function(x) any(x), c(1, 0))
  both_ways(function(x) is.null(if (NA) 1 else x), 1)
  both_ways(function(k, n) {
    for (v in switch(n,
      0.5,
      k,
      30
    )) k <- k + v
    k
  }, 1L, 2)
  both_ways(function(x) {
    dbinom(x, 3, 0.5)
    sqrt(-x)
    x
  }, 1.5)
  both_ways(function(x, y) is.nan(x %% y), NA_real_, 0)
  for (m in list(diag(2), diag(0))) both_ways(function(m) list(rev(m), head(m, 1), dnorm(m)), m)
  both_ways(function(x) length(dim(x)), c(1, 2))
  both_ways(function(m) list(var(m), sd(m), median(m)), matrix(c(1, 2, 3, 5), 2))
  both_ways(function(x) range(x, TRUE), c(0.2, 0.5))
  both_ways(function(x) list(seq(x > 0.3), seq(x)), 0.2)
  gauge <- list(since = as.Date("2020-01-01"), rate = c(low = 2), m = matrix(3, 1, 1))
  both_ways(function(x) gauge$since + x, 1)
  both_ways(function(x) gauge$rate * x, 1)
  both_ways(function(x) gauge$m * x, 1)
})

test_that("variables may be called what the C calls its own", {
  f <- function(where, held, noted, bad, a, places1, scratch, spare, give_up, tick, result, list1, line, ds_kernel,
                missing) {
    out <- c(where, held, noted, bad, a, places1, scratch, spare)
    for (i in seq_along(out)) out[[i]] <- out[[i]] + give_up * tick
    where <- out[out > 3]
    spare <- where
    spare[1] <- result
    list(where, spare, out, list1 + line + ds_kernel + missing)
  }
  expect_identical(do.call(ds_compile(f, whole = TRUE), as.list(1:15 + 0)), do.call(f, as.list(1:15 + 0)))
})

test_that("what nobody needs the value of still warns", {
  both_ways(function(x, n) diff(x && n > 0), c(2.5, NA, -1), 5)
  both_ways(function(x) c(isTRUE(sqrt(x)), isFALSE(x)), c(2.5, NA, -1))
  both_ways(function(k) NULL[sqrt(k)], -1)
  both_ways(function(x) list(x, sqrt(x))[[1]] + length(list(x, log(x))), -1)
  both_ways(function(x, n) c(length(x && n > 0), NROW(x || n > 9), is.matrix(x && n), nrow(x && n)), c(2.5, NA, -1), 5)
})

test_that("integers of a table that grow out of their range are missing, in helpers too", {
  doubling <- function(n) {
    y <- rep(1L, n)
    for (i in 3:n) y[i] <- y[i - 1] + y[i - 2]
    y
  }
  for (n in c(40, 50)) {
    both_ways(doubling, n)
    both_ways(function(n) doubling(n)[n] - doubling(n - 1)[n - 1], n)
    both_ways(function(n) {
      y <- rep(1L, n)
      for (i in 2:n) y[i] <- y[i - 1] * 3L - y[1]
      y
    }, n)
  }
})

test_that("a list without a value gets no part", {
  both_ways(function(k) {
    if (k > 1) r <- list(mean = k, top = list(2))
    r$mean <- 3
    k
  }, 0)
})

test_that("a single number is a matrix of one in a product", {
  for (n in list(2, 1, numeric())) both_ways(function(x, n) drop(x %*% rep(1, n)), 5L, n)
  both_ways(function(x, v) list(x %*% v, v %*% x, crossprod(x, v[1:2])), 3, c(1, 2, 4))
})

test_that("a single number keeps its name in a function that it is given to", {
  taken <- function(a) a
  both_ways(function(x) taken(quantile(x, 0.5)), c(2, 3, 7))
})

test_that("rep.int() stops where rep() does not", {
  both_ways(function(x, n) x * rep.int(n, rep.int(length(x), 2)), 5L, numeric())
  both_ways(function(x, n) x * rep.int(n, c(1, 2)), 5L, c(1, 2))
})

test_that("text is asked for its type as in R, and T and F are looked at again at each call", {
  kind <- function(x, how) {
    c(is.vector(how, mode = "numeric"), is.vector(how, "character"), inherits(how, "character"), is.atomic(how)) * x
  }
  both_ways(function(x) kind(x, "a"), 2)
  space <- new.env()
  f <- eval(str2lang("function(x) matrix(x, 2, 2, byrow = T)[1, 2]"), space)
  fast <- ds_compile(f)
  for (call in 1:2) expect_identical(fast(1:4), f(1:4))
  space$T <- FALSE
  expect_identical(fast(1:4), f(1:4))
})

test_that("products beside sums of turning signs are rounded twice, as in R", {
  turning <- function(a, b, c) {
    out <- numeric(length(a))
    for (k in seq_len(length(a) %/% 2L)) {
      out[2L * k - 1L] <- a[2L * k - 1L] * b[2L * k - 1L] - c[2L * k - 1L]
      out[2L * k] <- a[2L * k] * b[2L * k] + c[2L * k]
    }
    out
  }
  set.seed(1)
  both_ways(turning, rnorm(400), rnorm(400), rnorm(400))
})

test_that("replacements of diagonals, lengths, missing places and pairs of places are R's", {
  m <- matrix(as.double(1:9), 3)
  diagonal <- function(m, v) {
    diag(m) <- v
    m
  }
  for (v in list(0, 7:9, c(1.5, 2))) both_ways(diagonal, m, v)
  both_ways(diagonal, matrix(1:6, 2), 0.5)
  longer <- function(x, n) {
    length(x) <- n
    is.na(x) <- 1
    x
  }
  for (n in c(0, 2, 5)) both_ways(longer, c(1, 2, 3), n)
  read <- function(m, i, j) m[cbind(i, j)]
  written <- function(m, p) {
    m[p] <- m[p] * 2
    m
  }
  at <- list(c(1, 2), 1:3, c(1, 4), c(1, 0), c(2, NA), c(1.7, 2), -1)
  for (i in at) both_ways(read, m, i, 2)
  for (i in at) both_ways(written, m, matrix(c(i, rev(i)), ncol = 2))
  both_ways(written, m, matrix(0, 0, 2))
  both_ways(function(m, i) {
    m[cbind(i, 1)] <- (i <- 2)
    m[i, i]
  }, m, 1)
  expect_silent(ds_compile(read, whole = TRUE)(m, 1:2, 2))
})

test_that("a variable that is an integer before a loop and a double in it does not leave the loop to R", {
  series <- function(x) {
    term <- x
    sum <- x
    j <- 1
    while (any(abs(term) > 1e-9)) {
      j <- j + 1
      term <- -x * term / j
      sum <- sum + term
    }
    sum
  }
  halved <- function(n) {
    p <- 1L
    for (k in 1:n) for (j in 2:n) p <- -p * j / 2
    p
  }
  for (given in list(list(series, 1:3), list(series, 2L), list(halved, 4L), list(halved, 2))) {
    fast <- ds_compile(given[[1]], whole = TRUE)
    expect_identical(outcome_of(fast, given[-1]), outcome_of(given[[1]], given[-1]))
    expect_identical(ds_inspect(fast)$fallbacks, 0)
  }
  for (n in c(0, 1, 5.5)) both_ways(halved, n)
})

test_that("places the other way round are R's, where there are none too", {
  falling <- function(x, n) {
    s <- 0
    for (i in rev(seq_along(x))) s <- s * 2 + x[i]
    for (i in rev(seq_len(n))) s <- s * 3 + i
    for (i in rev(1:n)) s <- s + i / 7
    list(s, rev(seq_len(n)), rev(1:n))
  }
  for (n in list(3L, 1L, 0L, 2.5, NA)) for (x in list(c(1, 2, 4), 1, numeric())) both_ways(falling, x, n)
})

test_that("a place that is left out may be missing, infinite or too far", {
  left_out <- list(function(x, k) x[-k], function(x, k) {
    x[-k] <- 0
    x
  }, function(x, k) matrix(x, 3, 2)[-k, 1])
  for (f in left_out) {
    fast <- ds_compile(f)
    for (k in list(NaN, NA_real_, 1e300, -1e300, Inf, -Inf, 0.5, NA, 2^63, -2^63, 2, NA_integer_)) {
      given <- list(c(1, 2, 3, 4, 5, 6), k)
      expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given))
    }
  }
})

test_that("functions given too many or too few arguments stop as in R", {
  calls <- alist(
    nrow(x, 2), ncol(x, 2), NROW(x, 2), NCOL(x, 2), dim(x, 2), is.null(x, 2), length(x, 2), append(x), rep_len(x),
    seq_along(x, 2), is.na(x, 2), rev(x, 2), sum(), abs(x, 2), Re(x, 2), nchar(x, 2, 3, 4, 5), t(x, x),
    is.vector(x, c("a", "b")), Reduce(x, 2), missing(x, 2), vapply(numeric(), x, 0),
    rep_len(x, NA), rep_len(x, x), sample.int(x), matrix(2, 0), matrix(x, ncol = 0)
  )
  calls <- c(calls, call("[", quote(x), c("a", "b")), call("[[", quote(x), c("a", "b")))
  for (code in calls) both_ways(as.function(c(list(x = rlang::missing_arg()), code), envir = globalenv()), c(1, 2))
})

test_that("`ifelse()` of several types has the one that R takes of them", {
  mixed <- list(
    function(x) ifelse(x > 2, x - 1, NA), function(x) ifelse(x > 2, 1L, x), function(x) ifelse(is.na(x), TRUE, x)
  )
  values <- list(c(3, 1, 5), c(0, 1), c(3L, 9L), numeric(), c(NA, NA), c(NA, 4, 0), c(TRUE, NA))
  for (f in mixed) for (x in values) both_ways(f, x)
  expect_identical(ds_compile(mixed[[1]], whole = TRUE)(c(3, 1)), c(2, NA))
})

test_that("values are put behind any place that R takes", {
  behind <- function(x, after) {
    for (i in 1:3) x <- append(x, runif(1), after)
    for (i in 1:2) x <- append(x, i, 0)
    x
  }
  for (after in list(1, 2L, 3, 5, 0, -1, 2.5, NA)) both_ways(behind, c(4, 5, 6), after)
})

test_that("one value among several is looked for by comparisons", {
  among <- list(
    function(v, set) v %in% c(4L, 5L, 9L), function(v, set) v %in% c(4, 5.5, TRUE), function(v, set) v %in% c("G", "C"),
    function(v, set) (v + 0) %in% c(4, 5), function(v, set) v %in% set, function(v, set) v %in% c(4, NA)
  )
  sets <- list(c(1, 4, NA), c(TRUE, NA), 1:9, numeric())
  for (f in among) {
    fast <- ds_compile(f)
    for (v in list(4L, 4, NaN, NA_real_, NA, "G", NA_character_, 1i, c(4, 5))) {
      for (set in if ("set" %in% all.names(body(f))) sets else list(1)) {
        expect_identical(suppressMessages(outcome_of(fast, list(v, set))), outcome_of(f, list(v, set)))
      }
    }
  }
})

test_that("what functions and whole-vector calls do with names is R's", {
  calls <- alist(
    sapply(z, function(v) v + 1), vapply(z, function(v) v > 1, NA), mapply(function(v, w) v + w, z, 1:2),
    unlist(lapply(z, function(v) v)), sapply(z, function(v) c(v, 2)), sapply(z * 2, sqrt) + 1:2, which.max(z),
    sapply(z, function(v) v)[1], which.min(z), unlist(lapply(z, function(v) c(v, 1))), sapply(1:2, function(i) z[i]),
    quantile(z, 0.9) + 1, quantile(z), quantile(z, c(1 / 3, 0.5)), quantile(z, c(0.25, 0.5))[2]
  )
  for (code in calls) {
    f <- function(x) {
      z <- c(a = x, b = 2)
      z
    }
    body(f)[[3]] <- code
    both_ways(f, 1)
  }
})

test_that("code that means other code is left to R where a function of the same name does something else", {
  scope <- new.env()
  for (name in c("trunc", "min", "length", "nrow", "seq_len", "match", "numeric")) {
    assign(name, function(...) 1, envir = scope)
  }
  kernels <- list(
    function(m, at) {
      s <- 0
      for (k in 1:2) s <- s + sum(m[at])
      s
    },
    function(m, at) {
      for (k in 1:2) diag(m) <- k
      m
    },
    function(m, at) {
      parts <- list()
      for (k in 1:2) parts[[k]] <- c(k, 1)
      s <- 0
      for (part in parts) s <- s + sum(part)
      s
    },
    function(m, at) {
      total <- c(a = 1, b = 2)
      for (g in c("b", "a", "b")) total[[g]] <- total[[g]] + m[1, 1]
      total
    },
    function(m, at) {
      best <- NA
      for (v in at) best <- if (is.na(best)) v else best * 1.5
      best
    }
  )
  for (f in kernels) {
    environment(f) <- scope
    expect_identical(suppressMessages(ds_compile(f)(diag(3) + 0.5, cbind(1:2, 2:3))), f(diag(3) + 0.5, cbind(1:2, 2:3)))
  }
})

test_that("what an argument does to the loop around it is done where R works it out, or not at all", {
  first_of <- function(a, b) if (a > 0) a else b
  other <- function(a, b) a + 1
  both_ways(function(x) {
    s <- 0
    for (v in x) {
      first_of(v, next)
      s <- s + 1 + other(v, break)
    }
    s
  }, c(1, -1, 2))
  both_ways(function(x) {
    s <- 0
    for (v in x) s <- s + first_of(v, break)
    s
  }, c(1, -1, 2))
})

test_that("NULL stands where R takes it, in code that is cut and put together", {
  both_ways(function(n) {
    s <- 0
    for (i in 1:2) s <- s + length(NULL %in% n) + 1
    s
  }, 4L)
  both_ways(function(n) for (i in 2:(NULL %in% n)) n <- i, 4L)
  both_ways(function(n) {
    suppressWarnings(n)
    for (w in n) NULL
    x <- list(1, 2)
    y <- (x[[2]] <- NULL)
    list(w, x, y)
  }, c(1, 2))
})

test_that("vectors are identical where they are for R: by type, shape and element, without names", {
  without_comparing()
  given <- list(
    1, 1L, NA, NA_real_, NaN, -0, 0, c(1, NA), c(1, NaN), 1:2, numeric(0), matrix(1, 1, 1),
    matrix(1:4, 2), array(1:4, c(1, 2, 2)), c(a = 1, b = 2), 1i, "a", NULL, factor("a"), list(1)
  )
  fast <- ds_compile(function(x, y) identical(x, y))
  for (x in given) for (y in given) expect_identical(suppressMessages(fast(x, y)), identical(x, y))
  expect_gt(nrow(as.data.frame(ds_inspect(fast))), 20)
  settles <- function(x, y) {
    alike <- function(a, b) identical(a, b)
    turns <- 0
    repeat {
      old <- x
      x <- x %/% 2L
      turns <- turns + 1
      if (identical(x, old) || alike(x, y)) return(turns)
    }
  }
  for (x in list(c(50L, 7L), c(a = 50L, b = 7L))) both_ways(settles, x, c(12L, 1L))
})

test_that("what is compared may be a comparison itself", {
  signs <- c("==", "!=", "<", ">", "<=", ">=")
  forms <- outer(c("is.na(x) %s k", "k %s is.na(x)", "(x == y) %s k", "k %s (x < y)"), signs, sprintf)
  f <- without_source(sprintf("function(x, y, k) list(%s)", toString(forms)))
  for (x in list(0L, 2L, c(1L, NA))) both_ways(f, x, 1L, 1L)
  for (k in c(FALSE, TRUE)) both_ways(f, 1L, 1L, k)
})

test_that("single numbers are reduced without what is missing, and what fits a vector goes into it, whatever it is", {
  for (call in c("max(a, b", "min(a, 2L, b", "sum(a, b, 2147483647L", "prod(a, b", "any(a > 1, b", "all(a, b > 0")) {
    f <- without_source(sprintf("function(a, b) %s, na.rm = TRUE)", call))
    fast <- ds_compile(f)
    for (a in list(1, 2L, NA_real_, NaN, -0)) for (b in list(NA, 3L, 0, c(NA, 4))) {
      expect_identical(outcome_of(fast, list(a, b)), outcome_of(f, list(a, b)))
    }
  }
  filled <- function(x) {
    last <- NA
    for (i in seq_along(x)) if (is.na(x[i])) x[i] <- last else last <- x[i]
    x
  }
  for (x in list(c(NA, 1, NA), c(2L, NA), c(NA, TRUE, NA))) {
    both_ways(filled, x)
    fast <- ds_compile(filled)
    fast(x)
    expect_identical(ds_inspect(fast)$fallbacks, 0)
  }
})

test_that("what is assigned is the value of an assignment, whatever the loop makes of it", {
  without_comparing()
  d <- data.frame(a = c(1, 2, 3), b = c(4, 5, 6))
  day <- as.Date("2020-01-01") + 0:4
  passing <- list(
    function(d, day) {
      for (i in 1:3) y <- d[i, ] <- c(i, 2)
      list(y, d)
    },
    function(d, day) {
      y <- 0
      for (i in 1:3) y <- y + sum(d[i, ] <- c(i, 2))
      y
    },
    function(d, day) {
      out <- NULL
      for (i in 1:3) y <- nrow(out <- rbind(out, data.frame(i = i, b = 2)))
      list(y, out)
    },
    function(d, day) {
      out <- list()
      for (i in 1:3) y <- out[[i]] <- data.frame(i = i, b = 2)
      list(y, out)
    },
    function(d, day) {
      out <- list()
      for (i in 1:3) y <- out[[i]] <- list(i = i, b = 2)
      list(y, out)
    },
    function(d, day) {
      out <- list()
      for (i in 1:3) y <- out[[i]] <- c(i = i, b = 2)
      list(y, out)
    },
    function(d, day) {
      s <- 0
      for (i in 1:3) {
        y <- row <- d[i, ]
        z <- if (i > 1) row <- d[i, ] else 2
        s <- s + row$a
      }
      list(s, y, z, row)
    },
    function(d, day) {
      out <- NULL
      kept <- list()
      for (i in 1:3) {
        kept[[i]] <- row <- c(t = i, b = 2)
        out <- rbind(out, row)
      }
      list(out, kept)
    },
    function(d, day) {
      x <- c(1, 2, 3)
      for (i in 1:3) {
        y <- day[i] <- day[i + 1]
        z <- x[i] <- day[i] - day[1]
      }
      list(x, y, z, day)
    }
  )
  passing <- c(passing, function(d, day) {
    for (i in 1:3) for (k in names(d)) y <- d[[k]][i] <- i
    list(y, d)
  }, function(d, day) {
    n <- c()
    for (k in c("a", "b", "a")) y <- n[k] <- if (k %in% names(n)) n[k] + 1 else 1
    list(y, n)
  })
  for (f in passing) expect_identical(suppressMessages(ds_compile(f)(d, day)), f(d, day))
})

test_that("the diagonal of a number alone is a unit matrix of doubles", {
  sides <- function(x) {
    for (k in 1:2) m <- diag(x) * k
    m
  }
  fast <- ds_compile(sides, whole = TRUE)
  for (x in list(3L, TRUE, 2, 4:5, c(1.5, 2), 2L)) expect_identical(fast(x), sides(x))
})

test_that("a loop over places counts alike whichever strip of them holds the odd one", {
  count <- function(places, counts) {
    for (k in places) counts[k] <- counts[k] + 1L
    counts
  }
  fast <- ds_compile(count, whole = TRUE)
  set.seed(4)
  usual <- sample(50L, 12000, TRUE)
  odd <- list(NULL, 51L, 60L, 0L, -1L, NA)
  for (at in c(1, 4096, 4097, 9000, 12000)) for (one in odd) for (counts in list(integer(50), c(NA, integer(49)))) {
    places <- if (is.null(one)) usual[seq_len(at)] else replace(usual, at, one)
    expect_identical(outcome_of(fast, list(places, counts)), outcome_of(count, list(places, counts)))
  }
  full <- replace(integer(50), 7, .Machine$integer.max - 3L)
  expect_identical(outcome_of(fast, list(rep(7L, 9), full)), outcome_of(count, list(rep(7L, 9), full)))
  expect_identical(fast(usual, integer(50)), tabulate(usual, 50))
})

test_that("what is missing where places of a vector lead is seen in every strip of them", {
  steps <- alist(best <- max(best, w[k]), if (w[k] != u[k]) best <- best + 1L)
  far <- rep(5L, 5000)
  for (step in steps) for (places in list(1:2, 2L, c(3L, 1L), c(far, 1:2), c(1L, far), far, 1:2 + 0L)) {
    f <- eval(bquote(function(places, w, u, best = 1L) list(for (k in places) .(step), best)))
    fast <- ds_compile(f)
    for (w in list(c(NA, 3L, 1L, 2L, 4L), c(7L, NA, 1L, 2L, 4L), 5:1)) for (u in list(rep(0L, 5), c(NA, 1:4))) {
      expect_identical(outcome_of(fast, list(places, w, u)), outcome_of(f, list(places, w, u)))
    }
  }
})

test_that("what a value need not be known for is worked out nonetheless, and what is left out is R's error", {
  f <- function(n) {
    s <- 0
    for (i in 1:3) if (is.nan(n * 999999999L)) s <- s + 1
    list(s, is.infinite(c(n, 1L) + .Machine$integer.max), is.nan(-(n + 2147483647L)) || TRUE)
  }
  fast <- ds_compile(f, whole = TRUE)
  expect_identical(outcome_of(fast, list(4L)), outcome_of(f, list(4L)))
  for (g in list(function(n) match(sqrt(n - 9)), function(n) startsWith(n), function(n) startsWith(n, n))) {
    fast <- ds_compile(g, whole = TRUE)
    expect_identical(outcome_of(fast, list(4)), outcome_of(g, list(4)))
  }
})

test_that("what is missing is missing to whom it is handed, and what has extents has both in an outer product", {
  kernels <- c(
    "function(x, y) { g <- function(a) missing(a); h <- function(b) g(b); for (v in x) x[1] <- x[1] + g(y) + h(y); x }",
    "function(x, y) { g <- function(a) missing(a); s <- 0; for (v in x) { s <- s + g(y); y <- 1 }; s }",
    "function(x, y = 4) { g <- function(a) missing(a); s <- 0; for (v in x) s <- s + g(y); s }",
    "function(x, y) { f <- function(z) { q <- function(w) missing(w); q(z) }; for (v in x) x[1] <- f(y) + f(); x }",
    "function(x, y) { m <- outer(x, matrix(1:4, 2), function(a, b) a * b); for (v in m) x <- x + v; list(x, dim(m)) }"
  )
  for (text in kernels) {
    f <- eval(str2lang(text))
    fast <- ds_compile(f)
    for (given in list(list(c(1, 2)), list(3, 5))) {
      expect_identical(outcome_of(fast, given), outcome_of(f, given), info = text)
    }
  }
})

test_that("numbers that are no counts are R's affair wherever a constant is looked for", {
  repeated <- function(x, k) rep_len(x, k)
  fast <- ds_compile(repeated, whole = TRUE)
  for (k in list("a", NA_character_, TRUE)) {
    expect_identical(outcome_of(fast, list(c(3, 1), k)), outcome_of(repeated, list(c(3, 1), k)))
  }
  for (f in list(function(x) runif(NaN), function(x) sample(x, NaN), function(x) round(x, NaN), function(x) x / NaN)) {
    expect_identical(outcome_of(ds_compile(f, whole = TRUE), list(c(3, 1))), outcome_of(f, list(c(3, 1))))
  }
})

test_that("extents that no vector can have are R's error, after what is drawn before", {
  both_ways(function(k) array(runif(1), c(k, k, k)), 4194304L)
  both_ways(function(k) matrix(runif(1), k, k), 2147483647L)
})

test_that("all of a matrix is the matrix", {
  takes <- list(function(x) x[], function(x) x[, drop = TRUE], function(x) x[drop = FALSE], function(x) 2 * x[] + x)
  for (f in takes) for (x in list(diag(2), 1:3, matrix(1:2, 1), array(1:8, c(2, 2, 2)))) {
    expect_identical(outcome_of(ds_compile(f), list(x)), outcome_of(f, list(x)))
  }
})

test_that("a range may be that of finite numbers alone", {
  ranges <- list(
    function(x) range(x, finite = TRUE), function(x) range(x, finite = FALSE, na.rm = TRUE),
    function(x) range(x[-1], 2, finite = TRUE), function(x) diff(range(log(abs(x)), na.rm = FALSE, finite = TRUE))
  )
  for (f in ranges) for (x in list(c(3, NA, -Inf, 0.5), 0.5, c(2L, NA), c(a = 1, b = NaN), numeric())) {
    expect_identical(outcome_of(ds_compile(f), list(x)), outcome_of(f, list(x)))
  }
})

test_that("places that are missing, are used over again or lie behind the end are R's, without it", {
  kernels <- list(
    function(x, i, v) x[i], function(x, i, v) {
      x[i] <- v
      x
    }, function(x, i, v) {
      x[x > 1] <- 7L
      matrix(x, 1)[i]
    }, function(x, i, v) {
      m <- matrix(c(x, rev(x)), 3)
      m[i, 1] <- v
      m
    }
  )
  places <- list(
    c(TRUE, NA, FALSE), TRUE, NA, logical(0), c(TRUE, FALSE), c(NA, FALSE, FALSE, TRUE), c(2, NA),
    c(0, NA, 3), c(1, 5, NA)
  )
  fast <- lapply(kernels, ds_compile, whole = TRUE)
  for (x in list(c(1.5, NA, -2), c(3L, NA, 0L))) for (i in places) for (v in list(9, c(8, 9))) {
    given <- list(x, i, v)
    for (k in seq_along(kernels)) {
      expect_identical(outcome_of(fast[[k]], given), outcome_of(kernels[[k]], given), info = deparse1(list(k, given)))
    }
  }
  gaps <- kernels[[2]]
  fast <- ds_compile(gaps, whole = TRUE)
  for (i in places[c(1:5, 7, 8)]) expect_identical(fast(c(1.5, NA, -2), i, 9), gaps(c(1.5, NA, -2), i, 9))
  expect_identical(attr(fast, "ds_compiled")$counts[[1]], 0)
})

test_that("NULL is a vector of none to arithmetic, comparisons, logic and sums", {
  kernels <- alist(
    NULL + x, x[1] * NULL, 1L %/% NULL, NULL / NULL, x > NULL, NULL & TRUE, xor(NULL, x), sum(NULL, x), all(NULL),
    prod(NULL), x + 1 + NULL, max(NULL, 3), !NULL, -NULL, NULL == "a", c(a = 1) + NULL, NULL + matrix(1), min(NULL)
  )
  fell <- vapply(kernels, function(code) {
    f <- eval(bquote(function(x) .(code)))
    fast <- ds_compile(f, whole = TRUE)
    expect_identical(outcome_of(fast, list(c(1, 2))), outcome_of(f, list(c(1, 2))), info = deparse1(code))
    attr(fast, "ds_compiled")$counts[[1]]
  }, 0)
  expect_identical(sum(fell[1:11]), 0)
})

test_that("statistics, extremes side by side and replacements of vectors with gaps are R's", {
  kernels <- alist(
    median(x, na.rm = TRUE), var(x, na.rm = k), sd(x, na.rm = TRUE), sd(x, na.rm = FALSE), pmin(x, y, na.rm = TRUE),
    pmax(2L, x, y, na.rm = TRUE), replace(x, is.na(x), 0), replace(x + 1, c(2, 1), c(7, 8)), {
      for (i in 1:2) x <- replace(x, i, median(x[-i], na.rm = TRUE))
      x
    }
  )
  for (code in kernels) {
    f <- eval(bquote(function(x, y, k = TRUE) .(code)))
    fast <- ds_compile(f, whole = TRUE)
    for (x in list(c(1.5, NA, NaN, 3), c(NA, NaN, 2, NA), c(4L, NA, 1L, 3L))) for (y in list(c(2, NA, NaN, NaN), 3)) {
      expect_identical(outcome_of(fast, list(x, y)), outcome_of(f, list(x, y)), info = deparse1(list(code, x, y)))
    }
    if (!identical(code[[1]], quote(`{`))) expect_identical(attr(fast, "ds_compiled")$counts[[1]], 0)
  }
  matrices <- alist(var(m, na.rm = TRUE), sd(m, na.rm = TRUE), replace(m, m > 2, 0), pmax(m, 2, na.rm = TRUE))
  for (code in matrices) {
    f <- eval(bquote(function(m) .(code)))
    expect_identical(suppressMessages(ds_compile(f)(matrix(c(1, NA, 3, 4), 2))), f(matrix(c(1, NA, 3, 4), 2)))
  }
})
