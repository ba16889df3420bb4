# Reservoir routing in the Hollowmere catchment: hourly rain runs through a leaky
# reservoir that keeps the share `keep` of its water each hour and lets the rest
# out. Six stages of one kernel, from the first idea to native code.

library(deepstride)

# Water let out, hour by hour; the result grows by one element an hour.
route_grown <- function(rain, keep) {
  out <- numeric(0)
  store <- 0
  for (r in rain) {
    store <- keep * store + r
    out <- c(out, (1 - keep) * store)
  }
  out
}

# The same, into a result that was allocated once.
route_filled <- function(rain, keep) {
  out <- numeric(length(rain))
  store <- 0
  for (hour in seq_along(rain)) {
    store <- keep * store + rain[hour]
    out[hour] <- (1 - keep) * store
  }
  out
}

# The recurrence is linear, so R's own recursive filter can run it.
route_filter <- function(rain, keep) {
  as.vector(stats::filter((1 - keep) * rain, keep, method = "recursive"))
}

# The record of the gauge at Upper Wendle, cut or tiled to `n` hours from an
# hour that the seed chooses.
rain_record <- function(n) {
  rain <- hollowmere_record$rain_mm[hollowmere_record$gauge == 4]
  start <- sample(length(rain), 1)
  list(rain = rep_len(c(rain[start:length(rain)], rain[seq_len(start - 1)]), n), keep = 0.85)
}

ds_study(
  "Leaky-reservoir routing at Upper Wendle",
  inputs = rain_record,
  sizes = ds_sizes(1e2, 1e6, per_decade = 2),
  unit = "hours of record",
  reference = "filled",
  cases = ds_cases(except = "length zero") # a record is never empty, and R's filter refuses one
) |>
  ds_stage("grown", route_grown, note = "result grown element by element") |>
  ds_stage("filled", route_filled, note = "result allocated once") |>
  ds_stage("native", ds_compile(route_filled), note = "the same loop, compiled") |>
  ds_stage("filter", route_filter, note = "R's own recursive filter") |>
  ds_stage("c", ds_native("route.c", "route"), note = "loop moved to C") |>
  ds_stage("cpp", ds_native("route.cpp", "route"), note = "loop moved to C++ through Rcpp") |>
  ds_work()
