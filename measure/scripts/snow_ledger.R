# Snow water at twelve gauges of the Hollowmere catchment, day by day.
#
# A degree-day model: snow melts by so many millimetres a degree above a base.
# The ledger has a row for each gauge and day.

set.seed(7)
gauges <- data.frame(
  name = c(
    "Upper Wendle", "Mere Head", "Crow Sike", "Long Fell", "Stony Gill", "Birk Moss",
    "High Tarn", "Low Tarn", "Ash Beck", "Rowan Edge", "Black Hag", "Wether Down"
  ),
  height = c(420, 380, 510, 640, 470, 350, 590, 560, 400, 530, 680, 610)
)
days <- 9000

weather <- function(height, days) {
  temperature <- 8 - 0.0065 * height + 9 * sin(2 * pi * (seq_len(days) - 110) / 365) + rnorm(days, 0, 3)
  rain <- rgamma(days, 0.4, 0.08)
  data.frame(day = seq_len(days), temperature = temperature, rain = rain)
}

snow_model <- function(met, base, factor) {
  met$snow <- NA
  met$melt <- NA
  snow <- 0
  for (i in 1:nrow(met)) {
    falling <- 0
    if (met$temperature[i] < 1) falling <- met$rain[i]
    melting <- 0
    if (met$temperature[i] > base) melting <- min(snow, factor * (met$temperature[i] - base))
    snow <- snow + falling - melting
    met$snow[i] <- snow
    met$melt[i] <- melting
  }
  met
}

longest_cover <- function(snow) {
  longest <- 0
  now <- 0
  for (s in snow) {
    if (s > 5) now <- now + 1 else now <- 0
    if (now > longest) longest <- now
  }
  longest
}

gauges$cover <- NA
gauges$water <- NA
all_melt <- numeric(days)
for (g in 1:nrow(gauges)) {
  met <- weather(gauges$height[g], days)
  ledger <- snow_model(met, base = 0.5, factor = 3.2)
  gauges$cover[g] <- longest_cover(ledger$snow)
  gauges$water[g] <- max(ledger$snow)
  all_melt <- all_melt + ledger$melt
}
print(gauges)

# which factor fits the snow poles best?
poles <- snow_model(weather(560, days), 0.5, 3.0)$snow + rnorm(days, 0, 4)
met <- weather(560, days)
scores <- c()
for (factor in seq(2, 4, by = 0.25)) {
  model <- snow_model(met, 0.5, factor)
  scores <- c(scores, sqrt(mean((model$snow - poles)^2)))
}
print(round(scores, 4))
cat("Best factor:", seq(2, 4, by = 0.25)[which.min(scores)], "\n")

plot(all_melt, type = "l", xlab = "Day", ylab = "Melt (mm)")
barplot(gauges$water, names.arg = substr(gauges$name, 1, 4), las = 2)
invisible(dev.off())
write.csv(gauges, file.path(tempdir(), "snow_gauges.csv"))
