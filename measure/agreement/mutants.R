# Mistakes that practitioners make, one a kernel: list(base, kernel).

mutants <- list(
  "factor forgotten at the end" = list("route", function(rain, keep) as.vector(filter(rain, keep, "recursive"))),
  "state updated after use" = list("route", function(rain, keep) {
    out <- numeric(length(rain))
    store <- 0
    for (i in seq_along(rain)) {
      out[i] <- (1 - keep) * store
      store <- keep * store + rain[i]
    }
    out
  }),
  "last hour left out (C)" = list("route", c_route(
    "for (R_xlen_t i = 0; i < n - 1; ++i) { store = k * store + x[i]; y[i] = (1 - k) * store; } if (n) y[n - 1] = 0;"
  )),
  "blocks of four without the rest (C)" = list("route", c_route(
    "for (R_xlen_t i = 0; i < n; ++i) y[i] = 0;
     for (R_xlen_t b = 0; b + 4 <= n; b += 4) for (int j = 0; j < 4; ++j)
       { store = k * store + x[b + j]; y[b + j] = (1 - k) * store; }"
  )),
  "single precision inside (C)" = list("route", c_route(
    "float s = 0; for (R_xlen_t i = 0; i < n; ++i) { s = k * s + x[i]; y[i] = (1 - k) * s; }"
  )),
  "bytes inside (C)" = list("route", c_route(
    "for (R_xlen_t i = 0; i < n; ++i)
       { unsigned char r = (unsigned char) x[i]; store = k * store + r; y[i] = (1 - k) * store; }"
  )),
  "store not started from zero (C)" = list("route", c_route(
    "store = n ? x[0] : 0; for (R_xlen_t i = 0; i < n; ++i) { store = k * store + x[i]; y[i] = (1 - k) * store; }"
  )),
  "argument overwritten (C)" = list("route", c_route(
    "for (R_xlen_t i = 0; i < n; ++i) { store = k * store + x[i]; y[i] = (1 - k) * store; x[i] = y[i]; }"
  )),
  "one element past the end read (C)" = list("route", c_route(
    "for (R_xlen_t i = 0; i < n; ++i) { store = k * store + x[i + 1]; y[i] = (1 - k) * store; }"
  )),
  "block boundary counted twice" = list("total", function(rain) {
    n <- length(rain)
    if (n <= 8) return(sum(rain))
    total <- 0
    for (start in seq(1, n, by = 8)) total <- total + sum(rain[start:min(start + 8, n)])
    total
  }),
  "remainder left out" = list("total", function(rain) {
    n <- length(rain) %/% 4 * 4
    sum(colSums(matrix(rain[seq_len(n)], 4)))
  }),
  "missing values skipped" = list("total", function(rain) sum(rain, na.rm = TRUE)),
  "started from the first, which is counted again" = list("total", function(rain) {
    if (length(rain)) rain[1] + sum(rain) else 0
  }),
  "maximum starts at zero" = list("peak", function(level) {
    best <- 0
    for (x in level) best <- max(best, x)
    best
  }),
  "maximum of absolute values" = list("peak", function(level) max(-Inf, abs(level))),
  "maximum of the first in a tie of blocks" = list("peak", function(level) {
    if (length(level) < 2) return(max(-Inf, level))
    max(level[seq(1, length(level) - 1)])
  }),
  "threshold at one instead of zero" = list("melt", function(temperature, factor) factor * pmax(temperature - 1, 0)),
  "branch not taken for missing values" = list("melt", function(temperature, factor) {
    ifelse(!is.na(temperature) & temperature > 0, factor * temperature, 0)
  }),
  "variance by n" = list("spread", function(depth) mean((depth - mean(depth))^2)),
  "one pass, cancelling in the raw sums" = list("spread", function(depth) {
    n <- length(depth)
    shifted <- depth + 1e7
    (sum(shifted^2) - sum(shifted)^2 / n) / (n - 1)
  }),
  "coordinates swapped" = list("gauges", function(x, y, gx, gy, rain) kernels$gauges$kernel(y, x, gx, gy, rain)),
  "weights not squared" = list("gauges", function(x, y, gx, gy, rain) {
    w <- 1 / sqrt(outer(x, gx, "-")^2 + outer(y, gy, "-")^2 + 1e-6)
    as.vector(w %*% rain / rowSums(w))
  }),
  "smoothed in place, from values already smoothed" = list("smooth", function(level) {
    n <- length(level)
    if (n > 2) for (i in 2:(n - 1)) level[i] <- (level[i - 1] + level[i] + level[i + 1]) / 3
    level
  }),
  "rows and columns swapped" = list("layers", function(moisture, depth) {
    as.vector(matrix(t(moisture), nrow(moisture)) %*% depth)
  }),
  "result not cleared between rows" = list("layers", function(moisture, depth) cumsum(as.vector(moisture %*% depth))),
  "dim lost on the way out" = list("layers", function(moisture, depth) moisture %*% depth),
  "overflow of exponentials" = list("chance", function(score) log(sum(exp(score))))
)
