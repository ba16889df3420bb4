# One evaluation in a process that has done nothing yet.

# In the fresh process, with base R alone. `kernel` is a function; `natives` say
# which libraries it needs and which variables hold routines of them.
# Returns seconds to load, to compile byte code, to evaluate, and bytes by which the
# largest resident size grew over what the process held before the evaluation.
fresh_evaluation <- function(kernel, arguments, natives, setting, directory) {
  read_status <- function(field) {
    if (!file.exists("/proc/self/status")) return(NA_real_)
    line <- grep(paste0("^", field, ":"), readLines("/proc/self/status"), value = TRUE)
    1024 * as.double(gsub("[^0-9]", "", line))
  }
  spent <- function(expr) {
    start <- Sys.time()
    force(expr)
    as.double(difftime(Sys.time(), start, units = "secs"))
  }
  if (dir.exists(directory)) setwd(directory)
  sink(nullfile())
  on.exit(sink())
  load <- spent({
    for (package in setting$packages) suppressMessages(library(package, character.only = TRUE))
    list2env(setting$globals, globalenv())
    for (native in natives) {
      for (package in native$needs) loadNamespace(package)
      library <- dyn.load(native$library)
      for (variable in names(native$bindings)) {
        names <- c(native$bindings[[variable]], tolower(native$bindings[[variable]]))
        routine <- Find(function(name) is.loaded(name, library[["name"]]), names)
        assign(variable, getNativeSymbolInfo(routine, library)$address, envir = native$scope)
      }
    }
  })
  plain <- !is.primitive(kernel) && !identical(environment(kernel), unlist(natives[1], FALSE)$scope)
  compile <- if (!plain) 0 else spent(kernel <- compiler::cmpfun(kernel))
  invisible(gc())
  try(writeBin(charToRaw("5"), "/proc/self/clear_refs"), silent = TRUE) # the largest size starts anew
  held <- read_status("VmRSS")
  evaluation <- spent(suppressMessages(suppressWarnings(do.call(kernel, arguments, quote = TRUE))))
  c(load = load, compile = compile, evaluation = evaluation, peak = max(0, read_status("VmHWM") - held))
}

# Processes that have started and done nothing more, waiting to be asked. They
# start side by side, and are asked one after the other.
start_fresh <- function(count) {
  code <- paste(
    "cat('ready\\n'); local({x <- readRDS(readLines(file('stdin'), 1));",
    "saveRDS(do.call(x[[1]], x[[2]], quote = TRUE), x[[3]])})"
  )
  processes <- lapply(seq_len(count), function(i) {
    processx::process$new(file.path(R.home("bin"), "Rscript"), c("--vanilla", "-e", code),
      wd = tempdir(),
      env = c("current", worker_environment()), stdin = "|", stdout = "|", stderr = NULL
    )
  })
  for (process in processes) process$poll_io(20000)
  processes
}

# A child process looks for packages where this one does.
library_paths <- function() c(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep))

# Asks one of them for its first evaluation; a fault when it died or took too long.
ask_fresh <- function(process, kernel, arguments, natives, setting, directory, limit) {
  question <- scratch_file("fresh", ".rds")
  answer <- scratch_file("fresh", ".rds")
  on.exit({
    unlink(c(question, answer))
    process$kill()
  })
  environment(fresh_evaluation) <- globalenv()
  saveRDS(list(fresh_evaluation, list(kernel, arguments, natives, setting, directory), answer), question,
    compress = FALSE
  )
  process$write_input(paste0(question, "\n"))
  process$wait(1000 * (limit + 20))
  if (file.exists(answer)) return(readRDS(answer))
  new_fault("failed", "no fresh result")
}
