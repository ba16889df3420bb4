# A desk is where stages are evaluated: it holds the study and, for each stage
# and size, a call that is ready to be sampled. One stands in this session or in
# a worker process; the verbs are the same (see stage-host.R). Each verb returns
# a plain value, or a fault.

new_desk <- function(study) {
  desk <- new.env()
  desk$study <- study
  desk$size <- NA
  desk$arguments <- NULL
  desk$ready <- list()
  desk$threads <- NULL
  desk
}

desk_key <- function(name, size) paste(name, size)

# Asking the runtimes costs more than a short sample, so only changes are passed on.
hold_threads <- function(desk, threads) {
  if (identical(desk$threads, threads)) return(invisible())
  set_threads(threads)
  desk$threads <- threads
}

desk_arguments <- function(desk, size) {
  if (!identical(desk$size, size)) {
    desk$arguments <- study_inputs(desk$study, size)
    desk$size <- size
  }
  desk$arguments
}

# Makes the arguments, so that no limit on an evaluation counts that in.
desk_prepare <- function(desk, name, size) {
  desk_arguments(desk, size)
  TRUE
}

# The value of one evaluation, from the random state that agreement uses.
desk_value <- function(desk, name, size, limit = Inf) {
  ready <- fresh_call(desk, name, size)
  quietly(run_limited(with_seed(derive_seed(desk$study$seed, -size), timed_value(ready)), limit), nullfile())
}

# First evaluation of a cell: list(seconds, kind of result, whether it changed
# its arguments, whether it printed, elements that the arguments hold).
desk_first <- function(desk, name, size, limit = Inf) {
  stage <- desk$study$stages[[name]]
  hold_threads(desk, stage$threads)
  arguments <- desk_arguments(desk, size)
  own <- deep_copy(arguments)
  said <- tempfile("said")
  on.exit(unlink(said))
  ran <- quietly(run_limited(timed_value(ready_call(stage$kernel, own)), limit), said)
  if (is_fault(ran)) return(ran)
  changes <- stage$in_place || !identical(own, arguments, num.eq = FALSE, single.NA = FALSE)
  ready <- ready_call(stage$kernel, arguments)
  desk$ready[[desk_key(name, size)]] <- c(ready, list(
    arguments = arguments, changes = changes, talks = file.size(said) > 0, threads = stage$threads
  ))
  list(seconds = ran$seconds, kind = value_kind(ran$value), changes = changes, talks = file.size(said) > 0,
       elements = sum(rapply(arguments, length, how = "unlist")))
}

value_kind <- function(value) paste(typeof(value), paste(dim(value) %||% length(value), collapse = " x "))

# One batch: c(seconds, cpu, taken, gc, gc_seconds), for all its evaluations together.
desk_sample <- function(desk, name, size, batch, limit = Inf) {
  key <- desk_key(name, size)
  if (is.null(desk$ready[[key]])) { # a worker that took the place of one that died
    first <- desk_first(desk, name, size, limit)
    if (is_fault(first)) return(first)
  }
  ready <- desk$ready[[key]]
  hold_threads(desk, ready$threads)
  frames <- if (ready$changes) fresh_frames(ready, batch)
  spent <- gc.time()[[3]]
  readings <- quietly(run_limited(
    if (is.null(frames)) sample_batch(ready$call, ready$frame, batch) else sample_frames(ready$call, frames), limit
  ), if (ready$talks) nullfile())
  if (is_fault(readings)) return(readings)
  c(readings, gc_seconds = gc.time()[[3]] - spent)
}

# Environments with arguments of their own, for calls that change them.
fresh_frames <- function(ready, batch) {
  lapply(seq_len(batch), function(i) ready_call(ready$frame$kernel, deep_copy(ready$arguments))$frame)
}

# Most evaluations that a batch of fresh arguments may hold in memory.
most_frames <- function(elements) max(1, floor(64e6 / (8 * max(elements, 1))))
