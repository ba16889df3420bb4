# How far do soil samples of Birk Moss resemble one another? An empirical
# variogram from all pairs, and a model fitted to it by a plain search.

set.seed(23)
n <- 4200
x <- runif(n, 0, 1000)
y <- runif(n, 0, 1000)
field <- function(x, y) sin(x / 160) + cos(y / 210) + 0.4 * sin((x + y) / 90)
moisture <- 30 + 4 * field(x, y) + rnorm(n, 0, 0.8)

variogram <- function(x, y, z, width, bins) {
  gamma <- rep(0, bins)
  pairs <- rep(0, bins)
  n <- length(z)
  for (i in 1:(n - 1)) {
    for (j in (i + 1):n) {
      d <- sqrt((x[i] - x[j])^2 + (y[i] - y[j])^2)
      bin <- floor(d / width) + 1
      if (bin <= bins) {
        gamma[bin] <- gamma[bin] + (z[i] - z[j])^2
        pairs[bin] <- pairs[bin] + 1
      }
    }
  }
  data.frame(distance = (1:bins - 0.5) * width, gamma = gamma / (2 * pairs), pairs = pairs)
}

spherical <- function(h, nugget, sill, range) {
  ifelse(h < range, nugget + sill * (1.5 * h / range - 0.5 * (h / range)^3), nugget + sill)
}

fit_model <- function(v) {
  best <- list(error = Inf)
  for (nugget in seq(0, 2, by = 0.25)) {
    for (sill in seq(4, 24, by = 1)) {
      for (range in seq(100, 600, by = 25)) {
        off <- sum(v$pairs * (v$gamma - spherical(v$distance, nugget, sill, range))^2)
        if (off < best$error) best <- list(error = off, nugget = nugget, sill = sill, range = range)
      }
    }
  }
  best
}

v <- variogram(x, y, moisture, 25, 24)
print(round(v, 3))
model <- fit_model(v)
cat(sprintf("nugget %.2f, sill %.1f, range %.0f m\n", model$nugget, model$sill, model$range))

# by direction: north-south and east-west
directed <- function(x, y, z, along_x) {
  sum <- 0
  count <- 0
  n <- length(z)
  for (i in 1:(n - 1)) for (j in (i + 1):n) {
    dx <- abs(x[i] - x[j])
    dy <- abs(y[i] - y[j])
    fits <- if (along_x) dy < 0.2 * dx else dx < 0.2 * dy
    if (fits && dx + dy < 300) {
      sum <- sum + (z[i] - z[j])^2
      count <- count + 1
    }
  }
  sum / (2 * count)
}
cat("East-west:", round(directed(x, y, moisture, TRUE), 4), "\n")
cat("North-south:", round(directed(x, y, moisture, FALSE), 4), "\n")
plot(v$distance, v$gamma, ylim = c(0, max(v$gamma)))
lines(v$distance, spherical(v$distance, model$nugget, model$sill, model$range))
invisible(dev.off())
