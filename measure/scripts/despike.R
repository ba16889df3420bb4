# Spikes in the water-level record of Crow Sike: a rolling median finds them,
# linear interpolation fills the gaps.

set.seed(55)
n <- 120000
level <- 1.5 + 0.4 * sin(2 * pi * (1:n) / 1440) + cumsum(rnorm(n, 0, 0.002))
bad <- sample(n, 1200)
level[bad] <- level[bad] + sample(c(-1, 1), 1200, TRUE) * runif(1200, 0.5, 3)
level[sample(n, 150)] <- NA

middle_of <- function(values) {
  values <- values[!is.na(values)]
  m <- length(values)
  if (m == 0) return(NA)
  values <- sort(values)
  if (m %% 2 == 1) values[(m + 1) / 2] else (values[m / 2] + values[m / 2 + 1]) / 2
}

rolling_median <- function(x, half) {
  n <- length(x)
  out <- rep(NA, n)
  for (i in 1:n) {
    from <- max(1, i - half)
    to <- min(n, i + half)
    out[i] <- middle_of(x[from:to])
  }
  out
}

fill_gaps <- function(x) {
  n <- length(x)
  last <- NA
  for (i in 1:n) {
    if (is.na(x[i])) {
      j <- i
      while (j <= n && is.na(x[j])) j <- j + 1
      if (is.na(last) || j > n) next
      for (k in i:(j - 1)) x[k] <- x[last] + (x[j] - x[last]) * (k - last) / (j - last)
    }
    last <- i
  }
  x
}

spread <- function(x, base) {
  off <- abs(x - base)
  1.4826 * median(off, na.rm = TRUE)
}

base <- rolling_median(level, 7)
limit <- 5 * spread(level, base)
spikes <- which(abs(level - base) > limit)
cat("Spikes found:", length(spikes), "of", length(bad), "\n")
cat("Right:", length(intersect(spikes, bad)), "\n")
clean <- level
clean[spikes] <- NA
clean <- fill_gaps(clean)
cat("Left missing:", sum(is.na(clean)), "\n")
print(round(quantile(clean, c(0.05, 0.5, 0.95), na.rm = TRUE), 4))

daily <- tapply(clean, rep(seq_len(ceiling(n / 1440)), each = 1440, length.out = n), mean)
print(round(head(daily, 10), 4))
plot(clean[1:3000], type = "l")
points(spikes[spikes <= 3000], clean[spikes[spikes <= 3000]], pch = 3)
invisible(dev.off())
