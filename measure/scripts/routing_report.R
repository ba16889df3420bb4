# Monthly water report of the Upper Wendle gauge, from hourly rain.
#
# Rain falls into three leaky stores (soil, hillslope, aquifer), each of which
# lets out a share of its water every hour. The report compares months.

set.seed(41)
hours <- 24 * 365 * 72
rain <- rgamma(hours, 0.25, 0.12) * (runif(hours) < 0.3)
gauge_file <- file.path(tempdir(), "upper_wendle.csv")
write.csv(data.frame(hour = seq_len(hours), rain = round(rain, 2)), gauge_file, row.names = FALSE)

record <- read.csv(gauge_file)
cat("Record of", nrow(record), "hours read\n")

leaky_store <- function(inflow, keep) {
  out <- c()
  store <- 0
  for (i in 1:length(inflow)) {
    store <- keep * store + inflow[i]
    out[i] <- (1 - keep) * store
  }
  out
}

split_rain <- function(rain, dry_days) {
  quick <- numeric(length(rain))
  slow <- numeric(length(rain))
  wet <- 0
  for (i in seq_along(rain)) {
    wet <- 0.98 * wet + rain[i]
    share <- min(0.8, 0.2 + wet / 60)
    quick[i] <- share * rain[i]
    slow[i] <- (1 - share) * rain[i]
  }
  list(quick = quick, slow = slow)
}

peaks <- function(flow, level) {
  count <- 0
  above <- FALSE
  where <- NULL
  for (i in seq_along(flow)) {
    if (flow[i] > level && !above) {
      count <- count + 1
      where <- c(where, i)
      above <- TRUE
    } else if (flow[i] < 0.8 * level) {
      above <- FALSE
    }
  }
  list(count = count, where = where)
}

parts <- split_rain(record$rain)
best <- Inf
for (keep in seq(0.80, 0.98, by = 0.02)) {
  flow <- leaky_store(parts$quick, keep) + leaky_store(parts$slow, 0.999)
  score <- mean((flow - mean(record$rain))^2)
  cat("keep =", format(keep, nsmall = 2), " score =", signif(score, 6), "\n")
  if (score < best) {
    best <- score
    best_keep <- keep
  }
}

flow <- leaky_store(parts$quick, best_keep) + leaky_store(parts$slow, 0.999)
month <- rep(1:864, length.out = hours, each = ceiling(hours / 864))
by_month <- tapply(flow, month, sum)
print(summary(as.vector(by_month)))
found <- peaks(flow, 1)
cat("Peaks above 1 mm:", found$count, "\n")
cat("First of them at hours", head(found$where), "\n")

plot(by_month, type = "h", xlab = "Month", ylab = "Water (mm)", main = "Upper Wendle")
hist(flow[found$where], main = "Flow at the start of peaks")
invisible(dev.off())
