# Laws by which time grows with size: an overhead and a multiple of a shape, fitted by relative errors.

law_shapes <- list(
  constant = function(n) rep(1, length(n)),
  "log n" = function(n) log2(pmax(n, 2)),
  n = function(n) n,
  "n log n" = function(n) n * log2(pmax(n, 2)),
  "n^2" = function(n) n^2,
  "n^2 log n" = function(n) n^2 * log2(pmax(n, 2)),
  "n^3" = function(n) n^3
)

free_power <- "power"
most_power <- 4

# list(law, exponent, overhead, factor, scale): seconds are overhead + factor * shape(n / scale).
new_law <- function(law, exponent, weights, scale) {
  list(law = law, exponent = exponent, overhead = weights[[1]], factor = weights[[2]], scale = scale)
}

law_shape <- function(law, sizes) {
  if (law$law == free_power) return((sizes / law$scale)^law$exponent)
  law_shapes[[law$law]](sizes) / law_shapes[[law$law]](law$scale)
}

law_seconds <- function(law, sizes) law$overhead + law$factor * law_shape(law, sizes)

# The law of one shape. Sizes that lie far off count less (Huber 1964, weights by residual, two passes).
fit_law <- function(name, sizes, seconds) {
  scale <- max(sizes)
  shaped <- function(exponent) {
    law <- new_law(name, exponent, c(0, 1), scale)
    fitted_law(law, sizes, seconds)
  }
  if (name != free_power) return(shaped(NA_real_))
  at <- stats::optimize(function(p) law_misfit(shaped(p), sizes, seconds), c(0.02, most_power), tol = 0.01)
  shaped(at$minimum)
}

fitted_law <- function(law, sizes, seconds) {
  weights <- rep(1, length(sizes))
  for (pass in 1:2) {
    both <- not_negative(1 / seconds, law_shape(law, sizes) / seconds, weights)
    law$overhead <- both[[1]]
    law$factor <- both[[2]]
    off <- abs(log(pmax(law_seconds(law, sizes), 1e-300) / seconds))
    far <- 1.345 * max(stats::median(off) / 0.6745, 0.01)
    weights <- pmin(1, far / pmax(off, 1e-12))
  }
  law
}

# The two weights, none below 0, with which two columns come nearest to 1.
not_negative <- function(one, other, weights) {
  a <- sum(weights * one^2)
  b <- sum(weights * one * other)
  d <- sum(weights * other^2)
  u <- sum(weights * one)
  v <- sum(weights * other)
  determinant <- a * d - b^2
  if (determinant > 1e-12 * a * d) {
    both <- c((u * d - v * b) / determinant, (v * a - u * b) / determinant)
    if (all(both >= 0)) return(both)
  }
  alone <- list(c(u / a, 0), c(0, v / d))
  misfit <- c(sum(weights * (alone[[1]][[1]] * one - 1)^2), sum(weights * (alone[[2]][[2]] * other - 1)^2))
  alone[[which.min(misfit)]]
}

law_misfit <- function(law, sizes, seconds) {
  off <- abs(log(pmax(law_seconds(law, sizes), 1e-300) / seconds))
  mean(pmin(off, 1)^2)
}

# How far a law is off at sizes that it has not seen: each is left out once, the largest count twice.
left_out_error <- function(name, sizes, seconds) {
  off <- vapply(seq_along(sizes), function(i) {
    law <- fit_law(name, sizes[-i], seconds[-i])
    log(max(law_seconds(law, sizes[[i]]), 1e-300) / seconds[[i]])
  }, 0)
  count <- length(sizes)
  weights <- ifelse(seq_len(count) > count - 2, 2, 1)
  sqrt(stats::weighted.mean(pmin(off^2, 4), weights))
}

least_law_sizes <- 5

# All laws with their errors, and the one to go by: of those that predict about as well as the best, the simplest.
fit_laws <- function(sizes, seconds) {
  by_size <- order(sizes)
  sizes <- sizes[by_size]
  seconds <- seconds[by_size]
  names <- c(names(law_shapes), free_power)
  errors <- vapply(names, left_out_error, 0, sizes, seconds)
  laws <- lapply(stats::setNames(nm = names), fit_law, sizes, seconds)
  list(laws = laws, errors = errors, chosen = names[[which(errors <= 1.2 * min(errors) + 0.003)[[1]]]])
}
