# One command in a child process, with a time limit and all of its output.

# A command that something else kills, as a clean-up of processes that goes too far
# does now and then, is run once more.
run_command <- function(command, args, directory, environment, limit) {
  log <- run_once(command, args, directory, environment, limit)
  if (!log$timeout && identical(log$status, -9L)) log <- run_once(command, args, directory, environment, limit)
  log
}

# The command's own process group ends with it.
run_once <- function(command, args, directory, environment, limit) {
  local_random_state()
  said <- scratch_file("said")
  on.exit(unlink(said))
  variables <- c(worker_folder(), environment)
  if (!can_fork()) return(run_elsewhere(command, args, directory, variables, limit))
  ended <- spawn_command(c(command, args), paste0(names(variables), "=", variables), directory, said, limit)
  if (!is.null(ended$failed)) abort_ds("worker", sprintf("`%s` could not be started.", command), ended$failed)
  bytes <- read_bytes(said)
  c(ended, stdout = rawToChar(bytes[bytes != as.raw(0)]))
}

# Where no process can be started as on Linux and macOS.
run_elsewhere <- function(command, args, directory, variables, limit) {
  tryCatch(
    processx::run(command, args,
      wd = directory, env = c("current", variables), timeout = limit,
      error_on_status = FALSE, stderr_to_stdout = TRUE
    ),
    error = function(e) {
      abort_ds("worker", sprintf("`%s` could not be started.", command), condition_line(e), cause = e)
    }
  )
}
