#' How to time a study
#'
#' @param precision Width that a ratio's 95 % interval should shrink to, as a
#'   fraction of the ratio: 0.03 asks for about plus or minus 1.5 %. A size is
#'   finished early when every ratio is known that well.
#' @param budget Seconds that timing may take, all sizes together.
#' @param cell_limit Seconds that one evaluation may take. Where even the low end of a stage's forecast is longer it
#'   is not run, and the forecast is recorded; what runs longer all the same is stopped.
#' @param rounds Fewest and most rounds at one size. In a round every live stage
#'   is sampled once, in random order; one that takes more than its share of the time may have two.
#' @param isolate `"none"`: stages are evaluated in one copy of this session, made by forking, which is made
#'   anew where a stage takes it down. `"stage"`: each stage in a fresh worker process of its own. Either way
#'   a crash, `quit()` or a runaway takes only its own cell, and never the session.
#' @param memory Whether to measure what R allocates, in an untimed pass.
#' @param first_call Whether to measure the first call of each stage, in fresh
#'   processes: up to three times, as long as that takes no more than 8 % of the budget.
#' @param equal_zone Ratios this close to 1 are called `same`: 0.03 means within 3 %.
#' @param processes Fresh processes, one after the other, that each time every size with their part of the budget.
#'   Within one process a time may hang on where its memory lies; of several, the intervals hold what differs between
#'   processes too (with a t quantile: few processes give wide ones, five or more are of use). A checkpoint is written
#'   at the end alone.
#' @param worker_memory Bytes of address space that an isolated stage may use; with `NULL`, four fifths
#'   of the machine's memory.
#' @return A `ds_plan`: a list of these.
#' @section Errors: `ds_error_input` for a budget, limit or precision that is not
#'   positive, a precision or zone of 1 or more, or rounds that are no range.
#' @examples
#' ds_plan(budget = 20)
#' @export
ds_plan <- function(precision = 0.03, budget = 60, cell_limit = 10,
                    rounds = c(7, 200), isolate = c("none", "stage"), memory = TRUE, first_call = TRUE,
                    equal_zone = 0.03, worker_memory = NULL, processes = 1) {
  isolate <- check_choice(isolate, c("none", "stage"), "isolate")
  worker_memory <- worker_memory %||% (0.8 * memory_bytes())
  validate_plan(new_plan(
    precision, budget, cell_limit, rounds, isolate, memory, first_call, equal_zone, worker_memory,
    processes
  ))
}

new_plan <- function(precision, budget, cell_limit, rounds, isolate, memory, first_call, equal_zone, worker_memory,
                     processes = 1) {
  structure(
    list(
      precision = precision, budget = budget, cell_limit = cell_limit, rounds = rounds, isolate = isolate,
      memory = memory, first_call = first_call, equal_zone = equal_zone, worker_memory = worker_memory,
      processes = processes
    ),
    class = "ds_plan"
  )
}

validate_plan <- function(plan) {
  check_number(plan$precision, "precision", 0, 1)
  check_number(plan$budget, "budget", 0, hint = "It is in seconds: `budget = 60` is the default.")
  check_number(plan$cell_limit, "cell_limit", 1000 * clock_step(), hint = "It is in seconds; the clock tells no less.")
  check_choice(plan$isolate, c("none", "stage"), "isolate")
  check_flag(plan$memory, "memory")
  check_flag(plan$first_call, "first_call")
  if (!(rlang::is_scalar_atomic(plan$worker_memory) && is.na(plan$worker_memory))) {
    check_number(plan$worker_memory, "worker_memory", 2^28, hint = "It is in bytes.")
  }
  check_count(plan$processes, "processes", 1)
  check_number(plan$equal_zone, "equal_zone", 0, 1)
  if (!is.numeric(plan$rounds) || length(plan$rounds) != 2) {
    abort_input("`rounds` must be two whole numbers: the fewest and the most.",
      you_gave(plan$rounds),
      arg = "rounds"
    )
  }
  check_count(plan$rounds[[1]], "rounds[1]", 2)
  check_count(plan$rounds[[2]], "rounds[2]", plan$rounds[[1]])
  plan
}
