# Kernels of other kinds: complex numbers, functions as arguments, matrices with names, lists of vectors, text,
# functions that call themselves with vectors.

compile_kernels_kinds <- list(
  escape = list(
    inputs = function() list(re = seq(-2, 0.5, length.out = 240), im = seq(-1.2, 1.2, length.out = 160), most = 80L),
    r = function(re, im, most) {
      turns <- matrix(0L, length(re), length(im))
      for (j in seq_along(im)) for (i in seq_along(re)) {
        at <- complex(real = re[i], imaginary = im[j])
        z <- 0i
        count <- 0L
        while (count < most && Re(z)^2 + Im(z)^2 < 4) {
          z <- z * z + at
          count <- count + 1L
        }
        turns[i, j] <- count
      }
      turns
    },
    c = "SEXP kernel(SEXP rs, SEXP is, SEXP ms) { int n = LENGTH(rs), m = LENGTH(is), most = INTEGER(ms)[0];
      SEXP t = PROTECT(Rf_allocMatrix(INTSXP, n, m)); int *c = INTEGER(t);
      for (int j = 0; j < m; ++j) for (int i = 0; i < n; ++i) {
        double _Complex at = __builtin_complex(REAL(rs)[i], REAL(is)[j]), z = 0; int k = 0;
        while (k < most && __real__ z * __real__ z + __imag__ z * __imag__ z < 4) { z = z * z + at; ++k; }
        c[i + (R_xlen_t) n * j] = k; }
      UNPROTECT(1); return t; }"
  ),
  polynomial = list(
    inputs = function() list(a = rnorm(30), z = complex(real = rnorm(2e4, sd = 0.6), imaginary = rnorm(2e4, sd = 0.6))),
    r = function(a, z) {
      out <- complex(length(z))
      for (k in seq_along(z)) {
        value <- 0i
        for (i in rev(seq_along(a))) value <- value * z[k] + a[i]
        out[k] <- value
      }
      out
    },
    c = "SEXP kernel(SEXP as, SEXP zs) { int n = LENGTH(as); R_xlen_t m = XLENGTH(zs); double *a = REAL(as);
      double _Complex *z = (double _Complex *) COMPLEX(zs); SEXP t = PROTECT(Rf_allocVector(CPLXSXP, m));
      double _Complex *out = (double _Complex *) COMPLEX(t);
      for (R_xlen_t k = 0; k < m; ++k) { double _Complex v = 0; for (int i = n - 1; i >= 0; --i) v = v * z[k] + a[i];
        out[k] = v; }
      UNPROTECT(1); return t; }"
  ),
  levels_of = list(
    inputs = function() list(flow = runif(2e4, 0.1, 30)),
    r = function(flow) {
      solve_for <- function(f, low, high) {
        for (turn in 1:40) {
          middle <- (low + high) / 2
          if (f(middle) > 0) high <- middle else low <- middle
        }
        (low + high) / 2
      }
      out <- numeric(length(flow))
      for (k in seq_along(flow)) out[k] <- solve_for(function(h) h * h * h + 2 * h - flow[k], 0, 10)
      out
    },
    c = "SEXP kernel(SEXP fs) { R_xlen_t n = XLENGTH(fs); double *f = REAL(fs);
        SEXP t = PROTECT(Rf_allocVector(REALSXP, n));
      for (R_xlen_t k = 0; k < n; ++k) { double low = 0, high = 10;
        for (int i = 0; i < 40; ++i) { double m = (low + high) / 2; if (m * m * m + 2 * m - f[k] > 0) high = m;
        else low = m; }
        REAL(t)[k] = (low + high) / 2; }
      UNPROTECT(1); return t; }"
  ),
  quadrature = list(
    inputs = function() list(depth = runif(3000, 0.1, 3)),
    r = function(depth) {
      trapezoid <- function(f, to, parts) {
        step <- to / parts
        sum <- (f(0) + f(to)) / 2
        for (i in 1:(parts - 1)) sum <- sum + f(i * step)
        sum * step
      }
      out <- numeric(length(depth))
      for (k in seq_along(depth)) out[k] <- trapezoid(function(z) sqrt(z + 1) * (depth[k] - z), depth[k], 200)
      out
    },
    c = "SEXP kernel(SEXP ds) { R_xlen_t n = XLENGTH(ds); double *d = REAL(ds);
        SEXP t = PROTECT(Rf_allocVector(REALSXP, n));
      for (R_xlen_t k = 0; k < n; ++k) {
        double step = d[k] / 200, sum = (sqrt(1.0) * d[k] + sqrt(d[k] + 1) * (d[k] - d[k])) / 2;
        for (int i = 1; i <= 199; ++i) { double z = i * step; sum += sqrt(z + 1) * (d[k] - z); }
        REAL(t)[k] = sum * step; }
      UNPROTECT(1); return t; }"
  ),
  named_matrix = list(
    inputs = function() {
      list(m = matrix(runif(4e5), 2000, dimnames = list(NULL, paste0("gauge", 1:200))), weight = runif(2000))
    },
    r = function(m, weight) {
      out <- numeric(ncol(m))
      for (j in seq_len(ncol(m))) {
        sum <- 0
        for (i in seq_len(nrow(m))) if (m[i, j] > 0.25) sum <- sum + weight[i] * m[i, j]
        out[j] <- sum
      }
      out
    },
    c = "SEXP kernel(SEXP ms, SEXP ws) { int n = Rf_nrows(ms), k = Rf_ncols(ms); double *m = REAL(ms), *w = REAL(ws);
      SEXP t = PROTECT(Rf_allocVector(REALSXP, k));
      for (int j = 0; j < k; ++j) { double s = 0; for (int i = 0; i < n; ++i) { double v = m[i + (R_xlen_t) n * j];
        if (v > 0.25) s += w[i] * v; } REAL(t)[j] = s; }
      UNPROTECT(1); return t; }"
  ),
  list_of_events = list(
    inputs = function() list(events = lapply(1:2000, function(k) runif(100 + k %% 50))),
    r = function(events) {
      out <- numeric(length(events))
      for (k in seq_along(events)) {
        event <- events[[k]]
        store <- 0
        for (i in seq_along(event)) store <- 0.9 * store + event[i]
        out[k] <- store
      }
      out
    },
    c = "SEXP kernel(SEXP es) { R_xlen_t n = XLENGTH(es); SEXP t = PROTECT(Rf_allocVector(REALSXP, n));
      for (R_xlen_t k = 0; k < n; ++k) { SEXP e = VECTOR_ELT(es, k); double *x = REAL(e), s = 0;
        R_xlen_t m = XLENGTH(e);
        for (R_xlen_t i = 0; i < m; ++i) s = 0.9 * s + x[i]; REAL(t)[k] = s; }
      UNPROTECT(1); return t; }"
  ),
  list_made = list(
    inputs = function() list(size = 50L + (1:2000) %% 40L),
    r = function(size) {
      out <- vector("list", length(size))
      for (k in seq_along(size)) {
        curve <- numeric(size[k])
        for (i in seq_along(curve)) curve[i] <- i * 0.5 - k
        out[[k]] <- curve
      }
      out
    },
    c = "SEXP kernel(SEXP ss) { R_xlen_t n = XLENGTH(ss); int *s = INTEGER(ss);
        SEXP t = PROTECT(Rf_allocVector(VECSXP, n));
      for (R_xlen_t k = 0; k < n; ++k) { SEXP v = Rf_allocVector(REALSXP, s[k]); SET_VECTOR_ELT(t, k, v);
        double *x = REAL(v);
        for (int i = 0; i < s[k]; ++i) x[i] = (i + 1) * 0.5 - (double) (k + 1); }
      UNPROTECT(1); return t; }"
  ),
  letters_apart = list(
    inputs = function() list(a = sample(letters[1:5], 700, TRUE), b = sample(letters[1:5], 900, TRUE)),
    r = function(a, b) {
      n <- length(a)
      m <- length(b)
      cost <- matrix(0, n + 1, m + 1)
      for (i in 0:n) cost[i + 1, 1] <- i
      for (j in 0:m) cost[1, j + 1] <- j
      for (j in seq_len(m)) for (i in seq_len(n)) {
        change <- if (a[i] == b[j]) 0 else 1
        cost[i + 1, j + 1] <- min(cost[i, j] + change, cost[i, j + 1] + 1, cost[i + 1, j] + 1)
      }
      cost[n + 1, m + 1]
    },
    c = "static inline double least(double a, double b) { return a < b ? a : b; }
      SEXP kernel(SEXP as, SEXP bs) { int n = LENGTH(as), m = LENGTH(bs);
        const SEXP *a = STRING_PTR_RO(as), *b = STRING_PTR_RO(bs);
      R_xlen_t rows = n + 1; SEXP t = PROTECT(Rf_allocMatrix(REALSXP, n + 1, m + 1)); double *c = REAL(t);
      for (int i = 0; i <= n; ++i) c[i] = i; for (int j = 0; j <= m; ++j) c[j * rows] = j;
      for (int j = 0; j < m; ++j) for (int i = 0; i < n; ++i)
        c[i + 1 + (j + 1) * rows] = least(least(c[i + j * rows] + (a[i] != b[j]), c[i + (j + 1) * rows] + 1), c[i + 1
        + j * rows] + 1);
      double end = c[n + m * rows]; UNPROTECT(1); return Rf_ScalarReal(end); }"
  ),
  halves_merged = list(
    inputs = function() list(flow = runif(2e4)),
    r = function(flow) {
      ordered <- function(x) {
        n <- length(x)
        if (n < 2) return(x)
        half <- n %/% 2
        left <- ordered(x[1:half])
        right <- ordered(x[(half + 1):n])
        out <- numeric(n)
        i <- 1
        j <- 1
        for (k in 1:n) {
          if (j > n - half || (i <= half && left[i] <= right[j])) {
            out[k] <- left[i]
            i <- i + 1
          } else {
            out[k] <- right[j]
            j <- j + 1
          }
        }
        out
      }
      ordered(flow)
    },
    c = "static void ordered(const double *x, double *out, double *room, int n) {
        if (n < 2) { if (n) out[0] = x[0]; return; }
        int half = n / 2; ordered(x, room, out, half); ordered(x + half, room + half, out + half, n - half);
        const double *a = room, *b = room + half; int i = 0, j = 0, m = n - half;
        for (int k = 0; k < n; ++k) out[k] = j >= m || (i < half && a[i] <= b[j]) ? a[i++] : b[j++]; }
      SEXP kernel(SEXP fs) { int n = LENGTH(fs);
        SEXP t = PROTECT(Rf_allocVector(REALSXP, n)), r = PROTECT(Rf_allocVector(REALSXP, n));
      ordered(REAL(fs), REAL(t), REAL(r), n); UNPROTECT(2); return t; }"
  ),
  pairs_of_cells = list(
    inputs = function() {
      list(m = matrix(runif(9e4), 300), at = cbind(sample(300, 5e4, TRUE), sample(300, 5e4, TRUE)) + 0)
    },
    r = function(m, at) {
      picked <- m[at]
      sum <- 0
      for (k in seq_along(picked)) if (picked[k] > 0.5) sum <- sum + picked[k] else sum <- sum - 0.1
      sum
    },
    c = "SEXP kernel(SEXP ms, SEXP at) { int n = Rf_nrows(ms), k = Rf_nrows(at);
        double *m = REAL(ms), *p = REAL(at), s = 0;
      for (int i = 0; i < k; ++i) { double v = m[(R_xlen_t) p[i] - 1 + (R_xlen_t) n * ((R_xlen_t) p[i + k] - 1)];
        if (v > 0.5) s += v; else s -= 0.1; }
      return Rf_ScalarReal(s); }"
  )
)
