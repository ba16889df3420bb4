# Samples as they count: collections of garbage charged by bytes, crowded samples left out.

# `facts` has `bytes` by `stage` and `size`. `seconds` becomes the time outside collections plus `collecting`, what the
# collections of an evaluation's own bytes cost at that size.
counted_samples <- function(samples, facts) {
  if (nrow(samples) == 0) return(samples)
  sizes <- split(seq_len(nrow(samples)), samples$size)
  counted <- lapply(sizes, function(at) without_crowded(charge_collections(samples[at, ], facts)))
  do.call(rbind, unname(counted))
}

# A collection is paid by whoever trips it, and was caused by all that was allocated since the one before: at one size
# a byte costs all seconds of collections over all bytes.
charge_collections <- function(samples, facts) {
  bytes <- facts$bytes[match(paste(samples$stage, samples$size), paste(facts$stage, facts$size))]
  own <- samples$gc_seconds / samples$batch
  known <- is.finite(bytes)
  allocated <- sum((bytes * samples$batch)[known])
  cost <- if (allocated > 0) sum(samples$gc_seconds[known]) / allocated else 0
  samples$collecting <- ifelse(known & allocated > 0, bytes * cost, own)
  samples$seconds <- pmax(samples$seconds - own, least_outside * samples$seconds) + samples$collecting
  samples
}

# R tells the time of collections by the millisecond: no more than this is taken off a sample.
least_outside <- 0.2

crowded_from <- 1.25 # times the pressure of a core that is not shared
least_free <- 5

is_crowded <- function(samples) is.finite(samples$crowding) & samples$crowding > crowded_from

# Samples beside a neighbour on the same core do not count where each stage has enough others at that size.
without_crowded <- function(samples) {
  crowded <- is_crowded(samples)
  free <- tapply(!crowded, samples$stage, sum)
  if (all(free >= least_free)) samples[!crowded, ] else samples
}
