# What the stages' evaluations on the study's own inputs cost, and what follows for other sizes.

# Seconds of a stage at each size where it was evaluated: the least of several, since a first one may have compiled
# something. `sure`: sizes at which it was evaluated more than once.
note_cost <- function(checking, name, size, seconds) {
  known <- checking$costs[[name]] %||% list(size = double(), seconds = double(), sure = double())
  at <- match(size, known$size)
  if (is.na(at)) {
    known$size <- c(known$size, size)
    known$seconds <- c(known$seconds, seconds)
  } else {
    known$seconds[[at]] <- min(known$seconds[[at]], seconds)
    known$sure <- union(known$sure, size)
  }
  checking$costs[[name]] <- known
}

# The largest size that is known of a stage, and its seconds there.
largest_cost <- function(checking, name) {
  known <- checking$costs[[name]]
  if (is.null(known)) return(NULL)
  largest <- which.max(known$size)
  list(size = known$size[[largest]], seconds = known$seconds[[largest]])
}

single_evaluation <- 0.2 # what one evaluation's log seconds scatter by

# c(median, low, high) of the seconds at a size. What would lock a stage out is measured first at ten times the size
# that is known, where that is cheap, or once more.
stage_forecast <- function(checking, name, size) {
  repeat {
    largest <- largest_cost(checking, name)
    if (is.null(largest)) return(c(median = 0, low = 0, high = Inf))
    steepest <- largest$seconds * (size / largest$size)^most_power
    if (steepest <= checking$limit / 10) return(c(median = steepest, low = 0, high = steepest))
    known <- checking$costs[[name]]
    forecast <- forecast_seconds(known$size, known$seconds, size, single_evaluation)
    if (forecast[["median"]] <= checking$limit || !refine_cost(checking, name, size)) return(forecast)
  }
}

# TRUE when more is known of a stage's cost than before.
refine_cost <- function(checking, name, size) {
  largest <- largest_cost(checking, name)
  known <- checking$costs[[name]]
  next_size <- min(size, 10 * largest$size)
  cheap <- forecast_seconds(known$size, known$seconds, next_size, single_evaluation)[["median"]] <= checking$limit / 4
  if (cheap && next_size < size && next_size > largest$size) {
    at <- next_size
  } else {
    if (largest$size %in% known$sure || largest$seconds > checking$limit / 2) return(FALSE)
    at <- largest$size
  }
  ran <- stage_value(checking, name, at, own_inputs, ahead = FALSE)
  if (is_fault(ran)) return(FALSE)
  note_cost(checking, name, at, ran$seconds)
  TRUE
}
