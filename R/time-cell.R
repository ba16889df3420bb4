# One cell: a stage at a size, made ready to be sampled.

sample_target <- 4e-3 # seconds; longer where the clock is coarse or the host far

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
  cell$talks <- FALSE
  cell$elements <- NA_real_
  cell$memory <- c(bytes = NA_real_, allocations = NA_real_, largest = NA_real_)
  cell
}

# Evaluates the cell until R has compiled what it compiles and the batch is
# known. Sets the cell's state to "failed" or "stopped" where that goes wrong.
open_cell <- function(cell, host, limit, warm) {
  host$prepare(cell$stage, cell$size)
  first <- ask_first(cell, host, limit)
  if (cell$state != "timed") return(invisible(cell))
  cell$each <- first$seconds
  cell$changes <- first$changes
  cell$talks <- first$talks
  cell$elements <- first$elements
  if (!warm || first$seconds < 0.1) {
    second <- ask_first(cell, host, limit)
    if (cell$state == "timed" && second$kind != first$kind) {
      words <- sprintf("returned %s, then %s for the same arguments", first$kind, second$kind)
      fail_cell(cell, new_fault("failed", words))
    }
    if (cell$state != "timed") return(invisible(cell))
    cell$each <- min(cell$each, second$seconds)
  }
  calibrate_cell(cell, host, limit)
}

ask_first <- function(cell, host, limit) {
  found <- host$first(cell$stage, cell$size, limit = limit)
  if (is_fault(found)) fail_cell(cell, found)
  found
}

# Batches of growing length until one is long enough to say what an evaluation
# takes. The first few are single evaluations: one that another process interrupted
# must not pass for a slow stage, or its batches would come out too short.
calibrate_cell <- function(cell, host, limit) {
  target <- max(sample_target, least_sample(), host$overhead)
  most <- if (cell$changes) most_frames(cell$elements) else Inf
  batch <- 1
  singles <- if (cell$each < 0.1) 3 else 0
  while (singles > 0 || (cell$each * batch < target / 4 && batch < most)) {
    if (singles <= 0) batch <- min(batch * 4, most)
    singles <- singles - 1
    readings <- host$sample(cell$stage, cell$size, batch, limit = limit)
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
  cell$reason <- fault$reason
  invisible(cell)
}

# One sample, per evaluation and less the loop's own cost; NULL if it failed.
sample_cell <- function(cell, host, loop, limit) {
  readings <- undisturbed_batch(cell, host, max(limit, 10 * cell$each * cell$batch))
  if (is_fault(readings)) {
    fail_cell(cell, readings)
    return(NULL)
  }
  list(
    seconds = max(readings[["seconds"]] / cell$batch - loop, 0), cpu = readings[["cpu"]] / cell$batch,
    taken = readings[["taken"]] / cell$batch,
    gc = readings[["gc"]], gc_seconds = readings[["gc_seconds"]]
  )
}

# A batch during which another process had the processor for more than 1 % is taken
# again, twice at most: right after that, a short one mostly runs through. The
# least disturbed one counts.
undisturbed_batch <- function(cell, host, limit) {
  best <- host$sample(cell$stage, cell$size, cell$batch, limit = limit)
  for (again in 1:2) {
    if (is_fault(best) || best[["taken"]] <= 0.01 * best[["seconds"]] || best[["seconds"]] > 5 * sample_target) break
    other <- host$sample(cell$stage, cell$size, cell$batch, limit = limit)
    if (is_fault(other) || other[["taken"]] < best[["taken"]]) best <- other
  }
  best
}
