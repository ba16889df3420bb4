# One size: which stages are run there, for how long, and what the rest of the
# budget is spent on.

time_size <- function(timing, size) {
  left <- timing$of - timing$done
  share <- (timing$deadline - clock_now()) / left
  cells <- lapply(names(timing$study$stages), function(name) plan_cell(timing, name, size))
  size_run <- new_size_run(size, cells)
  timing$size_runs <- c(timing$size_runs, size_run)
  report_rounds(size_run, timing)
  deadline <- clock_now() + share
  size_run$share <- share
  for (cell in live_cells(size_run)) {
    limit <- min(timing$plan$cell_limit, max(1, (timing$deadline - clock_now()) / 2))
    open_cell(cell, timing$backend, limit, warm = length(past_costs(timing, cell$stage)$size) > 0)
  }
  if (timing$plan$memory) measure_memory(size_run, timing)
  close_size(size_run, run_rounds(size_run, timing, deadline, most = timing$plan$rounds[[1]]))
  if (length(live_cells(size_run))) size_run$width <- size_width(size_run, timing)
  timing$done <- timing$done + 1
  report_rounds(size_run, timing, finished = TRUE)
  size_run
}

close_size <- function(size_run, stopped_by) {
  for (cell in live_cells(size_run)) cell$stopped_by <- stopped_by
}

# A new cell whose state says whether it is to be run: it agrees, and even the low end of its forecast passes neither
# the limit nor what is left of the budget.
plan_cell <- function(timing, name, size) {
  found <- agreement_of(timing$agreement, name, size)
  if (found$state != "agrees") return(new_cell(name, size, found$state, found$reason))
  past <- past_costs(timing, name)
  if (is_cheap(past, size, timing)) return(new_cell(name, size))
  forecast <- forecast_seconds(past$size, past$seconds, size)
  stopped <- stopped_before(timing, name)
  reason <- if (length(stopped)) sprintf("it went past the limit at size %s", format_size(stopped[[1]])) else
    forecast_reason(timing, forecast)
  if (nzchar(reason)) new_cell(name, size, "forecast", reason, forecast) else new_cell(name, size)
}

# Not even the steepest growth would make it matter.
is_cheap <- function(past, size, timing) {
  if (length(past$size) == 0) return(timing$deadline > clock_now())
  largest <- which.max(past$size)
  left <- timing$deadline - clock_now()
  past$seconds[[largest]] * (size / past$size[[largest]])^most_power < 0.01 * min(timing$plan$cell_limit, left)
}

# Sizes at which a stage went past the limit.
stopped_before <- function(timing, name) {
  unlist(lapply(timing$size_runs, function(run) {
    over <- Filter(function(cell) {
      cell$stage == name && cell$state == "stopped" && cell$stopped_by == "limit"
    }, run$cells)
    if (length(over)) run$size
  }))
}

# What a stage took at the sizes before: its samples' medians.
past_costs <- function(timing, name) {
  cells <- unlist(lapply(timing$size_runs, function(run) {
    Filter(function(cell) cell$stage == name && cell$state == "timed" && is.finite(cell$batch), run$cells)
  }))
  list(size = vapply(cells, function(cell) cell$size, 0), seconds = vapply(cells, function(cell) cell$each, 0))
}

# Fewer rounds than the plan's fewest are better than none: three will do, and
# two evaluations to get ready. Half of the budget is kept for the sizes to come.
forecast_reason <- function(timing, forecast) {
  plan <- timing$plan
  left <- timing$deadline - clock_now()
  later <- timing$of - timing$done > 1
  rounds <- min(3, plan$rounds[[1]])
  words <- sprintf("%s (%s)", format_seconds(forecast[["median"]]), format_range(forecast[["low"]], forecast[["high"]]))
  if (forecast[["low"]] > plan$cell_limit) {
    limit <- plain_seconds(plan$cell_limit)
    return(sprintf("one evaluation is forecast to take %s, past the limit of %s", words, limit))
  }
  if (left <= 0) return("the budget was spent before this size")
  if (forecast[["low"]] * (rounds + 2) > left / (1 + later)) {
    return(sprintf(
      "even %d rounds are forecast to take too long, at %s an evaluation with %s of the budget left",
      rounds, words, format_seconds(left)
    ))
  }
  ""
}

# The rest of the budget: all sizes again, then two times in three the largest, where decisions are made, else the one
# that needs it most, a few rounds each.
spend_rest <- function(timing) {
  for (turn in seq_len(later_turns)) {
    for (run in timing$size_runs) if (has_round_left(run, timing)) look_again(run, timing)
  }
  turn <- 0
  repeat {
    open <- Filter(function(run) can_go_on(run, timing), timing$size_runs)
    if (length(open) == 0) return(invisible())
    turn <- turn + 1
    urgent <- if (turn %% 3 > 0) vapply(open, function(run) run$size, 0) else vapply(open, function(run) run$width, 0)
    run <- open[[which.max(urgent)]]
    go_on(run, timing, min(timing$deadline, clock_now() + max(0.25, 3 * round_cost(run, timing))))
  }
}

# What a machine shared with others is like changes within seconds: every size is looked at again later, however narrow
# its intervals, where a few rounds are cheap beside what the study has taken.
look_again <- function(run, timing) {
  most <- max(least_later, later_share * (clock_now() - timing$start))
  if (later_rounds * round_cost(run, timing) > most) return(invisible())
  run_rounds(run, timing, timing$deadline, min(run$round + later_rounds, timing$plan$rounds[[2]]))
  run$width <- size_width(run, timing)
}

later_share <- 0.03
least_later <- 0.3 # seconds
later_turns <- 2
later_rounds <- 4

can_go_on <- function(run, timing) run$width > timing$plan$precision && has_round_left(run, timing)

has_round_left <- function(run, timing) {
  !run$restored && length(live_cells(run)) > 0 && run$round < timing$plan$rounds[[2]] &&
    clock_now() + round_cost(run, timing) < timing$deadline
}

go_on <- function(run, timing, deadline) {
  close_size(run, run_rounds(run, timing, deadline))
  run$width <- size_width(run, timing)
  report_rounds(run, timing)
}

# Memory, in a pass of its own, where one more evaluation (three times as slow,
# with the log that it writes) takes no more than a twentieth of what is left.
measure_memory <- function(size_run, timing) {
  for (cell in live_cells(size_run)) {
    if (3 * cell$each > 0.05 * (timing$deadline - clock_now())) next
    found <- timing$backend$memory(cell$stage, cell$size, limit = 10 * timing$plan$cell_limit)
    if (!is_fault(found)) cell$memory <- found
  }
}
