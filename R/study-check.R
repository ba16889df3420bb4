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

# Stops unless the study has stages, its reference among them, and code to run.
check_complete <- function(study) {
  check_class(study, "ds_study", "study", "Make one with `ds_study()`.")
  if (length(study$stages) == 0) {
    abort_input("The study has no stage.",
      hint = "Add the slow kernel first: `study |> ds_stage(\"loop\", my_kernel)`.", arg = "study"
    )
  }
  if (!reference_of(study) %in% names(study$stages)) {
    abort_input(sprintf("The reference \"%s\" is not a stage of the study.", reference_of(study)),
      hint = sprintf("Its stages are %s.", quoted(names(study$stages))), arg = "reference"
    )
  }
  if (!is.function(study$inputs)) {
    abort_input("This study came from a stored result, which holds source text but no code to run.",
      hint = "Run the study file that made it.", arg = "study"
    )
  }
}
