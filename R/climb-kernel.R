#' From a slow function to a fast one: rewrite, compile, check, time, decide
#'
#' The whole job in one call. Reads the function for what makes it slow ([ds_advise()]), rewrites it by one kind of
#' change at a time and by all of them on top of one another ([ds_rewrite()]), compiles the original and the rewritten
#' forms ([ds_compile()]), checks every one against the original ([ds_agree()]), leaves out what disagrees (but where
#' a loop of the original over `1:n` or `2:n` counts down because `n` is less), and times the rest over the ladder of
#' sizes ([ds_time()]). Where each element of the result hangs on one element of an argument alone and a call at the
#' largest size takes long, sharing the elements over processes ([ds_divide()]) is one of the stages.
#'
#' @param f The slow function: written in R.
#' @param inputs A function of the size that gives the arguments as a named list, as for [ds_study()]; or
#' `"proposed"`: that
#'   which is proposed from `args`.
#' @param sizes The ladder of sizes, see [ds_sizes()].
#' @param args Arguments of one call, as a named list: without `inputs`, an `inputs` function is proposed from them.
#' @param stages More stages, written by hand: a named list of functions, or native code from [ds_native()].
#' @param plan A [ds_plan()].
#' @param title,unit,cases As for [ds_study()].
#' @param rules Which rules may be followed, as for [ds_rewrite()].
#' @return A `ds_climb`, which is a `ds_result` as from [ds_run()] (figures, [ds_report()] and [ds_save()] take it),
#' with `climb`: a
#'   list of `advice`, `rewriting`, `steps` (a tibble: `stage`, `made_by`, `changes`, `agreement`, `speedup` at the
#'   largest size that the original was timed at), `kept_out` (a tibble of rewritings that disagreed: `stage`,
#'   `verdict`, `where`, `reason`) and `winner` (list of `stage`, `kernel`, `source`, and of the largest size that it
#'   was timed at: `size`, `seconds`).
#' @section Errors: `ds_error_input` where `f` is no R function, and where there are no `inputs`: the message then
#' says what is needed, and
#'   with `args` proposes the code (the condition's `proposal`).
#' @examples
#' melt <- function(temp, base) {
#'   out <- c()
#'   for (t in temp) out <- c(out, 3 * max(0, t - base))
#'   out
#' }
#' \donttest{
#' climb <- ds_climb(melt, function(n) list(temp = rnorm(n), base = 0),
#'   sizes = c(100, 1000), plan = ds_plan(budget = 2, first_call = FALSE)
#' )
#' climb
#' climb$climb$winner$kernel
#' }
#' @export
ds_climb <- function(f, inputs = NULL, sizes = ds_sizes(100, 1e5), args = NULL, stages = list(), plan = climb_plan(),
                     title = "Climb", unit = "elements", cases = ds_cases(), rules = NULL) {
  code <- readable_function(f)
  inputs <- climb_inputs(inputs, args)
  check_class(plan, "ds_plan", "plan", "Make one with `ds_plan()`.")
  study <- ds_study(title, inputs = inputs, sizes = sizes, unit = unit, cases = cases)
  given <- study_inputs(study, min(study$sizes))
  signal_progress("climb", step = "reading", done = 0, of = 3)
  rewriting <- ds_rewrite(code, rules, given)
  made <- climb_stages(code, rewriting, given, rules)
  made <- c(made, shared_stages(code, made, study_inputs(study, max(study$sizes))))
  study <- with_climb_stages(study, made, stages)
  agreement <- ds_agree(study, limit = agreement_limit(plan), isolate = plan$isolate)
  held <- without_falls(study, code, agreement)
  agreement <- held$agreement
  out <- stages_out(agreement, names(made))
  study$stages <- study$stages[setdiff(names(study$stages), out$stage)]
  result <- ds_result_of(study, plan, without_stages(agreement, out$stage))
  advice <- ds_advise(code, study_inputs(study, profile_size(result)), seconds = 2)
  finish_climb(result, made, out, rewriting, advice, held$lines)
}

climb_plan <- function() ds_plan(budget = 20, cell_limit = 1, first_call = FALSE)

