# Of a compiled function: what its native parts take of a call, by the lines of R that they stand for.

native_warm_calls <- 3

# A row for each loop that does not stand in a native one, or one for all lines of a function that is native as a
# whole: `from`, `to`, `runs`, `seconds` a call, `share` of the call. NULL for a function that is not compiled.
profile_native <- function(f, args, seconds) {
  if (is.null(attr(f, "ds_compiled"))) return(NULL)
  ready <- ready_call(f, deep_copy(args))
  for (turn in seq_len(native_warm_calls)) eval(ready$call, ready$frame)
  before <- ds_inspect(f)
  called <- call_for(ready, seconds)
  after <- ds_inspect(f)
  parts <- after$parts
  if (nrow(after$table) > 0 && after$fallbacks == before$fallbacks) {
    lines <- as.integer(names(after$text))
    parts <- tibble::tibble(from = min(lines), to = max(lines), runs = "native")
    spent <- called$seconds
  } else {
    spent <- (parts$seconds - before$parts$seconds) / called$evaluations
  }
  list(seconds = called$seconds, parts = tibble::tibble(
    from = parts$from, to = parts$to, runs = parts$runs, seconds = spent, share = spent / called$seconds
  ))
}
