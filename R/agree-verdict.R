# From a comparison to a verdict.

# Largest relative difference that rounding explains in one element: the bound
# for a sum of `length` terms of one sign in any order, length * u / (1 - length * u)
# with unit roundoff u (Higham 2002, "Accuracy and Stability of Numerical
# Algorithms", section 4.2), for each of the two results.
rounding_bound <- function(length) {
  unit <- .Machine$double.eps / 2
  growth <- max(length, 8) * unit
  2 * growth / (1 - growth)
}

# Length of the longest accumulation that the arguments allow.
longest_argument <- function(arguments) {
  max(1, rapply(arguments, length, how = "unlist"))
}

# `evidence` is a function that says whether the differences are within what the
# arguments' last bits change; it is asked only where it matters.
verdict_of <- function(found, bound, evidence = function() FALSE) {
  if (length(found$mismatch) > 0) return("differs")
  if (found$n_different == 0) return("identical")
  if (found$max_rel <= bound || evidence()) "rounding" else "differs"
}

# The verdict under limits that the user gave.
limited_verdict <- function(expected, given, found, tolerance) {
  if (length(found$mismatch) > 0) return("differs")
  if (found$n_different == 0) return("identical")
  if (within_limits(expected, given, tolerance)) "rounding" else "differs"
}

within_limits <- function(expected, given, tolerance) {
  if (is.list(expected)) {
    own <- lapply(rlang::names2(expected), function(name) tolerance$outputs[[name]] %||% tolerance)
    return(all(mapply(within_limits, expected, given, own)))
  }
  if (!is_comparable(expected) || length(expected) == 0) return(TRUE)
  gap <- abs(given - expected)
  fits <- !is.finite(gap) | gap == 0 # patterns of NA and Inf are judged apart
  if (!is.null(tolerance$absolute)) fits <- fits | gap <= tolerance$absolute
  if (!is.null(tolerance$relative)) fits <- fits | gap <= tolerance$relative * pmax(abs(expected), abs(given))
  if (!is.null(tolerance$ulp) && !is.complex(gap)) {
    fits <- fits | ulp_gaps(as.double(expected), as.double(given)) <= tolerance$ulp
  }
  all(fits)
}
