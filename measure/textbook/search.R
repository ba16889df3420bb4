# Sorting, searching, counting, walks and rules, dynamic programming, clustering.

textbook <- c(textbook, list(
  insertion_sort = list(function(x) {
    for (i in seq_along(x)[-1]) {
      v <- x[i]
      j <- i - 1
      while (j > 0 && x[j] > v) {
        x[j + 1] <- x[j]
        j <- j - 1
      }
      x[j + 1] <- v
    }
    x
  }, list(c(3, 1, 4, 1, 5, 9, 2, 6))),
  bubble_sort = list(function(x) {
    n <- length(x)
    repeat {
      swapped <- FALSE
      for (i in seq_len(n - 1)) if (x[i] > x[i + 1]) {
        x[c(i, i + 1)] <- x[c(i + 1, i)]
        swapped <- TRUE
      }
      if (!swapped) break
    }
    x
  }, list(c(3, 1, 4, 1, 5, 9, 2, 6))),
  merge_sort = list(function(x) {
    width <- 1
    n <- length(x)
    while (width < n) {
      out <- x
      for (low in seq(1, n, by = 2 * width)) {
        middle <- min(low + width - 1, n)
        high <- min(low + 2 * width - 1, n)
        i <- low
        j <- middle + 1
        for (k in low:high) {
          if (i <= middle && (j > high || x[i] <= x[j])) {
            out[k] <- x[i]
            i <- i + 1
          } else {
            out[k] <- x[j]
            j <- j + 1
          }
        }
      }
      x <- out
      width <- 2 * width
    }
    x
  }, list(c(3, 1, 4, 1, 5, 9, 2, 6, 5))),
  quick_sort = list(function(x) {
    sorted <- function(v) {
      if (length(v) < 2) return(v)
      p <- v[1]
      rest <- v[-1]
      c(sorted(rest[rest < p]), p, sorted(rest[rest >= p]))
    }
    sorted(x)
  }, list(c(3, 1, 4, 1, 5, 9, 2, 6))),
  heap_sort = list(function(x) {
    n <- length(x)
    sift <- function(x, at, n) {
      while (2 * at <= n) {
        child <- 2 * at
        if (child < n && x[child + 1] > x[child]) child <- child + 1
        if (x[at] >= x[child]) break
        keep <- x[at]
        x[at] <- x[child]
        x[child] <- keep
        at <- child
      }
      x
    }
    for (i in (n %/% 2):1) x <- sift(x, i, n)
    for (last in n:2) {
      keep <- x[1]
      x[1] <- x[last]
      x[last] <- keep
      x <- sift(x, 1, last - 1)
    }
    x
  }, list(c(3, 1, 4, 1, 5, 9, 2, 6))),
  binary_search = list(function(x, values) {
    vapply(values, function(v) {
      low <- 1
      high <- length(x)
      while (low <= high) {
        middle <- (low + high) %/% 2
        if (x[middle] == v) return(middle)
        if (x[middle] < v) low <- middle + 1 else high <- middle - 1
      }
      0
    }, 0)
  }, list(c(1, 3, 4, 7, 9), c(3, 8, 9))),
  sieve = list(function(n) {
    prime <- rep(TRUE, n)
    prime[1] <- FALSE
    for (i in 2:floor(sqrt(n))) if (prime[i]) for (j in seq(i * i, n, by = i)) prime[j] <- FALSE
    which(prime)
  }, list(50)),
  greatest_divisor = list(function(a, b) {
    while (b != 0) {
      r <- a %% b
      a <- b
      b <- r
    }
    a
  }, list(84, 36)),
  fibonacci = list(function(n) {
    f <- c(1, 1)
    while (length(f) < n) f <- c(f, sum(tail(f, 2)))
    f
  }, list(20)),
  collatz = list(function(n) {
    sapply(1:n, function(k) {
      steps <- 0
      while (k != 1) {
        k <- if (k %% 2 == 0) k / 2 else 3 * k + 1
        steps <- steps + 1
      }
      steps
    })
  }, list(20)),
  pascal = list(function(n) {
    rows <- matrix(0, n, n)
    for (i in 1:n) {
      rows[i, 1] <- rows[i, i] <- 1
      if (i > 2) for (j in 2:(i - 1)) rows[i, j] <- rows[i - 1, j - 1] + rows[i - 1, j]
    }
    rows
  }, list(7)),
  edit_distance = list(function(a, b) {
    d <- matrix(0, length(a) + 1, length(b) + 1)
    d[, 1] <- 0:length(a)
    d[1, ] <- 0:length(b)
    for (i in seq_along(a)) for (j in seq_along(b)) {
      d[i + 1, j + 1] <- min(d[i, j + 1] + 1, d[i + 1, j] + 1, d[i, j] + (a[i] != b[j]))
    }
    d[length(a) + 1, length(b) + 1]
  }, list(c(1, 2, 3, 4), c(2, 3, 5))),
  knapsack = list(function(weight, worth, room) {
    best <- rep(0, room + 1)
    for (k in seq_along(weight)) for (w in room:weight[k]) {
      best[w + 1] <- max(best[w + 1], best[w - weight[k] + 1] + worth[k])
    }
    best[room + 1]
  }, list(c(2, 3, 4), c(3, 4, 6), 7)),
  longest_rise = list(function(x) {
    best <- rep(1, length(x))
    for (i in seq_along(x)) for (j in seq_len(i - 1)) if (x[j] < x[i]) best[i] <- max(best[i], best[j] + 1)
    max(best)
  }, list(c(3, 1, 4, 1, 5, 9, 2, 6))),
  shortest_paths = list(function(w) {
    n <- nrow(w)
    for (k in 1:n) for (i in 1:n) for (j in 1:n) if (w[i, k] + w[k, j] < w[i, j]) w[i, j] <- w[i, k] + w[k, j]
    w
  }, list(matrix(c(0, 3, Inf, 1, 0, 7, 2, Inf, 0), 3))),
  nearest_first = list(function(w, from) {
    n <- nrow(w)
    dist <- rep(Inf, n)
    done <- rep(FALSE, n)
    dist[from] <- 0
    for (turn in 1:n) {
      open <- which(!done)
      at <- open[which.min(dist[open])]
      done[at] <- TRUE
      for (j in 1:n) if (dist[at] + w[at, j] < dist[j]) dist[j] <- dist[at] + w[at, j]
    }
    dist
  }, list(matrix(c(0, 3, Inf, 1, 0, 7, 2, Inf, 0), 3), 1)),
  random_walk = list(function(n) {
    at <- 0
    path <- at
    for (i in seq_len(n)) {
      at <- at + sample(c(-1, 1), 1)
      path <- c(path, at)
    }
    range(path)
  }, list(100)),
  metropolis = list(function(logdensity, x, n, width) {
    chain <- numeric(n)
    kept <- 0
    for (i in seq_len(n)) {
      proposal <- rnorm(1, x, width)
      if (log(runif(1)) < logdensity(proposal) - logdensity(x)) {
        x <- proposal
        kept <- kept + 1
      }
      chain[i] <- x
    }
    list(mean = mean(chain), kept = kept / n)
  }, list(function(x) -x^2 / 2, 0, 200, 1)),
  markov_chain = list(function(p, n) {
    state <- 1
    visits <- rep(0, nrow(p))
    for (i in 1:n) {
      state <- sample(nrow(p), 1, prob = p[state, ])
      visits[state] <- visits[state] + 1
    }
    visits / n
  }, list(matrix(c(0.5, 0.2, 0.3, 0.8), 2), 200)),
  cellular_rule = list(function(rule, cells, turns) {
    bits <- bitwAnd(bitwShiftR(rule, 0:7), 1L)
    world <- matrix(0L, turns, length(cells))
    n <- length(cells)
    for (t in 1:turns) {
      world[t, ] <- cells
      left <- c(cells[n], cells[-n])
      right <- c(cells[-1], cells[1])
      cells <- bits[4L * left + 2L * cells + right + 1L]
    }
    world
  }, list(30L, c(0L, 0L, 0L, 1L, 0L, 0L, 0L), 4)),
  game_of_cells = list(function(m, turns) {
    for (t in seq_len(turns)) {
      old <- m
      for (i in seq_len(nrow(m))) for (j in seq_len(ncol(m))) {
        s <- -old[i, j]
        for (a in -1:1) for (b in -1:1) s <- s + old[(i + a - 1) %% nrow(m) + 1, (j + b - 1) %% ncol(m) + 1]
        m[i, j] <- if (s == 3 || (s == 2 && old[i, j] == 1)) 1 else 0
      }
    }
    m
  }, list(matrix(c(0, 1, 0, 0, 0, 0, 1, 0, 1, 1, 1, 0, 0, 0, 0, 0), 4), 3)),
  k_means = list(function(x, centres, turns) {
    groups <- integer(nrow(x))
    for (turn in seq_len(turns)) {
      for (i in seq_len(nrow(x))) {
        d <- apply(centres, 1, function(centre) sum((x[i, ] - centre)^2))
        groups[i] <- which.min(d)
      }
      for (k in seq_len(nrow(centres))) if (any(groups == k)) {
        for (j in seq_len(ncol(x))) centres[k, j] <- mean(x[groups == k, j])
      }
    }
    list(centres = centres, groups = groups)
  }, list(matrix(c(1, 1.2, 5, 5.3, 2, 2.1, 7, 6.8), 4), matrix(c(1, 5, 2, 6), 2), 4)),
  exponential_smoothing = list(
    function(x, keep) Reduce(function(s, v) keep * s + (1 - keep) * v, x),
    list(c(3, 1, 4, 1, 5), 0.7)
  ),
  kalman = list(function(y, q, r) {
    m <- 0
    p <- 1
    out <- numeric(length(y))
    for (t in seq_along(y)) {
      p <- p + q
      if (!is.na(y[t])) {
        gain <- p / (p + r)
        m <- m + gain * (y[t] - m)
        p <- (1 - gain) * p
      }
      out[t] <- m
    }
    out
  }, list(c(1, 1.2, NA, 0.8, 1.1), 0.1, 0.5))
))
