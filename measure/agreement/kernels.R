# Kernels of the Hollowmere catchment that mutants and rewritings start from.

kernels <- list(
  route = list(
    inputs = function(n) list(rain = rgamma(n, 0.3, 0.1), keep = 0.85),
    kernel = function(rain, keep) {
      out <- numeric(length(rain))
      store <- 0
      for (hour in seq_along(rain)) {
        store <- keep * store + rain[hour]
        out[hour] <- (1 - keep) * store
      }
      out
    }
  ),
  total = list(
    inputs = function(n) list(rain = rgamma(n, 0.3, 0.1)),
    kernel = function(rain) {
      total <- 0
      for (r in rain) total <- total + r
      total
    }
  ),
  peak = list(
    inputs = function(n) list(level = rgamma(n, 4, 0.1)),
    kernel = function(level) {
      best <- -Inf
      for (x in level) best <- max(best, x)
      best
    }
  ),
  melt = list(
    inputs = function(n) list(temperature = 4 * sin(seq_len(n) / 24) + rnorm(n), factor = 3.1),
    kernel = function(temperature, factor) {
      out <- numeric(length(temperature))
      for (i in seq_along(temperature)) {
        t <- temperature[i]
        out[i] <- if (is.na(t)) t else if (t > 0) factor * t else 0
      }
      out
    }
  ),
  spread = list(
    inputs = function(n) list(depth = rnorm(n, 40, 3)),
    kernel = function(depth) {
      n <- length(depth)
      mean <- 0
      for (d in depth) mean <- mean + d
      mean <- mean / n
      s <- 0
      for (d in depth) s <- s + (d - mean)^2
      s / (n - 1)
    }
  ),
  gauges = list(
    inputs = function(n) {
      list(x = runif(n, 0, 10), y = runif(n, 0, 10), gx = c(1, 4, 8), gy = c(2, 9, 5), rain = c(3.2, 0.4, 1.1))
    },
    kernel = function(x, y, gx, gy, rain) {
      out <- numeric(length(x))
      for (i in seq_along(x)) {
        top <- 0
        bottom <- 0
        for (g in seq_along(gx)) {
          w <- 1 / ((x[i] - gx[g])^2 + (y[i] - gy[g])^2 + 1e-6)
          top <- top + w * rain[g]
          bottom <- bottom + w
        }
        out[i] <- top / bottom
      }
      out
    }
  ),
  smooth = list(
    inputs = function(n) list(level = cumsum(rnorm(n)) + 50),
    kernel = function(level) {
      n <- length(level)
      out <- level
      if (n > 2) for (i in 2:(n - 1)) out[i] <- (level[i - 1] + level[i] + level[i + 1]) / 3
      out
    }
  ),
  layers = list(
    outside = c("length zero", "one element", "one column"), # four layers, four depths
    inputs = function(n) list(moisture = matrix(runif(4 * n), n, 4), depth = c(0.1, 0.2, 0.3, 0.4)),
    kernel = function(moisture, depth) {
      out <- numeric(nrow(moisture))
      for (i in seq_len(nrow(moisture))) {
        for (j in seq_len(ncol(moisture))) out[i] <- out[i] + depth[j] * moisture[i, j]
      }
      out
    }
  ),
  chance = list(
    inputs = function(n) list(score = rnorm(n, 0, 30)),
    kernel = function(score) {
      top <- max(score)
      s <- 0
      for (x in score) s <- s + exp(x - top)
      top + log(s)
    }
  )
)

study_of <- function(base, other, sizes = c(10, 100, 1000), ...) {
  cases <- deepstride::ds_cases(except = kernels[[base]]$outside)
  deepstride::ds_study(base, kernels[[base]]$inputs, sizes = sizes, cases = cases) |>
    deepstride::ds_stage("loop", kernels[[base]]$kernel) |>
    deepstride::ds_stage("other", other, ...)
}

c_route <- function(body) {
  deepstride::ds_native(sprintf("#include <Rinternals.h>
SEXP route(SEXP rain, SEXP keep) {
  rain = PROTECT(Rf_coerceVector(rain, REALSXP));
  const R_xlen_t n = XLENGTH(rain);
  SEXP out = PROTECT(Rf_allocVector(REALSXP, n));
  double *x = REAL(rain), *y = REAL(out), store = 0, k = Rf_asReal(keep);
  %s
  UNPROTECT(2);
  return out;
}
", body), "route")
}
