#' Time every stage over growing sizes
#'
#' At each size, smallest first, every stage that agrees is sampled once per
#' round, in random order, so that the machine's drift cancels in the ratio of
#' two stages of one round. A sample is a batch of evaluations long enough for
#' the clock; making the arguments is never inside it. After the fewest rounds
#' everywhere the largest sizes get theirs first, until every ratio is known as
#' well as the plan asks or the budget is spent. A stage that costs far more than
#' all faster ones together is sampled in every fifth round. A stage is not run at
#' a size where even the low end of its forecast is past the limit; what has a
#' chance is tried, and stopped at the limit.
#'
#' Two probes stand around each sample: one as wide as the core issues
#' instructions, which slows down when other work shares the core, and one that
#' goes by the clock's rate alone. A sample beside a neighbour is taken again, and
#' left out where every stage has others at that size. Collections of garbage are
#' charged by bytes: at one size a byte costs all seconds of collections over all
#' bytes that were allocated.
#'
#' Every stage is held to one thread of OpenMP and OpenBLAS unless it declares more. Output,
#' messages and warnings of a stage are kept off the console. A stage that
#' changes its arguments gets fresh ones for every evaluation.
#'
#' Where the user has set a `future` plan, whole sizes go to its workers, so that every
#' ratio comes from one machine; the worker of every sample is recorded. A plan of several processes times every size in
#' each of them, one process after the other, and resamples processes first, then their rounds (Kalibera and Jones
#' 2013, "Rigorous benchmarking in reasonable time").
#'
#' @param study A [ds_study()] with at least one stage.
#' @param plan A [ds_plan()].
#' @param agreement What [ds_agree()] found for this study. A stage that differs
#'   is not timed and gets no speedup.
#' @param resume A file that keeps every finished size. If it is there already,
#'   the run goes on from it; if it belongs to other code, inputs or another
#'   machine, it is refused. `NULL` keeps nothing.
#' @return A `ds_timings`: a list with
#'   * `samples`, a tibble: `stage`, `size`, `round`, `order` within the round, `batch`
#'     evaluations, `seconds`, `cpu` (processor seconds) and `preempted_seconds` (seconds in which other processes
#'     or the host had the processor, left out of `seconds`) per evaluation, `gc` (garbage collections) and
#'     `gc_seconds` in the batch, `crowding` (how much slower a probe of instructions that do not wait for one another
#'     ran beside the sample than on a core that nobody shares; from 1.25 on the sample is left out where each stage has
#'     at least 5 others at that size), `worker` (host and process);
#'   * `cells`, see [tables];
#'   * `first_calls`, a tibble: `stage`, `size`, `turn`, `load` (packages and libraries), `compile` (byte
#'     code), `evaluation`, all in seconds, `peak` (bytes by which the resident size grew);
#'   * `conditions`, a tibble of what could have spoilt a figure: `kind`, `stage`, `size`, `message`;
#'   * `plan`, `reference`, `seconds` (the whole run), `notes` and `interrupted`.
#'
#'   Interrupted by Ctrl-C, or where an unforeseen error ends it, it returns what was measured so far; `error` says
#'   which.
#' @section Method: a sample's log time is taken for the sum of what its stage costs and what its round had in common
#'   (a robust two-way fit, after Tukey 1977), so that a cell's time is that of an ordinary round, and a speedup the
#'   quotient of two
#'   times. Intervals are 95 % percentile bootstraps of 2,000 resamples of the rounds (Efron and Tibshirani 1993).
#'   Those of times hold what another process would give, too (3 % as a standard deviation of its logarithm, where one
#'   process was timed); where the core was shared throughout, all hold what a core of one's own would give.
#' @section Errors: `ds_error_input` as for [ds_agree()]; `ds_error_file` for a
#'   `resume` file of another run, damaged, or in use by another process.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' ds_time(study, ds_plan(budget = 2, first_call = FALSE))
#' @export
ds_time <- function(study, plan = ds_plan(), agreement = ds_agree(study, isolate = plan$isolate),
                    resume = NULL) {
  local_plain()
  check_class(plan, "ds_plan", "plan", "Make one with `ds_plan()`.")
  check_runnable(study)
  checkpoint <- claim_checkpoint(resume, study, plan)
  on.exit(drop_checkpoint(checkpoint), add = TRUE)
  check_class(agreement, "ds_agreement", "agreement", "Make one with `ds_agree(study)`.")
  time_stages(study, plan, agreement, checkpoint)
}

