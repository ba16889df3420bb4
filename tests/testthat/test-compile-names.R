# Names, dimensions' names and series: a loop gives what has them in R, with those that R gives, native or not.

x <- c(a = 1, b = 5, c = 3)
m <- matrix(c(3, 1, 4, 1, 5, 9), 2, dimnames = list(c("p", "q"), c("u", "v", "w")))
columns <- matrix(c(3, 1, 4, 1, 5, 9), 2, dimnames = list(NULL, c("u", "v", "w")))
sides <- list(m, columns, matrix(1:6 / 2, 2, dimnames = list(c("p", "q"), NULL)), unname(m))

test_that("vectors and matrices that are changed in place, and what is worked out from them, keep their names", {
  kept <- list(
    function(x) {
      for (i in 1:2) {
        t <- x[i]
        x[i] <- x[i + 1]
        x[i + 1] <- t
      }
      list(x, t)
    },
    function(x) {
      y <- x
      for (i in 2:3) y[i] <- y[i] - x[i - 1]
      y
    },
    function(x) {
      for (k in 1:2) {
        x <- x / sum(x) + 1
        x[x > 1.5] <- k
      }
      x
    }
  )
  for (f in kept) for (v in list(x, c(a = 1L, b = 4L, c = 2L), c(1, 2, 3))) expect_identical(over_parts(f, v), "native")
  smoothed <- function(x, keep = 0.3) {
    out <- x
    for (i in 2:length(x)) out[i] <- keep * x[i] + (1 - keep) * out[i - 1]
    out
  }
  expect_identical(over_parts(smoothed, ts(c(1, 4, 2, 5), start = 2000)), "native")
  expect_identical(over_parts(function(m) {
    for (i in 1:2) for (j in 2:3) m[i, j] <- m[i, j] + m[i, j - 1]
    m
  }, m), "native")
})

test_that("a single number has the name of the element that it comes from", {
  single <- list(
    function(x) {
      s <- 0
      for (i in seq_along(x)) s <- s + x[i]
      s
    },
    function(x) {
      top <- x[1]
      for (i in seq_along(x)) if (x[i] > top) top <- x[i]
      top
    },
    function(x) {
      one <- x[1]
      other <- x[2]
      for (k in 1:5) {
        sum <- one + other
        one <- other
        other <- sum
      }
      c(one, other)
    },
    function(x) {
      p <- list(last = 0, n = 2)
      for (i in 1:3) p$last <- if (x[i] > 2) x[i] else p$last
      p
    },
    function(x, n = 0) {
      s <- -1
      for (i in seq_len(n)) s <- x[i]
      s
    }
  )
  for (f in single) for (v in list(x, c(k = 2, l = 1, m = 0), c(1, 2, 3))) expect_identical(over_parts(f, v), "native")
  without_comparing()
  total <- function(m) {
    s <- 0
    for (i in 1:2) for (j in 3:1) s <- s + m[i, j]
    s
  }
  fast <- ds_compile(total)
  for (given in c(sides, rev(sides))) expect_identical(fast(given), total(given))
  expect_identical(sum(ds_inspect(fast)$parts$handed_back), 0)
  from_places <- alist(m[to[i], i], s + m[to[i], to[i] + 1], m[to[i] - 1 + 1, to[if (i == 2) 1 else i + 1]] - s)
  for (value in from_places) {
    f <- as.function(c(formals(function(m, to) NULL), bquote({
      s <- 0
      for (i in seq_along(to)) s <- .(value)
      s
    })))
    for (side in sides) expect_identical(over_parts(f, side, c(2, 1)), "native")
  }
  of_part <- function(p) {
    s <- 0
    for (i in 1:2) {
      s <- s + p$m[i, 2]
      p$w[i] <- p$w[i] + s
    }
    list(s, p)
  }
  by_place <- function(m, p) {
    for (i in 1:2) r <- m[p$at, 1] * i
    r
  }
  fast <- ds_compile(by_place)
  for (at in list(1, 1:2, 2)) expect_identical(suppressMessages(fast(m, list(at = at))), by_place(m, list(at = at)))
  fast <- ds_compile(of_part)
  for (given in c(sides, rev(sides))) {
    p <- list(m = given, w = x)
    expect_identical(fast(p), of_part(p))
  }
  expect_identical(sum(ds_inspect(fast)$parts$handed_back), 0)
})

