# Linear algebra and transforms.

textbook <- c(textbook, list(
  gauss = list(function(a, b) {
    n <- nrow(a)
    for (k in 1:(n - 1)) {
      p <- k - 1 + which.max(abs(a[k:n, k]))
      if (p != k) {
        row <- a[k, ]
        a[k, ] <- a[p, ]
        a[p, ] <- row
        b[c(k, p)] <- b[c(p, k)]
      }
      for (i in (k + 1):n) {
        m <- a[i, k] / a[k, k]
        a[i, k:n] <- a[i, k:n] - m * a[k, k:n]
        b[i] <- b[i] - m * b[k]
      }
    }
    x <- numeric(n)
    for (i in n:1) x[i] <- (b[i] - sum(a[i, ] * x)) / a[i, i]
    x
  }, list(matrix(c(2, 1, 3, 0, 4, 1, 1, 2, 5), 3), c(1, 2, 3))),
  lu = list(function(a) {
    n <- nrow(a)
    l <- diag(n)
    u <- a
    for (k in 1:(n - 1)) for (i in (k + 1):n) {
      l[i, k] <- u[i, k] / u[k, k]
      u[i, ] <- u[i, ] - l[i, k] * u[k, ]
    }
    list(l = l, u = u)
  }, list(matrix(c(4, 1, 3, 0, 4, 1, 1, 2, 5), 3))),
  cholesky = list(function(a) {
    n <- nrow(a)
    l <- matrix(0, n, n)
    for (j in seq_len(n)) {
      s <- a[j, j]
      if (j > 1) s <- s - sum(l[j, 1:(j - 1)]^2)
      if (s <= 0) stop("the matrix is not positive definite")
      l[j, j] <- sqrt(s)
      if (j < n) for (i in (j + 1):n) {
        s <- a[i, j]
        if (j > 1) for (k in 1:(j - 1)) s <- s - l[i, k] * l[j, k]
        l[i, j] <- s / l[j, j]
      }
    }
    l
  }, list(matrix(c(4, 1, 1, 1, 3, 0.5, 1, 0.5, 2), 3))),
  gram_schmidt = list(function(a) {
    q <- a
    r <- matrix(0, ncol(a), ncol(a))
    for (j in seq_len(ncol(a))) {
      v <- a[, j]
      for (i in seq_len(j - 1)) {
        r[i, j] <- sum(q[, i] * a[, j])
        v <- v - r[i, j] * q[, i]
      }
      r[j, j] <- sqrt(sum(v^2))
      q[, j] <- v / r[j, j]
    }
    list(q = q, r = r)
  }, list(matrix(c(2, 1, 3, 0, 4, 1, 1, 2, 5), 3))),
  householder = list(function(a) {
    m <- nrow(a)
    for (k in seq_len(min(m - 1, ncol(a)))) {
      x <- a[k:m, k]
      v <- x
      v[1] <- x[1] + (if (x[1] >= 0) 1 else -1) * sqrt(sum(x^2))
      v <- v / sqrt(sum(v^2))
      part <- a[k:m, , drop = FALSE]
      a[k:m, ] <- part - 2 * v %*% (t(v) %*% part)
    }
    a
  }, list(matrix(c(2, 1, 3, 0, 4, 1, 1, 2, 5, 2, 2, 1), 4))),
  jacobi = list(function(a, b, tol = 1e-9) {
    d <- diag(a)
    r <- a - diag(d)
    x <- numeric(length(b))
    repeat {
      fresh <- (b - r %*% x) / d
      if (max(abs(fresh - x)) < tol) return(as.vector(fresh))
      x <- fresh
    }
  }, list(matrix(c(5, 1, 1, 1, 6, 1, 1, 2, 7), 3), c(1, 2, 3))),
  gauss_seidel = list(function(a, b, turns) {
    x <- rep(0, length(b))
    for (turn in 1:turns) for (i in seq_along(b)) x[i] <- (b[i] - sum(a[i, -i] * x[-i])) / a[i, i]
    x
  }, list(matrix(c(5, 1, 1, 1, 6, 1, 1, 2, 7), 3), c(1, 2, 3), 20)),
  conjugate_gradient = list(function(a, b, tol = 1e-10) {
    x <- numeric(length(b))
    r <- b
    p <- r
    old <- sum(r^2)
    for (i in seq_along(b)) {
      ap <- as.vector(a %*% p)
      step <- old / sum(p * ap)
      x <- x + step * p
      r <- r - step * ap
      fresh <- sum(r^2)
      if (sqrt(fresh) < tol) break
      p <- r + fresh / old * p
      old <- fresh
    }
    x
  }, list(matrix(c(4, 1, 1, 1, 3, 0.5, 1, 0.5, 2), 3), c(1, 2, 3))),
  power_method = list(function(a, turns) {
    v <- rep(1, nrow(a))
    for (i in 1:turns) {
      v <- a %*% v
      size <- sqrt(sum(v^2))
      v <- v / size
    }
    list(value = size, vector = v)
  }, list(matrix(c(4, 1, 1, 1, 3, 0.5, 1, 0.5, 2), 3), 30)),
  qr_iteration = list(function(a, turns) {
    n <- nrow(a)
    for (turn in seq_len(turns)) {
      q <- a
      r <- matrix(0, n, n)
      for (j in 1:n) {
        v <- a[, j]
        if (j > 1) for (i in 1:(j - 1)) {
          r[i, j] <- sum(q[, i] * v)
          v <- v - r[i, j] * q[, i]
        }
        r[j, j] <- sqrt(sum(v^2))
        q[, j] <- v / r[j, j]
      }
      a <- r %*% q
    }
    sort(diag(a))
  }, list(matrix(c(4, 1, 1, 1, 3, 0.5, 1, 0.5, 2), 3), 25)),
  thomas = list(function(lower, middle, upper, rhs) {
    n <- length(rhs)
    for (i in 2:n) {
      w <- lower[i - 1] / middle[i - 1]
      middle[i] <- middle[i] - w * upper[i - 1]
      rhs[i] <- rhs[i] - w * rhs[i - 1]
    }
    rhs[n] <- rhs[n] / middle[n]
    for (i in (n - 1):1) rhs[i] <- (rhs[i] - upper[i] * rhs[i + 1]) / middle[i]
    rhs
  }, list(rep(-1, 9), rep(3, 10), rep(-1, 9), 1:10 / 2)),
  determinant = list(function(a) {
    if (nrow(a) == 1) return(a[1, 1])
    s <- 0
    for (j in seq_len(ncol(a))) s <- s + (-1)^(1 + j) * a[1, j] * det(a[-1, -j, drop = FALSE])
    s
  }, list(matrix(c(2, 1, 3, 0, 4, 1, 1, 2, 5), 3))),
  inverse = list(function(a) {
    n <- nrow(a)
    w <- cbind(a + 0, diag(n))
    for (k in 1:n) {
      w[k, ] <- w[k, ] / w[k, k]
      for (i in 1:n) if (i != k) w[i, ] <- w[i, ] - w[i, k] * w[k, ]
    }
    w[, (n + 1):(2 * n)]
  }, list(matrix(c(2, 1, 3, 0, 4, 1, 1, 2, 5), 3))),
  least_squares = list(function(x, y, degree) {
    a <- outer(x, 0:degree, "^")
    solve(t(a) %*% a, t(a) %*% y)
  }, list(c(0, 1, 2, 3, 4), c(1, 3, 2, 5, 4), 2)),
  fft = list(function(re, im) {
    n <- length(re)
    j <- 0
    for (i in 0:(n - 2)) {
      if (i < j) {
        keep <- re[i + 1]
        re[i + 1] <- re[j + 1]
        re[j + 1] <- keep
        keep <- im[i + 1]
        im[i + 1] <- im[j + 1]
        im[j + 1] <- keep
      }
      k <- n / 2
      while (k >= 1 && k <= j) {
        j <- j - k
        k <- k / 2
      }
      j <- j + k
    }
    size <- 2
    while (size <= n) {
      angle <- -2 * pi / size
      for (start in seq(0, n - 1, by = size)) for (k in 0:(size / 2 - 1)) {
        p <- start + k + 1
        q <- p + size / 2
        tr <- re[q] * cos(angle * k) - im[q] * sin(angle * k)
        ti <- re[q] * sin(angle * k) + im[q] * cos(angle * k)
        re[q] <- re[p] - tr
        im[q] <- im[p] - ti
        re[p] <- re[p] + tr
        im[p] <- im[p] + ti
      }
      size <- size * 2
    }
    list(re = re, im = im)
  }, list(c(1, 2, 0, -1, 3, 1, 0, 2), numeric(8))),
  convolution = list(function(x, kernel) {
    out <- numeric(length(x) + length(kernel) - 1)
    for (i in seq_along(x)) for (j in seq_along(kernel)) out[i + j - 1] <- out[i + j - 1] + x[i] * kernel[j]
    out
  }, list(c(1, 2, 3, 4), c(0.5, 0.25))),
  heat_equation = list(function(u, r, steps) {
    for (s in seq_len(steps)) {
      old <- u
      for (i in 2:(length(u) - 1)) u[i] <- old[i] + r * (old[i - 1] - 2 * old[i] + old[i + 1])
    }
    u
  }, list(c(0, 0, 1, 4, 1, 0, 0), 0.3, 12)),
  laplace = list(function(u, tol = 1e-4) {
    repeat {
      change <- 0
      for (j in 2:(ncol(u) - 1)) for (i in 2:(nrow(u) - 1)) {
        fresh <- (u[i - 1, j] + u[i + 1, j] + u[i, j - 1] + u[i, j + 1]) / 4
        change <- max(change, abs(fresh - u[i, j]))
        u[i, j] <- fresh
      }
      if (change < tol) break
    }
    u
  }, list(matrix(c(rep(1, 6), rep(0, 30)), 6)))
))
