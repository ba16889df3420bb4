# A desk is where stages are evaluated: it holds the study and, for each stage
# and size, a call that is ready to be sampled. One stands in this session or in
# a worker process; the verbs are the same (see stage-host.R). Each verb returns
# a plain value, or a fault.

new_desk <- function(study) {
  desk <- new.env()
  desk$study <- study
  desk$made <- NULL
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

# Made once for a size and case; a jolted variant is made anew.
desk_arguments <- function(desk, size, case = own_inputs, jolt = 0) {
  if (jolt > 0) return(case_arguments(desk$study, size, case, jolt))
  if (!identical(desk$made, c(size, case))) {
    desk$arguments <- case_arguments(desk$study, size, case)
    desk$made <- c(size, case)
  }
  desk$arguments
}

# Makes the arguments, so that no limit on an evaluation counts that in. FALSE
# where the case changes nothing; a fault where they can't be made.
desk_prepare <- function(desk, name, size, case = own_inputs) {
  tryCatch(!is.null(desk_arguments(desk, size, case)), ds_error_input = function(e) {
    new_fault("failed", condition_line(e))
  })
}

# One evaluation from the random state that agreement uses: list(value, seconds,
# conduct), where `conduct` is what it did besides.
desk_value <- function(desk, name, size, limit = Inf, case = own_inputs, jolt = 0, threads = NULL) {
  desk_trial(desk, name, size, limit, desk_arguments(desk, size, case, jolt), threads)
}

# The same on arguments that are given.
desk_trial <- function(desk, name, size, limit = Inf, arguments, threads = NULL) {
  stage <- desk$study$stages[[name]]
  own <- deep_copy(arguments)
  hold_threads(desk, threads %||% stage$threads)
  heard <- listen(with_seed(derive_seed(desk$study$seed, -size), {
    start <- rlang::hash(.Random.seed)
    list(ran = run_limited(timed_value(ready_call(stage$kernel, own)), limit), start = start,
         random = rlang::hash(.Random.seed))
  }))
  ran <- heard$value$ran
  if (is_fault(ran)) return(ran)
  if (list_depth(ran$value) > deepest) {
    return(new_fault("failed", sprintf("gave lists nested more than %d deep, which can't be compared", deepest)))
  }
  changed <- names(own)[!mapply(identical, own, arguments, MoreArgs = list(num.eq = FALSE, single.NA = FALSE))]
  value <- ran$value
  if (stage$in_place && length(changed) && is.null(value)) {
    value <- if (length(changed) == 1) own[[changed]] else own[changed]
  }
  list(
    value = value, seconds = ran$seconds,
    conduct = list(
      changed = if (stage$in_place) character() else changed, warned = heard$warned, printed = heard$printed,
      random = heard$value$random, draws = heard$value$random != heard$value$start,
      shares = shares_memory(ran$value, own)
    )
  )
}

# Evaluates `expr` with its warnings and printed bytes kept off the console.
listen <- function(expr) {
  warned <- character()
  said <- tempfile("said")
  on.exit(unlink(said))
  value <- withCallingHandlers(
    quietly(expr, said, muffle_warnings = FALSE),
    warning = function(w) {
      warned <<- c(warned, condition_line(w))
      tryInvokeRestart("muffleWarning")
    }
  )
  list(value = value, warned = unique(warned), printed = file.size(said))
}

deepest <- 100

# How deep lists are nested in `x`, counted level by level since a recursion
# could run out of stack.
list_depth <- function(x) {
  depth <- 0
  level <- Filter(is.list, list(x))
  while (length(level) && depth <= deepest) {
    depth <- depth + 1
    level <- Filter(is.list, unlist(lapply(level, unclass), recursive = FALSE))
  }
  depth
}

# Values of several sizes and cases in one go.
desk_values <- function(desk, name, size, limit = Inf, sizes, cases) {
  Map(function(size, case) {
    prepared <- desk_prepare(desk, name, size, case)
    if (isTRUE(prepared)) desk_value(desk, name, size, limit, case) else prepared
  }, sizes, cases)
}

# Names of arguments whose memory is the result's own; only native code can do
# harm with that, so it is asked of the top of the result and of its elements.
shares_memory <- function(value, arguments) {
  parts <- if (is.list(value)) value else list(value)
  held <- vapply(parts, rlang::obj_address, "")
  names(arguments)[vapply(arguments, function(argument) {
    length(argument) > 0 && rlang::obj_address(argument) %in% held
  }, NA)]
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
