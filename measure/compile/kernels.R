# Kernels of the catchment: in R, and in C as one would write it by hand for these types.

compile_kernels <- list(
  route = list(
    inputs = function() list(rain = rgamma(1e6, 0.3, 0.1), keep = 0.85),
    r = function(rain, keep) {
      out <- numeric(length(rain))
      store <- 0
      for (hour in seq_along(rain)) {
        store <- keep * store + rain[hour]
        out[hour] <- (1 - keep) * store
      }
      out
    },
    c = "SEXP kernel(SEXP rain, SEXP keep) { R_xlen_t n = XLENGTH(rain); SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *x = REAL(rain), *y = REAL(o), s = 0, k = REAL(keep)[0];
      for (R_xlen_t i = 0; i < n; ++i) { s = k * s + x[i]; y[i] = (1 - k) * s; } UNPROTECT(1); return o; }"
  ),
  melt = list(
    inputs = function() list(temperature = 4 * sin(seq_len(1e6) / 24) + rnorm(1e6)),
    r = function(temperature) {
      out <- numeric(length(temperature))
      for (i in seq_along(temperature)) if (temperature[i] > 0) out[i] <- 3.1 * temperature[i]
      out
    },
    c = "SEXP kernel(SEXP t) { R_xlen_t n = XLENGTH(t); SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *x = REAL(t), *y = REAL(o); memset(y, 0, n * 8);
      for (R_xlen_t i = 0; i < n; ++i) if (x[i] > 0) y[i] = 3.1 * x[i]; UNPROTECT(1); return o; }"
  ),
  expression = list(
    inputs = function() list(a = runif(1e6), b = runif(1e6), c = runif(1e6)),
    r = function(a, b, c) (a * b + c) * (a - b) / (1 + c) - a * 0.5 + b * b,
    c = "SEXP kernel(SEXP a, SEXP b, SEXP c) { R_xlen_t n = XLENGTH(a); SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *x = REAL(a), *y = REAL(b), *z = REAL(c), *r = REAL(o);
      for (R_xlen_t i = 0; i < n; ++i) r[i] = (x[i]*y[i]+z[i])*(x[i]-y[i])/(1+z[i])-x[i]*0.5+y[i]*y[i];
      UNPROTECT(1); return o; }"
  ),
  variogram = list(
    inputs = function() list(x = runif(1500), z = rnorm(1500), bins = 40),
    r = function(x, z, bins) {
      sums <- numeric(bins)
      for (i in 1:(length(x) - 1)) {
        for (j in (i + 1):length(x)) {
          bin <- floor(abs(x[i] - x[j]) * bins) + 1
          if (bin <= bins) sums[bin] <- sums[bin] + (z[i] - z[j])^2
        }
      }
      sums
    },
    c = "SEXP kernel(SEXP xs, SEXP zs, SEXP b) { R_xlen_t n = XLENGTH(xs); double nb = REAL(b)[0];
      SEXP o = PROTECT(Rf_allocVector(REALSXP, (R_xlen_t) nb)); double *x = REAL(xs), *z = REAL(zs), *s = REAL(o);
      memset(s, 0, (R_xlen_t) nb * 8);
      for (R_xlen_t i = 0; i < n - 1; ++i) for (R_xlen_t j = i + 1; j < n; ++j) {
        double bin = floor(fabs(x[i] - x[j]) * nb) + 1;
        if (bin <= nb) { double d = z[i] - z[j]; s[(R_xlen_t) bin - 1] += d * d; } }
      UNPROTECT(1); return o; }"
  ),
  interpolate = list(
    inputs = function() {
      list(px = runif(20000), py = runif(20000), gx = runif(40), gy = runif(40), rain = rgamma(40, 1))
    },
    r = function(px, py, gx, gy, rain) {
      out <- numeric(length(px))
      for (i in seq_along(px)) {
        top <- 0
        bottom <- 0
        for (g in seq_along(gx)) {
          w <- 1 / ((px[i] - gx[g])^2 + (py[i] - gy[g])^2 + 1e-6)
          top <- top + w * rain[g]
          bottom <- bottom + w
        }
        out[i] <- top / bottom
      }
      out
    },
    c = "SEXP kernel(SEXP a, SEXP b, SEXP c, SEXP d, SEXP e) { R_xlen_t n = XLENGTH(a), m = XLENGTH(c);
      SEXP o = PROTECT(Rf_allocVector(REALSXP,
                                      n)); double *px = REAL(a), *py = REAL(b), *gx = REAL(c), *gy = REAL(d),
      *r = REAL(e);
      for (R_xlen_t i = 0; i < n; ++i) { double t = 0, u = 0; for (R_xlen_t g = 0; g < m; ++g) {
        double dx = px[i] - gx[g], dy = py[i] - gy[g], w = 1 / (dx * dx + dy * dy + 1e-6); t += w * r[g]; u += w; }
        REAL(o)[i] = t / u; } UNPROTECT(1); return o; }"
  ),
  tridiagonal = list(
    inputs = function() list(a = runif(1e5), b = 4 + runif(1e5), c = runif(1e5), d = runif(1e5)),
    r = function(a, b, c, d) {
      n <- length(b)
      for (i in 2:n) {
        w <- a[i] / b[i - 1]
        b[i] <- b[i] - w * c[i - 1]
        d[i] <- d[i] - w * d[i - 1]
      }
      x <- numeric(n)
      x[n] <- d[n] / b[n]
      for (i in (n - 1):1) x[i] <- (d[i] - c[i] * x[i + 1]) / b[i]
      x
    },
    c = "SEXP kernel(SEXP as, SEXP bs, SEXP cs, SEXP ds) { R_xlen_t n = XLENGTH(bs);
      SEXP b2 = PROTECT(Rf_duplicate(bs)),
      d2 = PROTECT(Rf_duplicate(ds)), o = PROTECT(Rf_allocVector(REALSXP, n));
      double *a = REAL(as), *b = REAL(b2), *c = REAL(cs), *d = REAL(d2), *x = REAL(o);
      for (R_xlen_t i = 1; i < n; ++i) { double w = a[i] / b[i-1]; b[i] -= w * c[i-1]; d[i] -= w * d[i-1]; }
      x[n-1] = d[n-1] / b[n-1]; for (R_xlen_t i = n - 2; i >= 0; --i) x[i] = (d[i] - c[i] * x[i+1]) / b[i];
      UNPROTECT(3); return o; }"
  ),
  despike = list(
    inputs = function() list(level = rnorm(1e5), half = 4),
    r = function(level, half) {
      n <- length(level)
      out <- level
      window <- numeric(2 * half + 1)
      for (i in (half + 1):(n - half)) {
        for (j in seq_along(window)) {
          value <- level[i - half + j - 1]
          k <- j
          while (k > 1 && window[k - 1] > value) {
            window[k] <- window[k - 1]
            k <- k - 1
          }
          window[k] <- value
        }
        out[i] <- window[half + 1]
      }
      out
    },
    c = "SEXP kernel(SEXP l, SEXP h) { R_xlen_t n = XLENGTH(l), half = (R_xlen_t) REAL(h)[0], m = 2 * half + 1;
      SEXP o = PROTECT(Rf_duplicate(l)), s = PROTECT(Rf_allocVector(REALSXP, m));
      double *x = REAL(l), *y = REAL(o), *w = REAL(s);
      for (R_xlen_t i = half; i < n - half; ++i) { for (R_xlen_t j = 0; j < m; ++j) { double v = x[i - half + j];
        R_xlen_t k = j; while (k > 0 && w[k - 1] > v) { w[k] = w[k - 1]; --k; } w[k] = v; } y[i] = w[half]; }
      UNPROTECT(2); return o; }"
  ),
  soil = list(
    inputs = function() list(moisture = array(runif(8e5), c(100, 100, 80)), weight = runif(80)),
    r = function(moisture, weight) {
      total <- matrix(0, dim(moisture)[1], dim(moisture)[2])
      for (k in seq_along(weight)) {
        for (j in seq_len(ncol(total))) {
          for (i in seq_len(nrow(total))) total[i, j] <- total[i, j] + weight[k] * moisture[i, j, k]
        }
      }
      total
    },
    c = "SEXP kernel(SEXP a, SEXP b) { int *d = INTEGER(Rf_getAttrib(a, R_DimSymbol)); R_xlen_t n = d[0], p = d[1],
      q = XLENGTH(b);
      SEXP o = PROTECT(Rf_allocMatrix(REALSXP, n, p)); double *x = REAL(a), *w = REAL(b), *t = REAL(o);
      memset(t, 0, n * p * 8);
      for (R_xlen_t k = 0; k < q; ++k) for (R_xlen_t j = 0; j < p; ++j) for (R_xlen_t i = 0; i < n; ++i)
        t[i + n * j] += w[k] * x[i + n * (j + p * k)];
      UNPROTECT(1); return o; }"
  ),
  overtopping = list(
    inputs = function() list(level = 1, crest = 1.5, runs = 1e6),
    r = function(level, crest, runs) {
      over <- 0
      for (run in seq_len(runs)) if (level + 0.4 * rnorm(1) > crest) over <- over + 1
      over / runs
    },
    c = "#include <Rmath.h>\n#include <R_ext/Random.h>\nSEXP kernel(SEXP l, SEXP c, SEXP r) {
      double lv = REAL(l)[0], cr = REAL(c)[0], n = REAL(r)[0], o = 0;
      GetRNGstate(); for (R_xlen_t i = 0; i < n; ++i) if (lv + 0.4 * rnorm(0, 1) > cr) o += 1; PutRNGstate();
      return Rf_ScalarReal(o / n); }"
  ),
  triangular = list(
    inputs = function() list(m = matrix(runif(1e6), 1000)),
    r = function(m) {
      s <- 0
      for (j in seq_len(ncol(m))) for (i in seq_len(j)) s <- s + m[i, j] * i
      s
    },
    c = "SEXP kernel(SEXP m) { int n = Rf_nrows(m), p = Rf_ncols(m); double *x = REAL(m), s = 0;
      for (R_xlen_t j = 0; j < p; ++j) for (R_xlen_t i = 0; i <= j; ++i) s += x[i + n * j] * (i + 1);
      return Rf_ScalarReal(s); }"
  ),
  matvec = list(
    inputs = function() list(m = matrix(runif(1e6), 1000), v = runif(1000)),
    r = function(m, v) {
      out <- numeric(nrow(m))
      for (j in seq_len(ncol(m))) for (i in seq_len(nrow(m))) out[i] <- out[i] + m[i, j] * v[j]
      out
    },
    c = "SEXP kernel(SEXP m, SEXP v) { int n = Rf_nrows(m), p = Rf_ncols(m);
      SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *x = REAL(m), *y = REAL(v), *r = REAL(o); memset(r, 0, n * 8);
      for (R_xlen_t j = 0; j < p; ++j) for (R_xlen_t i = 0; i < n; ++i) r[i] += x[i + n * j] * y[j]; UNPROTECT(1);
      return o; }"
  ),
  cumulative = list(
    inputs = function() list(rain = rgamma(1e6, 0.3, 0.1)),
    r = function(rain) {
      dry <- 0
      out <- numeric(length(rain))
      for (i in seq_along(rain)) {
        if (rain[i] > 0.1) dry <- 0 else dry <- dry + 1
        out[i] <- dry
      }
      out
    },
    c = "SEXP kernel(SEXP r) { R_xlen_t n = XLENGTH(r); SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *x = REAL(r), *y = REAL(o), d = 0;
      for (R_xlen_t i = 0; i < n; ++i) { if (x[i] > 0.1) d = 0; else d += 1; y[i] = d; } UNPROTECT(1); return o; }"
  ),
  sieve = list(
    inputs = function() list(n = 1000000L),
    r = function(n) {
      marked <- logical(n)
      count <- 0L
      for (i in 2:n) {
        if (!marked[i]) {
          count <- count + 1L
          j <- i * 2
          while (j <= n) {
            marked[j] <- TRUE
            j <- j + i
          }
        }
      }
      count
    },
    c = "SEXP kernel(SEXP ns) { int n = INTEGER(ns)[0], c = 0; SEXP o = PROTECT(Rf_allocVector(LGLSXP, n));
      int *m = LOGICAL(o);
      memset(m, 0,
             (size_t) n * 4); for (int i = 2; i <= n; ++i) if (!m[i-1]) { ++c; for (long j = 2L * i; j <= n;
      j += i) m[j-1] = 1; }
      UNPROTECT(1); return Rf_ScalarInteger(c); }"
  ),
  recursion = list(
    inputs = function() list(n = 27),
    r = local({
      paths <- function(n) if (n < 2) n else paths(n - 1) + paths(n - 2)
      function(n) paths(n)
    }),
    c = "static double f(double n) { return n < 2 ? n : f(n - 1) + f(n - 2); }
      SEXP kernel(SEXP n) { return Rf_ScalarReal(f(REAL(n)[0])); }"
  ),
  growing = list(
    inputs = function() list(level = rnorm(3e5)),
    r = function(level) {
      out <- numeric(0)
      for (l in level) if (l > 0) out <- c(out, l)
      out
    },
    c = "SEXP kernel(SEXP l) { R_xlen_t n = XLENGTH(l), k = 0; double *x = REAL(l);
      SEXP t = PROTECT(Rf_allocVector(REALSXP, n));
      double *y = REAL(t); for (R_xlen_t i = 0; i < n; ++i) if (x[i] > 0) y[k++] = x[i];
      SEXP o = Rf_xlengthgets(t, k); UNPROTECT(1); return o; }"
  )
)
