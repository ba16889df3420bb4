# Spreading a study over the workers of a future plan: whole sizes, never single
# stages, so that every ratio still comes from one machine.

# TRUE when the sizes were timed elsewhere; FALSE when they are to be timed here.
spread_over_workers <- function(timing, sizes) {
  if (!uses_future_workers() || length(sizes) < 2) return(FALSE)
  workers <- future::nbrOfWorkers()
  waves <- ceiling(length(sizes) / workers)
  plan <- timing$plan
  plan$budget <- (timing$deadline - clock_now()) / waves
  plan$first_call <- FALSE
  setting <- portable_setting(c(list(timing$study$inputs), lapply(timing$study$stages, function(stage) stage$kernel)))
  running <- lapply(sizes, function(size) {
    study <- timing$study
    study$sizes <- size
    question <- list(study = study, plan = plan, agreement = timing$agreement, setting = setting)
    future::future(utils::getFromNamespace("time_elsewhere", "deepstride")(question),
      seed = TRUE,
      globals = list(question = question), packages = "deepstride"
    )
  })
  for (i in seq_along(running)) {
    timing$size_runs <- c(timing$size_runs, future::value(running[[i]]))
    timing$done <- timing$done + 1
    report_rounds(timing$size_runs[[length(timing$size_runs)]], timing, finished = TRUE)
    save_checkpoint(timing)
  }
  TRUE
}

uses_future_workers <- function() {
  "future" %in% loadedNamespaces() && !inherits(future::plan(), "sequential")
}

# In the worker: one size, and the state of its run.
time_elsewhere <- function(question) {
  for (package in question$setting$packages) suppressMessages(library(package, character.only = TRUE))
  list2env(question$setting$globals, globalenv())
  local_plain()
  study <- question$study
  for (name in names(study$stages)) study$stages[[name]]$kernel <- native_rebind(study$stages[[name]]$kernel)
  timing <- new_timing(study, question$plan, question$agreement)
  timing$backend <- new_backend(study, question$plan$isolate, question$plan$worker_memory, input_limit(question$plan))
  on.exit(timing$backend$close(), add = TRUE)
  local_threads(1)
  run <- time_size(timing, study$sizes)
  spend_rest(timing)
  run$restored <- TRUE
  run
}
