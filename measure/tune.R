# Of: R/tune- R/read-race R/time-
# Whether the tuner finds the best setting, and for what part of the time of timing every setting exhaustively. 20
# problems: chunks of whole-vector work in R, blocks of compiled nests, and kernels that wait for a known time.
#   within   problems whose setting is within 3 % of the best of the exhaustive timing (wanted: 18 of 20), which is
#            taken in two halves, before and after the race: the best by one half is looked at in the other, where it
#            is not best by luck; beside it how often the two halves agree on what is within 3 % of the best
#   time     seconds of the tuner's races over those of the exhaustive timing, the median (wanted: at most 0.33)
library(deepstride)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
spin <- deepstride:::clock_spin

chunked <- function(work) {
  force(work)
  function(x, chunk) {
    total <- 0
    for (from in seq(1, length(x), by = chunk)) total <- total + work(x[from:min(from + chunk - 1, length(x))])
    total
  }
}
works <- list(
  sum = sum, squares = function(x) sum(x * x), roots = function(x) sum(sqrt(x)), logs = function(x) sum(log(x + 1))
)
problems <- list()
for (name in names(works)) for (size in c(2e4, 2e5)) {
  problems[[paste(name, size)]] <- list(
    f = chunked(works[[name]]), over = list(chunk = 2^(6:14)),
    inputs = function(n) list(x = runif(n)), size = size
  )
}
waits <- function(best, slope) {
  eval(bquote(function(x, a, b) {
    .(spin)(2e-4 * (1 + .(slope) * (abs(a - .(best)) + abs(b - 3))))
    sum(x)
  }))
}
for (best in c(2, 4, 6)) for (slope in c(0.05, 0.3)) {
  problems[[paste("waits", best, slope)]] <- list(
    f = waits(best, slope), over = list(a = 1:7, b = 1:3),
    inputs = function(n) list(x = runif(n)), size = 10
  )
}
nest <- function(a, b) {
  out <- matrix(0, nrow(a), ncol(b))
  for (i in seq_len(nrow(a))) for (j in seq_len(ncol(b))) for (k in seq_len(ncol(a))) {
    out[i, j] <- out[i, j] + a[i, k] * b[k, j]
  }
  out
}
for (size in c(200, 300, 400)) for (along in c("i", "k")) {
  problems[[paste("nest", size, along)]] <- list(
    f = eval(bquote(function(tile) ds_compile(.(nest), block = stats::setNames(tile, .(along))))),
    over = list(tile = c(16, 32, 64, 128, 256)), make = TRUE,
    inputs = function(n) list(a = matrix(runif(n * n), n), b = matrix(runif(n * n), n)), size = size
  )
}

kernels_of <- function(problem) {
  lapply(seq_len(prod(lengths(problem$over))), function(number) {
    deepstride:::setting_kernel(problem$f, deepstride:::setting_at(problem$over, number), isTRUE(problem$make))
  })
}

# Samples of each setting in rounds, at least 20 ms each, as many as a median within 3 % asks for on this machine.
exhaustive <- function(kernels, given, rounds) {
  start <- deepstride:::clock_now()
  times <- matrix(NA_real_, rounds, length(kernels))
  for (i in seq_along(kernels)) do.call(kernels[[i]], given)
  for (round in seq_len(rounds)) for (i in sample(seq_along(kernels))) {
    turns <- 0
    begun <- deepstride:::clock_now()
    repeat {
      do.call(kernels[[i]], given)
      turns <- turns + 1
      if (deepstride:::clock_now() - begun > 0.02) break
    }
    times[round, i] <- (deepstride:::clock_now() - begun) / turns
  }
  list(seconds = apply(times, 2, stats::median), took = deepstride:::clock_now() - start)
}

# A setting over the best by one half of the rounds, in the other half, where that one is not best by luck; both ways.
over_best <- function(halves, at) {
  over <- function(own, other) log(other$seconds[[at]] / other$seconds[[which.min(own$seconds)]])
  exp(mean(c(over(halves[[1]], halves[[2]]), over(halves[[2]], halves[[1]]))))
}

rows <- lapply(names(problems), function(name) {
  problem <- problems[[name]]
  set.seed(1)
  kernels <- kernels_of(problem)
  given <- with(problem, inputs(size))
  before <- exhaustive(kernels, given, 13)
  tuning <- ds_tune(problem$f, problem$over, problem$inputs, problem$size,
    make = isTRUE(problem$make), budget = before$took * 25 / 13 / 3
  )
  after <- exhaustive(kernels, given, 12)
  settings <- lapply(seq_along(kernels), function(number) deepstride:::setting_at(problem$over, number))
  best <- as.list(tuning$best[tuning$parameters])
  at <- which(vapply(settings, function(one) all(unlist(one) == unlist(best)), NA))
  told <- after$seconds[[which.min(before$seconds)]] / min(after$seconds)
  share <- tuning$seconds / (before$took + after$took)
  list(name = name, over = over_best(list(before, after), at), share = share, told = told)
})
over <- vapply(rows, function(row) row$over, 0)
said <- "%-16s chosen takes %.3f of the best (by halves %.3f), race %.2f of the exhaustive time\n"
for (row in rows) cat(sprintf(said, row$name, row$over, row$told, row$share))
told <- vapply(rows, function(row) row$told, 0)
said <- "within 3 %%: %d of %d; by halves of the exhaustive timing %d\n"
cat(sprintf(said, sum(over <= 1.03), length(over), sum(told <= 1.03)))
cat(sprintf("time: %.2f\n", stats::median(vapply(rows, function(row) row$share, 0))))
