# Makes the Hollowmere record: an invented upland catchment, twelve gauges, two
# years of hours. Everything follows from the seed; run from the project's root:
#
#   Rscript data-raw/hollowmere.R
#
# Rain comes in weather systems that sweep over the catchment from the west:
# each gauge sees a system after a delay and with a weight of its own. Level
# is rain through two leaky reservoirs (quick and slow) on top of a base level.
# Temperature is a season, a day and a slow wander, cooler with height.

set.seed(20210101, "Mersenne-Twister", "Inversion", "Rejection")

gauges <- data.frame(
  gauge = 1:12,
  place = c("Hollowmere Head", "Tarnlatch", "Grey Sike", "Upper Wendle", "Marlow Rigg", "Sallow Beck",
            "Cinderhope", "Wendle Bridge", "Otterfold", "Low Hagg", "Millrace", "Hollowmere Foot"),
  east_km = c(2.1, 4.8, 3.3, 7.2, 9.6, 11.4, 8.7, 13.2, 15.9, 14.1, 18.3, 21.6),
  north_km = c(14.7, 16.2, 10.8, 12.9, 15.3, 11.1, 7.5, 9.3, 12.6, 5.4, 7.8, 6.3),
  height_m = c(612, 585, 540, 471, 508, 402, 447, 318, 351, 287, 224, 168)
)

hours <- 2 * 365 * 24
hour <- seq_len(hours)
season <- cos(2 * pi * (hour / 24 - 15) / 365) # 1 in mid-January

# Intensity of the weather systems over time: wet spells start at random, last
# about nine hours, and their strength rises and falls within the spell.
spells <- which(runif(hours) < (0.018 + 0.008 * season))
strength <- numeric(hours + 96)
for (start in spells) {
  length <- 2 + rgeom(1, 1 / 9)
  shape <- sin(pi * seq_len(min(length, 90)) / (length + 1))
  span <- start + seq_along(shape) - 1
  strength[span] <- strength[span] + rgamma(1, 1.3, 0.9) * shape
}

rain_at <- function(i) {
  delay <- round(gauges$east_km[i] / 6)
  wetness <- 0.6 + gauges$height_m[i] / 700
  here <- strength[pmax(hour - delay, 1)] * wetness * rgamma(hours, 4, 4)
  0.2 * floor(here * (here > 0.25) / 0.2) # a tipping bucket of 0.2 mm
}

level_at <- function(i, rain) {
  quick <- as.numeric(stats::filter(rain, 0.88, "recursive"))
  slow <- as.numeric(stats::filter(rain, 0.997, "recursive"))
  size <- 0.7 + gauges$east_km[i] / 12
  round(20 + 8 * size + size * (1.1 * quick + 0.16 * slow))
}

wander <- as.numeric(stats::filter(rnorm(hours, 0, 0.35), 0.99, "recursive"))
temperature_at <- function(i) {
  day <- cos(2 * pi * ((hour %% 24) - 15) / 24)
  own <- as.numeric(stats::filter(rnorm(hours, 0, 0.2), 0.9, "recursive"))
  warmth <- 12.2 - 0.0065 * gauges$height_m[i]
  round(2 * (warmth - 6.8 * season + (2.6 - 1.4 * season) * day + wander + own)) / 2
}

record <- do.call(rbind, lapply(gauges$gauge, function(i) {
  rain <- rain_at(i)
  data.frame(gauge = i, hour = hour, rain_mm = rain, level_cm = level_at(i, rain),
             temperature_c = temperature_at(i))
}))

# R reads data sets in `data/` with semicolons between the columns.
write.table(gauges, "data/hollowmere_gauges.csv", sep = ";", row.names = FALSE, quote = FALSE)
packed <- xzfile("data/hollowmere_record.csv.xz", "w", compression = 9)
write.table(record, packed, sep = ";", row.names = FALSE, quote = FALSE)
close(packed)
