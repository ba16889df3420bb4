# Which of several settings is the best, from rounds that sampled all that were still in it.

surely <- 0.99
least_race_rounds <- 4

# By setting: `seconds` (of an ordinary round), `over` (its time over the best's), `low` and `high` of that, from the
# rounds that both were sampled in. `logs`: a matrix of log times, a row a round, a column a setting, NA where it was
# out.
race_standing <- function(logs) {
  middle <- apply(logs, 2, stats::median, na.rm = TRUE)
  rounds <- colSums(is.finite(logs))
  lead <- rounds == max(rounds)
  best <- which(lead)[[which.min(middle[lead])]]
  bounds <- vapply(seq_len(ncol(logs)), function(i) ratio_bounds(logs[, i] - logs[, best]), double(3))
  data.frame(
    seconds = exp(middle), over = exp(bounds[1, ]), low = exp(bounds[2, ]), high = exp(bounds[3, ]), rounds = rounds,
    best = seq_len(ncol(logs)) == best
  )
}

# c(middle, low, high) of paired differences of logs: the median with the spread that its rounds show.
ratio_bounds <- function(differences) {
  seen <- differences[is.finite(differences)]
  if (length(seen) < 2) return(c(c(seen, NA)[[1]], -Inf, Inf))
  spread <- max(stats::mad(seen), stats::IQR(seen) / 1.349, 1e-4)
  far <- stats::qt(surely, length(seen) - 1) * 1.2533 * spread / sqrt(length(seen))
  stats::median(seen) + c(0, -far, far)
}

# Which go on: those that are not surely worse than the best by more than the margin allows to care about.
still_racing <- function(standing, racing) {
  racing & (standing$best | standing$rounds < least_race_rounds | standing$low <= 1)
}

# Known well enough: none that is still in it could be better than the best by more than the margin.
race_decided <- function(standing, racing, within) {
  rivals <- racing & !standing$best
  all(standing$rounds[racing] >= least_race_rounds) && all(standing$low[rivals] >= 1 / (1 + within))
}

# "best"; "as good": surely within the margin of it; "unclear": neither that nor told from it; "slower".
race_states <- function(standing, within) {
  told <- standing$rounds < least_race_rounds | standing$low > 1
  slower <- (told & standing$over > 1 + within) %in% TRUE
  ifelse(standing$best, "best", ifelse(standing$high <= 1 + within, "as good", ifelse(slower, "slower", "unclear")))
}