test_that("what is taken from a list, or gone over in one, may be several places", {
  taken <- alist(
    for (e in l) v <- m[e, 2], for (e in l) v <- x[e], for (e in list(1:2, 2)) v <- m[e, 1], for (e in f(2)) v <- x[e],
    for (k in seq_along(l)) v <- m[l[[k]], 2], for (k in 1:2) v <- x[f(k)[[1]]], for (e in split(1:2, 1:2)) v <- x[e],
    {
      step <- function(k) list(1:k, 2)
      for (k in 1:2) v <- x[step(k)[[1]]]
    },
    for (k in 1:2) {
      w <- l[[k]]
      v <- m[w, 2]
    },
    {
      q <- c()
      q[[1]] <- 1:2
      for (k in 1:2) v <- m[q[[1]], 2]
    }
  )
  for (loop in taken) {
    body <- call("{", quote(f <- function(i) list(1:i, 2)), loop, quote(v))
    f <- as.function(c(formals(function(x, m, l) NULL), body), envir = globalenv())
    fast <- ds_compile(f)
    for (l in list(list(1, 2), list(1:2, 2), list(a = 1, b = 2), list(a = 1:2, b = 1), c(1, 2))) {
      given <- list(x, m, l)
      expect_identical(suppressMessages(outcome_of(fast, given)), outcome_of(f, given), label = deparse1(loop))
    }
  }
})

test_that("what is drawn has no names, but for what is picked", {
  drawn <- alist(sample(nrow(m), 1, prob = m[, i]), rnorm(2, x), s + runif(1, 0, x[i]), sample(prob = x, 2, x = 3))
  picked <- alist(sample(x, 1), sample(prob = 1:3, x = x, 2), sample(size = 2, x))
  runs <- vapply(c(drawn, picked), function(value) {
    f <- as.function(c(formals(function(x, m) NULL), bquote({
      s <- 0
      for (i in 1:2) s <- .(value)
      s
    })), envir = globalenv())
    over_parts(f, x, m)
  }, "")
  expect_identical(runs[seq_along(drawn)], rep("native", length(drawn)))
})

test_that("what is picked by several places, or by those that are left out, has the names of all", {
  picked <- alist(
    m[1:i, 2], m[c(i, 2), 1], m[seq_len(i), i], m[-i, 2], m[-(i), 2], m[-i, -i], m[i, -i], m[i, -1], m[2, 1:i],
    m[to[-i], 2], m[to[1:i], 2], m[which(to > i), 2], m[if (i > 1) 1:2 else 2, 1], x[-i], x[-1], x[c(-i, -3)], x[to[-i]]
  )
  for (value in picked) for (of in 1:3) {
    f <- as.function(c(formals(function(x, m, to) NULL), bquote({
      s <- 0
      for (i in 1:2) {
        v <- .(value)
        s <- s + length(v) + v
      }
      list(s, v)
    })), envir = globalenv())
    over_parts(f, list(x, x[1:2], c(1, 2, 3))[[of]], sides[[of]], c(2, 1))
  }
})

