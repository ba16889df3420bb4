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

law_shape <- function(law, sizes) {
  if (law$law == free_power) return((sizes / law$scale)^law$exponent)
  law_shapes[[law$law]](sizes) / law_shapes[[law$law]](law$scale)
}

law_seconds <- function(law, sizes) law$overhead + law$factor * law_shape(law, sizes)

# The law of one shape.
fit_law <- function(name, sizes, seconds) {
  if (name != free_power) return(law_of(name, NA_real_, sizes, seconds))
  scaled <- sizes / max(sizes)
  at <- stats::optimize(function(p) fit_shape(scaled^p, seconds)[[3]], c(0.02, most_power), tol = 0.01)
  law_of(name, at$minimum, sizes, seconds)
}

# list(law, exponent, overhead, factor, scale, misfit): seconds are overhead + factor * shape(n / scale).
law_of <- function(name, exponent, sizes, seconds) {
  law <- list(law = name, exponent = exponent, overhead = 0, factor = 1, scale = max(sizes))
  law[c("overhead", "factor", "misfit")] <- as.list(fit_shape(law_shape(law, sizes), seconds))
  law
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
