# Nests of loops whose places are proved before they start, and integers that are taken to be there and small:
# on every kind of data that could break what was taken for granted.
nest_kernels <- list(
  spells = list(function() list(wet = awkward_integers(sample(0:5, 1))), function(wet) {
    run <- longest <- 0L
    for (w in wet) {
      if (w == 1L) run <- run + 1L else run <- 0L
      if (run > longest) longest <- run
    }
    longest
  }),
  grown = list(function() list(x = awkward_integers(4), at = awkward_integers(sample(0:5, 1))), function(x, at) {
    out <- integer()
    steps <- 0L
    for (v in at) {
      if (v > 2L) out <- c(out, x[v])
      steps <- steps + 2L
    }
    list(out, steps)
  }),
  tame = list(
    function() list(start = awkward_integers(3), x = awkward_integers(4), n = sample(0:5, 1)),
    function(start, x, n) {
      table <- matrix(1L, 3, n + 2L)
      table[, 1] <- start
      for (j in seq_len(n)) for (i in 1:3) {
        table[i, j + 1L] <- max(table[i, j] + x[2], table[(i %% 3L) + 1L, j] + table[i, j], -x[i])
      }
      table
    }
  ),
  alignment = list(
    function() list(a = awkward_integers(sample(0:4, 1)), b = awkward_integers(sample(0:4, 1))),
    function(a, b) {
      n <- length(a)
      cost <- matrix(0L, n + 1L, length(b) + 1L)
      cost[, 1] <- 0:n
      for (j in seq_along(b)) for (i in seq_len(n)) {
        cost[i + 1L, j + 1L] <- min(cost[i, j] + (a[i] != b[j]), cost[i, j + 1L] + b[j], cost[i + 1L, j] + 1L)
      }
      cost
    }
  ),
  knapsack = list(
    function() list(weight = near_integers(3), worth = awkward_integers(3), room = sample(0:6, 1)),
    function(weight, worth, room) {
      best <- integer(room + 1L)
      for (k in seq_along(weight)) for (w in room:weight[k]) {
        taken <- best[w - weight[k] + 1L] + worth[k]
        if (taken > best[w + 1L]) best[w + 1L] <- taken
      }
      best
    }
  ),
  neighbours = list(function() list(h = awkward_matrix(awkward_integers)), function(h) {
    out <- matrix(0L, nrow(h), ncol(h))
    for (j in 2:(ncol(h) - 1)) for (i in 2:(nrow(h) - 1)) {
      out[i, j] <- min(h[i - 1, j], h[i + 1, j], h[i, j - 1]) - h[i, j] + 2L * h[i, j + 1]
    }
    out
  }),
  gather = list(
    function() list(x = awkward_doubles(4), p = awkward_integers(sample(0:5, 1)), d = sample(0:2, 1)),
    function(x, p, d) {
      out <- numeric(length(p))
      for (i in seq_along(p)) out[i] <- x[p[i] + d] * 2
      out
    }
  ),
  guarded = list(function() list(w = awkward_integers(3), n = sample(0:3, 1)), function(w, n) {
    out <- integer(n)
    for (k in seq_along(w)) for (i in seq_len(n)) {
      out[i] <- out[i] + i * 2L
      if (!is.na(w[k])) out[i] <- out[i] + w[k] + w[1]
    }
    out
  }),
  totals = list(function() list(w = awkward_integers(sample(0:6, 1))), function(w) {
    total <- 0L
    for (i in seq_along(w)) total <- total + w[i]
    total
  }),
  extremes = list(function() list(x = awkward_doubles(sample(1:6, 1))), function(x) {
    low <- high <- x[1]
    count <- 0
    for (v in x) {
      low <- min(low, v)
      high <- max(v, high)
      if (low > 0) count <- count + 1
    }
    list(low, high, count)
  }),
  sparse = list(function() {
    list(
      start = cumsum(c(sample(0:1, 1), sample(0:2, 3, TRUE))), column = awkward_integers(sample(3:7, 1)),
      x = awkward_doubles(4)
    )
  }, function(start, column, x) {
    out <- numeric(length(start) - 1)
    for (i in seq_along(out)) {
      k <- start[i] + 1L
      while (k <= start[i + 1]) {
        out[i] <- out[i] + x[column[k]]
        k <- k + 1L
      }
    }
    out
  }),
  smooth = list(
    function() list(x = awkward_doubles(sample(0:6, 1)), w = awkward_doubles(sample(0:3, 1))),
    function(x, w) {
      k <- length(w)
      out <- numeric(max(length(x) - k + 1, 0))
      for (i in seq_along(out)) for (j in seq_len(k)) out[i] <- out[i] + w[j] * x[i + j - 1]
      out
    }
  ),
  triangle = list(function() list(m = awkward_matrix(awkward_doubles)), function(m) {
    n <- ncol(m)
    for (i in 1:(n - 1)) for (j in (i + 1):n) {
      if (m[i, j] > 0) m[j, i] <- m[i, j] - m[i, i]
    }
    m
  }),
  turns = list(function() list(h = awkward_matrix(awkward_doubles), turns = sample(0:3, 1)), function(h, turns) {
    first <- h
    for (turn in seq_len(turns)) {
      old <- h
      for (j in seq_len(ncol(h))) for (i in seq_len(nrow(h))[-1]) h[i, j] <- old[i - 1, j] + turn
      kept <- old
    }
    if (turns > 1) list(first, h, old, kept) else h
  }),
  helper = list(function() list(x = awkward_doubles(sample(0:5, 1)), base = awkward_doubles(1)), local({
    flow <- function(level, base) if (level <= base) 0 else sqrt(level - base) * (if (level > 2) 1 else 2)
    function(x, base) {
      out <- numeric(length(x))
      for (i in seq_along(x)) out[i] <- flow(x[i], base) + flow(x[i], 0.1)
      out
    }
  })),
  backwards = list(
    function() list(x = awkward_integers(sample(0:5, 1)), from = sample(0:6, 1), to = sample(0:6, 1)),
    function(x, from, to) {
      total <- 0
      for (i in from:to) {
        if (is.na(x[i])) next
        if (x[i] == 4L) break
        total <- total + 3L * x[i] - i
      }
      total
    }
  )
)

