# A host answers the desk's verbs, wherever the desk stands. All take the name
# of a stage and a size; those that evaluate take a limit in seconds too.
#
#   prepare  makes the arguments
#   value    one evaluation's value, seconds and conduct
#   trial    the same on given arguments
#   values   the same at several sizes and cases
#   replicates   see stage-random.R
#   first    what one evaluation is like, see desk_first()
#   sample   one batch, see desk_sample()
#   memory, varies, talk   see stage-probe.R
#   close    ends the host
#
# `overhead` is what one exchange with the host costs, in seconds.

session_host <- function(study) {
  desk <- new_desk(study)
  spoken <- lapply(desk_verbs(), function(verb) function(...) verb(desk, ...))
  c(spoken, list(close = function() invisible(), overhead = 0, worker = as.character(Sys.getpid())))
}

desk_verbs <- function() {
  list(prepare = desk_prepare, value = desk_value, trial = desk_trial, values = desk_values,
       replicates = desk_replicates, first = desk_first, sample = desk_sample,
       memory = desk_memory, varies = desk_varies, talk = desk_talk)
}

# Workers for the stages that `isolated` names, this session for the others.
mixed_host <- function(study, isolated, memory, sanitize = FALSE) {
  here <- session_host(study)
  there <- worker_host(study, memory, sanitize)
  verbs <- stats::setNames(nm = names(desk_verbs()))
  spoken <- lapply(verbs, function(verb) {
    function(name, ...) (if (name %in% isolated) there else here)[[verb]](name, ...)
  })
  c(spoken, list(close = there$close, overhead = 0, worker = here$worker, isolated = isolated))
}

new_host <- function(study, isolate, memory) {
  if (isolate == "stage") worker_host(study, memory) else session_host(study)
}
