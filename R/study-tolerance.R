#' How far results may differ and still agree
#'
#' By default agreement asks what rounding can explain. A difference within the
#' bound for two sums of as many terms as the longest argument has elements,
#' relative to the result (Higham 2002, section 4.2), is rounding. Where more is
#' seen, the reference is asked how sensitive it is: it is evaluated again up to 30 times, on arguments that were
#' changed by up to 4 units in the last place at random, and, where it is R code, as a copy in which every
#' operation that rounds has its own result changed by up to one (Monte Carlo arithmetic, Parker 1997). What
#' that changes shows the magnitude of what was summed, cancellation and the reference's own error included; a
#' difference within the growth of sums of that many terms times that change is rounding too. Elements far smaller
#' than the largest of a result are also judged beside that, as transforms and solves can do no better. Where
#' random rounding takes too long, what it did at size 67 is taken in proportion. Whole numbers that are
#' single values, places or groups are not changed.
#'
#' Limits of your own replace that: an element agrees when its difference is
#' within any of those given.
#'
#' @param absolute,relative,ulp Largest difference of an element: absolute, as a
#'   fraction of the larger of the two, in units in the last place.
#' @param types `"loose"`: an integer or a logical in place of a double of the same value, and
#'   `NA` in place of `NaN`, agree and are noted. `"strict"`: they differ.
#' @param labels Whether other names, dimnames or row names than the reference's count as a difference, or are
#'   only noted. On the case "names", which gives names to arguments that have none, they are only noted.
#' @param outputs A named list of `ds_tolerance()` for single elements of a result that
#'   is a list.
#' @param false_alarm For stages declared random: the chance that one whose
#'   distribution is the reference's is called different all the same, over all its checks.
#' @return A `ds_tolerance`.
#' @section Errors: `ds_error_input` for limits that are negative or `NA`.
#' @examples
#' ds_tolerance()
#' ds_tolerance(relative = 1e-6, outputs = list(count = ds_tolerance(absolute = 0)))
#' @export
ds_tolerance <- function(absolute = NULL, relative = NULL, ulp = NULL, types = c("loose", "strict"),
                         labels = c("count", "ignore"), outputs = list(),
                         false_alarm = 0.01) {
  limits <- list(absolute = absolute, relative = relative, ulp = ulp)
  for (name in names(limits)) {
    if (!is.null(limits[[name]])) check_least(limits[[name]], name, 0)
  }
  types <- check_choice(types, c("loose", "strict"), "types")
  labels <- check_choice(labels, c("count", "ignore"), "labels")
  check_number(false_alarm, "false_alarm", 0, 1)
  good <- length(outputs) == 0 || all(nzchar(rlang::names2(outputs)))
  if (!is.list(outputs) || !good || !all(vapply(outputs, inherits, NA, "ds_tolerance"))) {
    abort_input("`outputs` must be a named list of `ds_tolerance()`.", you_gave(outputs), arg = "outputs")
  }
  others <- list(types = types, labels = labels, outputs = outputs, false_alarm = false_alarm)
  structure(c(limits, others), class = "ds_tolerance")
}

has_limits <- function(tolerance) {
  !is.null(tolerance$absolute) || !is.null(tolerance$relative) || !is.null(tolerance$ulp)
}

tolerance_words <- function(tolerance) {
  given <- c(
    if (!is.null(tolerance$absolute)) sprintf("absolute differences up to %s", format(tolerance$absolute)),
    if (!is.null(tolerance$relative)) sprintf("relative differences up to %s", format(tolerance$relative)),
    if (!is.null(tolerance$ulp)) sprintf("differences up to %s ULP", format(tolerance$ulp))
  )
  if (length(given)) return(paste(given, collapse = " or "))
  paste(
    "what the rounding of sums of as many terms as the longest argument has elements explains,",
    "relative to the result or to how much the last bits of the arguments, and of each of the reference's own",
    "operations, change it"
  )
}
