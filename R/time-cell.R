# One cell: a stage at a size, made ready to be sampled.

sample_target <- 4e-3 # seconds; longer where the clock is coarse or the backend far

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

# One sample, per evaluation and less the loop's own cost; NULL if it failed.
sample_cell <- function(cell, backend, loop, limit) {
  readings <- undisturbed_batch(cell, backend, max(limit, 10 * cell$each * cell$batch))
  if (is_fault(readings)) {
    fail_cell(cell, readings)
    return(NULL)
  }
  list(
    seconds = max(readings[["seconds"]] / cell$batch - loop, 0), cpu = readings[["cpu"]] / cell$batch,
    preempted_seconds = readings[["preempted_seconds"]] / cell$batch,
    gc = readings[["gc"]], gc_seconds = readings[["gc_seconds"]]
  )
}

# A batch during which another process had the processor for more than 1 % is taken
# again, twice at most: right after that, a short one mostly runs through. The
# least disturbed one counts.
undisturbed_batch <- function(cell, backend, limit) {
  best <- backend$sample(cell$stage, cell$size, cell$batch, limit = limit)
  for (again in 1:2) {
    if (is_fault(best) || best[["preempted_seconds"]] <= 0.01 * best[["seconds"]]) break
    if (best[["seconds"]] > 5 * sample_target) break
    other <- backend$sample(cell$stage, cell$size, cell$batch, limit = limit)
    if (is_fault(other) || other[["preempted_seconds"]] < best[["preempted_seconds"]]) best <- other
  }
  best
}
