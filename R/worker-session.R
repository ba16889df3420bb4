# Persistent R processes that answer one question at a time.

# What code needs around it in another process: the packages that are attached
# here and the functions and values of the global environment that it names.
portable_setting <- function(functions) {
  list(
    packages = rev(sub("^package:", "", grep("^package:", search(), value = TRUE))),
    globals = named_globals(functions)
  )
}

named_globals <- function(functions) {
  known <- ls(globalenv())
  wanted <- character()
  queue <- Filter(is.function, functions)
  while (length(queue) > 0) {
    named <- setdiff(intersect(all.names(body(queue[[1]])), known), wanted)
    wanted <- c(wanted, named)
    queue <- c(queue[-1], Filter(is.function, mget(named, envir = globalenv())))
  }
  mget(as.character(wanted), envir = globalenv())
}

# `environment` holds variables for the process.
start_session <- function(setting, environment = NULL) {
  options <- callr::r_session_options(stdout = NULL, stderr = NULL, env = c(callr::rcmd_safe_env(), environment))
  session <- tryCatch(
    callr::r_session$new(options, wait_timeout = 20000),
    error = function(e) abort_ds("worker", "A worker process could not be started.", condition_line(e), cause = e)
  )
  session$run(function(setting) {
    for (package in setting$packages) suppressMessages(library(package, character.only = TRUE))
    list2env(setting$globals, globalenv())
    loadNamespace("deepstride")
    NULL
  }, list(setting))
  session
}

# Calls a function of the package, by name, in the session. The answer, or a
# fault when the session took longer than `limit` seconds or died.
ask_session <- function(session, name, args, limit) {
  begun <- tryCatch(
    session$call(function(name, args) do.call(utils::getFromNamespace(name, "deepstride"), args), list(name, args)),
    error = identity
  )
  if (inherits(begun, "error")) return(death_fault(session))
  waited <- if (is.finite(limit)) ceiling(1000 * limit) else -1
  if (identical(session$poll_process(waited), "timeout")) return(overrun_fault(limit))
  answer <- session$read()
  if (is.null(answer) || is.null(answer$code) || answer$code >= 500) return(death_fault(session))
  if (!is.null(answer$error)) return(new_fault("failed", paste("stopped with:", root_message(answer$error))))
  answer$result
}

root_message <- function(error) condition_line(error$parent %||% error)

death_fault <- function(session) {
  session$wait(1000)
  status <- session$get_exit_status()
  how <- if (is.null(status)) "took its process down" else if (status < 0) {
    sprintf("took its process down with signal %d", -status)
  } else {
    sprintf("ended its process with status %d", status)
  }
  new_fault("crashed", how)
}

stop_session <- function(session) {
  if (inherits(session, "r_session")) tryCatch(session$kill(), error = function(e) NULL)
  invisible()
}
