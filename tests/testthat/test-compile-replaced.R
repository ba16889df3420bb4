# Lists that a loop replaces by others of its making, and parts that it makes anew.

replacing_loops <- list(
  function(x, best, limit) {
    for (i in seq_along(x)) {
      e <- (x[i] - 4)^2
      if (e < best$err) best <- list(err = e, at = i, near = c(x[i], e))
    }
    best
  },
  function(x, best, limit) {
    for (i in seq_along(x)) if (is.null(best) || x[i] > best$top) best <- list(top = x[i], at = i)
    if (is.null(best)) "nothing" else best[["top"]] + best$at
  },
  function(x, best, limit) {
    for (i in seq_along(x)) if (x[i] > limit) best <- list(at = i, err = best$err + 1) else best$at <- -i
    best
  },
  function(x, best, limit) {
    for (i in seq_along(x)) {
      best$n <- i
      if (x[i] > limit) best$last <- x[i]
      best$v[i] <- x[i] / 2
    }
    best
  },
  function(x, best, limit) {
    for (i in seq_along(x)) {
      best$sum <- sum(x[1:i])
      best$mean <- best$sum / i
    }
    best
  },
  function(x, best, limit) {
    kept <- NULL
    for (i in seq_along(x)) {
      if (x[i] > limit) kept <- x[i]
      best$last <- kept
    }
    best
  }
)

test_that("lists are replaced, and get new parts, as R does it", {
  without_comparing()
  starts <- list(
    list(err = Inf), list(err = -1, other = 2), NULL, list(at = 7, err = Inf), list(), list(last = NULL, err = 3),
    list(n = 1, last = NULL), list(last = 2, err = 3), list(top = 5, at = NULL), c(err = 3),
    list(errors = 1, err = 2), list(9, err = 5),
    data.frame(err = 9, top = 2)
  )
  for (f in replacing_loops) {
    fast <- ds_compile(f)
    said <- paste(deparse(body(f)), collapse = " ")
    for (best in starts) for (x in list(c(3, 5, 2, 9, 4), numeric(), 7)) for (limit in c(4, 99)) {
      given <- list(x, best, limit)
      expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given), label = said)
    }
  }
})

test_that("a part is taken away by what is NULL, and comes last when it comes again", {
  without_comparing()
  lists <- list(
    function(x) {
      best <- list(last = 1, n = 1)
      kept <- NULL
      for (i in seq_along(x)) {
        if (x[i] > 4) kept <- x[i]
        best$last <- kept
      }
      best
    },
    function(x) {
      best <- list(last = 1, n = 1)
      best$last <- if (x[1] > 4) x[1]
      length(best)
    },
    function(x) {
      best <- list(last = 1, n = 1)
      kept <- NULL
      f <- function() best$last <<- kept
      for (i in seq_along(x)) {
        if (x[i] > 4) kept <- x[i]
        f()
      }
      best
    },
    function(x) {
      best <- list(last = 1, n = 1)
      kept <- NULL
      f <- function(v) best$last <<- v
      for (i in seq_along(x)) {
        if (x[i] > 4) kept <- x[i]
        f(kept)
      }
      best
    }
  )
  for (f in lists) {
    fast <- ds_compile(f)
    for (x in list(c(3, 5), c(5, 3), c(1, 2), numeric())) expect_identical(
      outcome_of(fast, list(x)), outcome_of(f, list(x))
    )
  }
})

test_that("such loops run native", {
  without_comparing()
  runs <- function(f, best) {
    fast <- ds_compile(f)
    for (call in 1:3) suppressMessages(fast(c(3, 5, 2, 9, 4), best, 4))
    paste(ds_inspect(fast)$parts$runs, ds_inspect(fast)$parts$handed_back)
  }
  expect_identical(runs(replacing_loops[[1]], list(err = Inf)), "native 0")
  expect_identical(runs(replacing_loops[[2]], NULL), "native 0")
  expect_identical(runs(replacing_loops[[3]], list(err = 0, other = 1)), "native 0")
  expect_identical(runs(replacing_loops[[4]], list(last = NULL, n = 0)), "native 0")
  expect_identical(runs(replacing_loops[[5]], list()), "native 0")
  dated <- function(x, best, limit) {
    day <- as.Date("2020-01-01") + x
    for (i in seq_along(x)) if (x[i] < best$low) best <- list(low = x[i], day = day[i])
    best
  }
  expect_identical(runs(dated, list(low = 9)), "native 0")
  expect_identical(suppressMessages(ds_compile(dated)(c(3, 1), list(low = 9), 0)), dated(c(3, 1), list(low = 9), 0))
})
