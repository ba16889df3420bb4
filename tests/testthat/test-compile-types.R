types <- function(...) lapply(list(...), function(x) internal("type_of_value")(x))

test_that("arguments have a type, or none", {
  code <- function(x) internal("type_code")(internal("type_of_value")(x))
  expect_identical(
    vapply(list(1, 1:3, TRUE, matrix(0, 2, 2), array(0L, c(1, 2, 3)), numeric(), 1i, "a"), code, ""),
    c("d0", "i1", "l0", "d2", "i3", "d1", "z0", "t0")
  )
  expect_true(all(vapply(types(as.name("a"), NULL, list(1), c(a = 1), factor("a"), array(1, 3)), is.null, NA)))
})

test_that("joining is symmetric, idempotent and never loses a value", {
  join <- internal("join_types")
  number_type <- internal("number_type")
  all <- unlist(lapply(c("unset", "null", "logical", "integer", "double"), function(mode) {
    lapply(0:2, function(rank) number_type(mode, rank))
  }), recursive = FALSE)
  for (one in all) {
    expect_identical(join(one, one), one)
    for (other in all) {
      joined <- join(one, other)
      expect_identical(joined$kind, join(other, one)$kind)
      if (joined$kind != "number") next
      expect_identical(joined$modes, join(other, one)$modes)
      expect_identical(join(joined, one), joined)
      expect_true(all(c(one$modes, other$modes) %in% joined$modes))
    }
  }
  expect_identical(join(number_type("integer"), number_type("double", 1)), number_type(c("integer", "double"), 1))
  expect_identical(join(number_type("double", 1), number_type("double", 2))$kind, "conflict")
  expect_identical(join(number_type("null", 1), number_type("integer")), number_type(c("null", "integer"), 1))
  expect_identical(internal("type_words")(number_type("logical", 2)), "logical matrix")
  expect_identical(internal("type_words")(number_type(c("null", "double"), 1)), "NULL or double vector")
})

# The C of a function for arguments like these.
c_source <- function(f, ...) as.data.frame(ds_inspect(ds_compile(f, like = list(...))))$source

test_that("indices that one check proves in range are not checked again", {
  proved <- function(source) !grepl("DS_AT", sub("\\} else \\{.*", "", source))
  expect_true(proved(c_source(function(x, y) {
    for (i in 2:(length(x) - 1)) y[i] <- x[i - 1] + x[i + 1]
    y
  }, x = double(3), y = double(3))))
  expect_true(proved(c_source(function(m) {
    s <- 0
    for (j in seq_len(ncol(m))) for (i in seq_len(nrow(m))) s <- s + m[i, j]
    s
  }, m = matrix(0, 2, 2))))
  expect_false(proved(c_source(function(x, at) {
    s <- 0
    for (i in seq_len(3)) s <- s + x[at * i]
    s
  }, x = double(3), at = 2)))
})

test_that("whole-vector expressions are one loop without temporaries", {
  source <- c_source(function(a, b, c) (a * b + c) * (a - b) / (1 + c), a = double(3), b = double(3), c = double(3))
  expect_length(gregexpr("DS_NEW", source)[[1]], 1)
  total <- c_source(function(a, b) sum(a * b), a = double(3), b = double(3))
  expect_false(grepl("DS_NEW", total))
  expect_match(total, "DS_LONG")
})

test_that("the compiler speaks of the user's lines, in long statements too", {
  path <- tempfile(fileext = ".R")
  writeLines(c(
    "# a kernel", "f <- function(x, k) {", "  s <- 0", "",
    "  if (sum(sort(x) * rev(x)) + mean(ifelse(x > 1, x, cumsum(x))) > k) s <- 1", "  s", "}"
  ), path)
  scope <- new.env()
  sys.source(path, scope, keep.source = TRUE)
  fast <- ds_compile(scope$f)
  for (i in 1:2) expect_error(fast(c(1, 2), NA_real_), "missing value")
  expect_message(expect_error(fast(c(1, 2), NA_real_), "missing value"), "line 5", class = "ds_message_fallback")
})

