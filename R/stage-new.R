#' Add a stage to a study
#'
#' A stage is one implementation of the kernel. The first stage added is the
#' reference that the others must agree with, unless [ds_study()] names another.
#'
#' @param study A [ds_study()].
#' @param name The stage's name, unlike that of any other stage of the study.
#' @param kernel A function that takes the arguments that the study's `inputs`
#'   make, matched by name; an R function, or native code from [ds_native()].
#' @param note What was done to the kernel in this stage, in a few words.
#' @return The study with the stage added.
#' @section Errors: `ds_error_input` when the name is taken or `kernel` is not a function.
#' @examples
#' ds_study("Mean depth", inputs = function(n) list(depth = runif(n))) |>
#'   ds_stage("loop", function(depth) {
#'     total <- 0
#'     for (d in depth) total <- total + d
#'     total / length(depth)
#'   }) |>
#'   ds_stage("built in", function(depth) sum(depth) / length(depth))
#' @export
ds_stage <- function(study, name, kernel, note = NULL) {
  check_class(study, "ds_study", "study", "Start with `ds_study()` and pipe it on.")
  check_string(name, "name")
  check_function(kernel, "kernel", "Pass the function itself, not its name or a call of it.")
  if (!is.null(note)) check_string(note, "note")
  if (name %in% names(study$stages)) {
    abort_input(
      sprintf("Two stages of this study are called \"%s\".", name),
      hint = sprintf("Stages so far: %s.", paste(names(study$stages), collapse = ", ")),
      arg = "name"
    )
  }
  study$stages[[name]] <- new_stage(name, kernel, note)
  study
}

new_stage <- function(name, kernel, note = NULL, language = NULL, source = NULL) {
  native <- if (is.function(kernel)) native_facts(kernel)
  structure(
    list(
      name = name,
      kernel = kernel,
      note = note %||% NA_character_,
      language = language %||% native$language %||% "R",
      source = source %||% native$source %||% function_source(kernel)
    ),
    class = "ds_stage"
  )
}

# Arguments that a stage can't take, or must have and does not get.
check_stage_arguments <- function(stage, given) {
  wanted <- formals(args(stage$kernel))
  if (is.null(wanted) || "..." %in% names(wanted)) return(invisible())
  unknown <- setdiff(given, names(wanted))
  needed <- names(wanted)[vapply(wanted, function(default) identical(default, rlang::missing_arg()), NA)]
  missing <- setdiff(needed, given)
  if (length(unknown) == 0 && length(missing) == 0) return(invisible())
  abort_input(
    sprintf("Stage \"%s\" does not take the arguments that `inputs` makes.", stage$name),
    c(
      if (length(unknown)) sprintf("It has no argument %s.", quoted(unknown)),
      if (length(missing)) sprintf("`inputs` makes no %s.", quoted(missing))
    ),
    sprintf("`inputs` makes %s; the stage takes %s.", quoted(given), quoted(names(wanted))),
    arg = "inputs", stage = stage$name
  )
}

quoted <- function(names) paste0("`", names, "`", collapse = ", ")
