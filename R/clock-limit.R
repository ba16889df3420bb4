# Runs `expr` for at most `seconds`; R looks at the limit wherever it can be
# interrupted. Returns list(value) or list(error, overran).
run_limited <- function(expr, seconds) {
  start <- clock_now()
  on.exit(setTimeLimit(elapsed = Inf))
  setTimeLimit(elapsed = seconds, transient = TRUE)
  tryCatch(list(value = force(expr)), error = function(e) {
    list(error = e, overran = clock_now() - start >= seconds)
  })
}