test_that("an argument is not copied unless an element of it is assigned", {
  copies <- function(f) grepl("Rf_duplicate|DS_OWN", c_source(f, x = double(3)))
  expect_false(copies(function(x) {
    y <- x
    sum(y) + x[2]
  }))
  expect_true(copies(function(x) {
    x[1] <- 0
    x
  }))
})

test_that("a long loop can be interrupted and leaves the session whole", {
  skip_on_os("windows")
  answer <- callr::r_bg(function() {
    library(deepstride)
    endless <- ds_compile(function(x) {
      while (x > 0) x <- x + 1e-9
      x
    }, like = list(x = 1))
    writeLines("ready", stderr())
    caught <- tryCatch(endless(1), interrupt = function(e) "interrupted")
    list(caught, sum(rnorm(10)) < Inf)
  }, stderr = "|")
  on.exit(answer$kill())
  for (attempt in 1:100) {
    answer$poll_io(1000)
    if (any(grepl("ready", answer$read_error_lines()))) break
  }
  Sys.sleep(1)
  answer$interrupt()
  answer$wait(20000)
  expect_identical(answer$get_result(), list("interrupted", TRUE))
})

test_that("loops that are past their end before they start give no turns back", {
  f <- function(start, n) {
    s <- 0L
    for (i in 1:n) {
      k <- start
      while (k <= 5L) {
        s <- s + k
        k <- k + 1L
      }
    }
    s
  }
  fast <- ds_compile(f)
  expect_identical(fast(3L, 4L), f(3L, 4L))
  setTimeLimit(elapsed = 0.3, transient = TRUE)
  expect_error(fast(1000000000L, 2000000000L), "elapsed time limit")
})

test_that("a switch on a constant number is of the type of the one case that it takes", {
  for (f in list(
    function(x, n) {
      s <- 0L
      for (i in switch(2,
        x,
        seq_len(n)
      )) s <- s + i
      s
    },
    function(x, n) {
      switch(1,
        n,
        x
      )
    },
    function(x, n) {
      switch(3,
        x,
        n
      )
    },
    function(x, n) {
      switch(2,
        a = x,
        b = n
      )
    }
  )) {
    fast <- ds_compile(f, whole = TRUE)
    expect_identical(outcome_of(fast, list(c(0.5, 1.5), 4L)), outcome_of(f, list(c(0.5, 1.5), 4L)))
  }
})

test_that("seq.int() gives integers where R's does, and seq() doubles", {
  kernels <- list(
    function(a, n) seq.int(a, length.out = n), function(a, n) seq.int(to = a, length.out = n),
    function(a, n) seq.int(a, 9, length.out = n), function(a, n) seq.int(a, by = 2L, length.out = n),
    function(a, n) seq.int(a, 9L, by = n), function(a, n) seq(a, length.out = n), function(a, n) seq(a, 9L, by = n)
  )
  for (f in kernels) {
    fast <- ds_compile(f, whole = TRUE)
    for (a in list(1, 1L, 1.5, -3, NA)) for (n in list(3, 3L, 0)) {
      expect_identical(outcome_of(fast, list(a, n)), outcome_of(f, list(a, n)))
    }
  }
})

test_that("what is nearly equal is so by R's own measure", {
  near <- function(a, b, tolerance) {
    n <- 0
    for (i in 1:2) n <- n + i * isTRUE(all.equal(a, b)) + 4 * isTRUE(all.equal(b, a, tolerance = tolerance))
    n
  }
  pairs <- list(
    list(1, 1 + 1e-9), list(1, 1.05), list(0, 1e-10), list(NA_real_, NaN), list(Inf, 1), list(2L, 2),
    list(1 + 0i, 1.01i),
    list(c(1, 2), c(1, 2.1)), list(c(0, NA), c(1e-9, NA)), list(c(1, 2), 1:3), list(diag(2), diag(2) + 1e-3),
    list(diag(2), c(1, 0, 0, 1)), list(numeric(), numeric()), list(TRUE, 1), list(c(a = 1), 1), list(1i, 1)
  )
  for (pair in pairs) for (tolerance in list(0.1, 1e-4, 1L, NA)) {
    given <- c(pair, tolerance)
    found <- suppressMessages(outcome_of(compiled_once(near), given))
    expect_identical(found, outcome_of(near, given), label = deparse1(pair))
  }
  root <- function(a) {
    new <- a
    old <- 0
    while (!isTRUE(all.equal(new, old))) {
      old <- new
      new <- (old + a / old) / 2
    }
    new
  }
  expect_identical(over_parts(root, 2), "native")
})

