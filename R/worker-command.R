# One command in a child process, with a time limit and all of its output.

run_command <- function(command, args, directory, environment, limit) {
  local_random_state()
  set.seed(NULL) # processes are told apart by a drawn name, which a seed would repeat
  tryCatch(
    processx::run(
      command, args, wd = directory, env = if (length(environment)) c("current", environment),
      timeout = limit, error_on_status = FALSE, stderr_to_stdout = TRUE, cleanup_tree = TRUE
    ),
    error = function(e) {
      abort_ds("worker", sprintf("`%s` could not be started.", command), condition_line(e), cause = e)
    }
  )
}
