# One command in a child process, with a time limit and all of its output.

# A command that something else kills, as a clean-up of processes that goes too far
# does now and then, is run once more.
run_command <- function(command, args, directory, environment, limit) {
  log <- run_once(command, args, directory, environment, limit)
  if (!log$timeout && identical(log$status, -9L)) log <- run_once(command, args, directory, environment, limit)
  log
}

# The command's own process group ends with it. (`cleanup_tree = TRUE` would search
# the environments of all processes, and was seen to kill commands of other sessions.)
run_once <- function(command, args, directory, environment, limit) {
  local_random_state()
  tryCatch(
    processx::run(
      command, args,
      wd = directory, env = c("current", worker_folder(), environment),
      timeout = limit, error_on_status = FALSE, stderr_to_stdout = TRUE
    ),
    error = function(e) {
      abort_ds("worker", sprintf("`%s` could not be started.", command), condition_line(e), cause = e)
    }
  )
}