test_that("whatever else could let names out is left to R", {
  others <- list(
    function(x) {
      for (v in list(x, rev(x))) s <- v[2]
      for (i in 1:2) t <- list(x, s)[[i]]
      list(v, s, t)
    },
    function(x) {
      for (i in 1:3) if (x[i] > 1) return(x[i])
    },
    function(x) {
      out <- list()
      for (i in 1:3) out[[i]] <- x[i]
      out
    },
    function(x) {
      at <- function(i) x[i]
      s <- 0
      for (i in 1:3) s <- s + at(i)
      s
    },
    function(x) {
      for (k in 1:2) y <- sapply(1:3, function(i) x[i] + 1)
      y
    },
    function(x) {
      kept <- 0
      push <- function(v) kept <<- kept + v
      for (i in 1:3) push(x[i])
      kept
    },
    function(x) {
      for (i in 1:4) r <- x[i]
      r
    },
    function(x) {
      for (i in 4:5) x[i] <- i
      x
    },
    function(x) {
      y <- numeric(3)
      for (k in seq_len(0)) y <- x * 2
      y
    },
    function(x) {
      for (i in 1:2) {
        x[i] <- 3
        names(x) <- NULL
      }
      x
    },
    function(x) {
      for (i in 1:2) x <- rev(x)
      x
    },
    function(x) {
      for (k in 1:3) a <- b <- x[k]
      a + b
    },
    function(x) {
      for (i in 1:2) {
        r <- x * 2
        print(r)
      }
    }
  )
  for (f in others) over_parts(f, x)
  of_matrices <- list(
    function(m) {
      for (i in 1:2) if (m[i, 1] > 0) return(m[i, ])
    },
    function(m) {
      out <- list()
      for (i in 1:2) out[[i]] <- m[i, ] * 2
      out
    },
    function(m) {
      row <- function(i) m[i, ]
      for (i in 1:2) r <- row(i)
      r
    },
    function(m) {
      for (i in 1:2) m <- t(m)
      m
    },
    function(m) {
      for (i in 1:2) v <- sapply(1:2, function(k) m[k, 1] * i)
      v
    }
  )
  for (f in of_matrices) for (given in list(m, columns)) over_parts(f, given)
  inside <- function(m) {
    total <- function(i) sum(m[i, ])
    s <- 0
    for (i in 1:2) s <- s + total(i)
    s
  }
  expect_identical(over_parts(inside, m), "native")
})

test_that("what is printed is what it was, once", {
  shown <- function(m, p) {
    y <- c(1, 2, 3)
    t <- 0
    for (i in 1:2) {
      y[i] <- 0
      print(y)
      print(t)
      r <- as.vector(m[i, ])
      t <- sum(m[i, ]) + sqrt(abs(p$w[[i]]))
    }
    list(y, r, t)
  }
  for (given in list(m, columns, unname(m))) for (w in list(x, unname(x))) {
    expect_identical(over_parts(shown, given, list(w = w)), "native")
  }
})

test_that("elements are reached by text, wherever they stand in the call of the day", {
  without_comparing()
  epidemic <- function(p, n) {
    y <- c(S = 0.99, I = 0.01)
    out <- matrix(0, n, 2, dimnames = list(NULL, c("S", "I")))
    for (k in 1:n) {
      new <- p["beta"] * y["S"] * y[["I"]]
      y["S"] <- y["S"] - new
      y["I"] <- y["I"] + new - p[["gamma"]] * y["I"]
      out[k, "I"] <- y["I"]
      out[k, "S"] <- k
    }
    list(y, out, new)
  }
  fast <- ds_compile(epidemic)
  rates <- c(beta = 0.3, gamma = 0.1)
  for (p in list(rates, rev(rates), c(x = 1, rates))) expect_identical(fast(p, 3), epidemic(p, 3))
  expect_identical(sum(ds_inspect(fast)$parts$handed_back), 0)
  expect_error(fast(c(beta = 1), 3), "subscript out of bounds")
  flow <- function(d, to = "a") {
    s <- 0
    for (i in 2:nrow(d)) {
      d[i, to] <- d[i - 1, to] + d[i, "b"]
      s <- s + d[i, "a"] * sum(d[, "b"])
    }
    list(s, d)
  }
  fast <- ds_compile(flow)
  table <- data.frame(a = c(1, 2, 3), b = c(4, 5, 6))
  for (d in list(table, table[2:1], cbind(q = 1, table), as.matrix(table))) {
    expect_identical(suppressMessages(fast(d)), flow(d))
    expect_identical(suppressMessages(fast(d, "b")), flow(d, "b"))
  }
  expect_identical(sum(ds_inspect(fast)$parts$handed_back), 0)
})

