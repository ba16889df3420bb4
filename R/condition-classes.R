# Every error of the package has the class "ds_error" and one of these:
#
#   ds_error_input       an argument, a study or a file that can't be used
#   ds_error_disagrees   a stage whose results are not the reference's
#   ds_error_build       a compiler that is missing or refuses the code
#   ds_error_worker      a child process that died or ran out of time
#   ds_error_output      a place that can't be written to
#   ds_error_file        a stored file that is damaged or of another version

abort_ds <- function(class, problem, given = NULL, hint = NULL, ...) {
  message <- c(problem, rlang::set_names(as.character(given), rep("x", length(given))),
               rlang::set_names(as.character(hint), rep("i", length(hint))))
  rlang::abort(message, class = c(paste0("ds_error_", class), "ds_error"), call = NULL, ...)
}

abort_input <- function(problem, given = NULL, hint = NULL, ...) {
  abort_ds("input", problem, given, hint, ...)
}

# First line of a condition's message, for tables and one-line reports.
condition_line <- function(condition) {
  text <- trimws(gsub("[[:space:]]+", " ", conditionMessage(condition)))
  if (nzchar(text)) text else class(condition)[[1]]
}
