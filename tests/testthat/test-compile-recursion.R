# Functions that call themselves with vectors, matrices and functions.

gives_native <- function(f, ...) {
  given <- list(...)
  fast <- ds_compile(f, whole = TRUE)
  expect_identical(outcome_of(fast, given), outcome_of(f, given))
  expect_identical(ds_inspect(fast)$fallbacks, 0)
  invisible(fast)
}

quick <- function(x) {
  if (length(x) <= 1) return(x)
  rest <- x[-1]
  c(quick(rest[rest < x[1]]), x[1], quick(rest[rest >= x[1]]))
}

test_that("sorting, minors, combinations, transforms and moves run native", {
  for (x in list(c(3, 1, 2, 5, 4), 5:1, numeric(), 1, rnorm(60))) gives_native(quick, x)
  minors <- function(m) {
    if (nrow(m) == 1) return(m[1, 1])
    sum <- 0
    for (j in seq_len(ncol(m))) sum <- sum + (-1)^(1 + j) * m[1, j] * minors(m[-1, -j, drop = FALSE])
    sum
  }
  environment(minors) <- list2env(list(minors = minors))
  gives_native(minors, matrix(c(2, 1, 3, 4, 5, 6, 7, 8, 10), 3))
  space <- new.env()
  local({
    chosen <- function(v, m) {
      if (m == 1) return(matrix(v, ncol = 1))
      if (length(v) == m) return(matrix(v, 1))
      rbind(cbind(v[1], chosen(v[-1], m - 1)), chosen(v[-1], m))
    }
    transform <- function(x) {
      n <- length(x)
      if (n == 1) return(x)
      even <- transform(x[seq(1, n, by = 2)])
      odd <- transform(x[seq(2, n, by = 2)])
      turned <- exp(-2i * pi * (0:(n / 2 - 1)) / n) * odd
      c(even + turned, even - turned)
    }
    drawn <- function(n) if (n == 0) runif(1) else c(drawn(n - 1), rnorm(1))
    grown <- function(x, n) {
      if (n == 0) return(x)
      x[length(x) + 1] <- n
      grown(x, n - 1)
    }
    scaled <- function(x, k = 2) {
      if (length(x) <= k) return(x * scale_of)
      c(scaled(x[1:k]), scaled(x[(k + 1):length(x)]))
    }
  }, envir = space)
  gives_native(space$chosen, c(1, 2, 3, 4), 2)
  gives_native(space$transform, c(1, 5, 2, 8) + 0i)
  gives_native(space$drawn, 5)
  gives_native(space$grown, c(1, 2), 4)
  space$scale_of <- 3
  gives_native(space$scaled, c(1, 2, 3, 4, 5))
})

test_that("those that are made inside another function take what they read there along", {
  nested <- function(x, k) {
    w <- k * 2
    turn <- function(v) if (length(v) < 2) v * w else c(turn(v[-1]), v[1] + k)
    y <- turn(x)
    w <- 1
    y + turn(x)
  }
  gives_native(nested, c(1, 2, 3), 4)
  quadrature <- function(a, b, tol) {
    f <- function(x) x^2 * sin(x)
    halve <- function(a, b, fa, fb, whole) {
      m <- (a + b) / 2
      fm <- f(m)
      left <- (m - a) * (fa + fm) / 2
      right <- (b - m) * (fm + fb) / 2
      if (abs(left + right - whole) < tol) return(left + right)
      halve(a, m, fa, fm, left) + halve(m, b, fm, fb, right)
    }
    halve(a, b, f(a), f(b), (b - a) * (f(a) + f(b)) / 2)
  }
  gives_native(quadrature, 0, 2, 1e-4)
  outward <- function(x) {
    out <- c()
    walk <- function(v) {
      if (length(v) == 0) return(invisible())
      out <<- c(out, v[1])
      walk(v[-1])
    }
    walk(x)
    out
  }
  expect_identical(suppressMessages(ds_compile(outward)(c(1, 2, 3))), c(1, 2, 3))
  asks <- function(x, n) { # of what is no argument of its own
    down <- function(n) if (n <= 0) missing(x) else down(n - 1)
    down(n)
  }
  expect_error(suppressMessages(ds_compile(asks)(1, 2)), "can only be used for arguments")
})

