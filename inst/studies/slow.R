# Slow functions of the Hollowmere catchment, as one writes them first. `deepstride climb` makes them fast:
#
#   deepstride climb slow.R --function snowmelt --inputs snow_record

library(deepstride)

# Degree-day snowmelt: what melts each day, from a year of temperatures.
snowmelt <- function(temp, snow, base, factor) {
  melt <- c()
  cover <- 0
  for (day in 1:length(temp)) {
    # no melt below the base temperature
    if (temp[day] > base) {
      potential <- factor * (temp[day] - base)
    } else {
      potential <- 0
    }
    cover <- cover + snow[day]
    melt <- c(melt, min(cover, potential))
    cover <- cover - min(cover, potential)
  }
  melt
}

# Inverse-distance rain at each point, from the gauges around it.
interpolate <- function(px, py, gx, gy, rain, power) {
  out <- numeric(length(px))
  for (i in 1:length(px)) {
    weights <- 0
    total <- 0
    for (j in 1:length(gx)) {
      d <- sqrt((px[i] - gx[j])^2 + (py[i] - gy[j])^2) + 0.001
      w <- 1 / d^power
      weights <- weights + w
      total <- total + w * rain[j]
    }
    out[i] <- total / weights
  }
  out
}

snow_record <- function(n) {
  list(temp = 4 * sin(seq_len(n) / 58) + rnorm(n, 0, 3), snow = rgamma(n, 0.2, 0.1), base = 0.5, factor = 3.2)
}

gauge_record <- function(n) {
  list(
    px = runif(n, 0, 40), py = runif(n, 0, 40), gx = runif(24, 0, 40), gy = runif(24, 0, 40),
    rain = rgamma(24, 2, 0.4), power = 2
  )
}
