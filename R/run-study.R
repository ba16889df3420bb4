#' Run a study: agree, then time
#'
#' Checks every stage against the reference with [ds_agree()], times those that
#' agree with [ds_time()], and records the machine and the versions.
#'
#' @param study A [ds_study()] with at least one stage.
#' @param plan A [ds_plan()].
#' @param resume A file that keeps every finished size; see [ds_time()].
#' @return A `ds_result`: a list with `study`, `agreement`, `timings` and
#'   `environment`; for a study whose work was counted by [ds_work()] also `ceiling`, see [ds_ceiling()]. Print it for
#'   the verdicts, [ggplot2::autoplot()] it for the figures, [ds_report()] it for the whole story, [ds_save()] it to
#'   keep it.
#' @section Errors: as for [ds_agree()] and [ds_time()].
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(100, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' ds_run(study, ds_plan(budget = 2, first_call = FALSE))
#' @export
ds_run <- function(study, plan = ds_plan(), resume = NULL) {
  local_plain()
  check_class(plan, "ds_plan", "plan", "Make one with `ds_plan()`.")
  check_complete(study)
  checkpoint <- claim_checkpoint(resume, study, plan)
  on.exit(drop_checkpoint(checkpoint), add = TRUE)
  facts <- host_facts(study$directory)
  agreement <- allowInterrupts(ds_agree(study, limit = agreement_limit(plan), isolate = plan$isolate))
  suspendInterrupts({
    timings <- time_stages(study, plan, agreement, checkpoint)
    study$reference <- reference_of(study)
    result <- new_result(study, agreement, timings, facts)
    if (!is.null(study$work) && !timings$interrupted) result$ceiling <- allowInterrupts(ds_ceiling(result))
    result
  })
}
