# A backend whose evaluators stand in worker processes, one for each stage: a crash or a
# runaway takes only its own worker. What is asked of it is asked one at a time.

worker_backend <- function(study, isolated, memory, input_limit, sanitize = FALSE) {
  workers <- new.env() # by stage, and nothing else: stages may have any name
  log <- if (sanitize) scratch_file("sanitizers")
  ask <- function(verb) {
    function(name, size, ..., limit = input_limit) {
      given <- list(...)
      limit <- with_building(limit, verb, name, study)
      wait <- limit * evaluations_of(verb, given) + grace
      ask_worker(workers, log, study, memory, name, verb, c(list(name, size), given), limit, wait)
    }
  }
  verbs <- lapply(stats::setNames(nm = names(evaluator_verbs())), ask)
  close <- function() for (worker in mget(ls(workers, all.names = TRUE), envir = workers)) stop_session(worker)
  c(verbs, list(close = close, overhead = 0.02, isolated = isolated))
}

# Workers for the stages that `isolated` names, a copy of this session for the others.
mixed_backend <- function(study, isolated, memory, sanitize) {
  here <- new_backend(study, "none", memory)
  there <- patient(worker_backend(study, isolated, memory, least_input_limit, sanitize))
  spoken <- lapply(stats::setNames(nm = names(evaluator_verbs())), function(verb) {
    function(name, ...) (if (name %in% isolated) there else here)[[verb]](name, ...)
  })
  close <- function() {
    here$close()
    there$close()
  }
  c(spoken, list(close = close, overhead = 0.02, isolated = isolated))
}

# The worker of a stage is started when it is first needed, and again after it died.
ask_worker <- function(workers, log, study, memory, name, verb, args, limit, wait) {
  if (is.null(workers[[name]])) workers[[name]] <- start_worker(study, name, memory, log)
  if (is_fault(workers[[name]])) {
    fault <- workers[[name]]
    workers[[name]] <- NULL
    return(fault)
  }
  answer <- ask_session(workers[[name]], "worker_answer", list(verb, args), limit, wait)
  if (is_fault(answer) && answer$state != "failed") {
    answer <- with_sanitizer_words(answer, log)
    stop_session(workers[[name]])
    rm(list = name, envir = workers)
  }
  answer
}

# `log` is where sanitizers write, if the stage is to run under them.
start_worker <- function(study, name, memory, log) {
  study$stages <- study$stages[name]
  kernel <- study$stages[[name]]$kernel
  sanitized <- if (!is.null(log)) sanitized_build(kernel)
  session <- start_session(
    portable_setting(c(list(study$inputs, kernel), unname(study$cases$own))),
    if (!is.null(sanitized)) sanitizer_environment(sanitized$language, log)
  )
  answer <- ask_session(session, "worker_begin", list(study, memory, sanitized, session$said), 60)
  if (is_fault(answer)) answer else session
}

# In the process that evaluates: what the next questions are put to.
worker_state <- new.env()

worker_begin <- function(study, memory, sanitized, said) {
  for (name in names(study$stages)) {
    kernel <- study$stages[[name]]$kernel
    bound <- if (is.null(sanitized)) native_rebind(kernel) else sanitized_kernel(kernel, sanitized)
    study$stages[[name]]$kernel <- bound
  }
  if (is.finite(memory)) limit_memory(memory)
  worker_state$evaluator <- new_evaluator(study, said)
  if (dir.exists(study$directory)) setwd(study$directory)
  TRUE
}

worker_answer <- function(verb, args) evaluator_answer(worker_state$evaluator, verb, args)
