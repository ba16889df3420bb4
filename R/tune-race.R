# A race of settings at one size: rounds as in the timing engine; who is surely worse drops out.

first_out <- 1.5 # times the best in each of the first rounds

# Runs until the best is known within the margin or the deadline has come. `race`: an environment with `cells`, `logs`.
race_settings <- function(race, backend, margin, deadline) {
  repeat {
    racing <- vapply(race$cells, function(cell) cell$state == "timed", NA) & race$racing
    if (sum(racing) == 0) return(invisible())
    if (clock_now() > deadline && race$round >= 1) return(invisible(race$ended <- "budget"))
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

race_round <- function(race, backend, racing) {
  race$round <- race$round + 1
  row <- rep(NA_real_, length(race$cells))
  turn <- order(vapply(racing, function(i) derive_seed(race$size + i / 1024, race$round + race$seed), 0L))
  for (i in racing[turn]) {
    reading <- sample_cell(race$cells[[i]], backend, race$loop, race$limit, race$quiet, race$round == 1)
    if (!is.null(reading) && reading$seconds > 0) row[[i]] <- log(reading$seconds)
  }
  race$logs <- rbind(race$logs, row, deparse.level = 0)
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
