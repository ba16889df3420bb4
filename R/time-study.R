#' Time every stage over growing sizes
#'
#' At each size, smallest first, every stage that agrees is sampled once per
#' round, in random order, so that the machine's drift cancels in the ratio of
#' two stages of one round. A sample is a batch of evaluations long enough for
#' the clock; making the arguments is never inside it. A size is finished when
#' every ratio is known as well as the plan asks, or its share of the budget is
#' spent; what is left over goes to the sizes that are least certain.
#'
#' @param study A [ds_study()] with at least one stage.
#' @param plan A [ds_plan()].
#' @param agreement What [ds_agree()] found for this study. A stage that differs
#'   is not timed and gets no speedup.
#' @return A `ds_timings`: a list with `samples` (a tibble: `stage`, `size`,
#'   `round`, `order` within the round, `batch` evaluations, `seconds` per
#'   evaluation), `cells` (see [tables]), `plan`, `reference`, `seconds` (the whole run),
#'   `notes` and `interrupted`. Interrupted by Ctrl-C, it returns what was measured so far.
#' @section Method: the speedup is the median of the paired log-ratios with a
#'   95 % percentile bootstrap interval of 2,000 resamples (Efron and Tibshirani 1993).
#' @section Errors: `ds_error_input` as for [ds_agree()].
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0; for (r in rain) s <- s + r; s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' ds_time(study, ds_plan(budget = 0.5))
#' @export
ds_time <- function(study, plan = ds_plan(), agreement = ds_agree(study)) {
  check_runnable(study)
  check_class(plan, "ds_plan", "plan", "Make one with `ds_plan()`.")
  check_class(agreement, "ds_agreement", "agreement", "Make one with `ds_agree(study)`.")
  force(agreement)
  local_random_state()
  local_directory(study$directory)
  timing <- new_timing(study, plan, agreement)
  interrupted <- FALSE
  tryCatch(
    {
      for (size in study$sizes) time_size(timing, size)
      spend_rest(timing)
    },
    interrupt = function(condition) interrupted <<- TRUE
  )
  finish_timing(timing, interrupted)
}

new_timing <- function(study, plan, agreement) {
  timing <- new.env()
  timing$study <- study
  timing$plan <- plan
  timing$agreement <- agreement
  timing$reference <- reference_of(study)
  timing$seed <- study$seed
  timing$loop <- loop_cost()
  timing$start <- clock_now()
  timing$deadline <- timing$start + plan$budget
  timing$size_runs <- list()
  timing$done <- 0
  timing$of <- length(study$sizes)
  timing
}

time_size <- function(timing, size) {
  left <- timing$of - timing$done
  share <- (timing$deadline - clock_now()) / left
  cells <- lapply(names(timing$study$stages), function(name) plan_cell(timing, name, size))
  size_run <- new_size_run(size, cells)
  timing$size_runs <- c(timing$size_runs, size_run)
  report_rounds(size_run, timing)
  deadline <- clock_now() + share
  open_cells(timing, size_run)
  close_size(size_run, run_rounds(size_run, timing, deadline))
  timing$done <- timing$done + 1
  report_rounds(size_run, timing, finished = TRUE)
}

# A new cell whose state says whether it is to be run: it agrees, and neither
# the limit nor the budget is forecast to be passed.
plan_cell <- function(timing, name, size) {
  found <- agreement_of(timing$agreement, name, size)
  if (found$state != "agrees") return(new_cell(name, size, found$state, found$reason))
  past <- past_costs(timing, name)
  forecast <- forecast_seconds(past$size, past$seconds, size)
  reason <- forecast_reason(timing, forecast)
  if (nzchar(reason)) new_cell(name, size, "forecast", reason, forecast) else new_cell(name, size)
}

past_costs <- function(timing, name) {
  cells <- unlist(lapply(timing$size_runs, function(run) {
    Filter(function(cell) cell$stage == name && cell$state == "timed", run$cells)
  }))
  list(size = vapply(cells, function(cell) cell$size, 0), seconds = vapply(cells, function(cell) cell$each, 0))
}

forecast_reason <- function(timing, forecast) {
  plan <- timing$plan
  left <- timing$deadline - clock_now()
  later <- timing$of - timing$done > 1
  needed <- forecast * plan$rounds[[1]]
  if (forecast > plan$cell_limit) {
    return(sprintf("one evaluation is forecast to take %s, past the limit of %s",
                   format_seconds(forecast), plain_seconds(plan$cell_limit)))
  }
  if (left <= 0) return("the budget was spent before this size")
  if (needed > left / (1 + later)) {
    return(sprintf("%d rounds are forecast to take %s, with %s of the budget left",
                   plan$rounds[[1]], format_seconds(needed), format_seconds(left)))
  }
  ""
}

open_cells <- function(timing, size_run) {
  live <- live_cells(size_run)
  if (length(live) == 0) return(invisible())
  arguments <- study_inputs(timing$study, size_run$size)
  for (cell in live) {
    warm <- length(past_costs(timing, cell$stage)$size) > 1
    open_cell(cell, timing$study$stages[[cell$stage]]$kernel, arguments, timing$plan$cell_limit, warm)
  }
}

close_size <- function(size_run, stopped_by) {
  for (cell in live_cells(size_run)) cell$stopped_by <- stopped_by
}

# More rounds where they are needed most, while a whole round still fits.
spend_rest <- function(timing) {
  repeat {
    open <- Filter(function(run) {
      length(live_cells(run)) > 0 && run$width > timing$plan$precision &&
        run$round < timing$plan$rounds[[2]] && clock_now() + round_cost(run) < timing$deadline
    }, timing$size_runs)
    if (length(open) == 0) return(invisible())
    widest <- open[[which.max(vapply(open, function(run) run$width, 0))]]
    slice <- min(timing$deadline, clock_now() + max(0.5, 5 * round_cost(widest)))
    close_size(widest, run_rounds(widest, timing, slice))
    widest$width <- size_width(widest, timing)
    report_rounds(widest, timing)
  }
}

finish_timing <- function(timing, interrupted) {
  samples <- do.call(rbind, lapply(timing$size_runs, size_samples))
  cells <- unlist(lapply(timing$size_runs, function(run) run$cells))
  marks <- do.call(rbind, lapply(cells, cell_mark, interrupted = interrupted))
  table <- summarise_cells(samples, marks, timing$reference, timing$plan$equal_zone)
  new_timings(samples, table, timing$plan, timing$reference, clock_now() - timing$start, interrupted = interrupted)
}

# What the table of cells needs to know of a cell. One that was made ready but
# never sampled is a forecast from its calibration.
cell_mark <- function(cell, interrupted) {
  if (cell$state == "timed" && cell$rounds == 0) {
    cell$state <- "forecast"
    cell$forecast <- if (is.finite(cell$each)) cell$each else NA_real_
    ended <- if (interrupted) "the run was interrupted" else "the budget was spent"
    cell$reason <- paste(ended, "before its first round")
  }
  tibble::tibble(
    stage = cell$stage, size = cell$size, state = cell$state, batch = cell$batch,
    stopped_by = cell$stopped_by, reason = cell$reason, forecast = cell$forecast
  )
}
