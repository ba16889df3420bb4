# A host whose desks stand in worker processes, one for each stage: a crash or a
# runaway takes only its own worker. What is asked of it is asked one at a time.

worker_host <- function(study, memory, sanitize = FALSE) {
  workers <- new.env()
  workers$log <- if (sanitize) tempfile("sanitizers")
  ask <- function(verb) {
    function(name, size, ..., limit = Inf) ask_worker(workers, study, memory, name, verb, list(name, size, ...), limit)
  }
  verbs <- stats::setNames(lapply(names(desk_verbs()), ask), names(desk_verbs()))
  close <- function() for (worker in mget(ls(workers), envir = workers)) stop_session(worker)
  c(verbs, list(close = close, overhead = 0.02, worker = "isolated"))
}

# The worker of a stage is started when it is first needed, and again after it died.
ask_worker <- function(workers, study, memory, name, verb, args, limit) {
  if (is.null(workers[[name]])) workers[[name]] <- start_worker(study, name, memory, workers$log)
  if (is_fault(workers[[name]])) {
    fault <- workers[[name]]
    workers[[name]] <- NULL
    return(fault)
  }
  answer <- ask_session(workers[[name]], "worker_answer", list(verb, args), limit)
  if (is_fault(answer) && answer$state != "failed") {
    answer <- with_sanitizer_words(answer, workers$log)
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
  session <- start_session(portable_setting(list(study$inputs, kernel)),
                           if (!is.null(sanitized)) sanitizer_environment(sanitized$language, log))
  answer <- ask_session(session, "worker_begin", list(study, memory, sanitized), 60)
  if (is_fault(answer)) answer else session
}

# In the worker: the desk that the next questions are put to.
worker_state <- new.env()

worker_begin <- function(study, memory, sanitized) {
  for (name in names(study$stages)) {
    kernel <- study$stages[[name]]$kernel
    bound <- if (is.null(sanitized)) native_rebind(kernel) else sanitized_kernel(kernel, sanitized)
    study$stages[[name]]$kernel <- bound
  }
  if (is.finite(memory)) limit_memory(memory)
  worker_state$desk <- new_desk(study)
  if (dir.exists(study$directory)) setwd(study$directory)
  TRUE
}

worker_answer <- function(verb, args) do.call(desk_verbs()[[verb]], c(list(worker_state$desk), args))
