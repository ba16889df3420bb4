# Evidence for rounding: how much the reference's own result changes when the last bits of its
# arguments do, and with them the rounding of each operation of its R code (see stage-rounding.R).

most_spread_runs <- 30
spread_seconds <- c(own = 0.5, case = 0.15)
spread_patience <- 3 # times that long until there are the fewest runs, on a busy machine
rounding_slowdown <- 60 # at most, of a loop

# Largest change of each element of the reference's result, in its shape. Where random rounding
# takes too long, the arguments alone are changed, and what rounding did at a small size is added.
reference_spread <- function(checking, point, expected) {
  seconds <- spread_seconds[[if (point$own) "own" else "case"]]
  affordable <- rounding_slowdown * expected$seconds * fewest_spread_runs <= 4 * seconds
  if (affordable && checking$rounding_stops < most_stops) {
    return(result_spread(checking, point, expected$value, seconds, rounding = TRUE))
  }
  spread <- result_spread(checking, point, expected$value, seconds, rounding = FALSE)
  share <- in_shape_of(checking$share(), expected$value)
  add_share(spread, share, expected$value, sqrt(max(1, point$size / case_size)))
}

result_spread <- function(checking, point, value, seconds, rounding) {
  spread <- widen(value, value, value)
  until <- clock_now() + seconds
  together <- max(1, min(most_spread_runs, largest_together %/% max(1, utils::object.size(value))))
  for (first in seq(1, most_spread_runs, together)) {
    turns <- first:min(first + together - 1, most_spread_runs)
    ran <- point$shake(checking$reference,
      limit = 4 * seconds, perturbations = turns, rounding = rounding,
      seconds = until - clock_now(), most_late = spread_patience * seconds
    )
    if (is_fault(ran)) ran <- list(stopped = ran$state != "failed")
    for (other in ran$values) spread <- widen(spread, value, other[[1]])
    if (ran$stopped && rounding) checking$rounding_stops <- checking$rounding_stops + 1
    if (ran$stopped || is_spread_known(max(turns), clock_now() - until, spread_patience * seconds)) break
  }
  spread
}

largest_together <- 1e6 # bytes of results that one answer may bring

# Of each part of the result the largest change by random rounding on the study's own inputs at a small
# size, as a fraction of the part's magnitude; 0 where that can't be said.
rounding_share <- function(checking) {
  point <- plan_point(checking, case_size, own_inputs)
  ran <- point$ask(checking$reference)
  if (is_fault(ran)) return(0)
  spread <- result_spread(checking, point, ran$value, spread_seconds[["own"]], rounding = TRUE)
  magnitude_share(spread, ran$value)
}

magnitude_share <- function(spread, value) {
  if (is.list(value)) return(Map(magnitude_share, spread, value))
  top <- result_magnitude(value)
  if (top > 0 && length(spread)) max(spread) / top else 0
}

add_share <- function(spread, share, value, growth) {
  if (is.list(value)) return(Map(add_share, spread, share, value, growth))
  pmax(spread, growth * share * result_magnitude(value))
}

# Below the normal range a number has few bits: the largest relative rounding error of what the
# arguments hold, where all of it is that small.
denormal_share <- function(arguments) {
  top <- max(0, unlist(result_magnitude(arguments)))
  if (top > 0 && top < .Machine$double.xmin) 2^-1074 / top else 0
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

# The difference that goes furthest past what rounding explains: list(ratio, gap, allowed, moved, where, values), a
# `ratio` of at most 1 where all is explained. Allowed is the growth of sums of `terms` terms, times what random
# rounding changed (`moved`), beside each element and, for transforms and solves, beside the largest. `typical`
# is the largest magnitude that the result takes on ordinary arguments of these magnitudes.
worst_excess <- function(expected, given, spread, terms, typical, tiny = 0, path = "") {
  if (is.list(expected)) {
    paths <- paste0(path, list_steps(expected))
    parts <- Map(worst_excess, expected, given, spread, terms, typical, tiny, paths)
    return(if (length(parts)) parts[[which.max(vapply(parts, `[[`, 0, "ratio"))]] else list(ratio = 0))
  }
  if (!is_measured(expected)) return(list(ratio = if (identical(expected, given)) 0 else Inf, where = path))
  if (length(expected) == 0) return(list(ratio = 0))
  gap <- abs(as.vector(given) - as.vector(expected)) # of complex numbers the modulus
  gap[!is.finite(gap)] <- 0 # patterns of NA and Inf are judged apart
  growth <- 4 * sqrt(max(terms, 16))
  size <- abs(as.vector(expected))
  size[!is.finite(size)] <- 0
  denormal <- 8 * terms * 2^-1074 # below the normal range a rounding error has a fixed size
  whole <- 4 * max(terms, 32) * .Machine$double.eps * max(size)
  relative <- rounding_bound(terms) + 8 * terms * tiny
  allowed <- relative * size + growth * (spread + 16 * .Machine$double.eps * typical) + whole + denormal
  at <- which.max(gap / allowed)
  list(
    ratio = gap[[at]] / allowed[[at]], gap = gap[[at]], allowed = allowed[[at]],
    moved = rep_len(spread, length(gap))[[at]],
    where = paste0(path, if (length(expected) > 1) element_index(at, dim(expected))),
    values = both_values(expected, given, at)
  )
}

all_finite <- function(arguments) {
  all(rapply(arguments, function(x) !is_measured(x) || all(is.finite(x)), how = "unlist"))
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
