# What a stage will cost at a size where it has not been run.

# Seconds per evaluation at `size` with an interval: c(median, low, high), from
# the sizes already timed. The exponent is that of the power law through the last
# two; its interval spans the exponents between any two of the last three, and
# at least half a power to either side. From a single size the exponent is 1 (0
# to 2.5); from none the forecast is 0.
forecast_seconds <- function(sizes, seconds, size) {
  known <- length(sizes)
  if (known == 0) return(c(median = 0, low = 0, high = Inf))
  exponents <- forecast_exponents(sizes, seconds)
  seconds[[known]] * (size / sizes[[known]])^exponents
}

forecast_exponents <- function(sizes, seconds) {
  if (length(sizes) == 1) return(c(median = 1, low = 0, high = 2.5))
  last <- utils::tail(seq_along(sizes), 3)
  pairs <- utils::combn(last, 2)
  slopes <- (log(seconds[pairs[2, ]]) - log(seconds[pairs[1, ]])) / (log(sizes[pairs[2, ]]) - log(sizes[pairs[1, ]]))
  latest <- max(0, slopes[[length(slopes)]])
  c(median = latest, low = max(0, min(slopes, latest - 0.5)), high = max(slopes, latest + 0.5))
}
