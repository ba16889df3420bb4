# Rain at the points of a grid over the Hollowmere catchment, from its gauges by inverse distance: nested loops over
# points and gauges.

library(deepstride)

interpolate_loop <- function(px, py, gx, gy, rain) {
  out <- numeric(length(px))
  for (i in seq_along(px)) {
    top <- 0
    bottom <- 0
    for (j in seq_along(gx)) {
      d2 <- (px[i] - gx[j])^2 + (py[i] - gy[j])^2 + 0.01
      top <- top + rain[j] / d2
      bottom <- bottom + 1 / d2
    }
    out[i] <- top / bottom
  }
  out
}

# All gauges at once for each point.
interpolate_rows <- function(px, py, gx, gy, rain) {
  out <- numeric(length(px))
  for (i in seq_along(px)) {
    weight <- 1 / ((px[i] - gx)^2 + (py[i] - gy)^2 + 0.01)
    out[i] <- sum(rain * weight) / sum(weight)
  }
  out
}

# All points at once for each gauge.
interpolate_gauges <- function(px, py, gx, gy, rain) {
  top <- bottom <- numeric(length(px))
  for (j in seq_along(gx)) {
    weight <- 1 / ((px - gx[j])^2 + (py - gy[j])^2 + 0.01)
    top <- top + rain[j] * weight
    bottom <- bottom + weight
  }
  top / bottom
}

grid_points <- function(n) {
  list(
    px = runif(n, 0, 40), py = runif(n, 0, 40), gx = runif(24, 0, 40), gy = runif(24, 0, 40), rain = rgamma(24, 2, 0.4)
  )
}

ds_study(
  "Rain between the gauges of Hollowmere",
  inputs = grid_points,
  sizes = ds_sizes(1e2, 1e5, per_decade = 1),
  unit = "points"
) |>
  ds_stage("loop", interpolate_loop, note = "point by point, gauge by gauge") |>
  ds_stage("rows", interpolate_rows, note = "all gauges at once") |>
  ds_stage("gauges", interpolate_gauges, note = "all points at once") |>
  ds_stage("native", ds_compile(interpolate_loop), note = "the loops, compiled") |>
  ds_stage("relaxed", ds_compile(interpolate_loop, numerics = "relaxed"), note = "sums in any order") |>
  ds_stage("threads", ds_compile(interpolate_loop, threads = 2), note = "points shared by two threads") |>
  ds_work()
