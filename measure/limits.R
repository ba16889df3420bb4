# Of: R/machine- R/read-machine R/read-work R/compile-pass-tally src/machine
# What the machine's probes give beside C written for the purpose, in one run, and work that is counted beside hand
# counts.
#   triad  rate of the probe over that of a plain C loop, by working set (wanted: 0.95 to 1.05)
#   peak   operations of the probe over those of a C loop unrolled by hand, scalar and vector (wanted: 0.9 to 1.1)
#   counts kernels whose counted operations, loads and stores are those counted by hand (wanted: 8 of 8)
library(deepstride)
Sys.setenv(R_USER_CACHE_DIR = tempfile("cache"))
probe <- function(name, ...) getFromNamespace(name, "deepstride")(...)

triad <- ds_native("
#pragma GCC optimize(\"O3\")
#include <Rinternals.h>
SEXP triad(SEXP a, SEXP b, SEXP c, SEXP s, SEXP passes) {
  double *restrict x = REAL(a);
  const double *restrict y = REAL(b), *restrict z = REAL(c);
  const double f = REAL(s)[0];
  const R_xlen_t n = XLENGTH(a);
  for (double pass = 0; pass < REAL(passes)[0]; ++pass) {
    for (R_xlen_t i = 0; i < n; ++i) x[i] = y[i] + f * z[i];
    __asm__ volatile(\"\" : : \"r\"(x) : \"memory\");
  }
  return R_NilValue;
}", "triad", flags = "-march=native")

best_seconds <- function(run) {
  run()
  min(vapply(1:9, function(i) {
    start <- deepstride:::clock_now()
    run()
    deepstride:::clock_now() - start
  }, 0))
}

plain_rate <- function(bytes) {
  n <- floor(bytes / 24)
  a <- numeric(n) + 1
  b <- numeric(n) + 1
  c <- numeric(n) + 1
  passes <- max(1, ceiling(1e8 / bytes))
  24 * n * passes / best_seconds(function() triad(a, b, c, 1, passes))
}

for (kib in c(16, 512, 8192, 262144)) {
  ratio <- stats::median(vapply(1:5, function(i) {
    probe("machine_bandwidth", "triad", 1024 * kib, 1L) / plain_rate(1024 * kib)
  }, 0))
  cat(sprintf("triad in %d KiB: %.2f\n", kib, ratio))
}

chains <- ds_native("
#pragma GCC optimize(\"O3\")
#include <Rinternals.h>
#define KEEP(u, v) __asm__ volatile(\"\" : \"+x\"(u), \"+x\"(v));
#define LOOP(type) \\
  type a = m, b = m, c = m, d = m, e = m, f = m, g = m, h = m, i = m, j = m, k = m, l = m; \\
  for (long turn = (long) REAL(steps)[0]; turn > 0; --turn) { \\
    a *= m; b += s; KEEP(a, b) c *= m; d += s; KEEP(c, d) e *= m; f += s; KEEP(e, f) \\
    g *= m; h += s; KEEP(g, h) i *= m; j += s; KEEP(i, j) k *= m; l += s; KEEP(k, l) \\
  }
SEXP scalar(SEXP steps, SEXP factor) {
  const double m = REAL(factor)[0], s = m - 1;
  LOOP(double)
  return Rf_ScalarReal(a + b + c + d + e + f + g + h + i + j + k + l);
}
typedef double lane __attribute__((vector_size(32)));
SEXP vector(SEXP steps, SEXP factor) {
  const double one = REAL(factor)[0];
  const lane m = {one, one, one, one}, s = m - 1;
  LOOP(lane)
  const lane sum = a + b + c + d + e + f + g + h + i + j + k + l;
  return Rf_ScalarReal(sum[0]);
}", "scalar", flags = "-march=native")
code <- paste(attr(chains, "ds_native")$source, collapse = "\n")
lanes <- ds_native(code, "vector", flags = "-march=native")

for (kind in c("scalar", "vector")) {
  run <- if (kind == "scalar") chains else lanes
  ratio <- stats::median(vapply(1:7, function(i) {
    own <- (if (kind == "scalar") 12 else 48) * 1e6 / best_seconds(function() run(1e6, 1))
    probe("machine_operations", kind, 1L)[["rate"]] / own
  }, 0))
  cat(sprintf("peak %s: %.2f\n", kind, ratio))
}

n <- 50
x <- runif(n)
m <- matrix(runif(n * 4), n)
kernels <- list(
  route = list(function(x) {
    s <- 0
    out <- numeric(length(x))
    for (i in seq_along(x)) {
      s <- 0.9 * s + x[i]
      out[i] <- 0.1 * s
    }
    out
  }, list(x = x), c(add = n, multiply = 2 * n, load = n, store = n)),
  sum = list(function(x) { s <- 0
    for (v in x) s <- s + v
    s }, list(x = x), c(add = n, load = n)),
  scaled = list(function(x) 2 * x + 1, list(x = x), c(add = n, multiply = n, load = n, store = n)),
  dot = list(function(x) sum(x * x), list(x = x), c(add = n, multiply = n, load = 2 * n)),
  masked = list(function(x) { s <- 0
    for (v in x) if (v > 0.5) s <- s + sqrt(v)
    s }, list(x = x), c(add = sum(x > 0.5), compare = n, "function" = sum(x > 0.5), load = n)),
  product = list(function(a, b) { out <- matrix(0, nrow(a), ncol(b))
    for (i in seq_len(nrow(a))) for (j in seq_len(ncol(b))) for (k in seq_len(ncol(a))) {
      out[i, j] <- out[i, j] + a[i, k] * b[k, j]
    }
    out }, list(a = m, b = t(m)), c(add = n * n * 4, multiply = n * n * 4, load = 3 * n * n * 4, store = n * n * 4)),
  grown = list(function(x) { out <- c()
    for (v in x) out <- c(out, v / 3)
    out }, list(x = x), c(divide = n, load = n, store = n)),
  columns = list(function(m) { s <- numeric(ncol(m))
    for (j in seq_len(ncol(m))) for (i in seq_len(nrow(m))) s[j] <- s[j] + m[i, j]^2
    s }, list(m = m), c(add = 4 * n, multiply = 4 * n, load = 8 * n, store = 4 * n))
)
right <- vapply(kernels, function(one) {
  counts <- probe("counted_call", probe("compile_counting", one[[1]]), one[[2]])$counts
  found <- tapply(counts$count, counts$kind, sum)
  found <- found[!startsWith(names(found), "bytes")]
  setequal(names(found), names(one[[3]])) && all(found[names(one[[3]])] == one[[3]])
}, NA)
wrong <- if (all(right)) "" else paste(":", toString(names(right)[!right]))
cat(sprintf("counts: %d of %d%s\n", sum(right), length(right), wrong))
