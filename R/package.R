#' deepstride: make a slow numeric kernel fast, and prove it is still the same kernel
#'
#' A study holds one kernel, its inputs, its sizes and its stages:
#' [ds_study()], [ds_stage()], [ds_sizes()], [ds_native()]. [ds_run()] checks
#' the stages against the reference, times those that agree and returns a
#' result that prints its verdicts. The parts are open on their own:
#' [ds_agree()], [ds_time()], [ds_report()], [ds_save()], [ds_load()].
#'
#' Times are seconds, memory is bytes, `size` is the study's `n`. Speedup is
#' the reference's time over the stage's: above 1 is faster.
#'
#' @keywords internal
#' @useDynLib deepstride, .registration = TRUE
#' @importFrom Rcpp evalCpp
#' @importFrom rlang .data %||%
"_PACKAGE"
