# An evaluator is where stages are evaluated: it holds the study and, for each stage
# and size, a call that is ready to be sampled. It stands in a copy of this session or in
# a worker process; the verbs are the same (see stage-backend.R). Each verb returns
# a plain value, or a fault. `said` is the file that takes what is printed.

new_evaluator <- function(study, said = scratch_file("said")) {
  evaluator <- new.env()
  evaluator$study <- study
  evaluator$said <- said
  evaluator$made <- NULL
  evaluator$arguments <- NULL
  evaluator$ready <- list()
  evaluator$rounding <- list()
  evaluator$covered <- list()
  evaluator$threads <- NULL
  evaluator$collected <- FALSE
  evaluator
}

evaluator_key <- function(name, size) paste(name, size)

# Asking the runtimes costs more than a short sample, so only changes are passed on.
hold_threads <- function(evaluator, threads) {
  if (identical(evaluator$threads, threads)) return(invisible())
  set_threads(threads)
  evaluator$threads <- threads
}

# Made once for a size and case.
evaluator_arguments <- function(evaluator, size, case = own_inputs) {
  if (!identical(evaluator$made, c(size, case))) {
    evaluator$arguments <- case_arguments(evaluator$study, size, case)
    evaluator$made <- c(size, case)
  }
  evaluator$arguments
}

# Makes the arguments, so that no limit on an evaluation counts that in. FALSE
# where the case changes nothing; a fault where they can't be made.
evaluator_prepare <- function(evaluator, name, size, case = own_inputs) {
  given <- evaluator_given(evaluator, name, size, case)
  if (is_fault(given)) given else !is.null(given)
}

# The arguments themselves; NULL where the case changes nothing.
evaluator_given <- function(evaluator, name, size, case = own_inputs) {
  tryCatch(evaluator_arguments(evaluator, size, case), ds_error_input = function(e) {
    new_fault("failed", "inputs", size = size, message = c(e$message, e$body))
  })
}

# A hash of the study's own inputs.
evaluator_fingerprint <- function(evaluator, name, size, limit = Inf) {
  hash_value(code_parts(evaluator_arguments(evaluator, size)))
}

# The exact result.
# Where `moved` is not 0, of arguments whose last bits are changed at random, the `moved`th time.
evaluator_truth <- function(evaluator, name, size, limit = Inf, case = own_inputs, moved = 0) {
  truth <- evaluator$study$truth
  arguments <- evaluator_arguments(evaluator, size, case)
  if (moved > 0) arguments <- perturb_arguments(arguments, moved, evaluator$study$places)
  if ("..." %in% names(formals(args(truth)))) names(arguments) <- NULL # `sum` and its like
  run_limited(do.call(truth, arguments, quote = TRUE), limit)
}

# One evaluation from the random state that agreement uses: list(value, seconds,
# conduct), where `conduct` is what it did besides.
evaluator_value <- function(evaluator, name, size, limit = Inf, case = own_inputs, threads = NULL) {
  evaluator_trial(evaluator, name, size, limit, evaluator_arguments(evaluator, size, case), threads)
}

# What stands for a stage's kernel under random rounding, made once; itself where it is no R code.
evaluator_rounding <- function(evaluator, name) {
  if (is.null(evaluator$rounding[[name]])) {
    kernel <- evaluator$study$stages[[name]]$kernel
    evaluator$rounding[[name]] <- rounding_kernel(kernel) %||% kernel
  }
  evaluator$rounding[[name]]
}

fewest_spread_runs <- 10

# After so many runs, so long after the time for them?
is_spread_known <- function(runs, late, most_late) {
  runs >= 3 && late > if (runs >= fewest_spread_runs) 0 else most_late
}

# The values of a stage on arguments whose last bits are changed, once for each of `perturbations`: list(values,
# stopped). An error in one leaves that out; what runs past the limit ends them all, and so does the clock, see
# is_spread_known().
evaluator_shaken <- function(evaluator, name, size, limit = Inf, case = own_inputs, arguments = NULL, perturbations,
                             rounding, seconds, most_late = 0) {
  stage <- evaluator$study$stages[[name]]
  if (rounding) stage$kernel <- evaluator_rounding(evaluator, name)
  given <- arguments %||% evaluator_arguments(evaluator, size, case)
  hold_threads(evaluator, stage$threads)
  until <- clock_now() + seconds
  values <- list()
  stopped <- FALSE
  listen(evaluator$said, for (turn in perturbations) {
    moved <- perturb_arguments(given, turn, evaluator$study$places)
    ran <- with_seed(derive_seed(evaluator$study$seed, -size), shaken_value(stage, moved, limit))
    if (!is_fault(ran)) values[[length(values) + 1]] <- ran
    stopped <- is_fault(ran) && ran$state != "failed"
    if (stopped || is_spread_known(turn, clock_now() - until, most_late)) break
  })
  list(values = values, stopped = stopped)
}

# Wrapped, so that a result of NULL is one.
shaken_value <- function(stage, arguments, limit) {
  own <- deep_copy(arguments)
  ran <- run_limited(timed_value(ready_call(stage$kernel, own)), limit)
  if (is_fault(ran)) return(ran)
  list(if (stage$in_place) in_place_value(ran$value, own, changed_arguments(own, arguments)) else ran$value)
}

