# Heat in a soil column under Long Fell over two years, in steps of an hour:
# an implicit scheme with a tridiagonal solve in each step.

set.seed(3)
layers <- 60
depth <- seq(0.05, 3, length.out = layers)
dz <- depth[2] - depth[1]
conductivity <- 0.6 + 0.5 * (depth > 1) + 0.1 * runif(layers)
capacity <- rep(2.2e6, layers)
hours <- 24 * 8000
surface <- 6 + 10 * sin(2 * pi * (1:hours) / (24 * 365)) + 5 * sin(2 * pi * (1:hours) / 24) + rnorm(hours)

solve_tridiagonal <- function(lower, middle, upper, right) {
  n <- length(right)
  for (i in 2:n) {
    w <- lower[i] / middle[i - 1]
    middle[i] <- middle[i] - w * upper[i - 1]
    right[i] <- right[i] - w * right[i - 1]
  }
  x <- numeric(n)
  x[n] <- right[n] / middle[n]
  for (i in (n - 1):1) x[i] <- (right[i] - upper[i] * x[i + 1]) / middle[i]
  x
}

one_step <- function(temperature, top, conductivity, capacity, dz, dt) {
  n <- length(temperature)
  lower <- numeric(n)
  middle <- numeric(n)
  upper <- numeric(n)
  right <- numeric(n)
  for (i in 1:n) {
    r <- conductivity[i] * dt / (capacity[i] * dz^2)
    lower[i] <- -r
    upper[i] <- -r
    middle[i] <- 1 + 2 * r
    right[i] <- temperature[i]
  }
  right[1] <- right[1] + conductivity[1] * dt / (capacity[1] * dz^2) * top
  middle[n] <- middle[n] - conductivity[n] * dt / (capacity[n] * dz^2)
  solve_tridiagonal(lower, middle, upper, right)
}

run_column <- function(surface, start, conductivity, capacity, dz) {
  temperature <- start
  at_depth <- matrix(NA, length(surface), 3)
  for (h in seq_along(surface)) {
    temperature <- one_step(temperature, surface[h], conductivity, capacity, dz, 3600)
    at_depth[h, ] <- temperature[c(2, 10, 40)]
  }
  at_depth
}

result <- run_column(surface, rep(7, layers), conductivity, capacity, dz)
colnames(result) <- c("shallow", "middle", "deep")
print(summary(result))
frost <- 0
for (h in seq_len(nrow(result))) if (result[h, "shallow"] < 0) frost <- frost + 1
cat("Hours of frost at the second layer:", frost, "\n")
lag <- which.max(result[, "middle"]) - which.max(result[, "shallow"])
cat("Lag of the maximum:", lag, "h\n")
matplot(result[seq(1, hours, 24), ], type = "l")
invisible(dev.off())