test_that("errors, missing values and values of several kinds in the depth are R's", {
  ends <- function(x) if (length(x) < 2) stop("too short") else if (length(x) == 2) x else ends(x[-1])
  kinds <- function(x) if (length(x) == 1) TRUE else c(kinds(x[-1]), 1)
  counted <- function(x, n) {
    if (n == 0L) return(x)
    x[1] <- x[1] + 1L
    counted(x, n - 1L)
  }
  space <- list2env(list(ends = ends, kinds = kinds, counted = counted))
  both <- function(name, ...) {
    f <- `environment<-`(space[[name]], space)
    assign(name, f, space)
    fast <- ds_compile(f)
    for (call in 1:2) expect_identical(suppressMessages(outcome_of(fast, list(...))), outcome_of(f, list(...)))
  }
  both("ends", c(1, 2, 3, 4))
  both("ends", 1)
  both("kinds", c(1, 2, 3))
  both("counted", c(NA, 1L), 4L)
  both("counted", c(.Machine$integer.max - 2L, 1L), 4L)
  fast <- ds_compile(quick)
  expect_identical(outcome_of(fast, list(c(2, NA, 1))), outcome_of(quick, list(c(2, NA, 1))))
})

test_that("`Recall()` calls the function that it stands in", {
  divisor <- function(a, b) if (b == 0) a else Recall(b, a %% b)
  sorted <- function(v) {
    if (length(v) < 2) return(v)
    rest <- v[-1]
    c(Recall(rest[rest < v[1]]), v[1], Recall(w = 2, v = rest[rest >= v[1]]))
  }
  formals(sorted)$w <- 1
  summed <- function(n) {
    down <- function(k) if (k < 0.5) 0 else k + Recall(k - 1)
    other <- function(k) sapply(1:2, function(i) if (i < 2) k else Recall(1))
    c(down(n), other(n))
  }
  other <- function(n) {
    Recall <- function(k) k * 2
    Recall(n)
  }
  same <- function(f, ...) {
    fast <- ds_compile(f)
    expect_identical(suppressMessages(outcome_of(fast, list(...))), outcome_of(f, list(...)))
    attr(fast, "ds_compiled")$counts[[1]] + (length(attr(fast, "ds_compiled")$routines) == 0)
  }
  expect_identical(same(divisor, 48, 36), 0)
  expect_identical(same(sorted, c(3, 1, 2, 5, 4)), 0)
  expect_identical(same(summed, 4), 0)
  same(other, 4)
})

test_that("what gives the integer that it was given on one way, and a double on another, runs native", {
  paths <- function(k) if (k < 2) k else paths(k - 1) + paths(k - 2)
  space <- list2env(list(paths = paths))
  environment(space$paths) <- space
  callers <- alist(
    sum = {
      s <- 0
      for (i in 0:n) s <- s + paths(i)
      s
    },
    stored = {
      out <- numeric(n)
      for (i in 1:n) out[i] <- paths(i)
      out
    },
    applied = sapply(0:n, paths), single = paths(n), bound = {
      x <- NULL
      for (i in 0:n) x <- c(x, if (i < 3) i else paths(i) / 2, 1L)
      list(x, is.integer(x))
    }, inner = {
      reach <- function(k) {
        if (k <= 1) return(k)
        reach(k - 1) + reach(k - 2)
      }
      s <- 0
      for (i in 0:n) s <- s + reach(i)
      s
    },
    beside = {
      step <- 2
      down <- function(k) if (k < 2) k else step * down(k - 1)
      other <- function(step) down(step) # another `step` than that of `down()`
      s <- 0
      for (i in 0:n) s <- s + other(i)
      s
    }
  )
  for (name in names(callers)) {
    f <- as.function(c(formals(function(n) NULL), callers[[name]]), envir = space)
    fast <- gives_native(f, 9L)
    for (n in list(0L, 1L, NA)) {
      expect_identical(suppressMessages(outcome_of(fast, list(n))), outcome_of(f, list(n)), label = paste(name, n))
    }
    if (name == "inner") expect_match(ds_inspect(fast, "c"), "static double f_reach", all = FALSE)
  }
})

