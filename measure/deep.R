# Of: R/compile- R/syntax- src/dispatch inst/include
# What levels, steps of numerics and threads buy, as ratios measured side by side in one run.
#   level    time at -O0, -O1, -O2, -Os over the time at -O3
#   numerics time in strict over the time with steps of numerics, at 10^6 elements
#   threads  time on one thread over the time on two, of loops whose turns are independent
#   loops    how many of forty loops of one function become vectors
library(deepstride)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))

paired <- function(one, other, seconds = 2) {
  ratios <- double()
  until <- proc.time()[[3]] + seconds
  while (proc.time()[[3]] < until || length(ratios) < 7) {
    times <- double(2)
    for (i in sample(2)) {
      start <- deepstride:::clock_now()
      if (i == 1) one() else other()
      times[[i]] <- deepstride:::clock_now() - start
    }
    ratios <- c(ratios, times[[1]] / times[[2]])
  }
  stats::median(ratios)
}

set.seed(1)
x <- runif(1e6)
kernels <- list(
  recurrence = function(x) {
    s <- 0
    for (v in x) s <- 0.85 * s + v
    s
  },
  map = function(x) {
    out <- numeric(length(x))
    for (i in seq_along(x)) out[i] <- sqrt(x[i]) * 2 + 1
    out
  }
)
for (name in names(kernels)) {
  best <- ds_compile(kernels[[name]], whole = TRUE)
  best(x)
  for (level in list(0, 1, 2, "size")) {
    other <- ds_compile(kernels[[name]], whole = TRUE, optimise = level)
    other(x)
    ratio <- paired(function() other(x), function() best(x))
    cat(sprintf("level    %-12s at %-4s %.2f times the time at 3\n", name, level, ratio))
  }
}

sums <- list(
  sum = function(x) {
    s <- 0
    for (i in seq_along(x)) s <- s + x[i] * x[i]
    s
  },
  exponentials = function(x) {
    s <- 0
    for (i in seq_along(x)) s <- s + exp(-x[i])
    s
  },
  "sum()" = function(x) sum(x)
)
for (name in names(sums)) {
  strict <- ds_compile(sums[[name]], whole = TRUE)
  strict(x)
  for (steps in list("contract", "accumulate", c("accumulate", "mathematics"), "relaxed")) {
    other <- ds_compile(sums[[name]], steps, whole = TRUE)
    other(x)
    cat(sprintf(
      "numerics %-12s %-24s %.2f times as fast as strict\n", name, paste(steps, collapse = " + "),
      paired(function() strict(x), function() other(x))
    ))
  }
}

m <- matrix(runif(4e6), 2000)
shared <- list(
  map = function(x, m) {
    out <- numeric(length(x))
    for (i in seq_along(x)) out[i] <- exp(-x[i] * x[i]) * sin(x[i])
    out
  },
  rows = function(x, m) {
    out <- numeric(ncol(m))
    for (j in seq_len(ncol(m))) {
      s <- 0
      for (i in seq_len(nrow(m))) s <- s + m[i, j] * x[i]
      out[j] <- s
    }
    out
  },
  pairs = function(x, m) {
    out <- numeric(2000)
    for (i in 1:2000) {
      s <- 0
      for (j in 1:2000) s <- s + abs(x[i] - x[j])
      out[i] <- s
    }
    out
  }
)
for (name in names(shared)) {
  one <- ds_compile(shared[[name]], whole = TRUE)
  two <- ds_compile(shared[[name]], whole = TRUE, threads = 2)
  stopifnot(identical(one(x, m), two(x, m)))
  ratio <- paired(function() one(x, m), function() two(x, m))
  cat(sprintf("threads  %-12s %.2f times as fast on two as on one\n", name, ratio))
}

loops <- lapply(1:40, function(j) bquote(for (i in seq_len(n)) out[i] <- x[i] * .(j) + y[i]))
many <- function(x, y) NULL
body(many) <- as.call(c(quote(`{`), quote(n <- length(x)), quote(out <- numeric(n)), loops, quote(out)))
fast <- ds_compile(many, whole = TRUE)
invisible(fast(x, x))
lines <- as.data.frame(ds_inspect(fast, "lines"))
cat(sprintf("loops    %d of 40 loops of one function become vectors\n", sum(lines$became == "vector")))
