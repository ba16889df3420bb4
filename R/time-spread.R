# Timing in other processes: sizes spread over the workers of a future plan (whole ones, never single stages, so that
# every ratio still comes from one machine), or all of them in several fresh processes, one after the other.

# TRUE when the sizes were timed elsewhere; FALSE when they are to be timed here.
spread_over_workers <- function(timing, sizes) {
  if (!uses_future_workers() || length(sizes) < 2) return(FALSE)
  workers <- future::nbrOfWorkers()
  waves <- ceiling(length(sizes) / workers)
  plan <- timing$plan
  plan$budget <- (timing$deadline - clock_now()) / waves
  plan$first_call <- FALSE
  setting <- study_setting(timing$study)
  running <- lapply(sizes, function(size) {
    study <- timing$study
    study$sizes <- size
    question <- list(
      study = study, plan = plan, agreement = timing$agreement, setting = setting,
      probe = size == timing$study$sizes[[1]]
    )
    future::future(utils::getFromNamespace("time_elsewhere", "deepstride")(question),
      seed = TRUE,
      globals = list(question = question), packages = "deepstride"
    )
  })
  for (i in seq_along(running)) {
    take_elsewhere(timing, future::value(running[[i]]))
    timing$done <- timing$done + 1
    report_rounds(timing$size_runs[[length(timing$size_runs)]], timing, finished = TRUE)
    save_checkpoint(timing)
  }
  TRUE
}

uses_future_workers <- function() {
  "future" %in% loadedNamespaces() && !inherits(future::plan(), "sequential")
}

study_setting <- function(study) {
  portable_setting(c(list(study$inputs), lapply(study$stages, function(stage) stage$kernel)))
}

# What a process happens to have, where its memory lies and how its byte code came out, is the same in all samples of
# one: each of several fresh ones times every size with its part of the budget.
time_in_processes <- function(timing, sizes) {
  count <- timing$plan$processes
  if (count == 1 || length(sizes) == 0) return(FALSE)
  plan <- timing$plan
  plan$first_call <- FALSE
  study <- timing$study
  study$sizes <- sizes
  setting <- study_setting(study)
  for (turn in seq_len(count)) {
    plan$budget <- max(0.1, (timing$deadline - clock_now()) / (count - turn + 1))
    plan$memory <- timing$plan$memory && turn == 1 # bytes are the same in each
    signal_progress("processes", done = turn - 1, of = count, left = max(0, timing$deadline - clock_now()))
    answer <- ask_once(setting, list(
      study = study, plan = plan, agreement = timing$agreement, setting = setting,
      turn = turn, probe = turn == 1
    ))
    if (is_fault(answer)) abort_ds("worker", sprintf("Process %d of %d was lost: %s", turn, count, fault_words(answer)))
    take_elsewhere(timing, answer)
  }
  timing$done <- timing$of
  save_checkpoint(timing)
  TRUE
}

ask_once <- function(setting, question) {
  session <- start_session(setting)
  on.exit(stop_session(session))
  cells <- length(question$study$stages) * length(question$study$sizes)
  limit <- 60 + 2 * question$plan$budget + cells * question$plan$cell_limit
  ask_session(session, "time_elsewhere", list(question), limit)
}

# In the other process: the sizes' runs, and what was seen of the stages there.
time_elsewhere <- function(question) {
  for (package in question$setting$packages) suppressMessages(library(package, character.only = TRUE))
  list2env(question$setting$globals, globalenv())
  local_plain()
  study <- question$study
  for (name in names(study$stages)) study$stages[[name]]$kernel <- native_rebind(study$stages[[name]]$kernel)
  timing <- new_timing(study, question$plan, question$agreement)
  timing$seed <- timing$seed + (question$turn %||% 0) # rounds have other orders in each
  timing$backend <- new_backend(study, question$plan$isolate, question$plan$worker_memory, input_limit(question$plan))
  on.exit(timing$backend$close(), add = TRUE)
  local_threads(1)
  for (size in study$sizes) time_size(timing, size)
  if (question$probe) probe_stages(timing)
  spend_rest(timing)
  for (run in timing$size_runs) run$restored <- TRUE
  mget(c("size_runs", "printing", "constant"), envir = timing)
}

take_elsewhere <- function(timing, answer) {
  for (run in answer$size_runs) {
    same <- Filter(function(other) other$size == run$size, timing$size_runs)
    if (length(same)) join_runs(same[[1]], run) else timing$size_runs <- c(timing$size_runs, run)
  }
  timing$printing[names(answer$printing)] <- answer$printing
  timing$constant <- union(timing$constant, answer$constant)
}

# A size's run in another process goes on with the rounds' numbers.
join_runs <- function(run, other) {
  later <- lapply(other$samples, function(sample) {
    sample$round <- sample$round + run$round
    sample
  })
  run$samples <- c(run$samples, later)
  run$noise <- c(run$noise, other$noise)
  run$round <- run$round + other$round
  run$cells <- Map(joined_cell, run$cells, other$cells)
}

# What went wrong in one process is what the cell is; a forecast gives way to a time.
joined_cell <- function(cell, other) {
  kept <- if (cell$state == "forecast" || !other$state %in% c("timed", "forecast")) other else cell
  kept$rounds <- cell$rounds + other$rounds
  kept
}