test_that("a function that gives NULL where it finds nothing, a matrix where it does, is left to R in words", {
  fill <- function(b) {
    for (r in 1:3) for (c in 1:3) if (b[r, c] == 0) {
      for (v in 1:3) if (!any(b[r, ] == v) && !any(b[, c] == v)) {
        b[r, c] <- v
        s <- fill(b)
        if (!is.null(s)) return(s)
        b[r, c] <- 0
      }
      return(NULL)
    }
    b
  }
  fast <- ds_compile(fill)
  for (b in list(matrix(0, 3, 3), matrix(c(1, 1, 0, 0, 0, 0, 0, 0, 0), 3), diag(3))) {
    expect_identical(suppressMessages(fast(b)), fill(b))
  }
  expect_match(ds_inspect(fast)$parts$reason[[1]], "calls itself by way of others", fixed = TRUE)
})

test_that("functions that call themselves and others in a loop are read to an end where R kept no source", {
  solver <- eval(parse(keep.source = FALSE, text = "function(b) {
    free <- which(b == 0)
    fits <- function(b, v) sum(b == v) < 2
    search <- function(b, k) {
      if (k > length(free)) return(b)
      for (v in 1:2) if (fits(b, v)) {
        b[free[k]] <- v
        found <- search(b, k + 1)
        if (!is.null(found)) return(found)
        b[free[k]] <- 0
      }
      NULL
    }
    search(b, 1)
  }"))
  fast <- ds_compile(solver)
  for (b in list(c(1, 0, 0, 2), c(1, 1, 0, 0, 0), c(2, 1))) expect_identical(suppressMessages(fast(b)), solver(b))
  expect_match(ds_inspect(fast)$parts$reason, "calls itself by way of others", fixed = TRUE)
})

test_that("a large function that is called at many places is one routine, and gives what it gives written in", {
  cost <- function(p, level) {
    w <- numeric(length(level))
    for (i in seq_along(level)) {
      d <- max(level[i] - p[1], 0)
      w[i] <- p[2] * d^1.5
      if (w[i] > 10) w[i] <- 10 + sqrt(w[i] - 10)
    }
    low <- w[w < 1]
    if (length(low) > 3) return(mean(low))
    sum(w) + sum(rev(w)[1:2] * p) + sum(outer(w, p))
  }
  search <- function(level, f = cost, width = 0.1) {
    p <- c(0.2, 2)
    best <- f(p, level)
    for (turn in 1:20) {
      up <- f(p + width, level)
      down <- f(p - width, level)
      if (up < best) p <- p + width
      if (down < best) p <- p - width
      best <- min(best, up, down, f(c(p[1], 1), level), f(c(0.1, p[2]), level = level))
    }
    list(best, f(level = level, p = p), turn)
  }
  environment(search) <- list2env(list(cost = cost), parent = globalenv())
  fast <- gives_native(search, seq(0.1, 6, by = 0.2))
  twice <- function(p, level) cost(p, level) + cost(level, p)
  expect_identical(ds_compile(search)(c(0.1, 0.5), twice), search(c(0.1, 0.5), twice))
  expect_length(grep("static SEXP f_.*;$", ds_inspect(fast, "c")), 1)
  expect_error(suppressMessages(fast(c(1, NA))), "missing value where TRUE/FALSE needed")
})
