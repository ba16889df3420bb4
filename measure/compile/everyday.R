# Everyday kernels of whole numbers, remainders, small states and places, with C as an expert would write it.
compile_kernels_everyday <- list(
  gcd = list(
    r = function(n) {
      s <- 0
      for (i in 1:n) for (j in 1:n) {
        a <- i
        b <- j
        while (b != 0) {
          t <- a %% b
          a <- b
          b <- t
        }
        s <- s + a
      }
      s
    },
    inputs = function() list(n = 300),
    c = "SEXP kernel(SEXP ns) {
        int n = Rf_asInteger(ns); double s = 0;
        for (int i = 1; i <= n; ++i) for (int j = 1; j <= n; ++j) {
          int a = i, b = j;
          while (b) {
            int t = a % b; a = b; b = t;
          }
          s += a;
        }
        return Rf_ScalarReal(s);
      }"
  ),
  collatz = list(
    r = function(m) {
      best <- 0
      for (i in 1:m) {
        n <- i
        steps <- 0
        while (n != 1) {
          if (n %% 2 == 0) n <- n / 2 else n <- 3 * n + 1
          steps <- steps + 1
        }
        if (steps > best) best <- steps
      }
      best
    },
    inputs = function() list(m = 20000),
    c = "SEXP kernel(SEXP ms) {
        int m = Rf_asInteger(ms); double best = 0;
        for (int i = 1; i <= m; ++i) {
          long n = i, s = 0;
          while (n != 1) {
            if (n % 2 == 0) n = n / 2; else n = 3 * n + 1; ++s;
          }
          if (s > best) best = s;
        }
        return Rf_ScalarReal(best);
      }"
  ),
  digits = list(
    r = function(x) {
      s <- 0
      for (v in x) {
        while (v > 0) {
          s <- s + v %% 10
          v <- v %/% 10
        }
      }
      s
    },
    inputs = function() list(x = 37 * 1:1e5),
    c = "SEXP kernel(SEXP xs) {
        double *x = REAL(xs), s = 0;
        for (int i = 0; i < LENGTH(xs); ++i) {
          long v = (long) x[i];
          while (v > 0) {
            s += v % 10; v /= 10;
          }
        }
        return Rf_ScalarReal(s);
      }"
  ),
  trial = list(
    r = function(n) {
      count <- 0
      for (k in 2:n) {
        prime <- TRUE
        d <- 2
        while (d * d <= k) {
          if (k %% d == 0) {
            prime <- FALSE
            break
          }
          d <- d + 1
        }
        if (prime) count <- count + 1
      }
      count
    },
    inputs = function() list(n = 50000),
    c = "SEXP kernel(SEXP ns) {
        int n = Rf_asInteger(ns), c = 0;
        for (int k = 2; k <= n; ++k) {
          int p = 1;
          for (int d = 2; d * d <= k; ++d) if (k % d == 0) {
            p = 0; break;
          }
          c += p;
        }
        return Rf_ScalarReal(c);
      }"
  ),
  lcg = list(
    r = function(n, seed) {
      out <- numeric(n)
      s <- seed
      for (i in 1:n) {
        s <- (16807 * s) %% 2147483647
        out[i] <- s / 2147483647
      }
      out
    },
    inputs = function() list(n = 1e5, seed = 42),
    c = "SEXP kernel(SEXP ns, SEXP ss) {
        int n = Rf_asInteger(ns); long s = (long) Rf_asReal(ss);
        SEXP t = PROTECT(Rf_allocVector(REALSXP, n)); double *o = REAL(t);
        for (int i = 0; i < n; ++i) {
          s = (16807 * s) % 2147483647; o[i] = s / 2147483647.0;
        }
        UNPROTECT(1); return t;
      }"
  ),
  hash = list(
    r = function(x) {
      h <- 7
      for (v in x) h <- (h * 31 + v) %% 1000003
      h
    },
    inputs = function() list(x = sample(1e5)),
    c = "SEXP kernel(SEXP xs) {
        int *x = INTEGER(xs); long h = 7;
        for (int i = 0; i < LENGTH(xs); ++i) h = (h * 31 + x[i]) % 1000003;
        return Rf_ScalarReal(h);
      }"
  ),
  torus = list(
    r = function(m) {
      n <- nrow(m)
      p <- ncol(m)
      out <- matrix(0, n, p)
      for (i in 1:n) for (j in 1:p) {
        s <- 0
        for (di in -1:1) for (dj in -1:1) if (di != 0 || dj != 0) {
          ii <- (i + di - 1) %% n + 1
          jj <- (j + dj - 1) %% p + 1
          s <- s + m[ii, jj]
        }
        out[i, j] <- if (s == 3 || (s == 2 && m[i, j] == 1)) 1 else 0
      }
      out
    },
    inputs = function() list(m = matrix(as.double(stats::runif(40000) < 0.3), 200)),
    c = "SEXP kernel(SEXP ms) {
        int n = Rf_nrows(ms), p = Rf_ncols(ms); double *m = REAL(ms);
        SEXP t = PROTECT(Rf_allocMatrix(REALSXP, n, p)); double *o = REAL(t);
        for (int i = 0; i < n; ++i) for (int j = 0; j < p; ++j) {
          double s = 0;
          for (int di = -1; di <= 1; ++di) for (int dj = -1; dj <= 1; ++dj) if (di || dj) {
            int ii = (i + di + n) % n, jj = (j + dj + p) % p; s += m[ii + (long) n * jj];
          }
          o[i + (long) n * j] = s == 3 || (s == 2 && m[i + (long) n * j] == 1);
        }
        UNPROTECT(1); return t;
      }"
  ),
  heap = list(
    r = function(x) {
      h <- numeric(length(x))
      n <- 0
      for (v in x) {
        n <- n + 1
        h[n] <- v
        i <- n
        while (i > 1 && h[i %/% 2] > h[i]) {
          p <- i %/% 2
          t <- h[p]
          h[p] <- h[i]
          h[i] <- t
          i <- p
        }
      }
      h
    },
    inputs = function() list(x = stats::runif(1e5)),
    c = "SEXP kernel(SEXP xs) {
        int m = LENGTH(xs), n = 0; double *x = REAL(xs);
        SEXP t = PROTECT(Rf_allocVector(REALSXP, m)); double *h = REAL(t) - 1;
        for (int k = 0; k < m; ++k) {
          h[++n] = x[k]; int i = n;
          while (i > 1 && h[i / 2] > h[i]) {
            int p = i / 2; double s = h[p]; h[p] = h[i]; h[i] = s; i = p;
          }
        }
        UNPROTECT(1); return t;
      }"
  ),
  unionfind = list(
    r = function(a, b, n) {
      parent <- 1:n
      for (k in seq_along(a)) {
        x <- a[k]
        while (parent[x] != x) x <- parent[x]
        y <- b[k]
        while (parent[y] != y) y <- parent[y]
        if (x != y) parent[x] <- y
      }
      parent
    },
    inputs = function() list(a = sample(5000, 4000, TRUE), b = sample(5000, 4000, TRUE), n = 5000),
    c = "SEXP kernel(SEXP as, SEXP bs, SEXP ns) {
        int n = Rf_asInteger(ns), *a = INTEGER(as), *b = INTEGER(bs);
        SEXP t = PROTECT(Rf_allocVector(INTSXP, n)); int *p = INTEGER(t) - 1;
        for (int i = 1; i <= n; ++i) p[i] = i;
        for (int k = 0; k < LENGTH(as); ++k) {
          int x = a[k]; while (p[x] != x) x = p[x]; int y = b[k]; while (p[y] != y) y = p[y];
          if (x != y) p[x] = y;
        }
        UNPROTECT(1); return t;
      }"
  ),
  bubble = list(
    r = function(x) {
      n <- length(x)
      for (i in 1:(n - 1)) for (j in 1:(n - i)) if (x[j] > x[j + 1]) {
        t <- x[j]
        x[j] <- x[j + 1]
        x[j + 1] <- t
      }
      x
    },
    inputs = function() list(x = stats::runif(1500)),
    c = "SEXP kernel(SEXP xs) {
        int n = LENGTH(xs); SEXP t = PROTECT(Rf_duplicate(xs)); double *x = REAL(t);
        for (int i = 1; i < n; ++i) for (int j = 0; j < n - i; ++j) if (x[j] > x[j + 1]) {
          double s = x[j]; x[j] = x[j + 1]; x[j + 1] = s;
        }
        UNPROTECT(1); return t;
      }"
  ),
  powmod = list(
    r = function(b, e, m) {
      out <- numeric(length(b))
      for (i in seq_along(b)) {
        r <- 1
        x <- b[i] %% m
        k <- e
        while (k > 0) {
          if (k %% 2 == 1) r <- (r * x) %% m
          x <- (x * x) %% m
          k <- k %/% 2
        }
        out[i] <- r
      }
      out
    },
    inputs = function() list(b = as.double(1:2000), e = 65537, m = 1000003),
    c = "SEXP kernel(SEXP bs, SEXP es, SEXP ms) {
        int n = LENGTH(bs); long m = (long) Rf_asReal(ms);
        SEXP t = PROTECT(Rf_allocVector(REALSXP, n));
        for (int i = 0; i < n; ++i) {
          long r = 1, x = (long) REAL(bs)[i] % m, k = (long) Rf_asReal(es);
          while (k > 0) {
            if (k & 1) r = r * x % m; x = x * x % m; k /= 2;
          }
          REAL(t)[i] = r;
        }
        UNPROTECT(1); return t;
      }"
  ),
  season = list(
    r = function(x) {
      s <- numeric(12)
      for (i in seq_along(x)) {
        m <- (i - 1) %% 12 + 1
        s[m] <- s[m] + x[i]
      }
      s
    },
    inputs = function() list(x = stats::runif(1e5)),
    c = "SEXP kernel(SEXP xs) {
        int n = LENGTH(xs); double *x = REAL(xs); SEXP t = PROTECT(Rf_allocVector(REALSXP, 12));
        double *s = REAL(t); memset(s, 0, 96); for (int i = 0; i < n; ++i) s[i % 12] += x[i];
        UNPROTECT(1); return t;
      }"
  ),
  popcount = list(
    r = function(x) {
      s <- 0L
      for (v in x) {
        while (v > 0L) {
          s <- s + bitwAnd(v, 1L)
          v <- bitwShiftR(v, 1L)
        }
      }
      s
    },
    inputs = function() list(x = sample(1e6, 2e4)),
    c = "SEXP kernel(SEXP xs) {
        int *x = INTEGER(xs), s = 0;
        for (int i = 0; i < LENGTH(xs); ++i) {
          int v = x[i];
          while (v > 0) {
            s += v & 1; v >>= 1;
          }
        }
        return Rf_ScalarInteger(s);
      }"
  ),
  find = list(
    r = function(levels, values) {
      places <- integer(length(values))
      for (k in seq_along(values)) {
        low <- 1
        high <- length(levels)
        while (low <= high) {
          middle <- (low + high) %/% 2
          if (levels[middle] < values[k]) low <- middle + 1 else high <- middle - 1
        }
        places[k] <- low
      }
      places
    },
    inputs = function() list(levels = sort(stats::runif(1e4)), values = stats::runif(1e4)),
    c = "SEXP kernel(SEXP ls, SEXP vs) {
        int n = LENGTH(ls), m = LENGTH(vs); double *l = REAL(ls), *v = REAL(vs);
        SEXP t = PROTECT(Rf_allocVector(REALSXP, m));
        for (int k = 0; k < m; ++k) {
          int low = 1, high = n;
          while (low <= high) {
            int mid = (low + high) / 2; if (l[mid - 1] < v[k]) low = mid + 1;
            else high = mid - 1;
          }
          REAL(t)[k] = low;
        }
        UNPROTECT(1); return t;
      }"
  ),
  movavg = list(
    r = function(x, h) {
      n <- length(x)
      out <- rep(NA_real_, n)
      for (i in (h + 1):(n - h)) out[i] <- mean(x[(i - h):(i + h)])
      out
    },
    inputs = function() list(x = stats::runif(2e4), h = 5),
    c = "SEXP kernel(SEXP xs, SEXP hs) {
        int n = LENGTH(xs), h = (int) Rf_asReal(hs); double *x = REAL(xs);
        SEXP t = PROTECT(Rf_allocVector(REALSXP, n)); double *o = REAL(t);
        for (int i = 0; i < n; ++i) o[i] = NA_REAL;
        for (int i = h; i < n - h; ++i) {
          long double s = 0; for (int k = i - h; k <= i + h; ++k) s += x[k]; s /= 2 * h + 1;
          long double u = 0; for (int k = i - h; k <= i + h; ++k) u += x[k] - s;
          o[i] = (double) (s + u / (2 * h + 1));
        }
        UNPROTECT(1); return t;
      }"
  ),
  pairdist = list(
    r = function(m) {
      n <- nrow(m)
      d <- matrix(0, n, n)
      for (i in 1:n) for (j in 1:n) d[i, j] <- sqrt(sum((m[i, ] - m[j, ])^2))
      d
    },
    inputs = function() list(m = matrix(stats::runif(1500), 300)),
    c = "SEXP kernel(SEXP ms) {
        int n = Rf_nrows(ms), p = Rf_ncols(ms); double *m = REAL(ms);
        SEXP t = PROTECT(Rf_allocMatrix(REALSXP, n, n)); double *o = REAL(t);
        for (int i = 0; i < n; ++i) for (int j = 0; j < n; ++j) {
          long double s = 0;
          for (int k = 0; k < p; ++k) {
            double v = m[i + (long) n * k] - m[j + (long) n * k]; s += v * v;
          }
          o[i + (long) n * j] = sqrt((double) s);
        }
        UNPROTECT(1); return t;
      }"
  ),
  lotka = list(
    r = function(n, h) {
      s <- c(10, 5)
      p <- c(1.1, 0.4, 0.1, 0.4)
      out <- matrix(0, n, 2)
      for (i in 1:n) {
        ds <- c(p[1] * s[1] - p[2] * s[1] * s[2], p[3] * s[1] * s[2] - p[4] * s[2])
        s <- s + h * ds
        out[i, ] <- s
      }
      out
    },
    inputs = function() list(n = 2e4, h = 0.001),
    c = "SEXP kernel(SEXP ns, SEXP hs) {
        int n = Rf_asInteger(ns); double h = Rf_asReal(hs), a = 10, b = 5;
        SEXP t = PROTECT(Rf_allocMatrix(REALSXP, n, 2));
        for (int i = 0; i < n; ++i) {
          double u = 1.1 * a - 0.4 * a * b, v = 0.1 * a * b - 0.4 * b; a += h * u; b += h * v;
          REAL(t)[i] = a; REAL(t)[i + n] = b;
        }
        UNPROTECT(1); return t;
      }"
  ),
  argmax = list(
    r = function(m) {
      out <- integer(ncol(m))
      for (j in seq_len(ncol(m))) {
        best <- -Inf
        for (i in seq_len(nrow(m))) if (m[i, j] > best) {
          best <- m[i, j]
          out[j] <- i
        }
      }
      out
    },
    inputs = function() list(m = matrix(stats::runif(2e5), 400)),
    c = "SEXP kernel(SEXP ms) {
        int n = Rf_nrows(ms), p = Rf_ncols(ms); double *m = REAL(ms);
        SEXP t = PROTECT(Rf_allocVector(INTSXP, p));
        for (int j = 0; j < p; ++j) {
          double b = R_NegInf; int at = 0;
          for (int i = 0; i < n; ++i) if (m[i + (long) n * j] > b) {
            b = m[i + (long) n * j]; at = i + 1;
          }
          INTEGER(t)[j] = at;
        }
        UNPROTECT(1); return t;
      }"
  ),
  nchars = list(
    r = function(s) {
      n <- 0
      for (w in s) if (nchar(w) > 4) n <- n + nchar(w)
      n
    },
    inputs = function() list(s = rep(c("mill", "weir pool", "ford"), 2e4)),
    c = "SEXP kernel(SEXP ss) {
        double n = 0;
        for (int i = 0; i < LENGTH(ss); ++i) {
          int k = LENGTH(STRING_ELT(ss, i)); if (k > 4) n += k;
        }
        return Rf_ScalarReal(n);
      }"
  ),
  simwalk = list(
    r = function(n) {
      x <- 0
      y <- 0
      far <- 0
      for (i in 1:n) {
        u <- runif(1)
        if (u < 0.25) x <- x + 1 else if (u < 0.5) x <- x - 1 else if (u < 0.75) y <- y + 1 else y <- y - 1
        r <- sqrt(x^2 + y^2)
        if (r > far) far <- r
      }
      far
    },
    inputs = function() list(n = 2e5),
    c = "#include <R_ext/Random.h>
      SEXP kernel(SEXP ns) {
        int n = Rf_asInteger(ns); double x = 0, y = 0, far = 0; GetRNGstate();
        for (int i = 0; i < n; ++i) {
          double u = unif_rand(); if (u < .25) x += 1; else if (u < .5) x -= 1;
          else if (u < .75) y += 1; else y -= 1; double r = sqrt(x * x + y * y);
          if (r > far) far = r;
        }
        PutRNGstate(); return Rf_ScalarReal(far);
      }"
  )
)
