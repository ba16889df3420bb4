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

# Raises what a backend found when it made the arguments.
abort_inputs <- function(fault) {
  if (is.null(fault$data$message)) abort_input(fault_words(fault), arg = "inputs", size = fault$data$size)
  rlang::abort(fault$data$message, class = c("ds_error_input", "ds_error"), call = NULL, arg = "inputs")
}
