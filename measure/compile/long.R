# One of forty lines, for the time until it is ready.
long_kernel <- function(rain, temperature, slope, keep, melt) {
  n <- length(rain)
  flow <- numeric(n)
  snow <- 0
  soil <- 50
  store <- c(10, 20, 30)
  high <- 0
  wet <- 0L
  for (hour in seq_len(n)) {
    falls <- rain[hour]
    if (is.na(falls)) falls <- 0
    if (temperature[hour] < 0) {
      snow <- snow + falls
      water <- 0
    } else {
      thaw <- min(snow, melt * temperature[hour])
      snow <- snow - thaw
      water <- falls + thaw
    }
    taken <- 0
    if (soil > 20) taken <- 0.1 * (soil - 20)
    soil <- soil + water - taken
    if (soil > 100) {
      taken <- taken + soil - 100
      soil <- 100
    }
    store[1] <- store[1] + taken
    for (k in 1:2) {
      passed <- (1 - keep) * store[k]
      store[k] <- store[k] - passed
      store[k + 1] <- store[k + 1] + passed
    }
    out <- slope * store[3]
    store[3] <- store[3] - out
    flow[hour] <- out
    if (out > high) high <- out
    if (water > 0) wet <- wet + 1L
  }
  list(flow = flow, high = high, wet = wet, snow = snow)
}
