# The three things that a run leaves behind. `samples`, `cells` and the table of
# an agreement are tibbles with the columns that the schema documents.

new_agreement <- function(table, sizes, reference, unchecked, tolerance, errors, examples) {
  structure(
    list(
      table = table, sizes = sizes, reference = reference, unchecked = unchecked,
      tolerance = tolerance, errors = errors, examples = examples
    ),
    class = "ds_agreement"
  )
}

new_timings <- function(samples, cells, plan, reference, seconds, notes = character(), interrupted = FALSE,
                        error = NULL,
                        first_calls = NULL, conditions = NULL) {
  structure(
    list(
      samples = samples, cells = cells, plan = plan, reference = reference,
      seconds = seconds, notes = notes, interrupted = interrupted, error = error %||% "",
      first_calls = first_calls, conditions = conditions
    ),
    class = "ds_timings"
  )
}

new_result <- function(study, agreement, timings, environment) {
  structure(
    list(study = study, agreement = agreement, timings = timings, environment = environment),
    class = "ds_result"
  )
}

#' Tables of a result
#'
#' @param x A result of [ds_run()], [ds_time()] or [ds_agree()].
#' @param ... Not used.
#' @return A tibble. For a result and for timings, one row per stage and size:
#'   `stage`, `size`, `state` (`timed`, `forecast`, `stopped`, `disagrees`,
#'   `failed`), `median`, `low`, `high`, `fastest`, `spread` (seconds per
#'   evaluation; for a forecast `median` is the forecast; `low` and `high` bound
#'   a 95 % interval), `speedup`, `speedup_low`, `speedup_high` (over the
#'   reference), `collecting` (of the median, what R spends on collecting an evaluation's own bytes), `verdict`,
#'   `rounds` (whose samples count), `batch`, `bytes`, `allocations` and `largest_bytes` that R
#'   allocates in one evaluation, `stopped_by`, `reason`, `peak` (bytes by which the resident size of a fresh
#'   process grew), `first_call` (seconds, loading and compiling included), `build` (seconds that
#'   the compiler took for a native stage; 0 from the cache). `peak` and `first_call` are
#'   measured at the smallest size. For an
#'   agreement, one row per stage and size: `stage`, `size`, `case`, `verdict`,
#'   `n_different` (count of elements), `max_abs`, `max_rel`, `max_ulp`, `where`, `reason`.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 100)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' as.data.frame(ds_agree(study))
#' @name tables
NULL

#' @rdname tables
#' @export
as.data.frame.ds_agreement <- function(x, ...) x$table

#' @rdname tables
#' @export
as.data.frame.ds_timings <- function(x, ...) x$cells

#' @rdname tables
#' @export
as.data.frame.ds_result <- function(x, ...) x$timings$cells
