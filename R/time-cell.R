# One cell: a stage at a size, made ready to be sampled.

sample_target <- 4e-3 # seconds; longer where the clock is coarse or the backend far
collecting_target <- 20e-3 # where garbage is collected: R tells the time of that by the millisecond

new_cell <- function(stage, size, state = "timed", reason = "", forecast = c(NA_real_, NA, NA)) {
  cell <- new.env()
  cell$stage <- stage
  cell$size <- size
  cell$state <- state
  cell$reason <- reason
  cell$forecast <- forecast
  cell$batch <- NA_real_
  cell$each <- NA_real_
  cell$rounds <- 0
  cell$stopped_by <- ""
  cell$changes <- FALSE
  cell$prints <- FALSE
  cell$elements <- NA_real_
  cell$memory <- c(bytes = NA_real_, allocations = NA_real_, largest_bytes = NA_real_)
  cell
}

# Evaluates the cell until R has compiled what it compiles and the batch is
# known. Sets the cell's state to "failed" or "stopped" where that goes wrong.
open_cell <- function(cell, backend, limit, warm) {
  prepared <- backend$prepare(cell$stage, cell$size)
  if (is_fault(prepared)) return(fail_cell(cell, prepared))
  first <- ask_first(cell, backend, limit)
  if (cell$state != "timed") return(invisible(cell))
  cell$each <- first$seconds
  cell$changes <- first$changes
  cell$prints <- first$prints
  cell$elements <- first$elements
  if (!warm || first$seconds < 0.1) {
    second <- ask_first(cell, backend, limit)
    if (cell$state == "timed" && second$kind != first$kind) {
      fail_cell(cell, new_fault("failed", "changing kind", first = first$kind, second = second$kind))
    }
    if (cell$state != "timed") return(invisible(cell))
    cell$each <- min(cell$each, second$seconds)
  }
  calibrate_cell(cell, backend, limit)
}

ask_first <- function(cell, backend, limit) {
  found <- backend$first(cell$stage, cell$size, limit = limit)
  if (is_fault(found)) fail_cell(cell, found)
  found
}

# Batches of growing length until one is long enough to say what an evaluation
# takes. The first few are single evaluations: one that another process interrupted
# must not pass for a slow stage, or its batches would come out too short.
calibrate_cell <- function(cell, backend, limit) {
  target <- max(sample_target, least_sample(), backend$overhead)
  most <- if (cell$changes) most_frames(cell$elements) else Inf
  batch <- 1
  singles <- if (cell$each < 0.1) 3 else 0
  while (singles > 0 || (cell$each * batch < target / 4 && batch < most)) {
    if (singles <= 0) batch <- min(batch * 4, most)
    singles <- singles - 1
    readings <- backend$sample(cell$stage, cell$size, batch, limit = limit)
    if (is_fault(readings)) return(fail_cell(cell, readings))
    cell$each <- min(cell$each, readings[["seconds"]] / batch)
    if (readings[["gc"]] > 0) target <- max(target, collecting_target)
  }
  cell$batch <- min(most, max(1, ceiling(target / cell$each)))
  invisible(cell)
}

# A crash is a failure of the cell; its reason says that it was one.
fail_cell <- function(cell, fault) {
  cell$state <- if (fault$state == "crashed") "failed" else fault$state
  cell$stopped_by <- if (fault$state == "stopped") "limit" else "error"
  cell$reason <- fault_words(fault)
  invisible(cell)
}

# One sample, per evaluation and less the loop's own cost; NULL if it failed. `quiet`: the pressure of a core that is
# not shared; `collect`: garbage is collected first.
sample_cell <- function(cell, backend, loop, limit, quiet, collect) {
  readings <- undisturbed_batch(cell, backend, max(limit, 10 * cell$each * cell$batch), quiet, collect)
  if (is_fault(readings)) {
    fail_cell(cell, readings)
    return(NULL)
  }
  list(
    seconds = max(readings[["seconds"]] / cell$batch - loop, 0), cpu = readings[["cpu"]] / cell$batch,
    preempted_seconds = readings[["preempted_seconds"]] / cell$batch,
    gc = readings[["gc"]], gc_seconds = readings[["gc_seconds"]], pressure = pressure_of(readings)
  )
}

# A batch during which something else had the processor for more than 1 %, or had a share of the core, is taken
# again, twice at most: right after that, a short one mostly runs through. The
# least disturbed one counts.
undisturbed_batch <- function(cell, backend, limit, quiet, collect = FALSE) {
  best <- backend$sample(cell$stage, cell$size, cell$batch, limit = limit, collect = collect)
  for (again in 1:2) {
    if (is_fault(best) || disturbance(best, quiet) <= 0.01 || best[["seconds"]] > 5 * sample_target) break
    other <- backend$sample(cell$stage, cell$size, cell$batch, limit = limit)
    if (is_fault(other) || disturbance(other, quiet) < disturbance(best, quiet)) best <- other
  }
  best
}

# The share of a batch that was taken from it, and what a neighbour on the core may have made of it.
disturbance <- function(readings, quiet) {
  crowding <- pressure_of(readings) / quiet
  beside <- if (is.finite(crowding) && crowding > crowded_from) crowding - 1 else 0
  readings[["preempted_seconds"]] / readings[["seconds"]] + beside
}
