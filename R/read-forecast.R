# What a stage will cost at a size where it has not been run: one function for all engines.

# Seconds per evaluation at `size` with a 95 % interval: c(median, low, high). Every law of growth that a stage may
# follow, with every overhead and every level, counts by how likely it makes what was seen (Bayesian model averaging,
# Hoeting et al. 1999): few sizes leave many laws open, and the interval is as wide as that says. From none the
# forecast is 0. `noise`: what a single one of the seconds may be off by, as the standard deviation of its logarithm.
forecast_seconds <- function(sizes, seconds, size, noise = 0.1) {
  usable <- is.finite(seconds) & seconds > 0
  if (!any(usable)) return(c(median = 0, low = 0, high = Inf))
  sizes <- sizes[usable]
  seconds <- log(seconds[usable])
  curves <- growth_curves(sizes, size)
  found <- weighed_levels(curves$known, seconds, seen_scatter(sizes, size, noise), noise)
  ahead <- found$level + curves$ahead[found$curve]
  weights <- exp(found$loglik + log(curves$prior)[found$curve])
  ends <- weighted_quantiles(ahead, weights, c(0.5, 0.025, 0.975))
  off <- 1.96 * bend(min(abs(log10(size / sizes)))) # what may bend on the way
  exp(c(
    median = ends[[1]], low = ends[[1]] - sqrt((ends[[1]] - ends[[2]])^2 + off^2),
    high = ends[[1]] + sqrt((ends[[3]] - ends[[1]])^2 + off^2)
  ))
}

# Growth may bend, at the edge of a cache for one: what the logarithm of the seconds is off by after so many decades.
bend <- function(decades) 0.2 * decades

# What a size says of the one asked for is the less sure the farther it lies from those that are closest.
seen_scatter <- function(sizes, size, noise) {
  decades <- abs(log10(size / sizes))
  sqrt(noise^2 + bend(decades - min(decades))^2)
}

forecast_powers <- c(0.25, 0.5, 0.75, 1.25, 1.5, 1.75, 2.5, 3.5)
linear_shares <- c(0.1, 0.5, 2, 8) # what grows with n, times what grows with the law, at the largest size
with_linear <- 0.25 # how likely such a part is

# Curves of log seconds, up to their level: a row each of `known` (a column for each of `sizes`), `ahead` at `size`, and
# how likely they are before anything was seen: the plain loop most of all.
growth_curves <- function(sizes, size) {
  all <- c(sizes, size) / min(sizes)
  top <- which.max(sizes)
  shapes <- c(
    lapply(law_shapes, function(shape) shape(c(sizes, size)) / shape(min(sizes))),
    lapply(forecast_powers, function(power) all^power)
  )
  prior <- c(ifelse(names(law_shapes) == "n", 3, 1), rep(1 / length(forecast_powers), length(forecast_powers)))
  mixed <- lapply(shapes, mixed_curves, all / all[[top]], top)
  counts <- vapply(mixed, nrow, 0L)
  curves <- do.call(rbind, mixed)
  known <- seq_along(sizes)
  list(
    known = log(curves[, known, drop = FALSE]), ahead = log(curves[, length(all)]),
    prior = rep(prior / counts, counts) * linear_prior(counts)
  )
}

# A law with every overhead, from none to as much as what grows at the largest size, without and with a linear part.
mixed_curves <- function(shape, linear, top) {
  overheads <- c(0, 10^seq(-2, log10(shape[[top]]), by = 0.5))
  plain <- outer(overheads, shape, `+`)
  do.call(rbind, lapply(c(0, linear_shares), function(share) {
    plain + rep(share * shape[[top]] * linear, each = length(overheads))
  }))
}

linear_prior <- function(counts) {
  parts <- length(linear_shares) + 1
  unlist(lapply(counts / parts, function(each) {
    rep(parts * c(1 - with_linear, rep(with_linear / (parts - 1), parts - 1)), each = each)
  }))
}

# Levels about those that the sizes closest to the one asked for give, with the likelihood of each curve at each; those
# that are hopeless at the very levels are left out.
weighed_levels <- function(known, seconds, scatter, noise) {
  off <- rep(seconds, each = nrow(known)) - known
  closest <- utils::head(order(scatter), 4)
  found <- list(curve = rep(seq_len(nrow(known)), length(closest)), level = as.vector(off[, closest]))
  likely <- levels_likelihood(found, off, scatter)
  kept <- which(likely > max(likely) - 15)
  steps <- noise * seq(-2, 2, by = 0.5)
  found <- list(
    curve = rep(found$curve[kept], length(steps)),
    level = rep(found$level[kept], length(steps)) + rep(steps, each = length(kept))
  )
  found$loglik <- levels_likelihood(found, off, scatter)
  found$loglik <- found$loglik - max(found$loglik)
  found
}

levels_likelihood <- function(found, off, scatter) {
  likely <- 0
  for (i in seq_along(scatter)) {
    likely <- likely + log(scatter_density(off[found$curve, i] - found$level, scatter[[i]]))
  }
  likely
}

# Of a time's logarithm about the truth: a fifth of all evaluations shares its core with a neighbour and takes up to
# twice as long, and from one in thirty the host steals up to 59 of 60 seconds.
scatter_density <- function(off, sd) {
  below <- stats::pnorm(off, 0, sd)
  0.77 * stats::dnorm(off, 0, sd) + 0.2 * (below - stats::pnorm(off - log(2), 0, sd)) / log(2) +
    0.03 * (below - stats::pnorm(off - log(60), 0, sd)) / log(60) + 1e-300
}

weighted_quantiles <- function(x, weights, probabilities) {
  upwards <- order(x)
  share <- cumsum(weights[upwards]) / sum(weights)
  x[upwards][vapply(probabilities, function(p) which(share >= p)[[1]], 1L)]
}
