# Degree-day snowmelt in the Hollowmere catchment: a masked map over days. Where it is warmer than the base
# temperature the snow melts at a rate; where it is not, nothing melts.

library(deepstride)

# What could melt each day, day by day.
melt_loop <- function(temp, base, rate) {
  melt <- numeric(length(temp))
  for (day in seq_along(temp)) {
    if (temp[day] > base) {
      melt[day] <- rate * (temp[day] - base)
    } else {
      melt[day] <- 0
    }
  }
  melt
}

# All days at once, the cold ones masked out.
melt_masked <- function(temp, base, rate) {
  melt <- rate * (temp - base)
  melt[temp <= base] <- 0
  melt
}

# A year of the upper basin's temperatures, again and again.
temperature_record <- function(n) {
  list(temp = 4 + 8 * sin(seq_len(n) / 58) + rnorm(n, 0, 3), base = 0.5, rate = 3.2)
}

ds_study(
  "Degree-day snowmelt above Upper Wendle",
  inputs = temperature_record,
  sizes = ds_sizes(1e2, 1e6, per_decade = 1),
  unit = "days of record"
) |>
  ds_stage("loop", melt_loop, note = "day by day") |>
  ds_stage("choice", function(temp, base, rate) ifelse(temp > base, rate * (temp - base), 0), note = "`ifelse()`") |>
  ds_stage("masked", melt_masked, note = "cold days masked out") |>
  ds_stage("native", ds_compile(melt_loop), note = "the loop, compiled") |>
  ds_work()
