# Do all loops run native? The arguments come as a list.
runs_native <- function(f, arguments) do.call(over_parts, c(list(f), arguments)) == "native"

euler <- function(y, p, n, f) {
  for (i in seq_len(n)) y <- y + 0.1 * f(i, y, p)
  y
}
state <- c(S = 1, I = 2)
rates <- c(a = 0.5, b = 2)

test_that("with() reads what its data name, in a loop and in the helpers that it calls", {
  without_comparing()
  outer_rate <- 0.3
  native <- list(
    function(t, y, p) with(as.list(c(y, p)), c(-a * S, b * I)),
    function(t, y, p) {
      with(as.list(c(y, p)), {
        fall <- -a * S * outer_rate
        c(S = fall, I = b * I - fall * t)
      })
    },
    function(t, y, p) c(with(as.list(y), S - I), with(as.list(p), expr = b)),
    function(t, y, p) {
      c <- 2
      with(as.list(p), c(a * y[["S"]], b * y["I"])) * c
    },
    function(t, y, p) with(as.list(c(y, p)), sum(sapply(1:3, function(a) a * b)))
  )
  for (f in native) {
    expect_true(runs_native(euler, list(state, rates, 5, f)), info = deparse1(f))
    expect_true(runs_native(euler, list(state, as.list(rates), 5, f)), info = deparse1(f))
  }
  expect_true(runs_native(euler, list(c(c = 1, S = 3), c(a = 1L, b = 2L, I = 4L, c = 3L), 5, native[[1]])))
  drawing <- function(y, p, n) {
    unused <- function(y, p) with(as.list(c(y, p)), a)
    s <- 0
    for (i in seq_len(n)) s <- s + unused(y + runif(1), p) * runif(1)
    s
  }
  expect_true(runs_native(drawing, list(state, rates, 3)))
  # what R works out otherwise
  left <- list(
    function(t, y, p) with(as.list(c(y, p)), return(c(-a * S, b * I))),
    function(t, y, p) with(as.list(c(y, p)), c(-a * S, missing_one)),
    function(t, y, p) with(p, c(-a, b)), # no list
    function(t, y, p) {
      with(as.list(c(y, p)), {
        a <- a + t
        c(-a * S, b)
      })
    }
  )
  for (f in left) expect_false(runs_native(euler, list(state, rates, 3, f)), info = deparse1(f))
  expect_false(runs_native(euler, list(c(1, 2), rates, 3, native[[1]])))
  in_loop <- function(d, n) {
    half <- 5
    total <- 0
    for (i in seq_len(n)) total <- total + with(d, {
      half <- depth[i] / 2
      half + rain[[i]]
    })
    c(total, half)
  }
  expect_true(runs_native(in_loop, list(data.frame(depth = c(1, 2.5, 4), rain = 1:3), 3)))
  own <- function(p, n) {
    with <- function(data, expr) 1
    total <- 0
    for (i in seq_len(n)) total <- total + with(p, a)
    total
  }
  expect_false(runs_native(own, list(as.list(rates), 3)))
})

test_that("a vector keeps its names while it is added to, and R has it where its length changes", {
  without_comparing()
  kept <- list(
    function(t, y, p) c(1, 2), function(t, y, p) p, function(t, y, p) c(-p["a"] * y["S"], I = y[["I"]]),
    function(t, y, p) y[[1]] * t
  )
  for (f in kept) expect_true(runs_native(euler, list(state, rates, 4, f)), info = deparse1(f))
  changed <- list(
    function(t, y, p) c(1, 2, 3, 4), function(t, y, p) numeric(), function(t, y, p) matrix(c(1, 2), 1)
  )
  for (f in changed) expect_false(runs_native(euler, list(state, rates, 2, f)), info = deparse1(f))
  # names may have been lost where it is left early
  early <- function(y, n) {
    for (i in seq_len(n)) {
      y <- y + c(1, 2, 3, 4)
      if (i == 2) return(y[["I"]])
    }
    0
  }
  expect_false(runs_native(early, list(state, 3)))
  by_row <- function(y, n) {
    out <- matrix(0, n, 3, dimnames = list(NULL, c("t", names(y))))
    for (i in seq_len(n)) {
      y <- c(2, 1) * y - 0.5
      out[i, ] <- c(i, y)
      out[i, "S"] <- out[i, "S"] + y[["S"]]
    }
    list(out, y)
  }
  expect_true(runs_native(by_row, list(state, 3)))
  first_names <- function(y, n) {
    for (i in seq_len(n)) y <- c(u = 1, v = 2) + y
    y
  }
  expect_false(runs_native(first_names, list(state, 2)))
})