test_that("conditions that are settled at build time cost nothing, wherever they stand", {
  doubled <- function(a, n = 2) {
    stopifnot(is.numeric(a) || is.complex(a), is.numeric(n) && !is.character(n))
    if (is.character(a) || is.list(a)) stop("numbers are wanted")
    a * n
  }
  fast <- same_as_r(function(x) {
    for (i in seq_along(x)) x[i] <- doubled(x[i])
    x
  }, list(c(1, 2.5)), list(3:4)) # the first turn makes numbers of integers
  expect_identical(ds_inspect(fast)$parts[c("runs", "handed_back")], tibble::tibble(runs = "native", handed_back = 0))
  fast <- same_as_r(function(x, y) {
    n <- c(0, 0)
    for (i in seq_along(x)) {
      if (is.integer(x)) n[1] <- n[1] + 1 else if (is.double(x) && !is.null(y)) n[2] <- n[2] + 1
      if (is.null(y) || is.integer(y)) y <- x[i] * 1L else if (i > 2) y <- NULL
      if (is.numeric(x) && !is.matrix(x)) x[i] <- x[i] / 2
      if (is.numeric(y)) n[2] <- n[2] + y
    }
    list(x, y, n)
  }, list(3:7, NULL), list(3:7, 2L), list(c(1, 2), 5), list(integer(), NULL))
  chance <- function() {
    if (runif(1) < 0.5) return(1)
    2
  }
  same_as_r(function() chance(), list())
})

test_that("classes of functions and of series are asked for where they are kept", {
  asking <- list(
    function(f, x) {
      n <- 0
      for (i in seq_along(x)) if (inherits(f, "marked")) n <- n + 1 else n <- n + f(x[i])
      n
    },
    function(f, x) {
      n <- 0
      for (i in seq_along(x)) n <- n + is.object(x) + 2 * inherits(x, "ts") + 4 * is.object(f)
      n
    }
  )
  marked <- structure(function(a) a * 2, class = "marked")
  for (f in asking) for (given in list(marked, unclass(marked))) for (x in list(c(1, 2), stats::ts(c(1, 2)))) {
    expect_identical(suppressMessages(ds_compile(f)(given, x)), f(given, x))
  }
})

test_that("no name of a user's is one of the C around it", {
  rising <- function(z, n) {
    if (n == 0) return(1)
    result <- 1
    for (i in 1:n) result <- result * (z + i - 1)
    return(result)
  }
  same_as_r(function(n) {
    s <- 0
    for (i in seq_len(n)) s <- s + rising(i, 3)
    s
  }, list(4))
  plain <- internal("plain_c_name")
  names <- c(ls(baseenv()), "result", "x_", "n_", "double", "bad")
  expect_false(any(endsWith(vapply(names, function(name) plain(paste0(name, ":d")), ""), "_")))
})

test_that("a choice that a variable makes is either of two calls", {
  weight <- function(x, log = FALSE) dnorm(x, 0, 2, log)
  choosing <- function(x, gone, upper = FALSE) {
    s <- 0
    for (v in x) s <- s + pnorm(0.3, lower.tail = upper, log.p = gone) + weight(0.1) + weight(0.2, TRUE)
    for (i in 1:2) s <- s + sum(x, na.rm = gone) + max(x, 0, na.rm = gone) + mean(x, na.rm = gone)
    s
  }
  for (x in list(c(1, 2), c(1, NA), numeric())) {
    fast <- ds_compile(choosing)
    for (gone in list(TRUE, FALSE, NA, 1, NULL, c(TRUE, FALSE))) {
      given <- list(x, gone)
      expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(choosing, given))
    }
  }
  expect_identical(over_parts(choosing, c(1, 2), TRUE), "native")
})
