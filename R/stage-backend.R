# A backend answers the evaluator's verbs, wherever the evaluator stands: in a copy of this
# session, or in worker processes. All take the name of a stage and a size; those that
# evaluate take a limit in seconds too. What they return is a plain value or a fault.
#
#   prepare  makes the arguments
#   arguments   the arguments, made there
#   fingerprint   a hash of them
#   truth    the exact result, see ds_study(truth = )
#   value    one evaluation's value, seconds and conduct
#   trial    the same on given arguments
#   values   the same at several sizes and cases
#   shaken   values on arguments whose last bits are changed, see evaluator_shaken()
#   replicates   see stage-random.R
#   first    what one evaluation is like, see evaluator_first()
#   sample   one batch, see evaluator_sample()
#   memory, varies, printing   see stage-probe.R
#   cover    which branches run at several sizes and cases, see stage-coverage.R
#   close    ends the backend
#
# `overhead` is what one exchange with the backend costs, in seconds; `isolated` names
# the stages that have a process of their own.

evaluator_verbs <- function() {
  list(
    prepare = evaluator_prepare, arguments = evaluator_given, fingerprint = evaluator_fingerprint,
    truth = evaluator_truth, value = evaluator_value,
    trial = evaluator_trial, shaken = evaluator_shaken, values = evaluator_values, replicates = evaluator_replicates,
    first = evaluator_first,
    sample = evaluator_sample, memory = evaluator_memory, cover = evaluator_cover, varies = evaluator_varies,
    printing = evaluator_printing
  )
}

evaluator_answer <- function(evaluator, verb, args) do.call(evaluator_verbs()[[verb]], c(list(evaluator), args))

# Evaluations that one question may ask for, by verb.
evaluations_of <- function(verb, given) {
  switch(verb,
    replicates = given$count,
    values = ,
    cover = length(given$sizes),
    shaken = length(given$perturbations),
    memory = ,
    varies = ,
    printing = 3,
    1
  )
}

# No session can be sure of a kernel: stages never run in this one.
new_backend <- function(study, isolate, memory = Inf, input_limit = least_input_limit) {
  apart <- isolate == "stage" || !can_fork() || lacks_threads(study)
  spoken <- if (apart) worker_backend(study, names(study$stages), memory, input_limit)
  patient(spoken %||% forked_backend(study, memory, input_limit))
}

# A limit that passed while the processor was elsewhere tells nothing of what was asked: it is asked once more.
patient <- function(backend) {
  verbs <- names(evaluator_verbs())
  backend[verbs] <- lapply(backend[verbs], function(ask) {
    function(...) {
      answer <- ask(...)
      if (is_fault(answer) && isTRUE(attr(answer, "waited"))) ask(...) else answer
    }
  })
  backend
}

# A copy has none of the threads that this session ran, and can't start them again: stages that run on several get
# processes of their own then.
lacks_threads <- function(study) {
  several <- vapply(study$stages, function(stage) {
    max(stage$threads, attr(stage$kernel, "ds_compiled")$build$threads) > 1
  }, NA)
  any(several) && session_threads() > 1
}

# What making the arguments may take, in seconds; a plan that lets evaluations run on lets these, too.
least_input_limit <- 30

input_limit <- function(plan) max(least_input_limit, 3 * plan$cell_limit)

# Seconds by which an answer may be late: the evaluator stops an evaluation itself where
# it can, and what it stops takes a moment to be told.
grace <- 1

build_allowance <- 10

# Arguments of kinds that a compiled stage has not seen ask for another routine, and the C compiler for its seconds:
# those are not the stage's.
with_building <- function(limit, verb, name, study) {
  builds <- verb %in% c("value", "trial", "values", "shaken") && !is.null(attr(
    study$stages[[name]]$kernel,
    "ds_compiled"
  ))
  limit + if (builds) build_allowance else 0
}

# One copy of this session for all stages, made when it is first needed and again after it died.
forked_backend <- function(study, memory, input_limit) {
  held <- new.env()
  held$fork <- NULL
  verbs <- stats::setNames(nm = names(evaluator_verbs()))
  spoken <- lapply(verbs, function(verb) {
    function(name, size, ..., limit = Inf) {
      ask_copy(held, study, memory, input_limit, verb, name, size, list(...), limit)
    }
  })
  close <- function() if (!is.null(held$fork)) stop_fork(held$fork)
  c(spoken, list(close = close, overhead = 2e-4, isolated = character()))
}

ask_copy <- function(held, study, memory, input_limit, verb, name, size, given, limit) {
  if (is.null(held$fork) || !held$fork$lives) open_copy(held, study, memory)
  if (verb %in% c("prepare", "arguments")) return(ask_for_arguments(held, input_limit, verb, name, size, given))
  made <- if (is.null(given[["arguments"]])) ready_arguments(
    held, input_limit, name, size,
    given[["case"]] %||% own_inputs
  )
  if (is_fault(made)) return(made)
  limit <- with_building(limit, verb, name, study)
  wait <- limit * evaluations_of(verb, given) + grace + 3 * held$making
  ask_fork(held$fork, list(verb, c(list(name, size, limit = limit), given)), limit, wait)
}

open_copy <- function(held, study, memory) {
  said <- scratch_file("said")
  held$made <- ""
  held$making <- 0
  evaluator <- NULL # the copy's own: a stage may run a study of its own
  held$fork <- start_fork(said, function(question) {
    if (is.null(evaluator)) {
      evaluator <<- new_evaluator(study, said)
      if (is.finite(memory)) limit_memory(memory)
    }
    evaluator_answer(evaluator, question[[1]], question[[2]])
  })
}

ask_for_arguments <- function(held, input_limit, verb, name, size, given) {
  start <- clock_now()
  answer <- ask_fork(held$fork, list(verb, c(list(name, size), given)), input_limit)
  if (is_fault(answer)) return(inputs_fault(answer, size))
  held$made <- paste(size, given[["case"]] %||% own_inputs)
  held$making <- clock_now() - start
  answer
}

# The copy holds one set of arguments; its time to make them is not the kernel's.
ready_arguments <- function(held, input_limit, name, size, case) {
  if (identical(held$made, paste(size, case))) return(TRUE)
  ask_for_arguments(held, input_limit, "prepare", name, size, list(case = case))
}

# A limit, a crash or a flood while arguments were made is the inputs' own.
inputs_fault <- function(fault, size) {
  if (fault$code == "inputs") return(fault)
  new_fault("failed", "inputs", size = size, cause = fault)
}
