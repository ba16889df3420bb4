# Rows with labels that a loop binds to a table: its columns are called what R calls them.

labelled_loops <- list(
  function(out, s, n, from) {
    for (i in seq_len(n)) if (i > from) out <- rbind(out, c(t = i, u = i^2))
    out
  },
  function(out, s, n, from) {
    for (i in seq_len(n)) {
      s <- s * 0.9
      out <- rbind(out, c(t = i, s))
    }
    list(out, s)
  },
  function(out, s, n, from) {
    for (i in seq_len(n)) {
      s["b"] <- s["b"] + 1
      out <- rbind(out, s)
    }
    out
  },
  function(out, s, n, from) {
    for (i in seq_len(n)) out <- if (i > from) rbind(out, c(t = i, v = 1), c(0, 0)) else rbind(out, c(t = 0, v = i))
    out
  },
  function(out, s, n, from) {
    for (i in seq_len(n)) {
      if (i > from) {
        row <- c(id = i, sum = sum(s) / i)
        out <- rbind(out, row)
      } else {
        out <- rbind(out, c(i, 2))
      }
    }
    if (n > 2) row <- 0
    out
  },
  function(out, s, n, from) {
    for (i in seq_len(n)) {
      row <- c(id = i, sum = sum(s) / i)
      out <- cbind(out, row)
    }
    if (n > 0) list(out, row) else out
  },
  function(out, s, n, from) {
    for (i in seq_len(n)) if (i %% 2 == 0) out <- rbind(out, c(i, i^2)) else out <- rbind(out, c(-i, 0))
    list(out, ncol(out))
  }
)

test_that("rows are bound with the labels that R gives them, from nothing, a row or a table", {
  without_comparing()
  starts <- list(
    NULL, matrix(0, 1, 2), matrix(nrow = 0, ncol = 2), matrix(0, 0, 2, dimnames = list(NULL, c("p", "q"))),
    matrix(1:4, 2, dimnames = list(c("x", "y"), NULL)), c(p = 5, q = 6), c(5, 6), matrix(0, 1, 3), 1L
  )
  states <- list(c(a = 1, b = 2), c(a = 1L, b = 2L), c(b = 3))
  for (f in labelled_loops) {
    fast <- ds_compile(f)
    said <- paste(deparse(body(f)), collapse = " ")
    for (out in starts) for (s in states) for (turns in list(c(3, 1), c(3, 9), c(0, 1))) {
      given <- list(out, s, turns[[1]], turns[[2]])
      expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given), label = said)
    }
  }
})

test_that("an array is bound as a vector with a label, as R does it", {
  loops <- list(
    function(o) {
      for (i in 1:2) o <- rbind(o, c(i, 1))
      o
    },
    function(o) {
      z <- NULL
      for (i in 1:2) z <- cbind(z, o)
      z
    },
    function(o) rbind(o, 1:2)
  )
  for (f in loops) for (o in list(array(1, c(1, 2, 1)), array(1, 2), matrix(1, 1, 2), array(1:8, c(2, 2, 2)))) {
    expect_identical(outcome_of(suppressMessages(ds_compile(f)), list(o)), outcome_of(f, list(o)))
  }
})

test_that("such loops run native", {
  without_comparing()
  runs <- vapply(labelled_loops, function(f) {
    fast <- ds_compile(f)
    for (call in 1:3) suppressMessages(fast(NULL, c(a = 1, b = 2), 3, 1))
    parts <- ds_inspect(fast)$parts
    paste(parts$runs, parts$handed_back)
  }, "")
  expect_identical(runs, c(rep("native 0", 3), "R 3", "R 3", rep("native 0", 2)))
})
