#' One function that runs the fastest stage for each call
#'
#' Put to work what a result found: a function with the kernel's arguments that runs, for each call, the stage that won
#' at its size, and the reference for arguments of other kinds than were checked: other types, shapes or classes,
#' missing values or nothing at all where the study left these cases out.
#'
#' @param result A result of [ds_run()] or [ds_climb()].
#' @param size A function of arguments of the kernel that tells the size of a call; `NULL`: the length or extent of an
#'   argument that grows with the study's size.
#' @param stages Names of the stages to pick from; `NULL`: all that agree.
#' @return A function of class `ds_picked`, which can be saved. It decides in a microsecond or two; its arguments are
#'   worked out before the stage runs. Printed it tells its rule. Sizes beyond those that were measured take the stage
#'   that won at the nearest.
#' @section Errors: `ds_error_input` for a result that was loaded from a file (its stages are text), an unknown stage,
#'   and where the size can't be told from the arguments.
#' @examples
#' study <- ds_study("Total rain", function(n) list(rain = runif(n)), sizes = c(10, 1000)) |>
#'   ds_stage("loop", function(rain) { s <- 0
#'     for (r in rain) s <- s + r
#'     s }) |>
#'   ds_stage("built in", function(rain) sum(rain))
#' total <- ds_pick(ds_run(study, ds_plan(budget = 1, first_call = FALSE)))
#' total(c(0.2, 1.4))
#' total
#' @export
ds_pick <- function(result, size = NULL, stages = NULL) {
  local_plain()
  check_class(result, "ds_result", "result", "Make one with `ds_run()`.")
  study <- result$study
  if (!all(vapply(study$stages, function(stage) is.function(stage$kernel), NA))) {
    abort_input("The stages of a result that was loaded are text.", hint = "Run the study again.", arg = "result")
  }
  timings <- picked_timings(result, stages)
  table <- pick_table(timings)
  measure <- if (nrow(table) > 1 || !is.null(size)) size_measure(study, size)
  table$from <- c(0, measure_at(measure, table$from[-1], study$sizes))
  reference <- reference_of(study)
  made <- lapply(study$sizes, function(size) study_inputs(study, size))
  formals <- pick_formals(study, names(made[[1]]))
  kinds <- kinds_code(made, unchecked_rules(study))
  code <- pick_code(table, measure, kinds, names(made[[1]]), given_code(names(made[[1]]), formals))
  picked <- unique(c(table$stage, reference))
  env <- rlang::env(topenv(), .session = 0, .reference = study$stages[[reference]]$kernel)
  env$kernels <- lapply(study$stages[picked], function(stage) stage$kernel)
  for (i in seq_len(nrow(table))) env[[paste0(".stage", i)]] <- study$stages[[table$stage[[i]]]]$kernel
  native <- any(vapply(study$stages[picked], function(stage) !is.null(native_facts(stage$kernel)), NA))
  if (native) code <- call("{", quote(if (.session != pick_session) pick_again(environment(sys.function()))), code)
  # R would not compile it by itself
  picking <- compiler::cmpfun(as.function(c(without_defaults(formals), code), env))
  structure(picking,
    class = c("ds_picked", "function"),
    ds_picked = list(
      table = table, measure = measure$text %||% "", reference = reference, unit = study$unit, title = study$title,
      given = names(made[[1]]), sizes = range(study$sizes), kinds = deparse(kinds, width.cutoff = 500L)
    )
  )
}

pick_session <- 0 # a number of this session's own, set when the package is loaded: a pick that was saved has another's

# The addresses of native code are a session's own.
pick_again <- function(env) {
  for (name in ls(env, all.names = TRUE)) if (is.function(env[[name]])) native_rebind(env[[name]])
  for (kernel in env$kernels) native_rebind(kernel)
  env$.session <- pick_session
}

# Without the stages that are not to be picked, nor those that disagree anywhere.
picked_timings <- function(result, stages) {
  timings <- result$timings
  known <- names(result$study$stages)
  if (!is.null(stages)) for (stage in stages) check_stage_name(stage, known, "stages")
  bad <- result$agreement$table$stage[result$agreement$table$verdict %in% c("differs", "failed", "crashed")]
  kept <- setdiff(stages %||% known, bad)
  timings$cells <- timings$cells[timings$cells$stage %in% kept, ]
  timings$samples <- timings$samples[timings$samples$stage %in% kept, ]
  timings
}

# The reference's arguments with its defaults; where it names none, those that the study gives.
pick_formals <- function(study, given) {
  own <- formals(args(study$stages[[reference_of(study)]]$kernel))
  if (is.null(own) || !all(given %in% names(own))) own <- stats::setNames(nm = given)
  if (identical(own, stats::setNames(nm = given))) without_defaults(own) else own
}

# Defaults are the reference's own, to be worked out in its frame.
without_defaults <- function(formals) lapply(formals, function(one) rlang::missing_arg())

# What the study does not give goes to the reference alone, by a call of its own: only so do its defaults hold.
pick_code <- function(table, measure, kinds, given, just_these) {
  pass <- lapply(stats::setNames(nm = given), as.name)
  run <- function(name) as.call(c(as.name(name), pass))
  chosen <- run(paste0(".stage", nrow(table)))
  for (i in rev(seq_len(nrow(table) - 1))) {
    chosen <- call("if", call("<", quote(.size), table$from[[i + 1]]), run(paste0(".stage", i)), chosen)
  }
  if (nrow(table) > 1) chosen <- bquote({
    .size <- .(measure$code)
    .(chosen)
  })
  made <- call("if", kinds, chosen, run(".reference"))
  if (is.null(just_these)) return(made)
  call("if", just_these, made, quote({
    .call <- match.call()
    .call[[1]] <- .reference
    eval(.call, parent.frame())
  }))
}