# Names of the arguments that an evaluation changed.
changed_arguments <- function(own, arguments) {
  names(own)[!mapply(identical, own, arguments, MoreArgs = list(num.eq = FALSE, single.NA = FALSE))]
}

# The result of a stage that writes into its arguments and returns nothing.
in_place_value <- function(value, own, changed) {
  if (!is.null(value) || length(changed) == 0) return(value)
  if (length(changed) == 1) own[[changed]] else own[changed]
}

# The same on arguments that are given.
evaluator_trial <- function(evaluator, name, size, limit = Inf, arguments, threads = NULL) {
  stage <- evaluator$study$stages[[name]]
  own <- deep_copy(arguments)
  hold_threads(evaluator, threads %||% stage$threads)
  heard <- listen(evaluator$said, with_seed(derive_seed(evaluator$study$seed, -size), {
    start <- rlang::hash(.Random.seed)
    list(
      ran = run_limited(timed_value(ready_call(stage$kernel, own)), limit), start = start,
      random = rlang::hash(.Random.seed)
    )
  }))
  ran <- heard$value$ran
  if (is_fault(ran)) return(ran)
  if (list_depth(ran$value) > deepest) {
    return(new_fault("failed", "deep", depth = deepest))
  }
  changed <- changed_arguments(own, arguments)
  value <- if (stage$in_place) in_place_value(ran$value, own, changed) else ran$value
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
listen <- function(said, expr) {
  warned <- character()
  before <- said_bytes(said)
  value <- withCallingHandlers(
    quietly(expr, said, muffle_warnings = FALSE),
    warning = function(w) {
      warned <<- c(warned, condition_line(w))
      tryInvokeRestart("muffleWarning")
    }
  )
  list(value = value, warned = unique(warned), printed = said_bytes(said) - before)
}

said_bytes <- function(said) if (file.exists(said)) file.size(said) else 0

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
evaluator_values <- function(evaluator, name, size, limit = Inf, sizes, cases) {
  Map(function(size, case) {
    prepared <- evaluator_prepare(evaluator, name, size, case)
    if (isTRUE(prepared)) evaluator_value(evaluator, name, size, limit, case) else prepared
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
evaluator_first <- function(evaluator, name, size, limit = Inf) {
  if (!evaluator$collected) gc() # marks every page that a copy shares with the session: now, and not in a sample
  evaluator$collected <- TRUE
  stage <- evaluator$study$stages[[name]]
  hold_threads(evaluator, stage$threads)
  arguments <- evaluator_arguments(evaluator, size)
  own <- deep_copy(arguments)
  before <- said_bytes(evaluator$said)
  ran <- quietly(run_limited(timed_value(ready_call(stage$kernel, own)), limit), evaluator$said)
  if (is_fault(ran)) return(ran)
  changes <- stage$in_place || !identical(own, arguments, num.eq = FALSE, single.NA = FALSE)
  ready <- ready_call(stage$kernel, arguments)
  prints <- said_bytes(evaluator$said) > before
  evaluator$ready[[evaluator_key(name, size)]] <- c(ready, list(
    arguments = arguments, changes = changes, prints = prints, threads = stage$threads
  ))
  list(
    seconds = ran$seconds, kind = value_kind(ran$value), changes = changes, prints = prints,
    elements = sum(rapply(arguments, length, how = "unlist"))
  )
}

value_kind <- function(value) paste(typeof(value), paste(dim(value) %||% length(value), collapse = " x "))

# One batch: c(seconds, cpu, preempted_seconds, gc, wide, chain, gc_seconds), for all its evaluations together.
# `collect`: what was left before is collected first.
evaluator_sample <- function(evaluator, name, size, batch, limit = Inf, collect = FALSE) {
  key <- evaluator_key(name, size)
  if (is.null(evaluator$ready[[key]])) { # a worker that took the place of one that died
    first <- evaluator_first(evaluator, name, size, limit)
    if (is_fault(first)) return(first)
  }
  ready <- evaluator$ready[[key]]
  hold_threads(evaluator, ready$threads)
  frames <- if (ready$changes) fresh_frames(ready, batch)
  if (collect) gc()
  spent <- gc.time()[[3]]
  readings <- quietly(run_limited(
    if (is.null(frames)) sample_batch(ready$call, ready$frame, batch) else sample_frames(ready$call, frames), limit
  ), if (ready$prints) nullfile())
  if (is_fault(readings)) return(readings)
  c(readings, gc_seconds = if (readings[["gc"]] > 0) gc.time()[[3]] - spent else 0)
}

# Environments with arguments of their own, for calls that change them.
fresh_frames <- function(ready, batch) {
  lapply(seq_len(batch), function(i) ready_call(ready$frame$kernel, deep_copy(ready$arguments))$frame)
}

# Most evaluations that a batch of fresh arguments may hold in memory.
most_frames <- function(elements) max(1, floor(64e6 / (8 * max(elements, 1))))
