# Where results are compared: one size and one case, or arguments that are given.

# What the checks share: the backend, each stage's last cost, values asked for
# ahead, how often a stage was taken down, and errors against the truth.
new_checking <- function(study, limit, backend, sanitized) {
  checking <- new.env()
  checking$study <- study
  checking$reference <- reference_of(study)
  checking$limit <- limit
  checking$backend <- backend
  checking$costs <- new.env()
  checking$ahead <- list()
  checking$downs <- list()
  checking$errors <- list()
  checking$repeated <- character()
  checking$random_seconds <- list()
  checking$rounding_stops <- 0
  checking$first <- list()
  checking$last <- list()
  checking$sanitized <- sanitized
  checking$checks <- 1
  checking$making <- list(size = 1, seconds = 0)
  checking$share <- once(function() rounding_share(checking))
  checking
}

# An evaluation that was not forecast past the limit is stopped at this many times it.
patience <- 5

# A point asks any stage for its value there: `ask(name, perturbation, ...)`. `terms` is
# the length of the longest accumulation; `typical` the magnitude of the result
# on ordinary arguments, worked out when it is needed.
plan_point <- function(checking, size, case) {
  arguments <- point_arguments(checking, size, case)
  list(
    size = size, case = case, own = case == own_inputs && size %in% checking$study$sizes,
    arguments = arguments, terms = longest_argument(arguments),
    tiny = denormal_share(arguments), finite = all_finite(arguments),
    ask = function(name, ..., limit = patience * checking$limit) {
      checking$backend$value(name, size, limit = limit, case = case, ...)
    },
    typical = once(function() if (case %in% ordinary_cases) typical_magnitude(checking, size) else 0)
  )
}

# The arguments at a check point; what makes them never runs in this session.
point_arguments <- function(checking, size, case) {
  given <- checking$backend$arguments(checking$reference, size, case)
  if (is_fault(given)) abort_inputs(given)
  given
}

# The same on given arguments, which stand for those of another point.
trial_point <- function(checking, point, arguments) {
  point$own <- FALSE
  point$terms <- longest_argument(arguments)
  point$ask <- function(name, perturbation = 0, limit = patience * checking$limit, rounding = FALSE) {
    if (perturbation > 0) arguments <- perturb_arguments(arguments, perturbation, checking$study$places)
    checking$backend$trial(name, point$size, arguments = arguments, limit = limit, rounding = rounding)
  }
  point
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
  checking$backend$prepare(checking$reference, size)
  ran <- checking$backend$value(checking$reference, size, limit = patience * checking$limit)
  if (is_fault(ran)) 0 else result_magnitude(ran$value)
}

largest_ahead <- 1000

# An exchange with a worker costs more than a small evaluation, so its small
# evaluations are asked for together. If that fails they are asked one by one.
look_ahead <- function(checking, plan) {
  small <- plan[plan$size <= largest_ahead, ]
  keys <- paste(small$size, small$case)
  for (name in checking$backend$isolated) {
    limit <- patience * checking$limit
    values <- checking$backend$values(name, 1, sizes = small$size, cases = small$case, limit = limit)
    if (!is_fault(values)) checking$ahead[[name]] <- stats::setNames(values, keys)
  }
}

most_crashes <- 5
most_stops <- 3 # on cases, where a loop may have no end that ends on the study's own inputs

# list(state, value, conduct, remark): state is "ok", "failed", "crashed" or
# "unchecked" (too slow, or taken down often enough).
evaluate_stage <- function(checking, name, size, case) {
  refused <- refused_evaluation(checking, name, size)
  if (!is.null(refused)) return(list(state = "unchecked", remark = refused))
  ran <- stage_value(checking, name, size, case)
  if (is_fault(ran)) {
    if (ran$state != "failed") {
      told <- if (ran$state == "stopped" && case != own_inputs) "stopped on a case" else ran$state
      checking$downs[[name]] <- c(checking$downs[[name]], told)
    }
    remark <- fault_remark(ran)
    return(list(state = if (ran$state == "crashed") "crashed" else "failed", remark = remark))
  }
  if (case == own_inputs && size >= max(checking$costs[[name]]$size, min(checking$study$sizes))) {
    checking$costs[[name]] <- list(size = size, seconds = ran$seconds, sure = FALSE)
  }
  list(state = "ok", value = ran$value, conduct = ran$conduct, seconds = ran$seconds)
}

# Why a stage is not evaluated at a size, or NULL.
refused_evaluation <- function(checking, name, size) {
  downs <- checking$downs[[name]]
  if ("stopped" %in% downs || sum(downs == "stopped on a case") >= most_stops) return(new_remark("ran on"))
  if (sum(downs == "crashed") >= most_crashes) return(new_remark("crashed before", count = most_crashes))
  forecast <- stage_forecast(checking, name, size)
  if (forecast <= checking$limit) return(NULL)
  new_remark("slow", forecast = forecast, limit = checking$limit)
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
  prepared <- checking$backend$prepare(name, size, case)
  if (is_fault(prepared)) return(prepared)
  checking$backend$value(name, size, limit = evaluation_limit(checking, name, size, case), case = case)
}

# A case that takes far longer than the study's own inputs will hardly end.
evaluation_limit <- function(checking, name, size, case) {
  most <- patience * checking$limit
  known <- checking$costs[[name]]
  if (case == own_inputs || is.null(known)) most else min(most, max(1, 200 * known$seconds * size / known$size))
}
