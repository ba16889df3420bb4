#' Rewrite a slow function, one kind of change at a time
#'
#' Applies the rewritings that [ds_advise()] proposes: `filled` (a result that grew is allocated once), `hoisted`
#' (what is the same at every turn is worked out before the loop), `vector` (whole vectors in place of element loops),
#' `dedicated` (R's own function for the job) and `blocked` (long vector expressions a block at a time). Each step
#' stands on the ones before it. Nothing is run: a change is made only where the code shows that values stay as they
#' are, or change by rounding or in the order of random draws only, as far as what is listed under `assumed` holds.
#' Let [ds_agree()] check it; [ds_climb()] does.
#'
#' @param f A function written in R.
#' @param rules Which rules may be followed: names of rules or of steps (see [ds_rules()]). By default all.
#' @param args Arguments of one call, as a named list. What they are settles what the code leaves open.
#' @return A `ds_rewriting`: a list with a function for each step that changed something, named by the step, the
#'   last one furthest. `as.data.frame()` gives a tibble, a row for each change: `step`, `rule`, `line` (of the
#'   function as it was before that change), `changes` (`"nothing"`, `"rounding"`, `"random stream"`), `assumed` and
#'   `reason`. Printing shows each step as a difference of lines.
#' @section Errors: `ds_error_input` where `f` is no R function or a rule is unknown.
#' @examples
#' melt <- function(temp, base) {
#'   out <- c()
#'   for (t in temp) out <- c(out, 3 * max(0, t - base))
#'   out
#' }
#' steps <- ds_rewrite(melt)
#' steps
#' identical(steps$vector(c(-1, 2, 5), 0), melt(c(-1, 2, 5), 0))
#' @export
ds_rewrite <- function(f, rules = NULL, args = list()) {
  original <- readable_function(f)
  chosen <- chosen_rules(rules)
  check_arguments_list(args)
  steps <- list()
  now <- original
  for (family in rewriting_families) {
    made <- rewritten(now, family, args, chosen)
    if (length(made$done) == 0) next
    now <- made$f
    steps[[family]] <- list(f = now, done = made$done)
  }
  structure(lapply(steps, function(step) step$f),
    class = "ds_rewriting", original = original, done = lapply(steps, function(step) step$done)
  )
}

#' @export
as.data.frame.ds_rewriting <- function(x, ...) {
  done <- attr(x, "done")
  bind_records(unlist(lapply(names(done), function(step) {
    lapply(done[[step]], function(one) {
      list(
        step = step, rule = one$rule, line = as.integer(one$line), changes = one$changes,
        assumed = paste(one$assumed, collapse = "; "), reason = one$reason
      )
    })
  }), recursive = FALSE))
}
