# More kernels of the catchment: integer tables, running extremes and states, short inner loops, gathers and
# scatters, nested loops, rows of `if`, helpers and masks.

compile_kernels_more <- list(
  alignment = list(
    inputs = function() list(a = sample(4L, 900, TRUE), b = sample(4L, 1100, TRUE)),
    r = function(a, b) {
      n <- length(a)
      m <- length(b)
      cost <- matrix(0L, n + 1L, m + 1L)
      cost[, 1] <- 0:n
      cost[1, ] <- 0:m
      for (j in seq_len(m)) {
        for (i in seq_len(n)) {
          change <- if (a[i] == b[j]) 0L else 1L
          cost[i + 1L, j + 1L] <- min(cost[i, j] + change, cost[i, j + 1L] + 1L, cost[i + 1L, j] + 1L)
        }
      }
      cost[n + 1L, m + 1L]
    },
    c = "static inline int least(int a, int b) { return a < b ? a : b; }
      SEXP kernel(SEXP as, SEXP bs) { int n = LENGTH(as), m = LENGTH(bs), *a = INTEGER(as), *b = INTEGER(bs);
      R_xlen_t rows = n + 1; SEXP t = PROTECT(Rf_allocMatrix(INTSXP, n + 1, m + 1)); int *c = INTEGER(t);
      memset(c, 0, sizeof(int) * rows * (m + 1));
      for (int i = 0; i <= n; ++i) c[i] = i; for (int j = 0; j <= m; ++j) c[j * rows] = j;
      for (int j = 0; j < m; ++j) for (int i = 0; i < n; ++i) {
        int change = a[i] != b[j];
        c[i + 1 + (j + 1) * rows] = least(least(c[i + j * rows] + change, c[i + (j + 1) * rows] + 1),
                                          c[i + 1 + j * rows] + 1); }
      int end = c[n + m * rows]; UNPROTECT(1); return Rf_ScalarInteger(end); }"
  ),
  knapsack = list(
    inputs = function() list(weight = sample(40L, 200, TRUE), worth = sample(100L, 200, TRUE), room = 5000L),
    r = function(weight, worth, room) {
      best <- integer(room + 1L)
      for (k in seq_along(weight)) {
        for (w in room:weight[k]) {
          taken <- best[w - weight[k] + 1L] + worth[k]
          if (taken > best[w + 1L]) best[w + 1L] <- taken
        }
      }
      best[room + 1L]
    },
    c = "SEXP kernel(SEXP ws, SEXP vs, SEXP r) { int n = LENGTH(ws), room = INTEGER(r)[0], *w = INTEGER(ws),
      *v = INTEGER(vs); SEXP t = PROTECT(Rf_allocVector(INTSXP, room + 1)); int *b = INTEGER(t);
      memset(b, 0, sizeof(int) * (room + 1));
      for (int k = 0; k < n; ++k) for (int i = room; i >= w[k]; --i) {
        int taken = b[i - w[k]] + v[k]; if (taken > b[i]) b[i] = taken; }
      int end = b[room]; UNPROTECT(1); return Rf_ScalarInteger(end); }"
  ),
  descent = list(
    inputs = function() list(height = matrix(sample(1000L, 700 * 700, TRUE), 700)),
    r = function(height) {
      n <- nrow(height)
      m <- ncol(height)
      lowest <- matrix(0L, n, m)
      for (j in 2:(m - 1)) {
        for (i in 2:(n - 1)) {
          lowest[i, j] <- min(height[i - 1, j], height[i + 1, j], height[i, j - 1], height[i, j + 1]) - height[i, j]
        }
      }
      lowest
    },
    c = "static inline int least(int a, int b) { return a < b ? a : b; }
      SEXP kernel(SEXP hs) { R_xlen_t n = Rf_nrows(hs), m = Rf_ncols(hs);
      SEXP o = PROTECT(Rf_allocMatrix(INTSXP, n, m));
      int *h = INTEGER(hs), *r = INTEGER(o); memset(r, 0, sizeof(int) * n * m);
      for (R_xlen_t j = 1; j < m - 1; ++j) for (R_xlen_t i = 1; i < n - 1; ++i) {
        R_xlen_t k = i + j * n; r[k] = least(least(h[k - 1], h[k + 1]), least(h[k - n], h[k + n])) - h[k]; }
      UNPROTECT(1); return o; }"
  ),
  cellular = list(
    inputs = function() list(wet = matrix(rbinom(300 * 300, 1, 0.4), 300), turns = 10L),
    r = function(wet, turns) {
      n <- nrow(wet)
      m <- ncol(wet)
      after <- wet
      for (turn in seq_len(turns)) {
        for (j in 2:(m - 1)) {
          for (i in 2:(n - 1)) {
            near <- wet[i - 1, j] + wet[i + 1, j] + wet[i, j - 1] + wet[i, j + 1] +
              wet[i - 1, j - 1] + wet[i + 1, j + 1] + wet[i - 1, j + 1] + wet[i + 1, j - 1]
            after[i, j] <- if (near == 3L) 1L else if (near == 2L) wet[i, j] else 0L
          }
        }
        wet <- after
      }
      wet
    },
    c = "SEXP kernel(SEXP ws, SEXP ts) { R_xlen_t n = Rf_nrows(ws), m = Rf_ncols(ws); int turns = INTEGER(ts)[0];
      SEXP o = PROTECT(Rf_duplicate(ws)), s = PROTECT(Rf_duplicate(ws)); int *w = INTEGER(o), *a = INTEGER(s);
      for (int t = 0; t < turns; ++t) {
        for (R_xlen_t j = 1; j < m - 1; ++j) for (R_xlen_t i = 1; i < n - 1; ++i) {
          R_xlen_t k = i + j * n;
          int near = w[k-1] + w[k+1] + w[k-n] + w[k+n] + w[k-1-n] + w[k+1+n] + w[k-1+n] + w[k+1-n];
          a[k] = near == 3 ? 1 : near == 2 ? w[k] : 0; }
        memcpy(w, a, sizeof(int) * n * m); }
      UNPROTECT(2); return o; }"
  ),
  histogram = list(
    inputs = function() list(class = sample(50L, 1e6, TRUE), classes = 50L),
    r = function(class, classes) {
      counts <- integer(classes)
      for (k in class) counts[k] <- counts[k] + 1L
      counts
    },
    c = "SEXP kernel(SEXP ks, SEXP m) { R_xlen_t n = XLENGTH(ks);
      SEXP o = PROTECT(Rf_allocVector(INTSXP, INTEGER(m)[0]));
      int *c = INTEGER(o), *k = INTEGER(ks); memset(c, 0, sizeof(int) * INTEGER(m)[0]);
      for (R_xlen_t i = 0; i < n; ++i) ++c[k[i] - 1]; UNPROTECT(1); return o; }"
  ),
  run_lengths = list(
    inputs = function() list(wet = rbinom(1e6, 1, 0.6)),
    r = function(wet) {
      longest <- 0L
      run <- 0L
      for (w in wet) {
        if (w == 1L) run <- run + 1L else run <- 0L
        if (run > longest) longest <- run
      }
      longest
    },
    c = "SEXP kernel(SEXP ws) { R_xlen_t n = XLENGTH(ws); int *w = INTEGER(ws), run = 0, longest = 0;
      for (R_xlen_t i = 0; i < n; ++i) { run = w[i] == 1 ? run + 1 : 0; if (run > longest) longest = run; }
      return Rf_ScalarInteger(longest); }"
  ),
  drawdown = list(
    inputs = function() list(level = cumsum(rnorm(1e6))),
    r = function(level) {
      top <- level[1]
      worst <- 0
      for (l in level) {
        if (l > top) top <- l
        if (top - l > worst) worst <- top - l
      }
      worst
    },
    c = "SEXP kernel(SEXP ls) { R_xlen_t n = XLENGTH(ls); double *l = REAL(ls), top = l[0], worst = 0;
      for (R_xlen_t i = 0; i < n; ++i) { if (l[i] > top) top = l[i]; if (top - l[i] > worst) worst = top - l[i]; }
      return Rf_ScalarReal(worst); }"
  ),
  extremes = list(
    inputs = function() list(flow = rgamma(1e6, 2)),
    r = function(flow) {
      low <- flow[1]
      high <- flow[1]
      for (q in flow) {
        low <- min(low, q)
        high <- max(high, q)
      }
      c(low, high)
    },
    c = "SEXP kernel(SEXP fs) { R_xlen_t n = XLENGTH(fs); double *f = REAL(fs), a = f[0], b = f[0];
      for (R_xlen_t i = 0; i < n; ++i) { if (f[i] < a) a = f[i]; if (f[i] > b) b = f[i]; }
      SEXP o = Rf_allocVector(REALSXP, 2); REAL(o)[0] = a; REAL(o)[1] = b; return o; }"
  ),
  record_days = list(
    inputs = function() list(flow = sample(1e6L)),
    r = function(flow) {
      out <- logical(length(flow))
      top <- 0L
      for (i in seq_along(flow)) {
        if (flow[i] > top) {
          top <- flow[i]
          out[i] <- TRUE
        }
      }
      out
    },
    c = "SEXP kernel(SEXP fs) { R_xlen_t n = XLENGTH(fs); SEXP o = PROTECT(Rf_allocVector(LGLSXP, n));
      int *f = INTEGER(fs), *r = LOGICAL(o), top = 0; memset(r, 0, sizeof(int) * n);
      for (R_xlen_t i = 0; i < n; ++i) if (f[i] > top) { top = f[i]; r[i] = 1; } UNPROTECT(1); return o; }"
  ),
  snow = list(
    inputs = function() list(rain = rgamma(1e6, 0.3, 0.1), temp = rnorm(1e6, 2, 5)),
    r = function(rain, temp) {
      pack <- 0
      liquid <- 0
      out <- numeric(length(rain))
      for (i in seq_along(rain)) {
        melt <- 0
        if (temp[i] <= 0) {
          pack <- pack + rain[i]
        } else {
          melt <- min(pack, 2.5 * temp[i])
          pack <- pack - melt
          liquid <- liquid + rain[i] + melt
        }
        runoff <- max(0, liquid - 0.1 * pack)
        liquid <- liquid - runoff
        out[i] <- runoff
      }
      out
    },
    c = "SEXP kernel(SEXP rs, SEXP ts) { R_xlen_t n = XLENGTH(rs); SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *r = REAL(rs), *t = REAL(ts), *y = REAL(o), pack = 0, liquid = 0;
      for (R_xlen_t i = 0; i < n; ++i) {
        if (t[i] <= 0) pack += r[i]; else { double d = 2.5 * t[i], melt = pack < d ? pack : d;
          pack -= melt; liquid = liquid + r[i] + melt; }
        double over = liquid - 0.1 * pack, runoff = over > 0 ? over : 0; liquid -= runoff; y[i] = runoff; }
      UNPROTECT(1); return o; }"
  ),
  smooth = list(
    inputs = function() list(x = rnorm(3e5), w = c(0.1, 0.2, 0.4, 0.2, 0.1)),
    r = function(x, w) {
      n <- length(x)
      k <- length(w)
      out <- numeric(n - k + 1)
      for (i in seq_len(n - k + 1)) {
        total <- 0
        for (j in seq_len(k)) total <- total + w[j] * x[i + j - 1]
        out[i] <- total
      }
      out
    },
    c = "SEXP kernel(SEXP xs, SEXP ws) { R_xlen_t n = XLENGTH(xs), k = XLENGTH(ws);
      SEXP o = PROTECT(Rf_allocVector(REALSXP, n - k + 1)); double *x = REAL(xs), *w = REAL(ws), *y = REAL(o);
      for (R_xlen_t i = 0; i <= n - k; ++i) { double t = 0; for (R_xlen_t j = 0; j < k; ++j) t += w[j] * x[i + j];
        y[i] = t; } UNPROTECT(1); return o; }"
  ),
  unit_graph = list(
    inputs = function() list(rain = rgamma(1e5, 0.3), unit = c(0.1, 0.3, 0.25, 0.15, 0.1, 0.06, 0.04)),
    r = function(rain, unit) {
      flow <- numeric(length(rain) + length(unit) - 1)
      for (i in seq_along(rain)) {
        for (j in seq_along(unit)) flow[i + j - 1] <- flow[i + j - 1] + rain[i] * unit[j]
      }
      flow
    },
    c = "SEXP kernel(SEXP rs, SEXP us) { R_xlen_t n = XLENGTH(rs), k = XLENGTH(us);
      SEXP o = PROTECT(Rf_allocVector(REALSXP, n + k - 1));
      double *restrict r = REAL(rs), *restrict u = REAL(us), *restrict f = REAL(o);
      memset(f, 0, 8 * (n + k - 1));
      for (R_xlen_t i = 0; i < n; ++i) for (R_xlen_t j = 0; j < k; ++j) f[i + j] += r[i] * u[j];
      UNPROTECT(1); return o; }"
  ),
  gather = list(
    inputs = function() list(flow = rnorm(1e5), place = sample(1e5L, 1e6, TRUE)),
    r = function(flow, place) {
      out <- numeric(length(place))
      for (i in seq_along(place)) out[i] <- flow[place[i]]
      out
    },
    c = "SEXP kernel(SEXP fs, SEXP ps) { R_xlen_t n = XLENGTH(ps); SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *f = REAL(fs), *y = REAL(o); int *p = INTEGER(ps);
      for (R_xlen_t i = 0; i < n; ++i) y[i] = f[p[i] - 1]; UNPROTECT(1); return o; }"
  ),
  scatter = list(
    inputs = function() list(rain = rnorm(1e6), gauge = sample(300L, 1e6, TRUE), gauges = 300L),
    r = function(rain, gauge, gauges) {
      total <- numeric(gauges)
      for (i in seq_along(rain)) total[gauge[i]] <- total[gauge[i]] + rain[i]
      total
    },
    c = "SEXP kernel(SEXP rs, SEXP gs, SEXP m) { R_xlen_t n = XLENGTH(rs);
      SEXP o = PROTECT(Rf_allocVector(REALSXP, INTEGER(m)[0])); double *r = REAL(rs), *t = REAL(o);
      int *g = INTEGER(gs); memset(t, 0, 8 * INTEGER(m)[0]);
      for (R_xlen_t i = 0; i < n; ++i) t[g[i] - 1] += r[i]; UNPROTECT(1); return o; }"
  ),
  sparse = list(
    inputs = function() {
      list(start = seq(0L, 8e5L, 8L), column = sample(1e5L, 8e5, TRUE), value = rnorm(8e5), x = rnorm(1e5))
    },
    r = function(start, column, value, x) {
      n <- length(start) - 1
      out <- numeric(n)
      for (i in seq_len(n)) {
        total <- 0
        k <- start[i] + 1L
        while (k <= start[i + 1]) {
          total <- total + value[k] * x[column[k]]
          k <- k + 1L
        }
        out[i] <- total
      }
      out
    },
    c = "SEXP kernel(SEXP ss, SEXP cs, SEXP vs, SEXP xs) { R_xlen_t n = XLENGTH(ss) - 1;
      SEXP o = PROTECT(Rf_allocVector(REALSXP, n)); int *s = INTEGER(ss), *c = INTEGER(cs);
      double *v = REAL(vs), *x = REAL(xs), *y = REAL(o);
      for (R_xlen_t i = 0; i < n; ++i) { double t = 0; for (int k = s[i]; k < s[i + 1]; ++k) t += v[k] * x[c[k] - 1];
        y[i] = t; } UNPROTECT(1); return o; }"
  ),
  product = list(
    inputs = function() list(a = matrix(rnorm(160 * 160), 160), b = matrix(rnorm(160 * 160), 160)),
    r = function(a, b) {
      out <- matrix(0, nrow(a), ncol(b))
      for (j in seq_len(ncol(b))) {
        for (k in seq_len(ncol(a))) {
          for (i in seq_len(nrow(a))) out[i, j] <- out[i, j] + a[i, k] * b[k, j]
        }
      }
      out
    },
    c = "SEXP kernel(SEXP as, SEXP bs) { R_xlen_t n = Rf_nrows(as), p = Rf_ncols(as), m = Rf_ncols(bs);
      SEXP o = PROTECT(Rf_allocMatrix(REALSXP, n, m)); double *restrict a = REAL(as), *restrict b = REAL(bs),
      *restrict y = REAL(o); memset(y, 0, 8 * n * m);
      for (R_xlen_t j = 0; j < m; ++j) for (R_xlen_t k = 0; k < p; ++k) for (R_xlen_t i = 0; i < n; ++i)
        y[i + j * n] += a[i + k * n] * b[k + j * p]; UNPROTECT(1); return o; }"
  ),
  shortest = list(
    inputs = function() list(reach = matrix(runif(180 * 180), 180)),
    r = function(reach) {
      n <- nrow(reach)
      for (k in 1:n) {
        for (j in 1:n) {
          for (i in 1:n) {
            through <- reach[i, k] + reach[k, j]
            if (through < reach[i, j]) reach[i, j] <- through
          }
        }
      }
      reach
    },
    c = "SEXP kernel(SEXP rs) { R_xlen_t n = Rf_nrows(rs); SEXP o = PROTECT(Rf_duplicate(rs)); double *r = REAL(o);
      for (R_xlen_t k = 0; k < n; ++k) for (R_xlen_t j = 0; j < n; ++j) for (R_xlen_t i = 0; i < n; ++i) {
        double t = r[i + k * n] + r[k + j * n]; if (t < r[i + j * n]) r[i + j * n] = t; }
      UNPROTECT(1); return o; }"
  ),
  factor = list(
    inputs = function() list(a = crossprod(matrix(rnorm(200 * 200), 200)) + diag(200)),
    r = function(a) {
      n <- nrow(a)
      l <- matrix(0, n, n)
      for (j in 1:n) {
        total <- a[j, j]
        k <- 1
        while (k < j) {
          total <- total - l[j, k]^2
          k <- k + 1
        }
        l[j, j] <- sqrt(total)
        i <- j + 1
        while (i <= n) {
          total <- a[i, j]
          for (k in seq_len(j - 1)) total <- total - l[i, k] * l[j, k]
          l[i, j] <- total / l[j, j]
          i <- i + 1
        }
      }
      l
    },
    c = "SEXP kernel(SEXP as) { R_xlen_t n = Rf_nrows(as); SEXP o = PROTECT(Rf_allocMatrix(REALSXP, n, n));
      double *a = REAL(as), *l = REAL(o); memset(l, 0, 8 * n * n);
      for (R_xlen_t j = 0; j < n; ++j) { double t = a[j + j * n];
        for (R_xlen_t k = 0; k < j; ++k) t -= l[j + k * n] * l[j + k * n];
        l[j + j * n] = sqrt(t);
        for (R_xlen_t i = j + 1; i < n; ++i) { double u = a[i + j * n];
          for (R_xlen_t k = 0; k < j; ++k) u -= l[i + k * n] * l[j + k * n]; l[i + j * n] = u / l[j + j * n]; } }
      UNPROTECT(1); return o; }"
  ),
  classes = list(
    inputs = function() list(level = runif(1e6, 0, 10)),
    r = function(level) {
      out <- integer(length(level))
      for (i in seq_along(level)) {
        l <- level[i]
        out[i] <- if (l < 1) 1L else if (l < 2.5) 2L else if (l < 4) 3L else if (l < 7) 4L else 5L
      }
      out
    },
    c = "SEXP kernel(SEXP ls) { R_xlen_t n = XLENGTH(ls); SEXP o = PROTECT(Rf_allocVector(INTSXP, n));
      double *l = REAL(ls); int *y = INTEGER(o);
      for (R_xlen_t i = 0; i < n; ++i) y[i] = l[i] < 1 ? 1 : l[i] < 2.5 ? 2 : l[i] < 4 ? 3 : l[i] < 7 ? 4 : 5;
      UNPROTECT(1); return o; }"
  ),
  rating = list(
    inputs = function() list(level = runif(1e6, 0, 3)),
    r = local({
      flow_of <- function(level, base, slope) if (level <= base) 0 else slope * (level - base) * sqrt(level - base)
      function(level) {
        out <- numeric(length(level))
        for (i in seq_along(level)) out[i] <- flow_of(level[i], 0.4, 5.2) + flow_of(level[i], 2.1, 11)
        out
      }
    }),
    c = "static inline double flow(double l, double b, double s) { return l <= b ? 0 : s * (l - b) * sqrt(l - b); }
      SEXP kernel(SEXP ls) { R_xlen_t n = XLENGTH(ls); SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *l = REAL(ls), *y = REAL(o);
      for (R_xlen_t i = 0; i < n; ++i) y[i] = flow(l[i], 0.4, 5.2) + flow(l[i], 2.1, 11); UNPROTECT(1); return o; }"
  ),
  root = list(
    inputs = function() list(target = runif(1e5, 1, 9)),
    r = local({
      excess <- function(depth, flow) depth * sqrt(depth) * 1.7 + depth - flow
      function(target) {
        out <- numeric(length(target))
        for (i in seq_along(target)) {
          low <- 0
          high <- 10
          for (turn in 1:30) {
            mid <- (low + high) / 2
            if (excess(mid, target[i]) > 0) high <- mid else low <- mid
          }
          out[i] <- low
        }
        out
      }
    }),
    c = "static inline double excess(double d, double f) { return d * sqrt(d) * 1.7 + d - f; }
      SEXP kernel(SEXP ts) { R_xlen_t n = XLENGTH(ts); SEXP o = PROTECT(Rf_allocVector(REALSXP, n));
      double *t = REAL(ts), *y = REAL(o);
      for (R_xlen_t i = 0; i < n; ++i) { double a = 0, b = 10; for (int k = 0; k < 30; ++k) { double m = (a + b) / 2;
        if (excess(m, t[i]) > 0) b = m; else a = m; } y[i] = a; } UNPROTECT(1); return o; }"
  ),
  masked_mean = list(
    inputs = function() list(rain = rgamma(1e6, 1), good = runif(1e6) < 0.7),
    r = function(rain, good) {
      total <- 0
      count <- 0L
      for (i in seq_along(rain)) {
        if (good[i]) {
          total <- total + rain[i]
          count <- count + 1L
        }
      }
      total / count
    },
    c = "SEXP kernel(SEXP rs, SEXP gs) { R_xlen_t n = XLENGTH(rs); double *r = REAL(rs), t = 0;
      int *g = LOGICAL(gs), c = 0;
      for (R_xlen_t i = 0; i < n; ++i) if (g[i]) { t += r[i]; ++c; } return Rf_ScalarReal(t / c); }"
  ),
  fill_gaps = list(
    inputs = function() {
      level <- rnorm(1e6)
      level[sample(1e6, 1e5)] <- NA
      list(level = level)
    },
    r = function(level) {
      last <- 0
      for (i in seq_along(level)) if (is.na(level[i])) level[i] <- last else last <- level[i]
      level
    },
    c = "SEXP kernel(SEXP ls) { R_xlen_t n = XLENGTH(ls); SEXP o = PROTECT(Rf_duplicate(ls));
      double *y = REAL(o), last = 0;
      for (R_xlen_t i = 0; i < n; ++i) if (ISNAN(y[i])) y[i] = last; else last = y[i]; UNPROTECT(1); return o; }"
  ),
  insertion = list(
    inputs = function() list(order = sample(3000L)),
    r = function(order) {
      for (i in 2:length(order)) {
        held <- order[i]
        j <- i - 1L
        while (j > 0L && order[j] > held) {
          order[j + 1L] <- order[j]
          j <- j - 1L
        }
        order[j + 1L] <- held
      }
      order
    },
    c = "SEXP kernel(SEXP os) { R_xlen_t n = XLENGTH(os); SEXP r = PROTECT(Rf_duplicate(os)); int *o = INTEGER(r);
      for (R_xlen_t i = 1; i < n; ++i) { int held = o[i]; R_xlen_t j = i - 1;
        while (j >= 0 && o[j] > held) { o[j + 1] = o[j]; --j; } o[j + 1] = held; } UNPROTECT(1); return r; }"
  ),
  diffusion = list(
    inputs = function() list(heat = matrix(runif(200 * 200), 200), turns = 20L),
    r = function(heat, turns) {
      n <- nrow(heat)
      m <- ncol(heat)
      for (turn in seq_len(turns)) {
        old <- heat
        for (j in 2:(m - 1)) {
          for (i in 2:(n - 1)) {
            around <- old[i - 1, j] + old[i + 1, j] + old[i, j - 1] + old[i, j + 1]
            heat[i, j] <- old[i, j] + 0.1 * (around - 4 * old[i, j])
          }
        }
      }
      heat
    },
    c = "SEXP kernel(SEXP hs, SEXP ts) { R_xlen_t n = Rf_nrows(hs), m = Rf_ncols(hs); int turns = INTEGER(ts)[0];
      SEXP a = PROTECT(Rf_duplicate(hs)), b = PROTECT(Rf_duplicate(hs));
      double *restrict h = REAL(a), *restrict o = REAL(b);
      for (int t = 0; t < turns; ++t) { memcpy(o, h, 8 * n * m);
        for (R_xlen_t j = 1; j < m - 1; ++j) for (R_xlen_t i = 1; i < n - 1; ++i) { R_xlen_t k = i + j * n;
          h[k] = o[k] + 0.1 * (o[k - 1] + o[k + 1] + o[k - n] + o[k + n] - 4 * o[k]); } }
      UNPROTECT(2); return a; }"
  )
)
