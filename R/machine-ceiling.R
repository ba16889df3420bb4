#' How far a result is from what the machine could do
#'
#' Holds each timed cell against the machine's own best ([ds_machine()]): arithmetic of the kind that the stage can
#' use, the memory that its data need, the first cache for all that it loads and stores. The roof that asks for most
#' time is the one that applies; a cell that reaches half of it or more is limited by it.
#'
#' @param result A result of [ds_run()] or [ds_climb()] whose stages are functions still, or one from a file that was
#'   kept with its limits.
#' @param machine A `ds_machine`.
#' @param work The work of its study, from [ds_work()]; counted here where the study has none.
#' @param device An accelerator of [ds_device()]: forecasts when moving the kernel there would pay.
#' @return A `ds_ceilings`: a list with `table`, a tibble with a row for each timed cell: `stage`, `size`, `seconds`,
#'   `flops`, `bytes` (that have to be moved at least), `intensity` (operations a byte), `flop_rate`, `byte_rate`,
#'   `size_rate` (units of size per second), `roof` ("arithmetic", "chain": operations that wait for one another,
#'   "memory" or "cache"), `roof_seconds` (that it asks for at least), `share` (of the roof's rate that is reached),
#'   `limit` (the roof where at least half of it is reached; else "crossing" and "allocation": the call itself, or
#'   fresh memory, takes three tenths or more; "interpreter" and "passes": loops, or whole-vector code, of R that
#'   take five times as long as the roof asks for; "latency" otherwise) and `level` (of memory that the data fit
#'   in), `making` (seconds that fresh memory and its collection take); `facts` of each stage (`threads`,
#'   `arithmetic` (kind of instructions), `carried` (share of the operations that wait for the turn before), `runs`:
#'   "native", "loop" or "whole" vectors of R); and with a device, `offload`. `as.data.frame()` gives `table`;
#'   `autoplot()` draws the roofline, or with `kind = "throughput"` units of size per second against size.
#' @section Method: the roofline of Williams, Waterman and Patterson (2009), with the caches' roofs.
#' @section Errors: `ds_error_input` for a result from a file without limits where no `work` is given, or whose work
#'   can't be counted and was not declared.
#' @examples
#' \donttest{
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(1e3, 1e5)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s })
#' ds_ceiling(ds_run(study, ds_plan(budget = 1, first_call = FALSE)))
#' }
#' @export
ds_ceiling <- function(result, machine = ds_machine(), work = NULL, device = NULL) {
  local_plain()
  check_class(result, "ds_result", "result", "Make one with `ds_run()`.")
  check_class(machine, "ds_machine", "machine", "Make one with `ds_machine()`.")
  study <- result$study
  work <- work %||% study$work %||% result$ceiling$work
  runs <- all(vapply(study$stages, function(stage) is.function(stage$kernel), NA))
  if (is.null(work)) {
    if (!runs) {
      abort_input("The work of a result that was loaded can't be counted.",
        hint = "Give `work`, from `ds_work()` on the study.", arg = "work"
      )
    }
    work <- ds_work(study)$work
  }
  check_class(work, "ds_work", "work", "Make one with `ds_work(study)$work`.")
  facts <- if (runs) study_limits(study, work) else result$ceiling$facts %||% study_limits(study, work)
  made <- list(
    table = ceiling_table(result$timings$cells, work, machine, facts), facts = facts, machine = machine, work = work,
    unit = study$unit, title = study$title, reference = result$timings$reference
  )
  if (!is.null(device)) made$offload <- offload_forecast(made, device)
  structure(made, class = "ds_ceilings")
}

# What each stage can use of the machine. Code in other languages can't be read: where the reference carries a value
# from turn to turn, so do its translations.
study_limits <- function(study, work) {
  facts <- lapply(study$stages, stage_limits, study = study, work = work)
  reference <- reference_of(study)
  lapply(stats::setNames(nm = names(facts)), function(name) {
    other <- !study$stages[[name]]$language %in% c("R", "R, compiled")
    if (other) facts[[name]]$carried <- facts[[reference]]$carried
    facts[[name]]
  })
}

# `carried`: the share of the operations that wait for the turn before.
stage_limits <- function(stage, study, work) {
  state <- if (is.function(stage$kernel)) attr(stage$kernel, "ds_compiled")
  plain <- is.null(state) && stage$language == "R"
  loops <- readable_loops(stage$kernel)
  list(
    threads = max(stage$threads, state$build$threads),
    arithmetic = if (is.null(state)) "vector" else compiled_arithmetic(stage$kernel, state, study),
    runs = if (!plain) "native" else if (length(loops$loops)) "loop" else "whole",
    carried = carried_share(stage$name, carried_lines(loops, state$build$numerics %||% character()), work)
  )
}

readable_loops <- function(kernel) {
  if (inherits(kernel, "ds_compiled")) kernel <- ds_original(kernel)
  if (!is.function(kernel) || is.primitive(kernel)) return(NULL)
  tryCatch(read_loops(kernel), error = function(e) NULL)
}

# What became of each line, for the study's inputs: looked up once for what was built.
stage_listing <- function(kernel, study) {
  state <- attr(kernel, "ds_compiled")
  compile_for(kernel, study_inputs(study, study$sizes[[1]]))
  built <- names(all_builds(state))
  if (is.null(state$listing) || !identical(state$listing$built, built)) {
    state$listing <- list(built = built, lines = kernel_lines(state))
  }
  state$listing$lines
}

compiled_arithmetic <- function(kernel, state, study) {
  lines <- tryCatch(stage_listing(kernel, study)$table, ds_error = function(e) NULL)
  loops <- lines[lines$loop, ]
  if (is.null(lines) || nrow(loops) == 0) return("vector")
  if (!any(loops$became == "vector")) return("scalar")
  if ("contract" %in% state$build$numerics) "fused" else "vector"
}

# Lines of the statements that give a value to what is carried from turn to turn.
carried_lines <- function(fx, relaxed) {
  unlist(lapply(fx$loops, function(loop) {
    reasons <- tryCatch(order_reasons(fx, loop, relaxed), error = function(e) character())
    names <- unlist(regmatches(reasons, gregexpr("(?<=^`)[^`]+(?=` (carries|is summed))", reasons, perl = TRUE)))
    unlist(Map(function(code, path) {
      if (any(assigned_names(code) %in% names)) line_range(fx, path)
    }, loop$body, loop$paths))
  }))
}

line_range <- function(fx, path) {
  found <- text_at(fx$body, path)$reference
  if (!is.null(found)) found[[1]]:found[[3]]
}

carried_share <- function(stage, lines, work) {
  counts <- work$counts
  if (is.null(counts) || length(lines) == 0) return(0)
  own <- counts[counts$stage == (if (stage %in% counts$stage) stage else counts$stage[[1]]), ]
  own <- own[own$size == max(own$size) & own$kind %in% operation_counts, ]
  if (nrow(own)) sum(own$count[own$line %in% lines]) / sum(own$count) else 0
}

#' @rdname ds_ceiling
#' @param x A `ds_ceilings`.
#' @param ... Not used.
#' @export
as.data.frame.ds_ceilings <- function(x, ...) x$table