# An interruption, or an error of our own, ends the timing and loses nothing of it.
time_stages <- function(study, plan, agreement, checkpoint) {
  local_random_state()
  local_directory(study$directory)
  timing <- new_timing(study, plan, agreement)
  timing$backend <- new_backend(study, plan$isolate, plan$worker_memory, input_limit(plan))
  on.exit(timing$backend$close(), add = TRUE)
  timing$checkpoint <- checkpoint
  if (!is.null(checkpoint)) open_checkpoint(timing)
  local_threads(1)
  suspendInterrupts({
    ended <- tryCatch(
      {
        allowInterrupts(time_sizes(timing))
        list(interrupted = FALSE)
      },
      interrupt = function(i) list(interrupted = TRUE),
      error = function(e) list(interrupted = FALSE, error = condition_line(e))
    )
    finish_timing(timing, ended)
  })
}

new_timing <- function(study, plan, agreement) {
  timing <- new.env()
  timing$study <- study
  timing$plan <- plan
  timing$agreement <- agreement
  timing$reference <- reference_of(study)
  timing$seed <- study$seed
  timing$loop <- loop_cost()
  timing$quiet <- quiet_pressure()
  timing$before <- machine_load()
  timing$start <- clock_now()
  timing$deadline <- timing$start + plan$budget
  timing$size_runs <- list()
  timing$first_calls <- first_table(list())
  timing$notes <- character()
  timing$printing <- list()
  timing$constant <- character()
  timing$done <- 0
  timing$of <- length(study$sizes)
  timing$worker <- paste(Sys.info()[["nodename"]], Sys.getpid())
  timing
}

# Sizes that a checkpoint restored are not run again.
time_sizes <- function(timing) {
  done <- vapply(timing$size_runs, function(run) run$size, 0)
  if (length(done)) {
    timing$notes <- sprintf("Resumed: %s had been timed before.", format_sizes(done))
  }
  open <- setdiff(timing$study$sizes, done)
  if (timing$plan$first_call && length(open)) timing$first_calls <- measure_first_calls(timing)
  if (time_in_processes(timing, open) || spread_over_workers(timing, open)) return(invisible())
  for (size in open) {
    time_size(timing, size)
    save_checkpoint(timing)
  }
  probe_stages(timing)
  spend_rest(timing)
  save_checkpoint(timing)
}

# Untimed, at the smallest size: results that ignore the arguments, and what
# printing costs where something is printed.
probe_stages <- function(timing) {
  size <- timing$study$sizes[[1]]
  smallest <- Filter(function(run) run$size == size && !run$restored, timing$size_runs)
  for (cell in unlist(lapply(smallest, live_cells))) {
    limit <- timing$plan$cell_limit
    if (cell$prints) timing$printing[[cell$stage]] <- NA_real_
    if (clock_now() + 4 * cell$each > timing$deadline) next
    varies <- timing$backend$varies(cell$stage, size, limit = limit)
    if (isFALSE(varies)) timing$constant <- c(timing$constant, cell$stage)
    if (cell$prints) {
      share <- timing$backend$printing(cell$stage, size, limit = limit)
      timing$printing[[cell$stage]] <- if (is_fault(share)) NA_real_ else share
    }
  }
}

