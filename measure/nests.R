# Of: R/compile- R/syntax- src/dispatch inst/include
# What the order of loops and blocks buy, as ratios measured side by side in one run. Matrices of 1,500 by 1,500 (54 MB
# for three) and 4,000 by 4,000 lie beyond the caches.
#   order     time of the nest as it stands in the code over the time in the order that the compiler chooses
#   blocks    time without blocks over the time in blocks of `block = TRUE`
#   product   time of R's `%*%` (the BLAS that is installed) over that of three loops in blocks, on one thread and two
#   precision time in double precision over the time in single, of a loop over 10^7 elements
library(deepstride)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))

paired <- function(one, other, rounds = 5) {
  times <- vapply(seq_len(rounds), function(round) {
    took <- double(2)
    for (i in sample(2)) {
      start <- deepstride:::clock_now()
      if (i == 1) one() else other()
      took[[i]] <- deepstride:::clock_now() - start
    }
    took
  }, double(2))
  stats::median(times[1, ] / times[2, ])
}

nests <- list(
  product = function(a, b) {
    out <- matrix(0, nrow(a), ncol(b))
    for (i in seq_len(nrow(a))) for (j in seq_len(ncol(b))) for (k in seq_len(ncol(a))) {
      out[i, j] <- out[i, j] + a[i, k] * b[k, j]
    }
    out
  },
  "by rows" = function(a, b) {
    out <- matrix(0, nrow(a), ncol(a))
    for (i in seq_len(nrow(a))) for (j in seq_len(ncol(a))) out[i, j] <- a[i, j] * 2 + b[i, j]
    out
  },
  "row sums" = function(a, b) {
    out <- numeric(nrow(a))
    for (i in seq_len(nrow(a))) for (k in seq_len(ncol(a))) out[i] <- out[i] + a[i, k]
    out
  },
  transposed = function(a, b) {
    out <- matrix(0, ncol(a), nrow(a))
    for (i in seq_len(nrow(out))) for (j in seq_len(ncol(out))) out[i, j] <- a[j, i]
    out
  }
)
set.seed(1)
made <- function(n) matrix(stats::runif(n * n), n)
small <- made(1500)
large <- made(4000)
given <- function(name) if (name == "product") list(small, small) else list(large, large)

built <- function(f, args, ...) {
  fast <- ds_compile(f, whole = TRUE, ...)
  fast(args[[1]][1:3, 1:3], args[[2]][1:3, 1:3])
  fast
}
as_written <- function(f, args) {
  usual <- deepstride:::pass_blocks
  utils::assignInNamespace("pass_blocks", identity, "deepstride")
  on.exit(utils::assignInNamespace("pass_blocks", usual, "deepstride"))
  built(f, args)
}

for (name in names(nests)) {
  args <- given(name)
  turned <- built(nests[[name]], args)
  written <- as_written(nests[[name]], args)
  stopifnot(identical(do.call(turned, args), do.call(written, args)))
  if (name != "transposed") cat(sprintf(
    "order     %-10s %.2f times as fast as in the order of the code\n", name,
    paired(function() do.call(written, args), function() do.call(turned, args), if (name == "product") 3 else 7)
  ))
  if (name %in% c("product", "transposed")) {
    blocked <- built(nests[[name]], args, block = TRUE)
    stopifnot(identical(do.call(blocked, args), do.call(turned, args)))
    cat(sprintf(
      "blocks    %-10s %.2f times as fast as without blocks\n", name,
      paired(function() do.call(turned, args), function() do.call(blocked, args))
    ))
  }
}
for (threads in 1:2) {
  blocked <- built(nests$product, list(small, small), block = c(j = 64, k = 256, i = 512), threads = threads)
  cat(sprintf(
    "product   %d thread%s  %.2f times as fast as `%%*%%`\n", threads, c("", "s")[[threads]],
    paired(function() small %*% small, function() blocked(small, small))
  ))
}

flow <- function(x) {
  out <- numeric(length(x))
  for (turn in 1:20) for (i in seq_along(x)) out[i] <- out[i] * 0.9 + sqrt(x[i])
  out
}
x <- stats::runif(1e7)
doubled <- ds_compile(flow, whole = TRUE)
single <- ds_compile(flow, precision = "single")
stopifnot(max(abs(doubled(x) - single(x))) < 1e-4)
cat(sprintf("precision single     %.2f times as fast as double\n", paired(function() doubled(x), function() single(x))))
