# Where results are compared: one size and one case, or arguments that are given.

# What the checks share: the backend, each stage's last cost, values asked for
# ahead, how often a stage was taken down, and errors against the truth.
new_checking <- function(study, limit, backend, sanitized) {
  checking <- new.env()
  checking$study <- study
  checking$reference <- reference_of(study)
  checking$natives <- Filter(Negate(is.null), lapply(study$stages, function(stage) inner_facts(stage$kernel)))
  checking$limit <- limit
  checking$backend <- backend
  checking$costs <- new.env()
  checking$ahead <- list()
  checking$downs <- list()
  checking$errors <- list()
  checking$differing <- checking$no_truth <- FALSE # is the compiled truth wanted, and is there none?
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

# A point asks any stage for its value there, `ask(name, ...)`, and for those on arguments whose last bits are changed,
# `shake(name, ...)`. `terms` is
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
    shake = function(name, ...) checking$backend$shaken(name, size, case = case, ...),
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
  point$ask <- function(name, limit = patience * checking$limit) {
    checking$backend$trial(name, point$size, arguments = arguments, limit = limit)
  }
  point$shake <- function(name, ...) checking$backend$shaken(name, point$size, arguments = arguments, ...)
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
  refused <- taken_down_remark(checking, name)
  if (!is.null(refused)) return(list(state = "unchecked", remark = refused))
  forecast <- stage_forecast(checking, name, size)
  if (forecast[["low"]] > checking$limit) return(list(state = "unchecked", remark = slow_remark(checking, forecast)))
  doubtful <- case == own_inputs && forecast[["median"]] > checking$limit
  ran <- stage_value(checking, name, size, case, limit = if (doubtful) checking$limit)
  if (is_fault(ran)) {
    if (doubtful && ran$state == "stopped") return(list(state = "unchecked", remark = slow_remark(checking, forecast)))
    if (ran$state != "failed") {
      told <- if (ran$state == "stopped" && case != own_inputs) "stopped on a case" else ran$state
      checking$downs[[name]] <- c(checking$downs[[name]], told)
    }
    # a reference that runs, at smaller sizes, is only too slow here
    slow <- ran$state == "stopped" && name == checking$reference && !is.null(largest_cost(checking, name))
    state <- if (slow) "unchecked" else if (ran$state == "crashed") "crashed" else "failed"
    return(list(state = state, remark = fault_remark(ran)))
  }
  if (case == own_inputs && size >= min(checking$study$sizes)) note_cost(checking, name, size, ran$seconds)
  list(state = "ok", value = ran$value, conduct = ran$conduct, seconds = ran$seconds)
}

# Why a stage is not evaluated any more, or NULL.
taken_down_remark <- function(checking, name) {
  downs <- checking$downs[[name]]
  if ("stopped" %in% downs || sum(downs == "stopped on a case") >= most_stops) return(new_remark("ran on"))
  if (sum(downs == "crashed") >= most_crashes) new_remark("crashed before", count = most_crashes)
}

slow_remark <- function(checking, forecast) {
  new_remark("slow", forecast = forecast[["median"]], limit = checking$limit)
}

stage_value <- function(checking, name, size, case, ahead = TRUE, limit = NULL) {
  known <- checking$ahead[[name]][[paste(size, case)]]
  if (ahead && !is.null(known)) return(known)
  prepared <- checking$backend$prepare(name, size, case)
  if (is_fault(prepared)) return(prepared)
  limit <- limit %||% evaluation_limit(checking, name, size, case)
  checking$backend$value(name, size, limit = limit, case = case)
}

# A case that takes far longer than the study's own inputs will hardly end.
evaluation_limit <- function(checking, name, size, case) {
  most <- patience * checking$limit
  largest <- largest_cost(checking, name)
  if (case == own_inputs || is.null(largest)) return(most)
  min(most, max(1, 200 * largest$seconds * size / largest$size))
}
