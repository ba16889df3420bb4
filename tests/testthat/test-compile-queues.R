# Lists that grow and shrink while a loop goes over them: of places, of numbers of either kind, of records.

test_that("a queue of places is filled by c() and append(), of integers and doubles alike", {
  without_comparing()
  set.seed(4)
  wet <- matrix(rbinom(144, 1, 0.5), 12)
  flood <- function(land, row, col) {
    queue <- list(c(row, col))
    while (length(queue) > 0) {
      at <- queue[[1]]
      queue <- queue[-1]
      r <- at[1]
      c <- at[2]
      if (r < 1 || r > nrow(land) || c < 1 || c > ncol(land)) next
      if (land[r, c] != 1) next
      land[r, c] <- 2
      queue <- c(queue, list(c(r + 1, c)), list(c(r - 1, c), c(r, c + 1), c(r, c - 1)))
    }
    land
  }
  wet[6, 6] <- 1L
  for (at in list(6, 6L)) expect_identical(over_parts(flood, wet, at, at), "native")
  around <- function(land) {
    stack <- list(c(6L, 6L))
    seen <- land * 0L
    while (length(stack)) {
      at <- stack[[length(stack)]]
      stack[[length(stack)]] <- NULL
      seen[at[1], at[2]] <- 1L
      for (step in list(c(1, 0), c(-1, 0), c(0, 1), c(0, -1))) {
        to <- at + step
        if (all(to >= 1) && all(to <= dim(land)) && land[to[1], to[2]] == 1 && seen[to[1], to[2]] == 0) {
          stack <- append(stack, list(to))
        }
      }
    }
    list(seen, at)
  }
  expect_identical(over_parts(around, wet), "native")
  kinds <- function(n, x) {
    queue <- list(x, 0.5)
    total <- 0L
    for (i in seq_len(n)) {
      v <- queue[[i]]
      total <- total + sum(v)
      queue <- c(queue, list(v + 1L, rev(v)[1]))
      if (i %% 3 == 0) queue[[1]] <- v * 2L
    }
    list(queue, total)
  }
  expect_identical(over_parts(kinds, 6, 2L), "native")
  expect_identical(over_parts(kinds, 3, c(NA, 2L)), "native")
  over_parts(kinds, 4, .Machine$integer.max)
  over_parts(kinds, 4, TRUE)
  length_first <- function(n) {
    queue <- list(1)
    for (i in seq_len(n)) queue <- c(queue, list(length(queue), queue[[1]] + i))
    queue
  }
  expect_identical(over_parts(length_first, 4), "native")
  given <- function(parts) {
    out <- list()
    for (i in seq_along(parts)) out[[i]] <- parts[[i]][1]
    out
  }
  expect_identical(over_parts(given, list(1:3, c(2.5, 1), NA_integer_)), "native")
})

test_that("records are put in, taken out and changed, whoever made them", {
  without_comparing()
  path <- function(land, from, to) {
    far <- function(p) sum(abs(p - to))
    open <- list(list(pos = from, cost = 0, guess = far(from)))
    best <- land * 0 + Inf
    while (length(open) > 0) {
      k <- which.min(sapply(open, function(e) e$guess))
      now <- open[[k]]
      open[[k]] <- NULL
      if (all(now$pos == to)) return(now$cost)
      for (step in list(c(1, 0), c(-1, 0), c(0, 1), c(0, -1))) {
        p <- now$pos + step
        if (any(p < 1) || any(p > dim(land)) || land[p[1], p[2]] == 1) next
        if (now$cost + 1 < best[p[1], p[2]]) {
          best[p[1], p[2]] <- now$cost + 1
          open[[length(open) + 1]] <- list(pos = p, cost = now$cost + 1, guess = now$cost + 1 + far(p))
        }
      }
    }
    NULL
  }
  land <- matrix(0, 6, 6)
  land[2:6, 3] <- 1
  for (n in list(6, 6L)) expect_identical(over_parts(path, land, c(n, 1), c(n, n)), "native")
  gauges <- function(n) {
    sites <- list()
    for (i in seq_len(n)) sites[[i]] <- list(level = i, seen = FALSE, flows = c(i, i^2))
    before <- sites
    for (i in seq_len(n)) {
      sites[[i %% n + 1L]]$seen <- TRUE
      if (i == 3) sites[[i]]$level <- 2.5
      one <- sites[[i]]
      one$flows[1] <- sum(one$flows)
      sites[[i]] <- one
      sites[[i]]$level <- sites[[i]]$level + 1L
    }
    list(sites, before, one)
  }
  expect_identical(over_parts(gauges, 5), "native")
  drained <- function(l) {
    s <- 0
    while (length(l) > 0) {
      e <- l[[length(l)]]
      l[[length(l)]] <- NULL
      s <- s + e$a * sum(e$b)
      if (e$a > 1) l <- c(l, list(list(a = e$a - 1, b = e$b)))
      last <- e
    }
    list(l, s, last)
  }
  for (a in list(1, 1L)) {
    expect_identical(over_parts(drained, list(list(a = a, b = 1:3), list(a = 2, b = 4L))), "native")
  }
  # what is no such list, or looks like one for a while
  others <- list(
    list(list(b = 1, a = 1), list(a = 2, b = 4)), list(list(a = 1, b = c(x = 1)), list(a = 2, b = 4)),
    list(structure(list(a = 1, b = 1), note = "x"), list(a = 2, b = 4)), list(list(a = 1, b = 1), NULL), list(),
    list(structure(list(a = 1, b = 1), class = "gauge"), list(a = 2, b = 4)), list(list(a = "1", b = 1)),
    list(u = list(a = 3, b = 1), v = list(a = 2, b = 4))
  )
  for (l in others) over_parts(drained, l)
  missed <- list(
    function(l) {
      for (i in seq_along(l)) l[[i]]$other <- i
      l
    },
    function(l) {
      for (i in seq_along(l)) l[[i]]$a <- NULL
      l
    },
    function(l) {
      for (i in 1:3) l[[i]]$a <- i
      l
    },
    function(l) {
      for (i in seq_along(l)) if (l[[i]]$a > 5) found <- l[[i]]
      found
    }
  )
  for (f in missed) over_parts(f, list(list(a = 1, b = 2), list(a = 2, b = 4)))
})
