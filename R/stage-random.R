# Many runs of a stage that draws random numbers, each boiled down to numbers
# that can be compared between stages.

# A matrix: one row a run, one column a summary of a part of the result. Runs
# start from seeds of their own; `stream` keeps two stages' seeds apart.
evaluator_replicates <- function(evaluator, name, size, limit = Inf, case, count, stream) {
  stage <- evaluator$study$stages[[name]]
  arguments <- evaluator_arguments(evaluator, size, case)
  hold_threads(evaluator, stage$threads)
  rows <- list()
  for (run in seq_len(count)) {
    seed <- derive_seed(evaluator$study$seed + run, -size - stream / 8)
    ran <- quietly(
      run_limited(with_seed(seed, timed_value(ready_call(stage$kernel, deep_copy(arguments)))), limit),
      nullfile()
    )
    if (is_fault(ran)) return(ran)
    rows[[run]] <- result_summaries(ran$value)
  }
  if (length(unique(lapply(rows, names))) > 1) return(new_fault("failed", "changing shape"))
  do.call(rbind, rows)
}

# Named numbers: a single number is itself; a longer part is its mean, its
# spread, and its first, middle and last element.
result_summaries <- function(value, path = "result") {
  if (is.list(value)) {
    steps <- list_steps(value)
    parts <- lapply(seq_along(value), function(i) result_summaries(value[[i]], paste0(path, steps[[i]])))
    return(unlist(parts) %||% double())
  }
  if (!is.numeric(value) && !is.logical(value)) return(double())
  if (length(value) <= 1) return(stats::setNames(as.double(value), rep(paste("draw", path), length(value))))
  value <- as.double(value)
  at <- unique(c(1, (length(value) + 1) %/% 2, length(value)))
  found <- c(mean(value), stats::sd(value), value[at])
  stats::setNames(found, c(
    paste(c("mean", "spread"), path),
    sprintf("draw %s[%s]", path, format(at, scientific = FALSE, trim = TRUE))
  ))
}

# What a column of replicates summarises: list(kind, name), `kind` "mean", "spread" or "draw".
summary_part <- function(column) list(kind = sub(" .*", "", column), name = sub("^[a-z]+ ", "", column))

# "$mean", or "[[2]]" for an element without a plain name.
list_steps <- function(x) {
  named <- rlang::names2(x)
  plain <- make.names(named) == named & named != ""
  ifelse(plain, paste0("$", named), sprintf("[[%d]]", seq_along(x)))
}
