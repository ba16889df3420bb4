# Root finding, quadrature, interpolation and steppers, as textbooks have them. Each is list(f, arguments).

textbook <- list(
  bisection = list(function(f, low, high, tol = 1e-8) {
    while (high - low > tol) {
      middle <- (low + high) / 2
      if (f(low) * f(middle) <= 0) high <- middle else low <- middle
    }
    (low + high) / 2
  }, list(function(x) x^3 - 2, 0, 2)),
  newton = list(function(f, slope, x, tol = 1e-10, most = 100) {
    turns <- 0
    repeat {
      step <- f(x) / slope(x)
      x <- x - step
      turns <- turns + 1
      if (abs(step) < tol || turns >= most) break
    }
    list(root = x, turns = turns)
  }, list(function(x) cos(x) - x, function(x) -sin(x) - 1, 1)),
  secant = list(function(f, a, b, tol = 1e-10) {
    fa <- f(a)
    fb <- f(b)
    while (abs(b - a) > tol) {
      c <- b - fb * (b - a) / (fb - fa)
      a <- b
      fa <- fb
      b <- c
      fb <- f(b)
      if (fb == 0) break
    }
    b
  }, list(function(x) exp(x) - 3, 0, 2)),
  regula_falsi = list(function(f, a, b, n) {
    for (i in 1:n) {
      x <- (a * f(b) - b * f(a)) / (f(b) - f(a))
      if (f(a) * f(x) < 0) b <- x else a <- x
    }
    x
  }, list(function(x) x^2 - 5, 1, 4, 40)),
  fixed_point = list(function(g, x, tol = 1e-9, most = 200) {
    for (i in seq_len(most)) {
      fresh <- g(x)
      if (abs(fresh - x) < tol) return(fresh)
      x <- fresh
    }
    warning("no fixed point was reached")
    x
  }, list(function(x) cos(x), 1)),
  trapezoid = list(function(f, a, b, n) {
    h <- (b - a) / n
    s <- (f(a) + f(b)) / 2
    for (i in 1:(n - 1)) s <- s + f(a + i * h)
    s * h
  }, list(sin, 0, pi, 200)),
  simpson = list(function(f, a, b, n) {
    h <- (b - a) / n
    x <- a + h * (0:n)
    y <- sapply(x, f)
    w <- rep(c(2, 4), length.out = n + 1)
    w[c(1, n + 1)] <- 1
    h / 3 * sum(w * y)
  }, list(function(x) x * exp(-x), 0, 4, 100)),
  romberg = list(function(f, a, b, levels) {
    r <- matrix(0, levels, levels)
    h <- b - a
    r[1, 1] <- h * (f(a) + f(b)) / 2
    for (i in 2:levels) {
      h <- h / 2
      s <- 0
      for (k in 1:2^(i - 2)) s <- s + f(a + (2 * k - 1) * h)
      r[i, 1] <- r[i - 1, 1] / 2 + h * s
      for (j in 2:i) r[i, j] <- r[i, j - 1] + (r[i, j - 1] - r[i - 1, j - 1]) / (4^(j - 1) - 1)
    }
    r[levels, levels]
  }, list(function(x) 1 / (1 + x), 0, 1, 6)),
  adaptive_simpson = list(function(f, a, b, tol = 1e-8) {
    rule <- function(a, b) (b - a) / 6 * (f(a) + 4 * f((a + b) / 2) + f(b))
    lows <- a
    highs <- b
    total <- 0
    while (length(lows) > 0) {
      low <- lows[length(lows)]
      high <- highs[length(highs)]
      lows <- lows[-length(lows)]
      highs <- highs[-length(highs)]
      middle <- (low + high) / 2
      halves <- rule(low, middle) + rule(middle, high)
      if (abs(halves - rule(low, high)) < 15 * tol) {
        total <- total + halves
      } else {
        lows <- c(lows, low, middle)
        highs <- c(highs, middle, high)
      }
    }
    total
  }, list(function(x) sqrt(x), 0, 1)),
  gauss_legendre = list(function(f, a, b, n) {
    total <- 0
    for (i in 1:n) {
      x <- cos(pi * (i - 0.25) / (n + 0.5))
      repeat {
        p <- c(1, x)
        for (k in 2:n) p[k + 1] <- ((2 * k - 1) * x * p[k] - (k - 1) * p[k - 1]) / k
        slope <- n * (x * p[n + 1] - p[n]) / (x^2 - 1)
        step <- p[n + 1] / slope
        x <- x - step
        if (abs(step) < 1e-14) break
      }
      total <- total + 2 / ((1 - x^2) * slope^2) * f((b - a) / 2 * x + (a + b) / 2)
    }
    total * (b - a) / 2
  }, list(function(x) exp(x), -1, 1, 6)),
  monte_carlo = list(function(f, a, b, n) {
    s <- 0
    for (i in seq_len(n)) s <- s + f(runif(1, a, b))
    (b - a) * s / n
  }, list(function(x) x^2, 0, 3, 500)),
  lagrange = list(function(x, y, at) {
    out <- numeric(length(at))
    for (k in seq_along(at)) {
      for (i in seq_along(x)) {
        basis <- 1
        for (j in seq_along(x)) if (j != i) basis <- basis * (at[k] - x[j]) / (x[i] - x[j])
        out[k] <- out[k] + y[i] * basis
      }
    }
    out
  }, list(c(0, 1, 2, 4), c(1, 3, 2, 5), c(0.5, 3))),
  divided_differences = list(function(x, y) {
    n <- length(x)
    d <- y
    for (k in 2:n) for (i in n:k) d[i] <- (d[i] - d[i - 1]) / (x[i] - x[i - k + 1])
    d
  }, list(c(0, 1, 2, 4), c(1, 3, 2, 5))),
  horner = list(function(coefficients, x) {
    value <- rep(0, length(x))
    for (k in rev(coefficients)) value <- value * x + k
    value
  }, list(c(1, -2, 0.5), c(0, 1, 2))),
  neville = list(function(x, y, at) {
    p <- y
    n <- length(x)
    for (m in 1:(n - 1)) {
      for (i in 1:(n - m)) p[i] <- ((at - x[i + m]) * p[i] + (x[i] - at) * p[i + 1]) / (x[i] - x[i + m])
    }
    p[1]
  }, list(c(0, 1, 2, 4), c(1, 3, 2, 5), 3)),
  natural_spline = list(function(x, y, at) {
    n <- length(x)
    h <- diff(x)
    a <- matrix(0, n, n)
    b <- numeric(n)
    a[1, 1] <- a[n, n] <- 1
    for (i in 2:(n - 1)) {
      a[i, i - 1] <- h[i - 1]
      a[i, i] <- 2 * (h[i - 1] + h[i])
      a[i, i + 1] <- h[i]
      b[i] <- 3 * ((y[i + 1] - y[i]) / h[i] - (y[i] - y[i - 1]) / h[i - 1])
    }
    k <- solve(a, b)
    out <- at
    for (j in seq_along(at)) {
      i <- max(1, min(n - 1, findInterval(at[j], x)))
      d <- (k[i + 1] - k[i]) / (3 * h[i])
      s <- (y[i + 1] - y[i]) / h[i] - h[i] * (2 * k[i] + k[i + 1]) / 3
      t <- at[j] - x[i]
      out[j] <- y[i] + t * (s + t * (k[i] + t * d))
    }
    out
  }, list(c(0, 1, 2.5, 4), c(1, 3, 2, 5), c(0.3, 1.7, 3.9))),
  euler = list(function(f, y, t, h, n) {
    path <- numeric(n + 1)
    path[1] <- y
    for (i in 1:n) {
      y <- y + h * f(t, y)
      t <- t + h
      path[i + 1] <- y
    }
    path
  }, list(function(t, y) -0.3 * y + sin(t), 1, 0, 0.1, 50)),
  runge_kutta = list(function(f, y, t, h, n) {
    path <- matrix(0, n + 1, length(y))
    path[1, ] <- y
    for (i in seq_len(n)) {
      k1 <- f(t, y)
      k2 <- f(t + h / 2, y + h / 2 * k1)
      k3 <- f(t + h / 2, y + h / 2 * k2)
      k4 <- f(t + h, y + h * k3)
      y <- y + h / 6 * (k1 + 2 * k2 + 2 * k3 + k4)
      t <- t + h
      path[i + 1, ] <- y
    }
    path
  }, list(function(t, y) c(y[1] - 0.1 * y[1] * y[2], 0.05 * y[1] * y[2] - 0.4 * y[2]), c(10, 5), 0, 0.05, 60)),
  adams_bashforth = list(function(f, y, t, h, n) {
    before <- f(t, y)
    y <- y + h * before
    t <- t + h
    for (i in 2:n) {
      now <- f(t, y)
      y <- y + h * (3 * now - before) / 2
      before <- now
      t <- t + h
    }
    y
  }, list(function(t, y) t - y, 1, 0, 0.05, 80)),
  step_control = list(function(f, y, t, end, h, tol) {
    times <- t
    values <- y
    while (t < end) {
      h <- min(h, end - t)
      whole <- y + h * f(t + h / 2, y + h / 2 * f(t, y))
      half <- y + h / 2 * f(t + h / 4, y + h / 4 * f(t, y))
      twice <- half + h / 2 * f(t + 3 * h / 4, half + h / 4 * f(t + h / 2, half))
      err <- abs(twice - whole)
      if (err < tol) {
        t <- t + h
        y <- twice
        times <- c(times, t)
        values <- c(values, y)
      }
      h <- h * min(2, max(0.2, 0.9 * sqrt(tol / max(err, 1e-12))))
    }
    cbind(times + 0, values + 0)
  }, list(function(t, y) -2 * y + t, 1, 0, 2, 0.1, 1e-5))
)
