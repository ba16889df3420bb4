# Persistent R processes that answer one question at a time.

# What code needs around it in another process: the packages that are attached
# here and the functions and values of the global environment that it names.
portable_setting <- function(functions) {
  list(
    packages = rev(sub("^package:", "", grep("^package:", search(), value = TRUE))),
    globals = named_globals(functions),
    options = settings_state$users
  )
}

named_globals <- function(functions) {
  known <- ls(globalenv())
  wanted <- character()
  queue <- Filter(is.function, functions)
  while (length(queue) > 0) {
    named <- setdiff(intersect(all.names(code_of_function(queue[[1]])), known), wanted)
    wanted <- c(wanted, named)
    queue <- c(queue[-1], Filter(is.function, mget(named, envir = globalenv())))
  }
  mget(as.character(wanted), envir = globalenv())
}

# `environment` holds variables for the process. What it prints goes to a file that is watched.
start_session <- function(setting, environment = NULL) {
  said <- scratch_file("said")
  options <- callr::r_session_options(stdout = said, stderr = NULL, env = worker_environment(environment))
  session <- tryCatch(
    callr::r_session$new(options, wait_timeout = 20000),
    error = function(e) abort_ds("worker", "A worker process could not be started.", condition_line(e), cause = e)
  )
  session$run(function(setting) {
    for (package in setting$packages) suppressMessages(library(package, character.only = TRUE))
    list2env(setting$globals, globalenv())
    options(setting$options)
    loadNamespace("deepstride")
    NULL
  }, list(setting))
  list(process = session, said = said)
}

# A process that is killed leaves its folder behind, so that folder is within this session's.
worker_environment <- function(environment = NULL) {
  c(callr::rcmd_safe_env(), library_paths(), worker_folder(), environment)
}

worker_folder <- function() {
  folder <- file.path(tempdir(check = TRUE), "workers")
  dir.create(folder, showWarnings = FALSE)
  c(TMPDIR = folder)
}

# Calls a function of the package, by name, in the session. The answer, or a
# fault when the session took longer than `limit` seconds, printed without end or died.
ask_session <- function(session, name, args, limit, wait = limit) {
  process <- session$process
  if (isTRUE(file.size(session$said) > most_printed / 10)) file.create(session$said)
  begun <- tryCatch(
    process$call(function(name, args) do.call(utils::getFromNamespace(name, "deepstride"), args), list(name, args)),
    error = identity
  )
  if (inherits(begun, "error")) return(death_fault(session_status(process)))
  until <- clock_now() + wait
  while (identical(process$poll_process(max(0, min(200, ceiling(1000 * (until - clock_now()))))), "timeout")) {
    if (clock_now() >= until) return(overrun_fault(limit))
    if (isTRUE(file.size(session$said) > most_printed)) return(new_fault("stopped", "loud", bytes = most_printed))
  }
  answer <- process$read()
  if (is.null(answer) || is.null(answer$code) || answer$code >= 500) return(death_fault(session_status(process)))
  if (!is.null(answer$error)) return(new_fault("failed", "error", message = root_message(answer$error)))
  answer$result
}

root_message <- function(error) condition_line(error$parent %||% error)

session_status <- function(process) {
  process$wait(1000)
  process$get_exit_status() %||% NA_integer_
}

stop_session <- function(session) {
  if (is.list(session)) {
    tryCatch(session$process$kill(), error = function(e) NULL)
    unlink(session$said)
  }
  invisible()
}
