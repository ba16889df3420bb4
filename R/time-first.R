# The first call: each stage evaluated in fresh processes, a few times.

first_repeats <- 3
first_share <- 0.08 # of the budget; the first turn is taken whatever it costs

# A tibble: stage, size, turn, load, compile, evaluation (seconds), peak (bytes).
# Stops before a turn that would take it past its share of the budget.
measure_first_calls <- function(timing) {
  size <- timing$study$sizes[[1]]
  allowed <- first_share * timing$plan$budget
  agreed <- Filter(function(stage) {
    agreement_of(timing$agreement, stage$name, size)$state == "agrees"
  }, timing$study$stages)
  setting <- portable_setting(lapply(timing$study$stages, function(stage) stage$kernel))
  setting$packages <- setdiff(setting$packages, c("deepstride", "testthat", "Rcpp"))
  arguments <- timing$backend$arguments(timing$reference, size)
  if (is_fault(arguments)) return(first_table(list()))
  start <- clock_now()
  rows <- list()
  for (turn in seq_len(first_repeats)) {
    used <- clock_now() - start
    if (turn > 1 && used * turn / (turn - 1) > allowed) break
    signal_progress("first", done = turn - 1, of = first_repeats, left = max(0, timing$deadline - clock_now()))
    rows <- c(rows, first_turn(timing, agreed, size, turn, setting, arguments))
  }
  first_table(rows)
}

# Processes at a time: they start side by side, and wait while one of them is asked.
first_at_once <- 4

first_turn <- function(timing, stages, size, turn, setting, arguments) {
  groups <- split(stages, (seq_along(stages) - 1) %/% first_at_once)
  unlist(lapply(unname(groups), first_group, timing, size, turn, setting, arguments), recursive = FALSE)
}

first_group <- function(stages, timing, size, turn, setting, arguments) {
  processes <- start_fresh(length(stages))
  on.exit(for (process in processes) process$kill())
  rows <- Map(function(process, stage) {
    found <- ask_fresh(
      process, stage$kernel, arguments, lapply(unname(natives_within(stage$kernel)), routine_facts), setting,
      timing$study$directory %||% ".", timing$plan$cell_limit
    )
    if (!is_fault(found)) first_row(stage$name, size, turn, found)
  }, processes, stages)
  Filter(Negate(is.null), unname(rows))
}

# What a fresh process needs to know of a native kernel.
routine_facts <- function(native) {
  c(native_facts(native)[c("needs", "library", "bindings")], list(scope = environment(native)))
}

first_row <- function(stage, size, turn, found) {
  tibble::tibble(
    stage = stage, size = size, turn = as.double(turn), load = found[["load"]],
    compile = found[["compile"]], evaluation = found[["evaluation"]], peak = found[["peak"]]
  )
}

first_table <- function(rows) {
  do.call(rbind, c(list(first_row("", 1, 1, c(load = 0, compile = 0, evaluation = 0, peak = 0))[0, ]), rows))
}