test_that("the names of helpers' arguments come out of what they give, or are known not to", {
  without_comparing()
  over <- function(p, n, f) {
    for (i in seq_len(n)) r <- f(i, p)
    r
  }
  label <- function(a) rbind(a, a)
  nameless <- list(
    function(i, p) p[[1]] * i, function(i, p) sum(p), function(i, p) sum(label(p[[1]])),
    function(i, p) if (i > 1) p[["b"]] else max(p)
  )
  named <- list(
    function(i, p) p * i, function(i, p) p[1], function(i, p) label(p[[1]] * i),
    function(i, p) if (i > 1) p else c(1, 2), function(i, p) list(p)[[1]]
  )
  for (f in nameless) expect_true(runs_native(over, list(rates, 3, f)), info = deparse1(f))
  for (f in named) expect_false(runs_native(over, list(rates, 3, f)), info = deparse1(f))
  differing <- function(p, n) {
    other <- c(b = 3, a = 4)
    gap <- function(v) with(as.list(v), a - b)
    s <- 0
    for (i in seq_len(n)) s <- s + gap(p) * gap(other)
    s
  }
  expect_true(runs_native(differing, list(rates, 3)))
})

test_that("what a loop was built for is looked at again when its names are others", {
  fast <- ds_compile(euler)
  f <- function(t, y, p) with(as.list(c(y, p)), c(-a * S, b * I))
  for (y in list(state, rev(state), c(S = 1, I = 2, R = 3), c(S = 1, J = 2), rates, state)) {
    expect_identical(suppressMessages(outcome_of(fast, list(y, rates, 3, f))), outcome_of(euler, list(y, rates, 3, f)))
  }
})

test_that("a state and what is tried in its place have their names from one another", {
  without_comparing()
  depths <- c(0.2, 1.1, 0.7, 0.4)
  walk <- function(density, start, n) {
    chain <- matrix(NA, n, length(start), dimnames = list(NULL, names(start)))
    now <- start
    best <- density(now)
    for (i in 1:n) {
      tried <- now + rnorm(length(now), 0, 0.3)
      found <- density(tried)
      if (log(runif(1)) < found - best) {
        now <- tried
        best <- found
      }
      chain[i, ] <- now
    }
    list(chain, now, tried, best)
  }
  densities <- list(
    function(p) if (p[["s"]] <= 0) -Inf else sum(dnorm(depths, p[["m"]], p[["s"]], log = TRUE)),
    function(p) {
      if (p["s"] <= 0) return(-Inf)
      with(as.list(p), sum(dnorm(depths, m, s, log = TRUE)))
    },
    function(p) -sum((p - 1)^2)
  )
  for (f in densities) expect_true(runs_native(walk, list(f, c(m = 0, s = 1), 20)), info = deparse1(f))
  # what is longer has no names
  longer <- function(x, counts) {
    now <- x
    out <- numeric(0)
    for (i in seq_along(counts)) {
      tried <- now + seq_len(counts[i])
      if (counts[i] == 2) now <- tried
      out <- c(out, tried[["b"]])
    }
    list(now, tried, out)
  }
  expect_true(runs_native(longer, list(c(a = 1, b = 2), c(2, 1, 2))))
  expect_false(runs_native(longer, list(c(a = 1, b = 2), c(2, 4, 1, 2))))
  other <- function(x, z, k) {
    now <- x
    for (i in seq_along(k)) {
      if (k[i] > 1) now <- z
      z <- now + k[i]
    }
    list(now, z)
  }
  expect_true(runs_native(other, list(c(a = 1, b = 2), c(a = 3, b = 4), c(2, 0.5))))
  expect_false(runs_native(other, list(c(a = 1, b = 2), c(b = 3, a = 4), c(2, 0.5))))
  expect_false(runs_native(other, list(c(1, 2), c(b = 3, a = 4), c(0.5, 0.5))))
})