test_that("nests of loops give what R gives, whatever is in their vectors", {
  set.seed(20)
  for (name in names(nest_kernels)) {
    one <- nest_kernels[[name]]
    inputs <- replicate(6, one[[1]](), simplify = FALSE) # drawn first: each outcome sets the seed
    fast <- ds_compile(one[[2]]) # what a call taught a kernel must not harm the next
    for (given in inputs) {
      expect_identical(outcome_of(fast, given), outcome_of(one[[2]], given), label = paste(name, deparse1(given)))
    }
  }
})

test_that("what a nest can do is proved before it, and marked in the form", {
  words <- function(name, ...) {
    fast <- ds_compile(nest_kernels[[name]][[2]], like = list(...))
    paste(ds_inspect(fast, "form"), collapse = "\n")
  }
  expect_match(words("smooth", x = c(1, 2, 3), w = c(1, 2)), "store out:d1 <- .*, i:i0 proved")
  expect_match(words("gather", x = c(1, 2), p = 1:2, d = 0L), "ends 1 of p:i1")
  expect_match(words("knapsack", weight = 1L, worth = 1L, room = 3L), "store best:i1 <- taken:i0, .* proved")
  expect_match(words("sparse", start = 0:2, column = 1:2, x = 1), "repeat where .*careful")
  expect_match(words("totals", w = 1:3), "calm")
})

test_that("a kernel is built with care where an integer is missing, once", {
  f <- function(x) {
    total <- 0L
    for (v in x) if (!is.na(v)) total <- total + v
    total
  }
  fast <- ds_compile(f)
  for (x in list(1:3, c(1L, NA), 4L)) expect_identical(fast(x), f(x))
  expect_identical(ds_inspect(fast)$fallbacks, 0)
  expect_identical(as.data.frame(ds_inspect(fast))$careful, c(TRUE, FALSE)) # vectors, and a single number
})

test_that("counts overflow where R's do", {
  top <- .Machine$integer.max
  f <- function(start, x, k) {
    run <- start
    counts <- c(start, 0L)
    for (i in seq_along(x)) {
      run <- if (x[i] + k > 2L) run + 2L else if (x[i] < 0L) 5L else run
      counts[x[i]] <- counts[x[i]] + 1L
    }
    list(run, counts)
  }
  for (x in list(1:2, c(2L, 2L, 1L), c(1L, 1L, 1L), c(-1L, 2L), c(2L, NA), integer())) {
    fast <- ds_compile(f)
    for (start in c(0L, top - 1L, top - 3L, NA, -5L)) for (k in c(1L, top)) {
      expect_identical(outcome_of(fast, list(start, x, k)), outcome_of(f, list(start, x, k)))
    }
  }
})

test_that("elements that an inner loop has looked through take part in the sums of the outer one", {
  f <- function(u, v, n) {
    out <- integer(n)
    for (i in seq_len(n)) {
      h <- 1L
      while (h <= n && n > 0L) {
        out[h] <- u[2L * h - 1] + v[h]
        h <- h + 1L
      }
    }
    out
  }
  fast <- ds_compile(f, whole = TRUE)
  for (u in list(1:10, c(1L, NA, 5L, .Machine$integer.max, 2L))) {
    expect_identical(outcome_of(fast, list(u, 1:10, 4L)), outcome_of(f, list(u, 1:10, 4L)))
  }
})

test_that("what is zero or more is looked through once, and compared without looks", {
  detours <- function(m) {
    n <- nrow(m)
    for (k in seq_len(n)) for (j in seq_len(n)) for (i in seq_len(n)) {
      way <- m[i, k] + m[k, j]
      if (way < m[i, j]) m[i, j] <- way
    }
    m
  }
  fast <- ds_compile(detours, whole = TRUE)
  set.seed(4)
  ways <- matrix(ifelse(runif(81) < 0.4, Inf, runif(81)), 9)
  for (odd in list(3, Inf, -Inf, NA, NaN, -2, -0)) for (at in c(1, 41, 80)) {
    ways[at] <- odd
    expect_identical(outcome_of(fast, list(ways)), outcome_of(detours, list(ways)))
  }
  loops <- function(put) {
    eval(bquote(function(x, d) {
      for (turn in 1:4) for (i in 2:length(d)) {
        new <- d[i - 1] + x[i]
        if (new < d[i]) .(put)
      }
      d
    }))
  }
  for (put in expression(d[i] <- new, d[i] <- new - 3, {
    d[i] <- new
    d[1] <- log(new)
  }, d <- d - 2)) {
    relaxed <- ds_compile(loops(put))
    for (start in c(0, -1, NA)) {
      given <- list(c(1, 2, 0, 5, 3), c(start, 9, 9, 2, 9))
      expect_identical(outcome_of(relaxed, given), outcome_of(loops(put), given))
      looks <- any(grepl("DS_LOOK_SOUND", ds_inspect(relaxed, "c")))
      if (identical(start, 0)) expect_identical(looks, identical(put, quote(d[i] <- new)))
    }
  }
})
