# A study file is an R script whose last value is a study. Relative paths in it
# are relative to its own folder.

read_study_file <- function(path) {
  check_string(path, "file")
  if (file_facts(path)$kind != "file") abort_input(sprintf("There is no study file `%s`.", path), arg = "file")
  expressions <- parse_study_file(path)
  directory <- dirname(normalizePath(path))
  value <- run_study_file(expressions, path, directory)
  if (!inherits(value, "ds_study")) {
    abort_input(sprintf("`%s` does not end in a study.", path),
      sprintf("Its last value is %s.", describe_value(value)),
      "End the file with the study: `ds_study(...) |> ds_stage(...)`.",
      arg = "file"
    )
  }
  value$directory <- directory
  value$file <- path
  value
}

parse_study_file <- function(path) {
  expressions <- tryCatch(
    parse(path, keep.source = TRUE, encoding = "UTF-8"),
    error = function(e) {
      abort_input(sprintf("`%s` is not valid R.", path), condition_line(e), arg = "file", cause = e)
    }
  )
  if (length(expressions) == 0) {
    abort_input(sprintf("`%s` holds no code.", path), hint = "Its last value must be a study.", arg = "file")
  }
  expressions
}

run_study_file <- function(expressions, path, directory) {
  local_directory(directory)
  scope <- new.env(parent = globalenv())
  value <- NULL
  for (i in seq_along(expressions)) {
    value <- tryCatch(
      eval(expressions[[i]], scope),
      ds_error = function(e) rlang::cnd_signal(e),
      error = function(e) {
        line <- attr(expressions, "srcref")[[i]][[1]]
        abort_input(sprintf("`%s` stopped in the expression that begins on line %d.", path, line),
          condition_line(e),
          arg = "file", cause = e
        )
      }
    )
  }
  value
}
