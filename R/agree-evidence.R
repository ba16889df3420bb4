# Evidence for rounding: how much the reference's own result changes when the
# last bits of its arguments do.

perturbations <- 3

# Largest change of each element over a few perturbations, in the shape of `value`;
# `evaluate` gives the reference's value for a perturbation.
result_spread <- function(evaluate, value) {
  spread <- widen(value, value, value)
  for (perturbation in seq_len(perturbations)) {
    ran <- evaluate(perturbation)
    if (!is_fault(ran)) spread <- widen(spread, value, ran$value)
  }
  spread
}

# Element by element the larger of `spread` and |other - value|; 0 where that
# can't be said.
widen <- function(spread, value, other) {
  if (is.list(value)) {
    if (!is.list(other) || length(other) != length(value)) return(spread)
    return(Map(widen, spread, value, other))
  }
  if (!is_measured(value)) return(0)
  if (!is_measured(other) || length(other) != length(value)) return(spread)
  change <- as.double(abs(other - value))
  change[!is.finite(change)] <- 0
  if (identical(spread, value)) change else pmax(spread, change)
}

# Are all differences within the growth that sums of `terms` terms allow, times
# what the perturbations changed and the result's own size? `typical` is the
# largest magnitude that the result takes on ordinary arguments of these magnitudes.
within_rounding <- function(expected, given, spread, terms, typical) {
  if (is.list(expected)) return(all(mapply(within_rounding, expected, given, spread, terms, typical)))
  if (!is_measured(expected)) return(FALSE) # equal or different
  gap <- abs(as.vector(given) - as.vector(expected)) # of complex numbers the modulus
  gap[!is.finite(gap)] <- 0 # patterns of NA and Inf are judged apart
  growth <- 4 * sqrt(max(terms, 16))
  size <- abs(as.vector(expected))
  size[!is.finite(size)] <- 0
  denormal <- 8 * terms * 2^-1074 # below the normal range a rounding error has a fixed size
  allowed <- rounding_bound(terms) * size + growth * (spread + 16 * .Machine$double.eps * typical) + denormal
  all(gap <= allowed)
}

# Largest finite magnitude of each numeric part of a result; 0 elsewhere.
result_magnitude <- function(value) {
  if (is.list(value)) return(lapply(value, result_magnitude))
  if (!is_measured(value)) return(0)
  finite <- abs(value[is.finite(value)])
  if (length(finite)) max(finite) else 0
}

# `magnitude` laid out as the result `value` is; 0 where their shapes part.
in_shape_of <- function(magnitude, value) {
  if (!is.list(value)) return(if (is.list(magnitude)) 0 else magnitude)
  if (!is.list(magnitude) || length(magnitude) != length(value)) magnitude <- rep(list(0), length(value))
  Map(in_shape_of, magnitude, value)
}
