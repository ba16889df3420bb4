# What a stage will cost at a size where it has not been run: one function for all engines.

# Seconds per evaluation at `size` with a 95 % interval: c(median, low, high). From few sizes the growth is taken for a
# power law whose exponent is about 1, as far as what is known does not say otherwise (a normal prior, Gelman et al.
# 2013, chapter 14); from five on it is that of the law that predicts best, and the interval spans all laws that
# predict nearly as well. From none the forecast is 0. `noise`: what a single one of the seconds may be off by, as the
# standard deviation of its logarithm.
forecast_seconds <- function(sizes, seconds, size, noise = 0.1) {
  usable <- is.finite(seconds) & seconds > 0
  sizes <- sizes[usable]
  seconds <- seconds[usable]
  if (length(sizes) == 0) return(c(median = 0, low = 0, high = Inf))
  enough <- length(unique(sizes)) >= least_law_sizes
  found <- if (enough) law_forecast(sizes, seconds, size, noise) else power_forecast(sizes, seconds, size, noise)
  found[["low"]] <- min(found[["low"]], without_last(sizes, seconds, size, noise))
  found
}

# The largest size may have been held up by something else, if it took far longer than the others foretell: what those
# say is possible, too.
without_last <- function(sizes, seconds, size, noise) {
  last <- sizes == max(sizes)
  if (all(last)) return(Inf)
  foretold <- power_forecast(sizes[!last], seconds[!last], max(sizes), noise)
  if (stats::median(seconds[last]) <= held_up * foretold[["median"]]) return(Inf)
  power_forecast(sizes[!last], seconds[!last], size, noise)[["low"]]
}

held_up <- 3 # times what was foretold

few_sizes_exponent <- 0.35
prior_exponent <- c(mean = 1, sd = 0.75)

power_forecast <- function(sizes, seconds, size, noise) {
  x <- log(sizes / max(sizes))
  y <- log(seconds)
  weights <- exp(2 * x / log(10)) / noise^2 # a size a decade below says little of the growth to come
  centre <- sum(weights * x) / sum(weights)
  spread <- sum(weights * (x - centre)^2)
  prior <- 1 / prior_exponent[["sd"]]^2
  slope <- (sum(weights * (x - centre) * y) + prior * prior_exponent[["mean"]]) / (spread + prior)
  slope <- max(0, slope)
  reach <- log(size / max(sizes)) - centre
  middle <- sum(weights * y) / sum(weights) + slope * reach
  hidden <- few_sizes_exponent * log(size / max(sizes)) # what an overhead hides of the growth
  off <- sqrt(1 / sum(weights) + reach^2 / (spread + prior) + noise^2 + bend(size, sizes)^2 + hidden^2)
  exp(c(median = middle, low = middle - 1.96 * off, high = middle + 1.96 * off))
}

# Growth may bend on the way: at the edge of a cache, for one.
bend <- function(size, sizes) 0.15 * abs(log10(size / max(sizes)))

law_forecast <- function(sizes, seconds, size, noise) {
  fits <- fit_laws(sizes, seconds)
  best <- min(fits$errors)
  plausible <- fits$errors <= max(2 * best, best + 0.05)
  found <- vapply(fits$laws, law_seconds, 0, size)
  last <- stats::median(seconds[sizes == max(sizes)])
  found <- pmin(found, last * (size / max(sizes))^(steepest(sizes, seconds) + if (best < noise) 1 else 0.25))
  off <- sqrt(best^2 + (noise / 2)^2 + bend(size, sizes)^2)
  c(
    median = found[[fits$chosen]], low = min(found[plausible]) * exp(-1.96 * off),
    high = max(found[plausible]) * exp(1.96 * off)
  )
}

# The largest exponent between two sizes that lie at least half a decade apart.
steepest <- function(sizes, seconds) {
  pairs <- utils::combn(length(sizes), 2)
  wide <- log10(sizes[pairs[2, ]] / sizes[pairs[1, ]])
  slopes <- log10(seconds[pairs[2, ]] / seconds[pairs[1, ]]) / wide
  far <- abs(wide) >= 0.5
  if (any(far)) max(slopes[far]) else max(slopes, 1)
}
