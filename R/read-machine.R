# What the measurements of a machine say: cache levels in the curve of latencies, rates at a working set.

level_rise <- 1.5 # times the latency of the level before
still_rising <- 1.25

# The levels of memory that latencies by working set show: `level`, `bytes` (the largest set before the next rise, Inf
# for the last) and `seconds` of a load there.
seen_levels <- function(bytes, seconds) {
  last <- 1L
  at <- integer(length(seconds))
  floor <- seconds[[1]]
  for (i in seq_along(seconds)) {
    risen <- i > 1 && seconds[[i]] > level_rise * floor
    rising <- i < length(seconds) && seconds[[i + 1]] > still_rising * seconds[[i]]
    if (risen && !rising) {
      last <- last + 1L
      floor <- seconds[[i]]
    }
    at[[i]] <- if (risen && rising) NA_integer_ else last
    floor <- min(floor, seconds[[i]])
  }
  levels <- seq_len(last)
  tibble::tibble(
    level = levels,
    bytes = vapply(levels, function(one) if (one == last) Inf else max(bytes[at %in% one]), 0),
    seconds = vapply(levels, function(one) stats::median(seconds[at %in% one]), 0)
  )
}

# Bytes per second of `kind` at a working set, between those measured by their logarithms.
rate_at <- function(machine, kind, bytes, threads = 1) {
  known <- machine$bandwidth[machine$bandwidth$kind == kind, ]
  known <- known[known$threads == nearest_threads(known$threads, threads), ]
  exp(stats::approx(log(known$bytes), log(known$rate), log(bytes), rule = 2)$y)
}

# Operations per second of a kind; 0 where this machine has none.
operations_of <- function(machine, kind, threads = 1) {
  known <- machine$operations[machine$operations$kind == kind, ]
  if (nrow(known) == 0) return(0)
  known$rate[[match(nearest_threads(known$threads, threads), known$threads)]]
}

nearest_threads <- function(known, threads) {
  below <- known[known <= threads]
  if (length(below)) max(below) else min(known)
}

cost_named <- function(machine, what) machine$costs$seconds[[match(what, machine$costs$what)]]

# "L2 of 1.00 MB", by the levels of the system where it tells them, else by those that the curve shows.
memory_words <- function(machine, bytes) {
  caches <- machine$caches[order(machine$caches$bytes), ]
  if (nrow(caches) == 0) {
    level <- machine$seen$level[[match(TRUE, bytes <= machine$seen$bytes)]]
    return(if (level == max(machine$seen$level)) "memory" else sprintf("cache level %d", level))
  }
  fits <- which(bytes <= caches$bytes)
  if (length(fits)) sprintf("the L%.0f cache", caches$level[[fits[[1]]]]) else "memory"
}

format_rate <- function(x, unit = "B/s") {
  vapply(x, function(rate) {
    if (is.na(rate)) return("")
    power <- min(4, max(0, floor(log10(max(rate, 1)) / 3)))
    paste0(signif_text(rate / 1000^power), " ", c("", "k", "M", "G", "T")[[power + 1]], unit)
  }, "", USE.NAMES = FALSE)
}
