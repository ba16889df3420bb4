# The arguments at one size, always the same ones.
study_inputs <- function(study, size) {
  local_directory(study$directory)
  made <- tryCatch(
    with_seed(derive_seed(study$seed, size), study$inputs(size)),
    error = function(e) {
      abort_input(sprintf("`inputs` stopped at size %s.", format_size(size)), condition_line(e),
        arg = "inputs", cause = e
      )
    }
  )
  check_arguments(made, size)
}

check_arguments <- function(made, size) {
  hint <- "Name every argument: `function(n) list(rain = rgamma(n, 0.3), keep = 0.85)`."
  if (!is.list(made) || is.data.frame(made)) {
    abort_input(sprintf("`inputs` must return a named list; at size %s it did not.", format_size(size)),
      sprintf("It returned %s.", describe_value(made)), hint,
      arg = "inputs"
    )
  }
  named <- rlang::names2(made)
  if (length(made) == 0 || any(named == "") || anyDuplicated(named)) {
    abort_input("Every argument that `inputs` returns must have a name of its own.",
      sprintf("The names are %s.", paste0("\"", named, "\"", collapse = ", ")), hint,
      arg = "inputs"
    )
  }
  made
}

# 1000 as "1,000", 1e6 as "1,000,000": sizes are whole numbers.
format_size <- function(size) format(size, big.mark = ",", scientific = FALSE, trim = TRUE)
