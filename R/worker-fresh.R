# One evaluation in a process that has done nothing yet.

# In the fresh process, with base R alone. `kernel` is a function; `native` says
# which library it needs and which of its variables hold routines of it.
# Returns seconds to load, to compile byte code, to evaluate, and bytes by which the
# largest resident size grew over what the process held before the evaluation.
fresh_evaluation <- function(kernel, arguments, native, setting, directory) {
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
    if (!is.null(native)) {
      for (package in native$needs) loadNamespace(package)
      library <- dyn.load(native$library)
      for (variable in names(native$bindings)) {
        names <- c(native$bindings[[variable]], tolower(native$bindings[[variable]]))
        routine <- Find(function(name) is.loaded(name, library[["name"]]), names)
        assign(variable, getNativeSymbolInfo(routine, library)$address, envir = environment(kernel))
      }
    }
  })
  compile <- if (is.primitive(kernel) || !is.null(native)) 0 else spent(kernel <- compiler::cmpfun(kernel))
  invisible(gc())
  try(writeBin(charToRaw("5"), "/proc/self/clear_refs"), silent = TRUE) # the largest size starts anew
  held <- read_status("VmRSS")
  evaluation <- spent(suppressMessages(suppressWarnings(do.call(kernel, arguments, quote = TRUE))))
  c(load = load, compile = compile, evaluation = evaluation, peak = max(0, read_status("VmHWM") - held))
}

# Runs it; a fault when the process died or took longer than `limit`.
in_fresh_process <- function(kernel, arguments, native, setting, directory, limit) {
  question <- tempfile(fileext = ".rds")
  answer <- tempfile(fileext = ".rds")
  on.exit(unlink(c(question, answer)))
  environment(fresh_evaluation) <- globalenv()
  saveRDS(list(fresh_evaluation, list(kernel, arguments, native, setting, directory)), question, compress = FALSE)
  code <- sprintf("local({x <- readRDS(%s); saveRDS(do.call(x[[1]], x[[2]], quote = TRUE), %s)})",
                  deparse(question), deparse(answer))
  ran <- run_command(file.path(R.home("bin"), "Rscript"), c("--vanilla", "-e", code), tempdir(), library_paths(),
                     limit + 20)
  if (file.exists(answer)) return(readRDS(answer))
  new_fault("failed", if (ran$timeout) "took too long in a fresh process" else trimws(ran$stdout))
}

# A child process looks for packages where this one does.
library_paths <- function() c(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep))
