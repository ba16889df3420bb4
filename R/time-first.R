# The first call: each stage evaluated in fresh processes, a few times.

first_repeats <- 3

# A tibble: stage, size, repeat, load, compile, evaluation (seconds), peak
# (bytes). Takes at most `share` of the budget: rounds of one process per stage.
measure_first_calls <- function(timing, share = 0.25) {
  size <- timing$study$sizes[[1]]
  deadline <- clock_now() + share * timing$plan$budget
  setting <- portable_setting(lapply(timing$study$stages, function(stage) stage$kernel))
  setting$packages <- setdiff(setting$packages, c("deepstride", "testthat", "Rcpp"))
  rows <- list()
  slowest <- 0
  for (turn in seq_len(first_repeats)) {
    for (stage in timing$study$stages) {
      if (clock_now() + slowest > deadline && turn > 1 || clock_now() > deadline) return(first_table(rows))
      if (agreement_of(timing$agreement, stage$name, size)$state != "agrees") next
      signal_progress("first", name = stage$name, done = turn - 1, of = first_repeats,
                      left = max(0, timing$deadline - clock_now()))
      start <- clock_now()
      found <- in_fresh_process(stage$kernel, study_inputs(timing$study, size), native_facts(stage$kernel),
                                setting, timing$study$directory %||% ".", timing$plan$cell_limit)
      slowest <- max(slowest, clock_now() - start)
      if (!is_fault(found)) rows <- c(rows, list(first_row(stage$name, size, turn, found)))
    }
  }
  first_table(rows)
}

first_row <- function(stage, size, turn, found) {
  tibble::tibble(stage = stage, size = size, turn = as.double(turn), load = found[["load"]],
                 compile = found[["compile"]], evaluation = found[["evaluation"]], peak = found[["peak"]])
}

first_table <- function(rows) {
  do.call(rbind, c(list(first_row("", 1, 1, c(load = 0, compile = 0, evaluation = 0, peak = 0))[0, ]), rows))
}
