# A host whose desks stand in worker processes, one for each stage: a crash or a
# runaway takes only its own worker. What is asked of it is asked one at a time.

worker_host <- function(study, memory) {
  workers <- new.env()
  ask <- function(verb) {
    function(name, size, ..., limit = Inf) ask_worker(workers, study, memory, name, verb, list(name, size, ...), limit)
  }
  verbs <- stats::setNames(lapply(names(desk_verbs()), ask), names(desk_verbs()))
  close <- function() for (name in ls(workers)) stop_session(workers[[name]])
  c(verbs, list(close = close, overhead = 0.02, worker = "isolated"))
}

# The worker of a stage is started when it is first needed, and again after it died.
ask_worker <- function(workers, study, memory, name, verb, args, limit) {
  if (is.null(workers[[name]])) workers[[name]] <- start_worker(study, name, memory)
  if (is_fault(workers[[name]])) {
    fault <- workers[[name]]
    workers[[name]] <- NULL
    return(fault)
  }
  answer <- ask_session(workers[[name]], "worker_answer", list(verb, args), limit)
  if (is_fault(answer) && answer$state != "failed") {
    stop_session(workers[[name]])
    rm(list = name, envir = workers)
  }
  answer
}

start_worker <- function(study, name, memory) {
  study$stages <- study$stages[name]
  session <- start_session(portable_setting(list(study$inputs, study$stages[[name]]$kernel)))
  answer <- ask_session(session, "worker_begin", list(study, memory), 60)
  if (is_fault(answer)) answer else session
}

# In the worker: the desk that the next questions are put to.
worker_state <- new.env()

worker_begin <- function(study, memory) {
  for (name in names(study$stages)) study$stages[[name]]$kernel <- native_rebind(study$stages[[name]]$kernel)
  if (is.finite(memory)) limit_memory(memory)
  worker_state$desk <- new_desk(study)
  if (dir.exists(study$directory)) setwd(study$directory)
  TRUE
}

worker_answer <- function(verb, args) do.call(desk_verbs()[[verb]], c(list(worker_state$desk), args))