ds_result_of <- function(study, plan, agreement) {
  timings <- ds_time(study, plan, agreement)
  study$reference <- reference_of(study)
  new_result(study, agreement, timings, host_facts())
}

climb_inputs <- function(inputs, args) {
  if (is.function(inputs)) return(inputs)
  if (!is.null(args)) check_arguments_list(args)
  if (identical(inputs, "proposed") && !is.null(args)) return(proposed_inputs(args)$inputs)
  if (!is.null(inputs)) {
    abort_input("`inputs` must be a function of the size that gives the arguments.", you_gave(inputs),
      "For example `function(n) list(rain = runif(n), keep = 0.85)`.",
      arg = "inputs"
    )
  }
  if (is.null(args)) {
    abort_input("A climb needs `inputs`: a function of the size that gives the arguments as a named list.",
      hint = c(
        "For example `inputs = function(n) list(rain = runif(n), keep = 0.85)`.",
        "Or give `args`, the arguments of one call: then one is proposed."
      ), arg = "inputs"
    )
  }
  proposal <- proposed_inputs(args)
  abort_input("A climb needs `inputs`: how the arguments grow with the size.",
    hint = c(
      sprintf("From `args` this one is proposed: `%s`.", proposal$text),
      "Give it as `inputs`, changed as you see fit, or say `inputs = \"proposed\"`."
    ), arg = "inputs", proposal = proposal$text
  )
}

# The longest arguments grow with the size, by what they hold again and again; the others stay.
proposed_inputs <- function(args) {
  count <- function(value) {
    if (is.data.frame(value)) return(nrow(value))
    if (is.atomic(value) && is.null(dim(value))) length(value) else 0L
  }
  counts <- vapply(args, count, 0L)
  grows <- counts > 1 & counts == max(counts)
  code <- Map(function(name, value, grow) {
    own <- call("$", quote(args), as.name(name))
    if (!grow) return(if (is.atomic(value) && length(value) == 1) value else own)
    if (!is.data.frame(value)) return(call("rep_len", own, quote(n)))
    as.call(list(as.name("["), own, call("rep_len", call("seq_len", call("nrow", own)), quote(n)),
      rlang::missing_arg(),
      drop = FALSE
    ))
  }, names(args), args, grows)
  inputs <- rlang::new_function(
    rlang::pairlist2(n = rlang::missing_arg()), as.call(c(quote(list), code)),
    rlang::env(globalenv(), args = args)
  )
  list(inputs = inputs, text = paste(trimws(deparse(inputs, width.cutoff = 500L)), collapse = " "))
}

# list by name of list(kernel, made_by, changes): each way up, none twice.
climb_stages <- function(f, rewriting, given, rules) {
  made <- list(original = climb_stage(f, "as it was", list()))
  done <- attr(rewriting, "done")
  for (step in names(rewriting)) {
    before <- unlist(done[seq_len(match(step, names(rewriting)))], recursive = FALSE)
    made[[step]] <- climb_stage(
      rewriting[[step]],
      paste(names(rewriting)[seq_len(match(step, names(rewriting)))], collapse = ", then "), before
    )
  }
  for (step in names(rewriting)[-1]) {
    alone <- rewritten(f, step, given, chosen_rules(rules))
    if (length(alone$done)) made[[paste(step, "alone")]] <- climb_stage(alone$f, paste(step, "alone"), alone$done)
  }
  made <- made[!duplicated(lapply(made, function(one) plain_code(body(one$kernel))))]
  c(made, compiled_stages(made))
}

climb_stage <- function(kernel, made_by, done) {
  list(kernel = kernel, made_by = made_by, changes = gravest_change(vapply(done, function(one) one$changes, "")))
}

# Of the original, and of what still has loops once results are allocated and invariants taken out.
compiled_stages <- function(made) {
  worth <- intersect(names(made), c("original", "filled", "hoisted"))
  worth <- unique(c(worth[[1]], worth[[length(worth)]]))
  worth <- Filter(function(name) length(read_loops(made[[name]]$kernel)$loops) > 0, worth)
  stats::setNames(lapply(worth, function(name) {
    list(
      kernel = suppressMessages(ds_compile(made[[name]]$kernel)), made_by = paste(name, "compiled", sep = ", "),
      changes = made[[name]]$changes
    )
  }), ifelse(worth == "original", "compiled", paste(worth, "compiled")))
}

