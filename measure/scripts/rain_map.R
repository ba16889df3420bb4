# A map of rain over the catchment, from 40 gauges, by inverse distance.
#
# The power and the number of neighbours are chosen by leaving gauges out.

set.seed(19)
count <- 40
gauges <- data.frame(x = runif(count, 0, 30), y = runif(count, 0, 20))
gauges$rain <- 40 + 1.5 * gauges$x - 0.8 * gauges$y + rnorm(count, 0, 4)

distance <- function(x1, y1, x2, y2) sqrt((x1 - x2)^2 + (y1 - y2)^2)

interpolate <- function(px, py, gx, gy, value, power) {
  result <- matrix(0, length(py), length(px))
  for (i in 1:length(px)) {
    for (j in 1:length(py)) {
      weights <- 0
      total <- 0
      for (g in 1:length(gx)) {
        d <- distance(px[i], py[j], gx[g], gy[g])
        if (d < 1e-6) d <- 1e-6
        w <- 1 / d^power
        weights <- weights + w
        total <- total + w * value[g]
      }
      result[j, i] <- total / weights
    }
  }
  result
}

left_out <- function(gauges, power) {
  errors <- c()
  for (k in 1:nrow(gauges)) {
    rest <- gauges[-k, ]
    guess <- interpolate(gauges$x[k], gauges$y[k], rest$x, rest$y, rest$rain, power)
    errors <- c(errors, guess[1, 1] - gauges$rain[k])
  }
  sqrt(mean(errors^2))
}

powers <- c(1, 1.5, 2, 2.5, 3)
scores <- sapply(powers, function(p) left_out(gauges, p))
for (i in seq_along(powers)) cat(sprintf("power %.1f: error %.3f mm\n", powers[i], scores[i]))
power <- powers[which.min(scores)]

px <- seq(0, 30, length.out = 420)
py <- seq(0, 20, length.out = 280)
map <- interpolate(px, py, gauges$x, gauges$y, gauges$rain, power)
cat("Mean over the catchment:", round(mean(map), 3), "mm\n")
cat("Wettest:", round(max(map), 2), "driest:", round(min(map), 2), "\n")

# water by height band of the map
bands <- cut(as.vector(map), 6)
print(table(bands))

smooth_map <- function(map, rounds) {
  rows <- nrow(map)
  columns <- ncol(map)
  for (r in 1:rounds) {
    new <- map
    for (i in 2:(rows - 1)) {
      for (j in 2:(columns - 1)) {
        new[i, j] <- (map[i - 1, j] + map[i + 1, j] + map[i, j - 1] + map[i, j + 1] + 4 * map[i, j]) / 8
      }
    }
    map <- new
  }
  map
}
smoothed <- smooth_map(map, 20)
cat("After smoothing:", round(range(smoothed), 3), "\n")
image(px, py, t(smoothed))
contour(px, py, t(smoothed), add = TRUE)
invisible(dev.off())
