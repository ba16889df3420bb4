# Numbers that are integers in some turns and doubles in others, as the arguments say.
most <- .Machine$integer.max
numbers <- list(
  list(5L, 7), list(NA_integer_, 4), list(most, 5), list(-most, 6), list(2.5, 5), list(0L, 1)
)
vectors <- list(
  list(c(3L, NA, -2L), 3), list(c(most, 1L), 4), list(c(1.5, 2), 4), list(9L, 6), list(c(0L, -5L, 7L, 7L), 8)
)
tables <- list(
  list(matrix(1:6, 2), 4), list(matrix(c(NA, 2L, 3L, 4L), 2), 3), list(matrix(as.double(1:4), 2), 3),
  list(matrix(c(most, most), 1), 3)
)

# Gives how many of the kernels ran native throughout.
same_for_all <- function(f, inputs) {
  sum(vapply(inputs, function(arguments) {
    fast <- ds_compile(f)
    for (call in 1:2) expect_identical(
      suppressMessages(outcome_of(fast, arguments)), outcome_of(f, arguments),
      info = paste(deparse1(f), deparse1(arguments))
    )
    parts <- ds_inspect(fast)$parts
    all(parts$runs == "native") && sum(parts$handed_back) == 0
  }, NA))
}

test_that("arithmetic of an integer that becomes a double gives R's values, types and overflows", {
  without_comparing()
  kernels <- list(
    function(a, n) { # a product of integers has no -0
      x <- a
      y <- 1L
      for (i in seq_len(n)) {
        y <- y * x - x
        z <- 1 / (x * 0L) + 1 / -(x - x)
        if (i > 4) x <- x / 2
      }
      list(x, y, z)
    },
    function(a, n) {
      x <- a
      s <- c()
      for (i in seq_len(n)) {
        s <- c(s, x %% 3L, x %/% 2L, x %% 0L)
        if (!is.na(x) && x %% 2L == 0) s <- c(s, abs(-x))
        if (i > 4) x <- x + 0.5
        x <- x + 1L
      }
      list(x, s)
    },
    function(a, n) { # what is read before it is changed
      x <- a
      for (i in seq_len(n)) {
        y <- x + {
          x <- x * 2.5
          1L
        }
        x <- a
        z <- x - {
          if (i > 2) x <- x + 0.5
          2L
        }
      }
      list(x, y, z)
    },
    function(a, n) ifelse(a > n, a, -a) + NA,
    function(a, n) {
      x <- NA
      for (i in seq_len(n)) {
        y <- x + TRUE
        z <- -x * 2L
        if (i > 2) x <- a > 3
        if (i > 5) x <- a / 2
      }
      list(x, y, z)
    }
  )
  native <- vapply(kernels, same_for_all, 0, numbers)
  expect_true(all(native[-5] >= 3))
})

test_that("elements, extremes and sums of such vectors and matrices are R's, too", {
  without_comparing()
  of_vectors <- list(
    function(v, n) {
      w <- v
      s <- 0L
      for (i in seq_len(n)) {
        k <- (i - 1L) %% length(w) + 1L
        p <- w[k]
        s <- s + p
        w[k] <- p + 1L
        if (i > 3) w[k] <- w[k] + 0.5
      }
      list(w, s, p)
    },
    function(v, n) {
      w <- v
      for (i in seq_len(n)) {
        a <- c(sum(w), min(w), max(w, 3L), which.max(w))
        b <- sum(w, 1L, na.rm = TRUE)
        r <- range(w)
        p <- pmin(w, 2L)
        if (i > 2) w <- w * 0.5
      }
      list(a, b, r, p)
    },
    function(v, n) {
      w <- v
      for (i in seq_len(n)) {
        a <- c(sort(w), unique(w), -w, w * 2L)
        k <- c(order(w), match(2L, w))
        ends <- c(head(w, 2), tail(w, 1))
        d <- duplicated(w)
        if (i > 2) w <- w * 0.5
      }
      list(a, k, ends, d)
    },
    function(v, n) { # its own index changes it
      w <- v
      for (i in seq_len(n)) {
        y <- w[{
          w <- w + 0.5
          1L
        }]
        w <- v
      }
      list(w, y)
    }
  )
  native <- vapply(of_vectors, same_for_all, 0, vectors)
  expect_true(all(native >= 3))
  of_tables <- list(
    function(v, n) {
      w <- v
      for (i in seq_len(n)) {
        sums <- c(rowSums(w), colMeans(w))
        p <- crossprod(w)
        turned <- t(w)
        row <- w[1, ]
        column <- w[, 1, drop = FALSE]
        w[1, 1] <- w[1, 1] + i
        if (i > 2) w[1, ] <- w[1, ] * 0.5
      }
      list(w, sums, p, turned, row, column)
    },
    function(v, n) {
      w <- v
      for (i in seq_len(n)) {
        made <- w
        made[1, ] <- w[1, ] - 1L
        child <- c(w[1, ], 4L)
        child[child > 3] <- 1L - child[child > 3]
        if (i > 2) child <- child * 0.5
        made[1, ] <- child[seq_len(ncol(w))]
        w <- made
      }
      list(w, child)
    }
  )
  native <- vapply(of_tables, same_for_all, 0, tables)
  expect_true(all(native >= 2))
})

test_that("a loop of which only the first turn meets integers has none, one or many turns", {
  without_comparing()
  over <- function(x, s) {
    i <- 7
    for (i in s) {
      x <- x + i * 0.5
      y <- x + 1L
    }
    list(x, i)
  }
  turns <- list(integer(0), 1L, 1:3, c(2, 1), numeric(0), NULL)
  for (s in turns) same_for_all(over, list(list(1L, s), list(2.5, s)))
  range <- function(x, n) {
    for (i in 1:n) {
      y <- x + 1L
      x <- x * 0.5
    }
    list(x, y, i)
  }
  open <- function(x, n) {
    i <- 0
    while (i < n) {
      i <- i + 1L
      if (i == 2) next
      x <- (x - 1L) / 2
      if (x > 100) return("far")
    }
    list(x, i)
  }
  inner <- function(v, n) {
    for (k in seq_len(n)) for (i in seq_along(v)) v[i] <- (v[i] + v[1]) / 2
    v
  }
  for (n in c(-2, 0, 1, 2, 5)) {
    same_for_all(range, list(list(4L, n), list(0.5, n)))
    same_for_all(open, list(list(4L, n), list(300L, n)))
    same_for_all(inner, list(list(1:4, max(n, 0)), list(integer(0), max(n, 0))))
  }
})

test_that("a median of integers is an integer, or lies between two", {
  expect_gt(same_for_all(function(x, n) {
    out <- list(median(x))
    for (k in seq_along(x)) out[[k + 1]] <- median(x[1:k])
    out
  }, vectors), 4)
  expect_gt(same_for_all(function(x, n) {
    total <- 0L
    for (k in seq_len(n)) total <- total + (median(x + k) > 2L) + median(c(x, k))
    total
  }, vectors), 2)
})