test_that("rows and columns that are bound have the names that R gives them, wherever they are bound", {
  side <- function(a, b) cbind(a, b)
  inside <- list(side = side)
  loops <- list(
    function(x, n) {
      out <- NULL
      for (s in seq_len(n)) {
        rows <- cbind(x, s)
        out <- rbind(out, rows[order(rows[, 1]), ])
      }
      out
    },
    function(x, n) {
      out <- NULL
      for (s in seq_len(n)) {
        rows <- cbind(x[x > 0], 1)
        out <- rbind(out, rows)
      }
      out
    },
    function(x, n) {
      for (s in seq_len(n)) rows <- side(x, s) * 2
      rows
    },
    function(x, n) {
      for (s in seq_len(n)) rows <- inside$side(x, s)
      list(rows, lapply(1:2, side, x))
    },
    function(x, n) {
      sum <- 0
      for (s in seq_len(n)) sum <- sum + sum(side(x, s)) + side(x, s)[1, 2]
      sum
    },
    function(x, n) {
      cat("")
      out <- NULL
      r <- c(5, 6)
      for (i in seq_len(n)) {
        out <- rbind(out, r)
        r <- cbind(1, 2)
      }
      list(out, r)
    },
    function(x, n) {
      out <- NULL
      for (i in seq_len(n)) {
        r <- c(i, 2)
        out <- rbind(out, r)
        r <- cbind(1, 2)
      }
      out
    },
    function(x, ...) {
      spread <- function(x, ...) cbind(x, ...)
      for (s in 1:2) rows <- spread(x, s, ...)
      rows
    }
  )
  ran <- vapply(loops, function(f) over_parts(f, c(3, 1, 2), 2), "")
  expect_identical(ran, c("R", "native", "R", "R", "R", "R", "R", "R"))
})

test_that("a loop that only reads what has names is given it as it is, one that may give it on a copy", {
  given <- function(loop, m, ...) {
    body <- call("{", quote(out <- NULL), quote(s <- 0), loop, quote(list(out, s)))
    f <- as.function(c(formals(function(m, w) NULL), body), envir = globalenv())
    fast <- ds_compile(f)
    for (i in 1:2) expect_identical(fast(m, ...), f(m, ...))
    part <- attr(fast, "ds_compiled")$parts[[1]]
    list(runs = ds_inspect(fast)$parts$runs, reads = part$last$state$routines[[1]]$reads)
  }
  m <- matrix(c(1, 5, 2, 4), 2, dimnames = list(NULL, c("mill", "weir")))
  w <- c(a = 0.5, b = 2)
  sums <- given(quote(for (j in 1:2) for (v in w) s <- s + v * m[[j, 1]] * sum(w)), m, w)
  expect_identical(sums$runs, "native")
  expect_identical(sums$reads[1:2], c(TRUE, TRUE))
  changed <- given(quote(for (j in 1:2) {
    m[j, 1] <- 0
    s <- s + m[[j, 1]] + w[[j]]
  }), m, w)
  expect_identical(changed$runs, "native")
  expect_identical(changed$reads[1:2], c(FALSE, TRUE))
  sorted <- given(quote(for (j in 1:2) s <- s + sort(w)[[j]] + m[[j, 2]]), m, w)
  expect_identical(sorted$reads[1:2], c(TRUE, FALSE))
  whole <- given(quote(for (j in 1:2) if (m[[j, 1]] > 2) out <- w), m, unname(w))
  expect_identical(whole$runs, "native")
})