finish_timing <- function(timing, ended) {
  interrupted <- ended$interrupted
  add_unbegun(timing, interrupted)
  cells <- unlist(lapply(timing$size_runs, function(run) run$cells))
  samples <- do.call(rbind, lapply(timing$size_runs, size_samples))
  timing$quiet <- least_pressure(c(timing$quiet, low_pressure(samples$pressure)))
  remember_pressure(timing$quiet)
  samples <- crowded_samples(samples, timing$quiet)
  marks <- bind_records(lapply(cells, cell_mark, interrupted = interrupted))
  table <- summarise_cells(samples, marks, timing$reference, timing$plan$equal_zone)
  table <- add_stage_costs(table, timing)
  new_timings(
    samples, table, timing$plan, timing$reference, clock_now() - timing$start,
    notes = timing$notes,
    interrupted = interrupted, error = ended$error, first_calls = timing$first_calls,
    conditions = read_conditions(timing_evidence(timing, samples, marks))
  )
}

# Sizes that an interruption or an error left out have their cells, too.
add_unbegun <- function(timing, interrupted) {
  begun <- vapply(timing$size_runs, function(run) run$size, 0)
  why <- sprintf("%s before this size", if (interrupted) "the run was interrupted" else "an error ended the run")
  for (size in setdiff(timing$study$sizes, begun)) {
    cells <- lapply(names(timing$study$stages), function(name) {
      found <- agreement_of(timing$agreement, name, size)
      agrees <- found$state == "agrees"
      new_cell(name, size, if (agrees) "forecast" else found$state, if (agrees) why else found$reason)
    })
    timing$size_runs <- c(timing$size_runs, new_size_run(size, cells))
  }
}

# What the table of cells needs to know of a cell. One that was made ready but
# never sampled is a forecast from its calibration.
cell_mark <- function(cell, interrupted) {
  if (cell$state == "timed" && cell$rounds == 0) {
    cell$state <- "forecast"
    cell$forecast <- c(if (isTRUE(cell$each > 0)) cell$each else NA_real_, NA, NA)
    ended <- if (interrupted) "the run was interrupted" else "the budget was spent"
    cell$reason <- paste(ended, "before its first round")
  }
  list(
    stage = cell$stage, size = cell$size, state = cell$state, batch = cell$batch,
    stopped_by = cell$stopped_by, reason = cell$reason, forecast = cell$forecast[[1]],
    forecast_low = cell$forecast[[2]], forecast_high = cell$forecast[[3]], elements = cell$elements,
    bytes = cell$memory[["bytes"]], allocations = cell$memory[["allocations"]],
    largest_bytes = cell$memory[["largest_bytes"]]
  )
}

# First call and peak belong to a stage at the smallest size, the build to the stage.
add_stage_costs <- function(table, timing) {
  first <- timing$first_calls
  at_first <- function(column) {
    vapply(seq_len(nrow(table)), function(i) {
      own <- first[first$stage == table$stage[[i]] & first$size == table$size[[i]], ]
      if (nrow(own)) stats::median(column(own)) else NA_real_
    }, 0)
  }
  table$peak <- at_first(function(own) own$peak)
  table$first_call <- at_first(function(own) own$load + own$compile + own$evaluation)
  table$build <- vapply(table$stage, function(name) {
    kernel <- timing$study$stages[[name]]$kernel
    inner_facts(kernel)$build_seconds %||% compiled_seconds(kernel)
  }, 0, USE.NAMES = FALSE)
  table
}

timing_evidence <- function(timing, samples, marks) {
  noise <- do.call(rbind, lapply(timing$size_runs, function(run) {
    tibble::tibble(size = rep(run$size, length(run$noise)), seconds = run$noise)
  }))
  list(
    samples = samples, facts = marks, noise = noise, before = timing$before, after = machine_load(),
    threads = lapply(timing$study$stages, function(stage) stage$threads), rate = processor_rate(),
    cores = processor_count(), printing = timing$printing, constant = timing$constant,
    machine = kept_machine(machine_file()), work = timing$study$work
  )
}
