# Runs `expr` for at most `seconds`; R looks at the limit wherever it can be
# interrupted. Its value, or a fault where it stopped with an error.
run_limited <- function(expr, seconds) {
  start <- clock_now()
  before <- processor_seconds()
  on.exit(setTimeLimit(elapsed = Inf))
  if (is.finite(seconds)) setTimeLimit(elapsed = seconds, transient = TRUE)
  tryCatch(force(expr), error = function(e) {
    if (clock_now() - start >= seconds) return(overrun_fault(seconds, processor_seconds() - before < seconds / 2))
    new_fault("failed", "error", message = condition_line(e))
  })
}

# What this process has had of its processors, and those that it waited for.
processor_seconds <- function() sum(proc.time()[-3])
