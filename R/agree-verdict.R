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

verdict_of <- function(found, bound) {
  if (length(found$mismatch) > 0) return("differs")
  if (found$different == 0) return("identical")
  if (found$max_rel <= bound) "rounding" else "differs"
}

reason_of <- function(found, verdict, bound) {
  value <- if (nzchar(found$values)) sprintf("%s is %s", place(found$where), found$values)
  words <- switch(verdict,
    identical = character(),
    rounding = sprintf("%s; rounding explains relative differences up to %.2g", value, bound),
    differs = if (length(found$mismatch)) found$mismatch else
      sprintf("%s; rounding explains a relative difference up to %.2g, this is %.2g", value, bound, found$max_rel)
  )
  paste(unique(c(words, found$notes)), collapse = "; ")
}
