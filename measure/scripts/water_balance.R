# The water balance of the catchment, day by day, written down the page as it
# came to mind: no functions but one.

set.seed(12)
days <- 365 * 1200
rain <- ifelse(runif(days) < 0.45, rexp(days, 0.18), 0)
season <- sin(2 * pi * (seq_len(days) - 100) / 365)
warmth <- 9 + 8 * season + rnorm(days, 0, 2.5)

potential <- function(warmth) ifelse(warmth > 0, 0.25 * warmth, 0)
demand <- potential(warmth)

soil <- 60
snow <- 0
ground <- 100
capacity <- 120
soil_of <- numeric(days)
runoff <- numeric(days)
used <- numeric(days)
recharge <- numeric(days)
for (d in 1:days) {
  if (warmth[d] < 0.5) {
    snow <- snow + rain[d]
    water <- 0
  } else {
    melt <- min(snow, 2.8 * (warmth[d] - 0.5))
    snow <- snow - melt
    water <- rain[d] + melt
  }
  soil <- soil + water
  take <- demand[d] * min(1, soil / (0.6 * capacity))
  if (take > soil) take <- soil
  soil <- soil - take
  used[d] <- take
  over <- 0
  if (soil > capacity) {
    over <- soil - capacity
    soil <- capacity
  }
  drain <- 0.01 * soil
  soil <- soil - drain
  ground <- ground + drain
  base <- 0.008 * ground
  ground <- ground - base
  recharge[d] <- drain
  runoff[d] <- over + base
  soil_of[d] <- soil
}
cat("Rain:", round(sum(rain)), "mm; used:", round(sum(used)), "mm; runoff:", round(sum(runoff)), "mm\n")
cat("Left: soil", round(soil, 2), "ground", round(ground, 2), "snow", round(snow, 2), "\n")

year <- rep(1:1200, each = 365)
yearly <- data.frame(year = 1:1200, rain = tapply(rain, year, sum), runoff = tapply(runoff, year, sum))
print(round(head(yearly, 8), 2))
print(round(cor(yearly$rain, yearly$runoff), 4))

# memory of the soil: correlation from day to day over a year of lags
memory <- numeric(365)
centred <- soil_of - mean(soil_of)
below <- sum(centred^2)
for (lag in 1:365) {
  total <- 0
  for (d in 1:(days - lag)) total <- total + centred[d] * centred[d + lag]
  memory[lag] <- total / below
}
cat("Memory below one half after", which(memory < 0.5)[1], "days\n")
plot(memory, type = "l", xlab = "Days", ylab = "Correlation")
plot(yearly$rain, yearly$runoff)
invisible(dev.off())
