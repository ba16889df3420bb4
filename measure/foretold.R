# Of: R/time- R/read-forecast R/read-charge R/env-probe src/clock
# How well does the timing engine foretell ten times the size of twenty kernels, timed while both cores are loaded by
# other processes? The truth is timed without that load. Prints shares; about five minutes.
#
#   Rscript measure/foretold.R
suppressPackageStartupMessages(library(deepstride))
set.seed(7)

# Each takes a vector of n numbers; `most` is the largest size, ten times what is known.
kernels <- list(
  running = list(function(x) {
    s <- 0
    for (v in x) s <- s + v
    s
  }, 1e6),
  grown = list(function(x) {
    y <- c()
    for (v in x) y <- c(y, v)
    y
  }, 1e4),
  filled = list(function(x) {
    y <- numeric(length(x))
    for (i in seq_along(x)) y[i] <- x[i]^2
    y
  }, 1e6),
  pairs = list(function(x) {
    s <- 0
    for (a in x) for (b in x) s <- s + abs(a - b)
    s
  }, 3e3),
  triangle = list(function(x) {
    s <- 0
    for (i in seq_along(x)) for (j in seq_len(i)) s <- s + x[j]
    s
  }, 3e3),
  sorted = list(function(x) sort(x), 1e6),
  ranked = list(function(x) rank(x), 1e6),
  halved = list(function(x) {
    n <- length(x)
    while (n > 1) n <- n / 2
    n
  }, 1e6),
  middle = list(function(x) x[[length(x) %/% 2]], 1e6),
  squared = list(function(x) sum(x^2), 1e6),
  table = list(function(x) outer(x, x), 3e3),
  summed = list(function(x) rowSums(outer(x, x)), 3e3),
  product = list(function(x) {
    m <- matrix(x, length(x), length(x))
    m %*% m
  }, 1e3),
  transform = list(function(x) Mod(fft(x[seq_len(2^floor(log2(length(x))))])), 1e6),
  convolved = list(function(x) stats::filter(x, rep(1, 24), sides = 1), 1e6),
  applied = list(function(x) vapply(x, function(v) v + 1, 0), 1e6),
  matched = list(function(x) match(x, rev(x)), 1e6),
  binned = list(function(x) tabulate(findInterval(x, 0:9 / 10), 10), 1e6),
  distances = list(function(x) stats::dist(x), 3e3),
  searched = list(function(x) {
    n <- 0
    for (v in x) n <- n + sum(x < v)
    n
  }, 1e4)
)

timed <- function(name, sizes, budget) {
  kernel <- kernels[[name]]
  study <- ds_study(name, function(n) list(x = runif(n)), sizes = sizes) |> ds_stage("kernel", kernel[[1]])
  agreement <- ds_agree(study, sizes = min(sizes), cases = FALSE)
  agreement$table <- agreement$table[0, ]
  cells <- as.data.frame(ds_time(study, ds_plan(budget = budget, first_call = FALSE, memory = FALSE), agreement))
  cells$median[cells$state == "timed"]
}

busy <- function() {
  processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", "repeat deepstride:::clock_work(1e7)"))
}

foretold <- do.call(rbind, lapply(names(kernels), function(name) {
  most <- kernels[[name]][[2]]
  ladder <- unique(round(most / 10 / 10^(4:0 / 2)))
  true <- timed(name, most, 6)
  loaded <- list(busy(), busy())
  seconds <- timed(name, ladder, 6)
  for (process in loaded) process$kill_tree()
  if (length(true) == 0 || length(seconds) < length(ladder)) return(NULL) # somebody else had the machine
  do.call(rbind, lapply(3:5, function(known) {
    # the largest sizes: those that lie ten times below the truth
    last <- utils::tail(seq_along(ladder), known)
    found <- deepstride:::forecast_seconds(ladder[last], seconds[last], most)
    data.frame(name, known,
      off = abs(log(found[["median"]] / true)),
      held = found[["low"]] <= true && true <= found[["high"]], low = found[["low"]] / true
    )
  }))
}))

percent <- function(x) sprintf("%.0f %%", 100 * mean(x))
for (known in 3:5) {
  own <- foretold[foretold$known == known, ]
  words <- "ten times out from %d sizes: within a factor of 1.5 in %s, of 2 in %s of %d kernels; intervals hold %s\n"
  cat(sprintf(words, known, percent(own$off <= log(1.5)), percent(own$off <= log(2)), nrow(own), percent(own$held)))
}
cat(sprintf(
  "a limit that the kernel just keeps: skipped in %s of %d forecasts (at most 1)\n",
  percent(foretold$low > 1), nrow(foretold)
))
far <- foretold[foretold$off > log(1.5), ]
if (nrow(far)) {
  words <- "  farther off: %s from %d sizes, a factor of %.1f\n"
  cat(sprintf(words, far$name, far$known, exp(far$off)), sep = "")
}
