# Rounds at one size: every live stage once per round, in random order.

# A size under way: its cells, its samples so far, how many rounds were done,
# and in `noise` the time of the same native work once per round.
new_size_run <- function(size, cells) {
  run <- new.env()
  run$size <- size
  run$cells <- cells
  run$samples <- list()
  run$noise <- double()
  run$round <- 0
  run$width <- Inf
  run$share <- Inf # seconds
  run$restored <- FALSE
  run
}

live_cells <- function(size_run) Filter(function(cell) cell$state == "timed", size_run$cells)

cell_cost <- function(cell, timing) cell$each * cell$batch * (1 + cell$changes) + timing$backend$overhead

round_cost <- function(size_run, timing) {
  sum(vapply(due_cells(size_run, timing, size_run$round + 1), cell_cost, 0, timing))
}

# The cells of a round. Beyond the first rounds, one that costs far more than all faster ones together does not hold
# them back, but is sampled in every fifth; and until all sizes have had their fewest rounds, one that takes more than
# its share of the size's time is not sampled again.
due_cells <- function(size_run, timing, round) {
  cells <- live_cells(size_run)
  fewest <- timing$plan$rounds[[1]]
  if (round <= min(first_rounds, fewest)) return(cells)
  if (round <= fewest) {
    share <- size_run$share / length(cells)
    return(Filter(function(cell) cell_cost(cell, timing) * fewest <= share, cells))
  }
  if (round %% slow_every == 0) return(cells)
  costs <- vapply(cells, cell_cost, 0, timing)
  faster <- vapply(costs, function(cost) sum(costs[costs < cost]), 0)
  cells[faster == 0 | costs <= slow_from * faster]
}

first_rounds <- 2
slow_every <- 5
slow_from <- 10 # times the cost of all faster cells

# Runs rounds until the ratios are known, `most` rounds are done, or the next
# round would not fit before `deadline`. Returns which of them ended it.
run_rounds <- function(size_run, timing, deadline, most = timing$plan$rounds[[2]]) {
  next_look <- size_run$round + timing$plan$rounds[[1]]
  repeat {
    if (length(live_cells(size_run)) == 0) return("nothing left")
    if (size_run$round >= most) return("rounds")
    if (clock_now() + round_cost(size_run, timing) > round_deadline(size_run, timing, deadline)) return("budget")
    run_round(size_run, timing)
    if (size_run$round < next_look) next
    size_run$width <- size_width(size_run, timing)
    report_rounds(size_run, timing)
    if (size_run$width <= timing$plan$precision) return("precision")
    next_look <- size_run$round + max(3, size_run$round %/% 3)
  }
}

# The fewest rounds may use the whole budget; the others, the size's share of it.
round_deadline <- function(size_run, timing, deadline) {
  if (size_run$round < timing$plan$rounds[[1]]) timing$deadline else deadline
}

run_round <- function(size_run, timing) {
  size_run$round <- size_run$round + 1
  size_run$noise <- c(size_run$noise, clock_work(noise_steps))
  cells <- due_cells(size_run, timing, size_run$round)
  turn <- order(vapply(seq_along(cells), function(i) {
    derive_seed(size_run$size + i / 1024, size_run$round + timing$seed)
  }, 0L))
  for (i in seq_along(turn)) {
    cell <- cells[[turn[[i]]]]
    collect <- size_run$round == 1 && (i == 1 || cell$stage %in% timing$backend$isolated)
    reading <- sample_cell(cell, timing$backend, timing$loop, timing$plan$cell_limit, timing$quiet, collect)
    if (is.null(reading)) next
    cell$rounds <- cell$rounds + 1
    place <- list(stage = cell$stage, size = cell$size, round = size_run$round, order = i, batch = cell$batch)
    sample <- c(place, reading, list(worker = timing$worker))
    size_run$samples[[length(size_run$samples) + 1]] <- sample
  }
}

noise_steps <- 5e4 # about 0.2 ms

sample_columns <- c(
  stage = "string", size = "number", round = "number", order = "number", batch = "number",
  seconds = "number", cpu = "number", preempted_seconds = "number", gc = "number",
  gc_seconds = "number", pressure = "number", worker = "string"
)

size_samples <- function(size_run) {
  values <- Map(function(column, type) {
    vapply(size_run$samples, function(sample) sample[[column]], if (type == "string") "" else 0)
  }, names(sample_columns), sample_columns)
  tibble::as_tibble(values)
}

# With the pressure as times that of a core that is not shared.
crowded_samples <- function(samples, quiet) {
  samples$pressure <- samples$pressure / quiet
  names(samples)[names(samples) == "pressure"] <- "crowding"
  samples
}

size_width <- function(size_run, timing) {
  live <- live_cells(size_run)
  facts <- bind_records(lapply(live, function(cell) {
    list(stage = cell$stage, size = cell$size, bytes = cell$memory[["bytes"]])
  }))
  samples <- crowded_samples(size_samples(size_run), timing$quiet)
  widest_interval(counted_samples(samples[samples$stage %in% facts$stage, ], facts), timing$reference)
}

report_rounds <- function(size_run, timing, finished = FALSE) {
  signal_progress(
    "time",
    size = size_run$size, rounds = size_run$round, width = size_run$width,
    done = timing$done, of = timing$of, left = max(0, timing$deadline - clock_now()),
    finished = finished
  )
}
