# The measuring of a machine: bytes by working set, operations, latency, and what calls cost.

least_set <- 2^13 # bytes
most_set <- 2^28
usual_last_cache <- 2^25 # where the system does not tell its caches
memory_kinds <- c("read", "write", "copy", "triad")
operation_kinds <- c("scalar", "vector", "fused", "chain")

measure_machine <- function() {
  start <- clock_now()
  caches <- system_caches()
  cores <- processor_count()
  threads <- if (is.na(cores) || cores < 2) 1L else unique(c(1L, as.integer(2^seq_len(floor(log2(cores)))), cores))
  sets <- working_sets(caches)
  latency <- measure_latency(sets)
  list(
    facts = host_facts(), caches = caches, bandwidth = measure_bandwidth(sets, threads),
    operations = measure_operations(threads), latency = latency, seen = seen_levels(latency$bytes, latency$seconds),
    costs = measure_costs(), clock_step = clock_step(), noise = noise_floor(), pressure = quiet_pressure(),
    seconds = clock_now() - start
  )
}

# By factors of two, up to four times the last cache, within reason.
working_sets <- function(caches) {
  last <- if (nrow(caches)) max(caches$bytes) else usual_last_cache
  2^seq(log2(least_set), log2(min(most_set, 4 * 2^ceiling(log2(last)), memory_bytes() / 8, na.rm = TRUE)))
}

measure_bandwidth <- function(sets, threads) {
  cells <- expand.grid(bytes = sets, kind = memory_kinds, threads = threads, stringsAsFactors = FALSE)
  rates <- vapply(seq_len(nrow(cells)), function(i) {
    signal_progress("machine", what = cells$kind[[i]], done = i, of = nrow(cells), finished = i == nrow(cells))
    machine_bandwidth(cells$kind[[i]], cells$bytes[[i]], as.integer(cells$threads[[i]]))
  }, 0)
  tibble::tibble(kind = cells$kind, threads = cells$threads, bytes = cells$bytes, rate = rates)
}

measure_operations <- function(threads) {
  cells <- expand.grid(kind = operation_kinds, threads = threads, stringsAsFactors = FALSE)
  found <- Map(function(kind, threads) machine_operations(kind, as.integer(threads)), cells$kind, cells$threads)
  field <- function(name) vapply(found, function(one) one[[name]], 0, USE.NAMES = FALSE)
  made <- tibble::tibble(kind = cells$kind, threads = cells$threads, width = field("width"), rate = field("rate"))
  made[made$rate > 0, ]
}

measure_latency <- function(sets) {
  tibble::tibble(bytes = sets, seconds = vapply(sets, machine_latency, 0))
}

# What R pays, in seconds each.
measure_costs <- function() {
  empty <- compiler::cmpfun(function() NULL)
  tibble::tibble(
    what = c("R call", "native crossing", "allocation of 8 kB", "allocation of 8 MB"),
    seconds = c(
      cost_of(empty), cost_of(machine_nothing), cost_of(function() numeric(1e3)), cost_of(function() numeric(1e6))
    )
  )
}

cost_of <- function(f) {
  ready <- ready_call(f, list())
  readings <- function(batch) sample_batch(ready$call, ready$frame, batch)[["seconds"]] / batch
  batch <- max(1, ceiling(2e-3 / readings(3)))
  max(0, min(vapply(1:7, function(i) readings(batch), 0)) - loop_cost())
}

# By how much the same native work varies from one turn to the next: the middle half of its times over their median.
noise_floor <- function() {
  seen <- vapply(1:101, function(i) clock_work(noise_steps), 0)
  stats::IQR(seen) / stats::median(seen)
}
