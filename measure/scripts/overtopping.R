# The risk that the levee of Mere Head is overtopped, by Monte Carlo.
#
# Each year has a random number of storms; each storm raises the water by its
# rain, its length and the state of the ground. The levee settles with the years.

set.seed(101)
years <- 40
trials <- 25000

storms_of_year <- function(year, wetness) {
  count <- rpois(1, 6 + 0.02 * year)
  levels <- numeric(0)
  if (count == 0) return(levels)
  for (s in 1:count) {
    rain <- rexp(1, 1 / 28)
    hours <- 4 + 20 * runif(1)
    ground <- 0.3 + 0.5 * wetness + 0.1 * rnorm(1)
    if (ground < 0.1) ground <- 0.1
    if (ground > 0.95) ground <- 0.95
    levels <- c(levels, 0.9 + 0.045 * rain * ground * 12 / hours^0.5)
  }
  levels
}

simulate <- function(years, height) {
  level <- height
  for (year in 1:years) {
    wetness <- runif(1)
    level <- level - 0.004 - 0.002 * runif(1)
    for (water in storms_of_year(year, wetness)) {
      if (water > level) return(year)
    }
  }
  NA
}

first_year <- rep(NA, trials)
for (t in 1:trials) first_year[t] <- simulate(years, 6.2)
cat("Overtopped within", years, "years:", mean(!is.na(first_year)), "\n")
print(table(cut(first_year, c(0, 10, 20, 30, 40))))

heights <- seq(5, 8, by = 0.5)
risk <- numeric(length(heights))
for (h in seq_along(heights)) {
  hits <- 0
  for (t in 1:6000) if (!is.na(simulate(years, heights[h]))) hits <- hits + 1
  risk[h] <- hits / 6000
}
print(data.frame(height = heights, risk = risk))

cost <- function(height, risk) 2 * height^1.5 + 180 * risk
total <- cost(heights, risk)
cat("Cheapest height:", heights[which.min(total)], "m\n")
plot(heights, total, type = "b", xlab = "Height (m)", ylab = "Cost")
hist(first_year, breaks = 20)
invisible(dev.off())
