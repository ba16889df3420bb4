#' Define a study: one kernel, its inputs, its sizes
#'
#' Stages are added with [ds_stage()]. Nothing runs until [ds_agree()],
#' [ds_time()] or [ds_run()] is called.
#'
#' @param title The kernel in a few words; it heads printouts and reports.
#' @param inputs A function of the size `n` that returns the kernel's arguments
#'   as a named list. It may draw random numbers: it is called from a seed
#'   derived from `seed` and `n`, so that every stage, process and rerun sees
#'   the same arguments, and the caller's random state is left as it was.
#' @param sizes The sizes to time at, growing; see [ds_sizes()].
#' @param unit What one unit of size is, in the plural ("hours of record").
#' @param seed A whole number.
#' @param cases What stages are checked on besides the study's own inputs: a [ds_cases()], a named list of
#'   functions of the size (cases of your own), or `FALSE` for nothing else.
#' @param tolerance How far results may differ: a [ds_tolerance()].
#' @param truth A function of the kernel's arguments that returns the exact result, rounded to
#'   double (worked out in higher precision, or in closed form), in the shape of the kernel's result. Where
#'   it is given, stages are judged by their distance from it; see [ds_truth()].
#' @param reference The name of the stage that the others must agree with;
#'   the first stage if `NULL`.
#' @return A `ds_study`: a list with `title`, `inputs`, `sizes`, `unit`, `seed`,
#'   `stages` (a named list), `reference`, `cases`, `tolerance`, `truth` and `directory` (where relative paths
#'   are looked up).
#' @section Errors: `ds_error_input`, naming the argument, for sizes below 1,
#'   fractional or `NA`, `inputs` that is no function, or an empty title.
#' @examples
#' study <- ds_study(
#'   "Degree-day snowmelt",
#'   inputs = function(n) list(temperature = 4 * sin(seq_len(n) / 24) + rnorm(n)),
#'   sizes = ds_sizes(100, 1e4),
#'   unit = "hours"
#' ) |>
#'   ds_stage("loop", function(temperature) {
#'     melt <- numeric(length(temperature))
#'     for (i in seq_along(temperature)) melt[i] <- 3.1 * max(0, temperature[i])
#'     melt
#'   }) |>
#'   ds_stage("vector", function(temperature) 3.1 * pmax(0, temperature))
#' study
#' @export
ds_study <- function(title, inputs, sizes = ds_sizes(100, 1e5), unit = "elements",
                     seed = 1, reference = NULL, cases = ds_cases(), tolerance = ds_tolerance(),
                     truth = NULL) {
  check_present(missing(title), "title")
  check_present(missing(inputs), "inputs")
  validate_study(new_study(title, inputs, sizes, unit, seed, reference,
    cases = as_cases(cases),
    tolerance = tolerance, truth = truth
  ))
}

new_study <- function(title, inputs, sizes, unit, seed, reference, stages = list(), directory = getwd(),
                      cases = ds_cases(), tolerance = ds_tolerance(), truth = NULL) {
  structure(
    list(
      title = title, inputs = inputs, sizes = sizes, unit = unit, seed = seed,
      stages = stages, reference = reference, directory = directory,
      cases = cases, tolerance = tolerance, truth = truth
    ),
    class = "ds_study"
  )
}

validate_study <- function(study) {
  check_label(study$title, "title")
  check_function(
    study$inputs, "inputs",
    "It makes the arguments: `inputs = function(n) list(x = runif(n))`."
  )
  check_label(study$unit, "unit")
  check_number(study$seed, "seed")
  check_class(study$tolerance, "ds_tolerance", "tolerance", "Make one with `ds_tolerance()`.")
  if (!is.null(study$truth)) check_function(study$truth, "truth", "It takes the kernel's arguments.")
  if (!is.null(study$reference)) check_string(study$reference, "reference")
  study$sizes <- sort(unique(check_sizes(study$sizes, "sizes")))
  study
}

# The reference's name: the one asked for, else the first stage's.
reference_of <- function(study) study$reference %||% names(study$stages)[[1]]
