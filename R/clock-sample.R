# Timed batches of one call.

# What the sampling loop itself costs per evaluation, in seconds: the loop run
# on a constant. Subtracted from every sample.
loop_cost <- function() {
  batches <- vapply(1:20, function(i) sample_batch(TRUE, baseenv(), 1e4)[["seconds"]], 0)
  min(batches) / 1e4
}

# The smallest sample that keeps the clock's step below 0.1 % of it.
least_sample <- function() 1000 * clock_step()

# A call of `kernel` on `arguments`, ready for sample_batch(): the function and
# its arguments stand in an environment of their own, so that no look-up goes
# further than one frame. R's byte compiler works on closures, not on this call.
ready_call <- function(kernel, arguments) {
  symbols <- lapply(sprintf("argument_%d", seq_along(arguments)), as.name)
  frame <- new.env(parent = baseenv(), size = length(arguments) + 2L)
  for (i in seq_along(arguments)) assign(as.character(symbols[[i]]), arguments[[i]], envir = frame)
  assign("kernel", kernel, envir = frame)
  names(symbols) <- names(arguments)
  list(call = as.call(c(as.name("kernel"), symbols)), frame = frame)
}

# One evaluation with its value: list(value, seconds).
timed_value <- function(ready) {
  start <- clock_now()
  value <- eval(ready$call, ready$frame)
  list(value = value, seconds = clock_now() - start)
}
