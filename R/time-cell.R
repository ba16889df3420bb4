# One cell: a stage at a size, made ready to be sampled.

sample_target <- 2e-3 # seconds; longer where the clock is coarse

new_cell <- function(stage, size, state = "timed", reason = "", forecast = NA_real_) {
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
  cell$ready <- NULL
  cell
}

# Evaluates the cell until R has compiled what it compiles and the batch is
# known. Sets the cell's state to "failed" or "stopped" where that goes wrong.
open_cell <- function(cell, kernel, arguments, limit, warm) {
  cell$ready <- ready_call(kernel, arguments)
  cell$each <- Inf
  batch <- 1
  repeat {
    seconds <- guarded_batch(cell, batch, limit)
    if (cell$state != "timed") return(invisible(cell))
    cell$each <- min(cell$each, seconds / batch)
    if (seconds >= cell_target() / 4 && (warm || batch > 1)) break
    if (seconds >= cell_target()) warm <- TRUE else batch <- batch * 4
  }
  cell$batch <- max(1, ceiling(cell_target() / cell$each))
  invisible(cell)
}

cell_target <- function() max(sample_target, least_sample())

guarded_batch <- function(cell, batch, limit) {
  ran <- run_limited(sample_batch(cell$ready$call, cell$ready$frame, batch), limit)
  if (is.null(ran$error)) return(ran$value)
  fail_cell(cell, ran$error, ran$overran, limit)
  NA_real_
}

fail_cell <- function(cell, error, overran = FALSE, limit = NA) {
  cell$state <- if (overran) "stopped" else "failed"
  cell$stopped_by <- if (overran) "limit" else "error"
  cell$reason <- if (overran) {
    sprintf("one evaluation went past the limit of %s and was stopped", plain_seconds(limit))
  } else {
    paste("stopped with:", condition_line(error))
  }
  if (overran) cell$forecast <- NA_real_
}

# Seconds per evaluation in one sample, less the loop's own cost; NA if it failed.
sample_cell <- function(cell, loop) {
  seconds <- tryCatch(
    sample_batch(cell$ready$call, cell$ready$frame, cell$batch),
    error = function(e) {
      fail_cell(cell, e)
      NA_real_
    }
  )
  max(seconds / cell$batch - loop, 0)
}
