# Where results are compared: one size and one case, or arguments that are given.

# What the checks share: the host, each stage's last cost, values asked for
# ahead, how often a stage was taken down, and errors against the truth.
new_checking <- function(study, limit, host) {
  checking <- new.env()
  checking$study <- study
  checking$reference <- reference_of(study)
  checking$limit <- limit
  checking$host <- host
  checking$costs <- new.env()
  checking$ahead <- list()
  checking$downs <- list()
  checking$errors <- list()
  checking$repeated <- character()
  checking$checks <- 1
  checking
}

# An evaluation that was not forecast past the limit is stopped at this many times it.
patience <- 5

# A spot asks any stage for its value there: `ask(name, jolt, ...)`. `terms` is
# the length of the longest accumulation; `typical` the magnitude of the result
# on ordinary arguments, worked out when it is needed.
plan_spot <- function(checking, size, case) {
  limit <- patience * checking$limit
  list(
    size = size, case = case, own = case == own_inputs && size %in% checking$study$sizes,
    terms = longest_argument(case_arguments(checking$study, size, case)),
    ask = function(name, ...) checking$host$value(name, size, limit = limit, case = case, ...),
    typical = once(function() if (case %in% ordinary_cases) typical_magnitude(checking, size) else 0)
  )
}

# The same on given arguments, which stand for those of another spot.
trial_spot <- function(checking, spot, arguments) {
  spot$own <- FALSE
  spot$terms <- longest_argument(arguments)
  spot$ask <- function(name, jolt = 0) {
    if (jolt > 0) arguments <- jolt_arguments(arguments, jolt)
    checking$host$trial(name, spot$size, arguments = arguments, limit = patience * checking$limit)
  }
  spot
}

once <- function(f) {
  value <- NULL
  function() {
    if (is.null(value)) value <<- f()
    value
  }
}

ordinary_cases <- c("all negative", "all positive", "all equal", "sorted", "reversed", "signed zero")

# Largest magnitude of the reference's result on the study's own inputs.
typical_magnitude <- function(checking, size) {
  checking$host$prepare(checking$reference, size)
  ran <- checking$host$value(checking$reference, size, limit = patience * checking$limit)
  if (is_fault(ran)) 0 else result_magnitude(ran$value)
}

largest_ahead <- 1000

# An exchange with a worker costs more than a small evaluation, so its small
# evaluations are asked for together. If that fails they are asked one by one.
look_ahead <- function(checking, plan) {
  small <- plan[plan$size <= largest_ahead, ]
  keys <- paste(small$size, small$case)
  for (name in checking$host$isolated) {
    values <- checking$host$values(name, 1, sizes = small$size, cases = small$case, limit = patience * checking$limit)
    if (!is_fault(values)) checking$ahead[[name]] <- stats::setNames(values, keys)
  }
}

most_crashes <- 5

# list(state, value, conduct, reason): state is "ok", "failed", "crashed" or
# "unchecked" (too slow, or taken down often enough).
evaluate_stage <- function(checking, name, size, case) {
  refused <- refused_evaluation(checking, name, size)
  if (!is.null(refused)) return(list(state = "unchecked", reason = refused))
  ran <- stage_value(checking, name, size, case)
  if (is_fault(ran)) {
    if (ran$state != "failed") checking$downs[[name]] <- c(checking$downs[[name]], ran$state)
    return(list(state = if (ran$state == "crashed") "crashed" else "failed", reason = ran$reason))
  }
  if (case == own_inputs && size %in% checking$study$sizes) {
    checking$costs[[name]] <- list(size = size, seconds = ran$seconds, sure = FALSE)
  }
  list(state = "ok", value = ran$value, conduct = ran$conduct, seconds = ran$seconds)
}

# Why a stage is not evaluated at a size, or NULL.
refused_evaluation <- function(checking, name, size) {
  downs <- checking$downs[[name]]
  if ("stopped" %in% downs) return("it had run on past the limit before")
  if (sum(downs == "crashed") >= most_crashes) return(sprintf("it had crashed %d times", most_crashes))
  forecast <- stage_forecast(checking, name, size)
  if (forecast <= checking$limit) return(NULL)
  sprintf("would take up to %s at this size, past the limit of %s", format_seconds(forecast),
          plain_seconds(checking$limit))
}

# Seconds at a size if the cost grows with its square. A first evaluation may
# have been held up, and a small one says little about a far larger size: what
# would lock a stage out is measured once more, at ten times the size if that is cheap.
stage_forecast <- function(checking, name, size) {
  forecast <- function() checking$costs[[name]]$seconds * (size / checking$costs[[name]]$size)^2
  if (is.null(checking$costs[[name]])) return(0)
  while (forecast() > checking$limit && refine_cost(checking, name, size)) NULL
  forecast()
}

# A first evaluation may have compiled something: a second one says what it costs.
lower_cost <- function(checking, name, size, seconds) {
  known <- checking$costs[[name]]
  if (!is.null(known) && known$size == size) checking$costs[[name]]$seconds <- min(known$seconds, seconds)
}

# TRUE when the cost that is known of a stage has been made better.
refine_cost <- function(checking, name, size) {
  known <- checking$costs[[name]]
  larger <- min(size, 10 * known$size)
  cheap <- known$seconds * (larger / known$size)^2 <= checking$limit / 4
  if (!cheap && (known$sure || known$seconds > checking$limit / 10)) return(FALSE)
  at <- if (cheap && larger < size) larger else known$size
  if (at == known$size && known$sure) return(FALSE)
  ran <- stage_value(checking, name, at, own_inputs, ahead = FALSE)
  if (is_fault(ran)) return(FALSE)
  seconds <- if (at == known$size) min(known$seconds, ran$seconds) else ran$seconds
  checking$costs[[name]] <- list(size = at, seconds = seconds, sure = at == known$size)
  TRUE
}

stage_value <- function(checking, name, size, case, ahead = TRUE) {
  known <- checking$ahead[[name]][[paste(size, case)]]
  if (ahead && !is.null(known)) return(known)
  prepared <- checking$host$prepare(name, size, case)
  if (is_fault(prepared)) return(prepared)
  checking$host$value(name, size, limit = patience * checking$limit, case = case)
}
