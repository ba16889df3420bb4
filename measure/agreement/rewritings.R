# Honest rewritings: the same kernel by other arithmetic. list(base, kernel).

pairwise <- function(x) {
  n <- length(x)
  if (n <= 8) {
    s <- 0
    for (v in x) s <- s + v
    return(s)
  }
  half <- n %/% 2
  pairwise(x[seq_len(half)]) + pairwise(x[(half + 1):n])
}

compensated <- function(x) {
  s <- 0
  lost <- 0
  for (v in x) {
    t <- s + v
    lost <- lost + if (is.finite(t)) if (abs(s) >= abs(v)) (s - t) + v else (v - t) + s else 0
    s <- t
  }
  s + lost
}

rewritings <- list(
  "recursive filter" = list("route", function(rain, keep) {
    if (length(rain)) as.vector(filter((1 - keep) * rain, keep, "recursive")) else numeric()
  }),
  "C loop" = list("route", c_route(
    "for (R_xlen_t i = 0; i < n; ++i) { store = k * store + x[i]; y[i] = (1 - k) * store; }"
  )),
  "C loop, fused multiply-add" = list("route", c_route(
    "for (R_xlen_t i = 0; i < n; ++i) { store = __builtin_fma(k, store, x[i]); y[i] = (1 - k) * store; }"
  )),
  "C loop, factor inside the recurrence" = list("route", c_route(
    "for (R_xlen_t i = 0; i < n; ++i) { store = k * store + (1 - k) * x[i]; y[i] = store; }"
  )),
  "C loop, extended precision" = list("route", c_route(
    "long double s = 0; for (R_xlen_t i = 0; i < n; ++i) { s = k * s + x[i]; y[i] = (double) ((1 - k) * s); }"
  )),
  "built-in sum" = list("total", function(rain) sum(rain)),
  "sum from the end" = list("total", function(rain) {
    s <- 0
    for (r in rev(rain)) s <- s + r
    s
  }),
  "pairwise sum" = list("total", function(rain) pairwise(rain)),
  "compensated sum" = list("total", function(rain) compensated(rain)),
  "sum by blocks of eight" = list("total", function(rain) {
    if (length(rain) == 0) return(0)
    sum(vapply(split(rain, (seq_along(rain) - 1) %/% 8), sum, 0))
  }),
  "four lanes" = list("total", function(rain) {
    lanes <- numeric(4)
    for (i in seq_along(rain)) lanes[(i - 1) %% 4 + 1] <- lanes[(i - 1) %% 4 + 1] + rain[i]
    sum(lanes)
  }),
  "mean times length" = list("total", function(rain) if (length(rain)) mean(rain) * length(rain) else 0),
  "dot product with ones" = list("total", function(rain) drop(crossprod(as.double(rain), rep(1, length(rain))))),
  "built-in maximum" = list("peak", function(level) max(-Inf, level)),
  "maximum by halves" = list("peak", function(level) {
    half <- seq_len(length(level) %/% 2)
    max(-Inf, level[half], if (length(level)) level[setdiff(seq_along(level), half)])
  }),
  "all at once" = list("melt", function(temperature, factor) factor * pmax(temperature, 0)),
  "half the sum with the absolute value" = list("melt", function(temperature, factor) {
    factor * (temperature + abs(temperature)) / 2
  }),
  "built-in variance" = list("spread", function(depth) {
    if (length(depth) < 2) return(kernels$spread$kernel(depth))
    var(depth)
  }),
  "single pass with running mean" = list("spread", function(depth) {
    mean <- 0
    s <- 0
    k <- 0
    for (d in depth) {
      k <- k + 1
      step <- d - mean
      mean <- mean + step / k
      s <- s + step * (d - mean)
    }
    if (length(depth) == 0) 0 else s / (length(depth) - 1)
  }),
  "shifted single pass" = list("spread", function(depth) {
    n <- length(depth)
    if (n == 0) return(0)
    x <- depth - depth[1]
    (sum(x^2) - sum(x)^2 / n) / (n - 1)
  }),
  "outer products" = list("gauges", function(x, y, gx, gy, rain) {
    w <- 1 / (outer(x, gx, "-")^2 + outer(y, gy, "-")^2 + 1e-6)
    as.vector(w %*% rain / rowSums(w))
  }),
  "gauge by gauge, farthest first" = list("gauges", function(x, y, gx, gy, rain) {
    top <- bottom <- numeric(length(x))
    for (g in rev(seq_along(gx))) {
      w <- 1 / ((x - gx[g])^2 + (y - gy[g])^2 + 1e-6)
      top <- top + w * rain[g]
      bottom <- bottom + w
    }
    top / bottom
  }),
  "three shifted vectors" = list("smooth", function(level) {
    n <- length(level)
    if (n < 3) return(level)
    inner <- 2:(n - 1)
    out <- as.double(level)
    out[inner] <- (level[inner + 1] + level[inner] + level[inner - 1]) / 3
    out
  }),
  "matrix product" = list("layers", function(moisture, depth) as.vector(moisture %*% depth)),
  "row sums of the weighted matrix" = list("layers", function(moisture, depth) {
    unname(rowSums(moisture * rep(depth, each = nrow(moisture))))
  }),
  "built on the largest of pairs" = list("chance", function(score) {
    if (length(score) == 0) return(suppressWarnings(max(score)) + log(0))
    Reduce(function(a, b) {
      if (is.na(a + b)) return(a + b)
      top <- max(a, b)
      if (is.infinite(top)) top else top + log1p(exp(min(a, b) - top))
    }, score)
  })
)
