# Can the study run?

# Stops unless every stage takes the arguments that `inputs` makes at the smallest size. These
# are made beside this session; they are returned.
check_runnable <- function(study) {
  check_complete(study)
  backend <- new_backend(study, "none")
  on.exit(backend$close())
  given <- backend$arguments(reference_of(study), study$sizes[[1]])
  if (is_fault(given)) abort_inputs(given)
  for (stage in study$stages) check_stage_arguments(stage, names(given))
  for (stage in study$stages) compile_for(stage$kernel, given)
  invisible(given)
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

# Raises what a backend found when it made the arguments.
abort_inputs <- function(fault) {
  if (is.null(fault$data$message)) abort_input(fault_words(fault), arg = "inputs", size = fault$data$size)
  rlang::abort(fault$data$message, class = c("ds_error_input", "ds_error"), call = NULL, arg = "inputs")
}