with_climb_stages <- function(study, made, more) {
  for (name in names(made)) {
    study <- ds_stage(study, name, made[[name]]$kernel,
      note = made[[name]]$made_by,
      random = made[[name]]$changes == "random stream"
    )
  }
  if (!is.list(more) || (length(more) && any(!nzchar(rlang::names2(more))))) {
    abort_input("`stages` must be a list of named functions.", you_gave(more), arg = "stages")
  }
  for (name in names(more)) study <- ds_stage(study, name, more[[name]], note = "written by hand")
  study
}

# Rewritings that do not give the original's numbers: they are not offered.
stages_out <- function(agreement, names) {
  table <- agreement$table
  wrong <- table[table$stage %in% setdiff(names, "original") & table$verdict %in% c("differs", "failed", "crashed"), ]
  wrong <- wrong[!duplicated(wrong$stage), ]
  tibble::tibble(
    stage = wrong$stage, verdict = wrong$verdict, size = wrong$size, case = wrong$case,
    reason = wrong$reason
  )
}

without_stages <- function(agreement, stages) {
  for (part in c("table", "unchecked", "errors", "examples")) {
    agreement[[part]] <- agreement[[part]][!agreement[[part]]$stage %in% stages, ]
  }
  agreement
}

# The largest size at which the original was timed within half a second.
profile_size <- function(result) {
  cells <- result$timings$cells
  own <- cells[cells$stage == "original" & cells$state == "timed", ]
  quick <- own$size[own$median < 0.5]
  if (length(quick)) max(quick) else min(result$study$sizes)
}

finish_climb <- function(result, made, out, rewriting, advice, falls) {
  steps <- climb_steps(result, made)
  best <- climb_winner(result)
  cells <- result$timings$cells
  last <- cells[cells$stage == best & cells$state == "timed", ]
  last <- last[which.max(last$size), ]
  kernel <- result$study$stages[[best]]$kernel
  result$climb <- list(
    advice = advice, rewriting = rewriting, steps = steps, kept_out = out, counts_down = falls,
    winner = list(
      stage = best, kernel = kernel, source = function_source(r_code(kernel) %||% kernel),
      size = last$size, seconds = last$median
    )
  )
  class(result) <- c("ds_climb", class(result))
  result
}

climb_steps <- function(result, made) {
  cells <- result$timings$cells
  top <- max(cells$size[cells$stage == "original" & cells$state == "timed"], -Inf)
  names <- names(result$study$stages)
  at <- function(name, column) {
    value <- cells[[column]][cells$stage == name & cells$size == top]
    if (length(value)) value else NA_real_
  }
  tibble::tibble(
    stage = names, made_by = vapply(names, function(name) made[[name]]$made_by %||% "written by hand", "",
      USE.NAMES = FALSE
    ),
    changes = vapply(names, function(name) made[[name]]$changes %||% "", "", USE.NAMES = FALSE),
    agreement = vapply(names, function(name) overall_verdict(result$agreement, name), "", USE.NAMES = FALSE),
    size = top, seconds = vapply(names, at, 0, "median", USE.NAMES = FALSE),
    speedup = vapply(names, at, 0, "speedup", USE.NAMES = FALSE)
  )
}

# The fastest stage at the largest size timed; of those that can't be told from it, and take hardly longer, the one that
# was changed least.
climb_winner <- function(result) {
  if (nrow(result$timings$samples) == 0) return("original")
  fastest <- fastest_by_size(result$timings)
  if (nrow(fastest) == 0) return("original")
  last <- fastest[nrow(fastest), ]
  cells <- result$timings$cells
  here <- cells[cells$size == last$size & cells$stage %in% c(last$stage, last$close[[1]]), ]
  equal <- here$stage[here$median <= hardly_longer * min(here$median)]
  names(result$study$stages)[[min(match(equal, names(result$study$stages)))]]
}

hardly_longer <- 1.1