test_that("a function out of which no names can come runs native as a whole on what has them, of no class", {
  whole <- function(f, ...) ds_inspect(compiled_as_in_r(f, ...))$fallbacks == 0
  total <- function(x) {
    s <- 0
    for (v in x) s <- 2 * s + v
    s
  }
  given <- list(
    x, m, c(a = 1), c(a = 1L, b = NA), structure(1:3, unit = "mm"), factor(c("dry", "wet")), as.Date("2031-04-01"),
    stats::ts(1:4)
  )
  expect_identical(vapply(given, function(one) whole(total, one), NA), rep(c(TRUE, FALSE), c(5, 3)))
  ahead <- ds_compile(total, like = list(x = x))
  expect_identical(nrow(as.data.frame(ds_inspect(ahead))), 1L)
  ahead(x)
  expect_identical(c(nrow(as.data.frame(ds_inspect(ahead))), ds_inspect(ahead)$fallbacks), c(1, 0))
  blind <- list(
    function(x) x[[1]] + 1,
    function(x) {
      y <- rev(x)
      y[2] <- 4
      sum(y * x)
    },
    function(x, y = x + 1) {
      out <- numeric(length(x))
      for (i in seq_along(x)) out[i] <- y[i]
      out
    }
  )
  expect_true(all(vapply(blind, whole, NA, x)))
  whole(function(x, l) { # a list's names are its own
    s <- 0
    for (v in x) s <- s + v * l[[2]]
    s + length(l)
  }, x, list(keep = 2, lose = 3))
  seeing <- list(
    function(x) x[1] + 1,
    function(x, y = x[2]) y,
    function(x) {
      if (length(x) > 2) return(x[2])
      0
    },
    function(x) length(names(x)),
    function(x) {
      sum <- function(y) y
      sum(x)
    },
    function(x) x[["b"]] * 2,
    function(x) {
      y <- x
      y[1] <- 3
      y * 2
    }
  )
  expect_false(any(vapply(seeing, whole, NA, x)))
})

test_that("attributes that are no names are no hindrance, and a list that is read may lose its names", {
  centred <- scale(matrix(c(1, 2, 3, 5, 8, 2), 3), scale = FALSE)
  expect_identical(over_parts(function(x, p) {
    for (i in seq_len(ncol(x))) x[, i] <- x[, i] * p
    x
  }, centred, 2), "native")
  expect_identical(over_parts(function(x, p) {
    kept <- attributes(x)
    s <- 0
    for (i in seq_along(x)) s <- s + x[i] * p
    list(s, kept)
  }, centred, 2), "native")
  held <- list(keep = 0.5)
  f <- function(x) {
    s <- 0
    for (i in 1:3) s <- s + held$keep * x
    s
  }
  fast <- ds_compile(f)
  for (other in list(list(keep = 0.5), list(0.5), list(), NULL, list(keep = 2L))) {
    held <- other
    expect_identical(suppressMessages(fast(1)), f(1))
  }
})

test_that("numbers that come to be in a loop are no hindrance to names that stay", {
  expect_identical(over_parts(function(x, p) {
    for (i in 1:3) {
      if (i == 1) scale <- abs(mean(x)) / p
      x <- x / scale
      scale <- 2 * scale
    }
    x
  }, c(a = 2, b = 7), 2), "native")
})

test_that("a number with the name of an element takes part in what chooses its next name", {
  expect_identical(over_parts(function(x, m, p) {
    t <- 0
    for (i in 1:3) for (j in 1:2) {
      t <- if (m[i, j] * x[[i]] > p / t) if (x[[i]] > p) x[i] else i else max(x[i], i)
    }
    t
  }, c(a = 2, b = 7, c = 3), matrix(c(4, 1, 2, 9, 5, 5), 3), c(rate = 2)), "native")
  compiled_as_in_r(function(x) {
    at <- x[1]
    for (i in 1:3) for (at in 1:2) at <- at + i # the loop's own has none
    at
  }, c(a = 2))
})
