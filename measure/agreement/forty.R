# Forty small kernels of everyday work in the catchment, to be mutated: list(kernel, inputs).
level <- function(n) list(x = stats::rgamma(n, 4, 0.5))
signed <- function(n) list(x = stats::rnorm(n))
pair <- function(n) list(x = stats::rnorm(n, 2), y = stats::rnorm(n, 1))
weighted <- function(n) list(x = stats::rnorm(n, 5), w = stats::runif(n))
gaps <- function(n) list(x = ifelse(stats::runif(n) < 0.1, NA, stats::rnorm(n, 5)))
grid <- function(n) list(m = matrix(stats::rnorm(4 * n), n))
square <- function(n) {
  k <- max(3, round(sqrt(n)))
  list(m = matrix(stats::rnorm(k * k), k))
}
grouped <- function(n) list(x = stats::rnorm(n), g = sample(5L, n, TRUE))

forty <- list(
  route = list(function(rain, keep) {
    out <- numeric(length(rain))
    store <- 0
    for (i in seq_along(rain)) {
      store <- keep * store + rain[i]
      out[i] <- (1 - keep) * store
    }
    out
  }, function(n) list(rain = stats::rgamma(n, 0.3, 0.1), keep = 0.85)),
  melt = list(function(temp, degree, base) {
    out <- numeric(length(temp))
    for (i in seq_along(temp)) if (!is.na(temp[i]) && temp[i] > base) out[i] <- degree * (temp[i] - base)
    out
  }, function(n) list(temp = stats::rnorm(n, 2, 5), degree = 3.5, base = 0.5)),
  total = list(function(x) {
    s <- 0
    for (v in x) s <- s + v
    s
  }, level),
  mean_present = list(function(x) mean(x, na.rm = TRUE), gaps),
  variance = list(function(x) {
    m <- mean(x)
    sum((x - m)^2) / (length(x) - 1)
  }, level),
  moving = list(function(x, k) {
    n <- length(x)
    out <- rep(NA_real_, n)
    if (n >= k) for (i in k:n) out[i] <- sum(x[(i - k + 1):i]) / k
    out
  }, function(n) list(x = stats::rnorm(n, 5), k = 4L)),
  exceed = list(function(x, limit) sum(x > limit), function(n) list(x = stats::rgamma(n, 4, 0.5), limit = 9)),
  first_over = list(function(x, limit) {
    for (i in seq_along(x)) if (x[i] >= limit) return(i)
    0L
  }, function(n) list(x = stats::rgamma(n, 4, 0.5), limit = 14)),
  dry_spell = list(function(rain) {
    best <- 0
    run <- 0
    for (r in rain) {
      run <- if (r <= 0.2) run + 1 else 0
      if (run > best) best <- run
    }
    best
  }, function(n) list(rain = stats::rgamma(n, 0.3, 0.1))),
  trapezoid = list(function(t, y) {
    s <- 0
    if (length(t) > 1) for (i in 2:length(t)) s <- s + (t[i] - t[i - 1]) * (y[i] + y[i - 1]) / 2
    s
  }, function(n) list(t = cumsum(stats::runif(n)), y = stats::rnorm(n, 2))),
  dot = list(function(x, y) sum(x * y), pair),
  covariance = list(function(x, y) sum((x - mean(x)) * (y - mean(y))) / (length(x) - 1), pair),
  weighted_mean = list(function(x, w) sum(x * w) / sum(w), weighted),
  weighted_present = list(function(x, w) {
    kept <- !is.na(x) & !is.na(w)
    sum(x[kept] * w[kept]) / sum(w[kept])
  }, weighted),
  normalise = list(function(x) (x - min(x)) / (max(x) - min(x)), level),
  clamp = list(function(x, low, high) pmin(pmax(x, low), high), function(n) {
    list(x = stats::rnorm(n), low = -1, high = 1.5)
  }),
  rating = list(function(stage, a, b, zero) ifelse(stage > zero, a * (stage - zero)^b, 0), function(n) {
    list(stage = stats::rgamma(n, 2), a = 2.5, b = 1.6, zero = 0.4)
  }),
  weir = list(function(head, width) {
    out <- numeric(length(head))
    for (i in seq_along(head)) {
      h <- head[i]
      out[i] <- if (h <= 0) 0 else if (h < 0.5) 1.7 * width * h^1.5 else 1.84 * width * (h - 0.1 * h^2) * sqrt(h)
    }
    out
  }, function(n) list(head = stats::rnorm(n, 0.4, 0.4), width = 2.5)),
  soil = list(function(rain, loss, capacity) {
    store <- capacity / 2
    over <- numeric(length(rain))
    for (i in seq_along(rain)) {
      store <- max(0, store + rain[i] - loss)
      over[i] <- max(0, store - capacity)
      store <- min(store, capacity)
    }
    over
  }, function(n) list(rain = stats::rgamma(n, 0.5, 0.1), loss = 2, capacity = 30)),
  counts = list(function(x, breaks) {
    out <- integer(length(breaks) - 1)
    for (v in x) for (j in seq_along(out)) if (v >= breaks[j] && v < breaks[j + 1]) out[j] <- out[j] + 1L
    out
  }, function(n) list(x = stats::runif(n, 0, 10), breaks = c(0, 1, 2, 4, 7, 10))),
  group_sums = list(function(x, g) {
    out <- numeric(5)
    for (i in seq_along(x)) out[g[i]] <- out[g[i]] + x[i]
    out
  }, grouped),
  group_largest = list(function(x, g) {
    out <- rep(-Inf, 5)
    for (i in seq_along(x)) if (x[i] > out[g[i]]) out[g[i]] <- x[i]
    out
  }, grouped),
  row_means = list(function(m) {
    out <- numeric(nrow(m))
    for (i in seq_len(nrow(m))) out[i] <- sum(m[i, ]) / ncol(m)
    out
  }, grid),
  column_range = list(function(m) apply(m, 2, max) - apply(m, 2, min), grid),
  laplace = list(function(m) {
    n <- nrow(m)
    k <- ncol(m)
    out <- matrix(0, n, k)
    if (n > 2 && k > 2) for (i in 2:(n - 1)) for (j in 2:(k - 1)) {
      out[i, j] <- m[i - 1, j] + m[i + 1, j] + m[i, j - 1] + m[i, j + 1] - 4 * m[i, j]
    }
    out
  }, square),
  matvec = list(function(m) {
    v <- seq_len(ncol(m))
    out <- numeric(nrow(m))
    for (i in seq_len(nrow(m))) for (j in seq_len(ncol(m))) out[i] <- out[i] + m[i, j] * v[j]
    out
  }, grid),
  upper = list(function(m) sum(m[row(m) < col(m)]), square),
  polynomial = list(function(x, p) {
    s <- 0 * x
    for (j in rev(seq_along(p))) s <- s * x + p[j]
    s
  }, function(n) list(x = stats::runif(n, -2, 2), p = c(1.1, -3.2, 2.3, 0.7))),
  convolve = list(function(x, h) {
    out <- numeric(length(x) + length(h) - 1)
    for (i in seq_along(x)) for (j in seq_along(h)) out[i + j - 1] <- out[i + j - 1] + x[i] * h[j]
    out
  }, function(n) list(x = stats::rnorm(n), h = c(0.2, 0.5, 0.3))),
  despike = list(function(x, limit) {
    out <- x
    if (length(x) > 2) for (i in 2:(length(x) - 1)) {
      middle <- (x[i - 1] + x[i + 1]) / 2
      if (abs(x[i] - middle) > limit) out[i] <- middle
    }
    out
  }, function(n) list(x = stats::rnorm(n, 5), limit = 2)),
  interpolate = list(function(x) {
    out <- x
    last <- NA
    for (i in seq_along(x)) {
      if (is.na(x[i])) out[i] <- last else last <- x[i]
    }
    out
  }, gaps),
  peaks = list(function(x) {
    if (length(x) < 3) return(integer())
    i <- 2:(length(x) - 1)
    i[x[i] > x[i - 1] & x[i] >= x[i + 1]]
  }, signed),
  smooth = list(function(x, alpha) {
    if (length(x) == 0) return(numeric())
    out <- x
    for (i in seq_along(x)[-1]) out[i] <- alpha * x[i] + (1 - alpha) * out[i - 1]
    out
  }, function(n) list(x = stats::rnorm(n, 5), alpha = 0.3)),
  autocorrelation = list(function(x, lag) {
    n <- length(x)
    if (n <= lag) return(NA_real_)
    m <- mean(x)
    sum((x[1:(n - lag)] - m) * (x[(1 + lag):n] - m)) / sum((x - m)^2)
  }, function(n) list(x = stats::rnorm(n), lag = 2L)),
  tridiagonal = list(function(b) {
    n <- length(b)
    c <- numeric(n)
    x <- b
    for (i in seq_len(n)) {
      below <- if (i > 1) -1 else 0
      d <- 2.5 - below * (if (i > 1) c[i - 1] else 0)
      c[i] <- -1 / d
      x[i] <- (b[i] - below * (if (i > 1) x[i - 1] else 0)) / d
    }
    if (n > 1) for (i in (n - 1):1) x[i] <- x[i] - c[i] * x[i + 1]
    x
  }, function(n) list(b = stats::rnorm(n))),
  energy = list(function(q, p) {
    e <- 0
    for (i in seq_along(q)) e <- e + 0.5 * p[i]^2 + (1 - cos(q[i]))
    e
  }, function(n) list(q = stats::rnorm(n), p = stats::rnorm(n))),
  density = list(function(x, m, s) exp(-((x - m) / s)^2 / 2) / (s * sqrt(2 * pi)), function(n) {
    list(x = stats::rnorm(n), m = 0.3, s = 1.7)
  }),
  shear = list(function(u, z, k) {
    n <- length(u)
    if (n < 2) return(numeric())
    (u[-1] - u[-n]) / log(z[-1] / z[-n]) * k
  }, function(n) list(u = cumsum(stats::runif(n)), z = 1 + seq_len(n), k = 0.41)),
  alarm = list(function(x, on, off) {
    state <- FALSE
    out <- logical(length(x))
    for (i in seq_along(x)) {
      if (!state && x[i] > on) state <- TRUE
      if (state && x[i] < off) state <- FALSE
      out[i] <- state
    }
    out
  }, function(n) list(x = stats::rnorm(n), on = 1, off = -0.5)),
  index = list(function(hot, wet, scale) {
    if (scale > 10) scale <- 10
    pmax(0, hot - 20) * scale + ifelse(wet > 5, wet / 2, 0)
  }, function(n) list(hot = stats::rnorm(n, 20, 5), wet = stats::rgamma(n, 2, 0.5), scale = 3))
)
