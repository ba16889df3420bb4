# A race of settings at one size: rounds as in the timing engine; who is surely worse drops out.

first_out <- 1.5 # times the best in each of the first rounds

# Runs until the best is known within the margin or another round would end after the deadline; those that dropped out
# close behind it, after few rounds, get a second look. `race`: an environment with `cells`, `samples`, `logs`.
race_settings <- function(race, backend, margin, deadline) {
  race_on(race, backend, margin, deadline)
  known <- which(colSums(is.finite(race$logs)) > 0)
  if (race$ended != "margin" || length(known) < 2) return(invisible())
  standing <- race_standing(race$logs[, known, drop = FALSE])
  close <- standing$best | (standing$over < first_out & standing$rounds < second_look)
  race$racing <- seq_along(race$cells) %in% known[close]
  for (round in seq_len(least_race_rounds)) {
    if (sum(race$racing) < 2 || clock_now() + race$took > deadline) return(invisible())
    race_round(race, backend, which(race$racing & vapply(race$cells, function(cell) cell$state == "timed", NA)))
  }
  race_on(race, backend, margin, deadline)
}

second_look <- 8 # rounds

race_on <- function(race, backend, margin, deadline) {
  repeat {
    racing <- vapply(race$cells, function(cell) cell$state == "timed", NA) & race$racing
    if (sum(racing) == 0) return(invisible())
    if (race$round >= 1 && clock_now() + race$took > deadline) return(invisible(race$ended <- "budget"))
    race_round(race, backend, which(racing))
    known <- colSums(is.finite(race$logs)) > 0
    standing <- race_standing(race$logs[, known, drop = FALSE])
    race$racing[known] <- race$racing[known] & still_racing(standing, racing[known]) &
      !far_behind(race$logs[, known, drop = FALSE])
    report_race(race, deadline)
    if (sum(race$racing & racing) <= 1 && race$round >= 2) return(invisible())
    if (race_decided(standing, race$racing[known], margin)) return(invisible())
    if (race$round >= most_race_rounds) return(invisible(race$ended <- "rounds"))
  }
}

most_race_rounds <- 100

# Half as slow again as the best in two rounds out of two needs no third.
far_behind <- function(logs) {
  if (nrow(logs) < 2) return(rep(FALSE, ncol(logs)))
  best <- min(apply(logs, 2, max, na.rm = TRUE)[colSums(is.finite(logs)) >= 2], Inf)
  apply(logs, 2, function(own) sum(is.finite(own)) >= 2 && min(own, na.rm = TRUE) > best + log(first_out))
}

# Garbage that was there before the race is collected once: a full collection takes longer than many samples.
race_round <- function(race, backend, racing) {
  start <- clock_now()
  race$round <- race$round + 1
  rows <- list()
  turn <- order(vapply(racing, function(i) derive_seed(race$size + i / 1024, race$round + race$seed), 0L))
  for (i in racing[turn]) {
    collect <- race$round == 1 && i == racing[turn][[1]]
    reading <- sample_cell(race$cells[[i]], backend, race$loop, race$limit, race$quiet, collect)
    if (is.null(reading) || reading$seconds == 0) next
    cell <- race$cells[[i]]
    place <- list(stage = cell$stage, size = cell$size, round = race$round, batch = cell$batch)
    rows[[length(rows) + 1]] <- c(place, reading[c("seconds", "gc_seconds")])
  }
  if (length(rows)) race$samples <- rbind(race$samples, bind_records(rows))
  race$logs <- race_logs(race, backend)
  race$took <- clock_now() - start
}

# A row a round, a column a setting, NA where it was out. Collections are charged by bytes, as in timing.
race_logs <- function(race, backend) {
  names <- vapply(race$cells, function(cell) cell$stage, "")
  logs <- matrix(NA_real_, race$round, length(names))
  if (is.null(race$samples)) return(logs)
  if (any(race$samples$gc_seconds > 0)) race$bytes <- race$bytes %||% race_bytes(race, backend)
  facts <- data.frame(stage = names, size = race$size, bytes = race$bytes %||% NA_real_)
  charged <- charge_collections(race$samples, facts)
  logs[cbind(charged$round, match(charged$stage, names))] <- log(charged$seconds)
  logs
}

race_bytes <- function(race, backend) {
  vapply(race$cells, function(cell) {
    found <- if (cell$state == "timed") backend$memory(cell$stage, cell$size, limit = 10 * race$limit)
    if (is.null(found) || is_fault(found)) NA_real_ else found[["bytes"]]
  }, 0)
}

# A race with the cells of some settings, made ready.
new_race <- function(names, size, seed, backend, limit) {
  race <- new.env()
  race$size <- size
  race$seed <- seed
  race$round <- 0
  race$limit <- limit
  race$ended <- "margin"
  race$loop <- loop_cost()
  race$quiet <- quiet_pressure()
  race$cells <- lapply(names, function(name) {
    cell <- new_cell(name, size)
    open_cell(cell, backend, limit, warm = FALSE)
    cell
  })
  race$racing <- rep(TRUE, length(names))
  race$logs <- matrix(double(), 0, length(names))
  race
}

report_race <- function(race, deadline) {
  signal_progress("tune",
    size = race$size, rounds = race$round, racing = sum(race$racing), of = length(race$cells),
    left = max(0, deadline - clock_now())
  )
}
