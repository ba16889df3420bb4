# Vectors that each turn makes anew take turns with what they held before.
made_anew <- list(
  states = function(x, n) {
    out <- matrix(0, n, length(x))
    for (i in 1:n) {
      change <- c(x[1] - x[2], 0.5 * x[1])[seq_along(x)]
      x <- x + 0.1 * change
      out[i, ] <- x
    }
    list(x, out)
  },
  lengths = function(x, n) {
    y <- x
    for (i in 1:n) {
      y <- c(y, i)[(1 + i %% 2):length(y)]
      z <- y * 2
      if (i %% 3 == 0) z <- z[-1]
    }
    list(y, z)
  },
  walked_over = function(x, n) {
    s <- 0
    y <- x + 0
    for (i in 1:n) for (v in y) {
      s <- s + v
      y <- y * 0.5
    }
    list(s, y)
  },
  kept = function(x, n) {
    best <- y <- x * 1
    for (i in 1:n) {
      y <- y[rev(seq_along(y))] - i
      if (i == 2) best <- y
    }
    list(best, y)
  },
  asked = function(x, n) {
    y <- x - 1
    for (i in 1:n) {
      z <- rev(y)
      y <- as.numeric(z)
      z <- z + 1
    }
    list(y, z)
  },
  told_early = function(x, n) {
    y <- x * 1
    for (i in 1:n) {
      if (i > 3) return(y)
      y <- y + i
    }
    y
  },
  whole = function(x, n) {
    y <- seq_along(x)
    for (i in 1:n) {
      y <- y * 2L - seq_along(x)
      even <- y %% 2L == 0L
    }
    list(y, even)
  }
)

test_that("what a turn makes is no earlier turn's", {
  given <- list(c(3, 1), 7, c(1, NA, 5, 2), double())
  for (f in lapply(made_anew, function(f) list(f, ds_compile(f)))) for (n in c(1, 5)) for (x in given) {
    theirs <- outcome_of(f[[1]], list(x, n))
    kept <- lapply(1:2, function(call) suppressMessages(outcome_of(f[[2]], list(x, n))))
    expect_identical(kept, list(theirs, theirs), label = deparse1(body(f[[1]])))
  }
})

test_that("room is taken again where nothing else holds what lay there", {
  with_room <- vapply(made_anew, function(f) {
    c <- ds_inspect(ds_compile(f, like = list(x = double(2), n = 1)), "c")
    sum(grepl("DS_RENEW", strsplit(paste(c, collapse = "\n"), "\n")[[1]]))
  }, 0)
  expect_true(all(with_room[c("states", "told_early", "whole")] > 0))
  expect_identical(with_room[c("walked_over", "asked")], c(walked_over = 0, asked = 0))
})
